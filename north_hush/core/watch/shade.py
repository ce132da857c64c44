"""A second tuning in the shade of the one that is on: its alarms are only counted, and compared with those that were told."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from north_hush.core.detect.settings import FACTORY
from north_hush.core.evaluate.live import LiveTracks, LiveZone
from north_hush.core.footage.reduce import Reduced
from north_hush.core.grid import Grid
from north_hush.core.scene.plan import watcher_id
from north_hush.core.site.model import View

SHADE, SHADE_ON = "shade", "shade_on"
_NEAR_S = 1.0
"""An alarm of the one and one of the other that are so near in time are of the same thing."""


@dataclass(frozen=True)
class Shaded:
    """An alarm in the shade, in microseconds after the first frame."""

    item: str
    start_us: int
    end_us: int


class Shade:
    """Feed it what the eye reduced. It shares the eye's tracks, and goes on from a shade before it that had the same items."""

    def __init__(self, view: View, grid: Grid, tracks: LiveTracks, before: Shade | None = None) -> None:
        assert view.shade is not None
        self.tuning = view.tuning_named(view.shade)
        known = {zone.id: zone for zone in before.zones} if before is not None else {}
        self.zones: list[LiveZone] = []
        for watcher in view.plan.watchers:
            item = watcher_id(watcher)
            zone = LiveZone(watcher, view.plan, self.tuning.settings.get(item, FACTORY), grid, tracks)
            if item in known:
                zone.go_on_from(known[item])
            self.zones.append(zone)

    def push(self, reduced: Reduced) -> list[Shaded]:
        """The alarms that ended with a frame."""
        return [Shaded(zone.id, alarm.start_us, alarm.end_us) for zone in self.zones for alarm in zone.push(reduced)]

    def forget(self) -> None:
        """The picture was lost."""
        for zone in self.zones:
            zone.forget()


@dataclass(frozen=True)
class Compared:
    """What was told of an item and what its shade would have, over the same time.

    Attributes
    ----------
    told, shade : alarms; `told_s`, `shade_s` their seconds
    both : alarms that were told while one of the shade ran, or close to it
    """

    item: str
    told: int
    told_s: float
    shade: int
    shade_s: float
    both: int


@dataclass(frozen=True)
class Week:
    """A comparison of a view: under which tuning in the shade, and over which time."""

    view: str
    tuning: str
    since: datetime
    until: datetime
    items: tuple[Compared, ...]


def compared(events: Iterable[dict[str, Any]], view: str) -> Week | None:
    """What became of a view's shade since it runs; None where none does. The events are those of the store, in their order."""
    tuning, since, until = "", None, None
    told, shade = list[tuple[str, datetime, datetime]](), list[tuple[str, datetime, datetime]]()
    for event in events:
        if event["view"] != view:
            continue
        at = datetime.fromisoformat(event["time_utc"])
        if event["what"] == SHADE_ON and event["tuning"] != tuning:
            tuning, since, told, shade = event["tuning"], at, [], []
        others = event["what"] == SHADE and event.get("tuning", tuning) != tuning
        if event["what"] in ("alarm_end", SHADE) and "start_utc" in event and not event.get("walk") and not others:
            kept = shade if event["what"] == SHADE else told
            kept.append((event["item"], datetime.fromisoformat(event["start_utc"]), at))
        until = at
    if not tuning or since is None or until is None:
        return None
    items = sorted({item for item, _, _ in (*told, *shade)})
    rows = (_row(item, _of(told, item, since), _of(shade, item, since)) for item in items)
    return Week(view, tuning, since, until, tuple(rows))


_Spans = list[tuple[datetime, datetime]]


def _of(alarms: list[tuple[str, datetime, datetime]], item: str, since: datetime) -> _Spans:
    return [(start, end) for held, start, end in alarms if held == item and end >= since]


def _row(item: str, told: _Spans, shade: _Spans) -> Compared:
    both = sum(any(_near(one, other) for other in shade) for one in told)
    seconds = [sum((end - start).total_seconds() for start, end in spans) for spans in (told, shade)]
    return Compared(item, len(told), round(seconds[0], 1), len(shade), round(seconds[1], 1), both)


def _near(one: tuple[datetime, datetime], other: tuple[datetime, datetime]) -> bool:
    apart_s = max((other[0] - one[1]).total_seconds(), (one[0] - other[1]).total_seconds())
    return apart_s <= _NEAR_S
