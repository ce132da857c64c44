"""What must raise an alarm for a clip of it, where the hours of recording say so: a sensor, or a sensor and the picture both.

*on contact*: alarms of sensors (input contacts, sound) alone open clips. *on both*: the second of the two opens one, when an alarm of
the other sort runs or was over no longer than `NEAR_US` before; what still runs of the first is in it. So nothing is decided before
it is known.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence, Set

from north_hush.core.hours.spans import NOTHING, Spans, common, outside, spans_of, union
from north_hush.core.outcome.raised import Raised

ON_CONTACT, ON_BOTH = "on contact", "on both"
BY_RAISERS = (ON_CONTACT, ON_BOTH)
NEAR_US = 5_000_000


def kept_by_raisers(
    alarms: Sequence[Raised],
    kept: Mapping[str, Spans],
    kept_by: Mapping[str, Spans],
    sensors: Set[str],
    footage: tuple[int, int],
) -> Mapping[str, Spans] | None:
    """When an alarm of each item may open clips: in the hours it has, without those in which something else must raise it. None where
    no hours say so."""
    contact, both = kept_by.get(ON_CONTACT, NOTHING), kept_by.get(ON_BOTH, NOTHING)
    if not len(contact) and not len(both):
        return None
    near = {
        of_sensors: spans_of(
            (one.start_us, one.end_us + NEAR_US + 1) for one in alarms if (one.item in sensors) == of_sensors
        )
        for of_sensors in (False, True)
    }
    first, after = (
        min(footage[0], *(one.start_us for one in alarms), 0),
        max(footage[1], *(one.end_us + 1 for one in alarms), 0),
    )
    found = {}
    for item, spans in kept.items():
        is_sensor = item in sensors
        free = outside(both if is_sensor else union([contact, both]), first, after)
        found[item] = common(spans, union([free, common(both, near[not is_sensor])]))
    return found


class Raisers:
    """The same for what comes live: tell it of every alarm's start and end."""

    def __init__(self) -> None:
        self._runs: set[str] = set()
        self._over_us: dict[bool, int] = {}

    def start(self, item: str) -> None:
        """An alarm started."""
        self._runs.add(item)

    def end(self, item: str, at_us: int, *, is_sensor: bool) -> None:
        """It is over."""
        self._runs.discard(item)
        self._over_us[is_sensor] = at_us

    def opens(self, said: str, item: str, at_us: int, sensors: Set[str]) -> bool:
        """Whether an alarm that starts now opens a clip, as far as who raised it goes."""
        if said == ON_CONTACT:
            return item in sensors
        if said != ON_BOTH:
            return True
        over_us = self._over_us.get(item not in sensors)
        return bool(self.others(item, sensors)) or (over_us is not None and at_us - over_us <= NEAR_US)

    def others(self, item: str, sensors: Set[str]) -> set[str]:
        """What runs of the other sort."""
        return {one for one in self._runs if (one in sensors) != (item in sensors)}

    def clear(self) -> None:
        """The picture was lost: nothing runs any more."""
        self._runs.clear()
        self._over_us.clear()
