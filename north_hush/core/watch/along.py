"""Other cameras of a live site that record along while alarms of one run."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from north_hush.core.outcome.raised import NEVER_BRIEF
from north_hush.core.site.model import View

Ask = Callable[[str, str, int, int], None]
"""Have a view, by id, record for another one, by name, from an instant on; or with frames that change lasted in, up to it."""


@dataclass
class _Asked:
    """What a view asked of another one: for which of its alarms, and the most frames that change lasted in one that is over."""

    items: set[str] = field(default_factory=set)
    frames: int = 0


class RecordingAlong:
    """Tell it of alarms as they start and end.

    Parameters
    ----------
    begin, end : have the other camera begin, and end
    """

    def __init__(self, begin: Ask, end: Ask) -> None:
        self._begin, self._end = begin, end
        self._asked: dict[tuple[str, str], _Asked] = {}

    def start(self, view: View, item: str, at_us: int) -> None:
        """An alarm started."""
        for rule in view.outcome.along:
            if rule.items and item not in rule.items:
                continue
            held = self._asked.get((view.id, rule.view))
            if held is None:
                held = self._asked[view.id, rule.view] = _Asked()
                self._begin(rule.view, view.name, at_us, 0)
            held.items.add(item)

    def over(self, view: View, item: str, at_us: int, frames: int) -> None:
        """It ended, also where the rules are others by now."""
        for (asking, other), held in list(self._asked.items()):
            if asking == view.id and item in held.items:
                held.items.discard(item)
                held.frames = max(held.frames, frames)
                if not held.items:
                    del self._asked[asking, other]
                    self._end(other, view.name, at_us, held.frames)

    def gone(self, view: View, at_us: int) -> None:
        """Its picture is lost: nothing of it runs any more, and nobody knows how long it would have."""
        running = {item for (asking, _), held in self._asked.items() if asking == view.id for item in held.items}
        for item in running:
            self.over(view, item, at_us, NEVER_BRIEF)
