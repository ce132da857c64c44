"""What counts of a recording under hours: alarms that run at an armed instant, and incidents of which any instant is armed."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import UTC, datetime

import numpy as np

from north_hush.core.detect.alarms import Alarm
from north_hush.core.detect.lane import Lane
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.index import FrameIndex
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.hours.clock import EPOCH, US
from north_hush.core.hours.spans import Spans, running_in, total_us, union
from north_hush.core.judge.incidents import Incident, Truth
from north_hush.core.scene.plan import watcher_id
from north_hush.core.site.model import Site, View, replaced
from north_hush.core.site.recording import Recording


@dataclass(frozen=True, eq=False)
class Armed:
    """When the items of a view are armed over a recording, in microseconds after its first frame.

    Attributes
    ----------
    items : by item
    any : when any of them is
    """

    items: Mapping[str, Spans]
    any: Spans

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, Armed) or self.items.keys() != other.items.keys():
            return False
        return all(np.array_equal(spans, other.items[item]) for item, spans in self.items.items())

    __hash__ = None  # type: ignore[assignment]


def armed_over(site: Site, view: View, recording: Recording, index: FrameIndex) -> Armed | None:
    """When a view's items are armed over a recording; None where everything counts: it has no hours, or nobody knows when the
    recording was taken.

    Raises
    ------
    HushError : the hours cannot be turned into instants.
    """
    began = recording.began(index, site.zone)
    if not view.has_hours or began is None:
        return None
    start_us = us_of(began)
    end_us = start_us + round(index.duration_s * US_PER_S) + 1
    items = [*(watcher_id(held) for held in view.plan.watchers), *(sensor.id for sensor in view.sensors)]
    spans = {item: view.hours_of(item).spans("armed", site.clock, start_us, end_us) - start_us for item in items}
    return Armed(spans, union(spans.values()))


def us_of(at: datetime) -> int:
    """An instant in microseconds of UTC."""
    return (at.astimezone(UTC) - EPOCH) // US


def armed_lane(lane: Lane, armed: Armed, evidence: Evidence) -> Lane:
    """A lane with the alarms that count: one that runs at arming starts then."""
    spans = armed.items.get(lane.zone_id, armed.any)  # an item that is drawn no more, of a pin
    alarms = [kept for alarm in lane.alarms if (kept := _armed_alarm(alarm, spans, evidence)) is not None]
    return replace(lane, alarms=alarms)


def _armed_alarm(alarm: Alarm, spans: Spans, evidence: Evidence) -> Alarm | None:
    found = running_in(spans, alarm.start_us, alarm.end_us)
    if found is None:
        return None
    start_us = found[0]
    if start_us == alarm.start_us:
        return alarm
    frame = min(int(np.searchsorted(evidence.time_us, start_us)), alarm.end_frame)
    return replace(alarm, start_us=start_us, start_frame=frame)


def armed_truth(truth: Truth, armed: Armed) -> tuple[Truth, tuple[Incident, ...]]:
    """What is known of the armed time, and the incidents out of hours. The delay of an incident that runs at arming counts from
    there."""
    kept, out = [], []
    for incident in truth.incidents:
        found = running_in(armed.any, round(incident.start_s * US_PER_S), round(incident.end_s * US_PER_S))
        if found is None:
            out.append(incident)
        else:
            start_s = found[0] / US_PER_S
            kept.append(incident if start_s <= incident.start_s else replaced(incident, start_s=start_s))
    return replaced(truth, incidents=tuple(kept)), tuple(out)


def armed_s(armed: Armed) -> float:
    """For how many seconds anything is armed."""
    return total_us(armed.any) / US_PER_S


def armed_evidence(evidence: Evidence, armed: Armed) -> Evidence:
    """The evidence with the frames alone counting in which anything is armed, for a search."""
    on = np.zeros(len(evidence.frames), bool)
    for start, end in armed.any.tolist():
        on[np.searchsorted(evidence.time_us, start) : np.searchsorted(evidence.time_us, end)] = True
    return evidence.counting(on)
