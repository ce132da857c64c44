"""What an operator said by hand: armed or not for a while whatever the hours say, or a walk test."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True)
class ByHand:
    """Holds until instants in microseconds of UTC, then the hours count again.

    Attributes
    ----------
    armed : None: as the hours say
    walk_until_us : a walk test shows alarms, but neither records nor tells
    """

    armed: bool | None = None
    until_us: int = 0
    walk_until_us: int = 0

    def walking(self, at_us: int) -> bool:
        """Whether a walk test runs."""
        return at_us < self.walk_until_us

    def armed_at(self, at_us: int) -> bool | None:
        """What counts instead of the hours; None where they count."""
        if self.walking(at_us):
            return True
        return self.armed if at_us < self.until_us else None

    def told(self) -> dict[str, Any]:
        """As it is said to the process of a camera; `ByHand(**told)` reads it."""
        return {"armed": self.armed, "until_us": self.until_us, "walk_until_us": self.walk_until_us}


HOURS_COUNT = ByHand()
