"""Whether hours hold at an instant that is now: a day of them is worked out at a time."""

from __future__ import annotations

from collections.abc import Callable

from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.hours.spans import Spans, running_in

AHEAD_US = 24 * 3600 * US_PER_S


class DayAhead:
    """Remembers a day of spans of each thing that has hours."""

    def __init__(self) -> None:
        self._known: dict[str, tuple[int, int, Spans]] = {}

    def hold(self, name: str, at_us: int, spans: Callable[[int, int], Spans]) -> bool:
        """Whether an instant lies in the spans of a thing; `spans` makes them from one instant to another, and what it raises is
        raised."""
        known = self._known.get(name)
        if known is None or not known[0] <= at_us < known[1]:
            start, end = at_us - US_PER_S, at_us + AHEAD_US
            known = self._known[name] = (start, end, spans(start, end))
        return running_in(known[2], at_us, at_us) is not None
