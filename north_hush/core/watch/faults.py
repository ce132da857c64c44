"""What is wrong with cameras, and when people are told: of what lasts after a while and again until it is mended, else at once."""

from __future__ import annotations

from dataclasses import dataclass

from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.words import tr

TOLD_AFTER_S = 20
"""A picture that comes back sooner is nobody's business at night; the store knows of it."""
AGAIN_S = 3600
LASTING = frozenset(
    {
        "no picture",
        "picture lost",
        "camera process ended",
        "recorded stream lost",
        "camera events lost",
        "frozen",
        "covered",
        "moved",
        "dark",
        "bright",
        "blurred",
    }
)
"""Faults that last until the picture is as it was."""
_NO_PICTURE = frozenset({"no picture", "picture lost", "camera process ended"})


@dataclass
class _Lasting:
    since_us: int
    said: str
    told_us: int | None = None


class Faults:
    """Say what happens; ask what is due."""

    def __init__(self) -> None:
        self._lasting: dict[tuple[str, str], _Lasting] = {}
        self._due: list[tuple[str, str]] = []

    def fault(self, view: str, fault: str, said: str, at_us: int) -> None:
        """Something is wrong with a view."""
        if fault not in LASTING:
            self._due.append((view, f"{fault}: {said}" if said else fault))
            return
        name = "no picture" if fault in _NO_PICTURE else fault
        self._lasting.setdefault((view, name), _Lasting(at_us, said)).said = said

    def mended(self, view: str, fault: str = "no picture") -> None:
        """It is as it was. Who was told of it is told that, too."""
        held = self._lasting.pop((view, fault), None)
        if held is not None and held.told_us is not None:
            self._due.append((view, tr("{fault}: mended", fault=fault)))

    def due(self, now_us: int) -> list[tuple[str, str]]:
        """What people are to be told by now, once: view and text."""
        found, self._due = self._due, []
        for (view, fault), held in self._lasting.items():
            told = held.told_us
            since_us = held.since_us + TOLD_AFTER_S * US_PER_S if told is None else told + AGAIN_S * US_PER_S
            if now_us >= since_us:
                held.told_us = now_us
                lasts = round((now_us - held.since_us) / US_PER_S)
                found.append(
                    (
                        view,
                        tr(
                            "{fault} for {lasts} s{value}",
                            fault=fault,
                            lasts=lasts,
                            value=": " + held.said if held.said else "",
                        ),
                    )
                )
        return found
