"""What the alarms of a view lead to on a recording: rules of outcome over what counts of it, in its hours."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from north_hush.core.detect.alarms import Alarm
from north_hush.core.detect.lane import Lane
from north_hush.core.evaluate.armed import us_of
from north_hush.core.evaluate.evaluation import Evaluation
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.footage.index import FrameIndex
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.hours.plan import Hours
from north_hush.core.hours.spans import Spans, union
from north_hush.core.outcome.raised import NEVER_BRIEF, Raised
from north_hush.core.outcome.replay import Replayed, When, always, replay
from north_hush.core.scene.plan import watcher_id
from north_hush.core.site.model import Site, View
from north_hush.core.site.recording import Recording


def kinds_of_crossings(evaluator: Evaluator, found: Evaluation) -> Mapping[int, tuple[str, float]]:
    """What each track of a recording is; of one on which nothing crosses a wire, nothing is asked."""
    crossed = any(alarm.track is not None for lane in found.lanes for alarm in lane.alarms)
    return evaluator.kinds(found.evidence, found.plan) if crossed else {}


def raised_of(found: Evaluation, kinds: Mapping[int, tuple[str, float]]) -> list[Raised]:
    """The alarms of an evaluation as outcome takes them, by their start."""
    raised = [_raised(lane, alarm, kinds) for lane in found.lanes for alarm in lane.alarms]
    return sorted(raised, key=lambda held: (held.start_us, held.end_us, held.item))


def _raised(lane: Lane, alarm: Alarm, kinds: Mapping[int, tuple[str, float]]) -> Raised:
    """Frames below the clear level that a release waited for are no frames in which change lasted."""
    waited = lane.settings.release_frames if alarm.ended_by == "level" else 0
    lasted = max(1, alarm.end_frame - alarm.onset_frame + 1 - waited)
    lasted = NEVER_BRIEF if alarm.ended_by == "crossed" else lasted
    kind = kinds.get(alarm.track) if alarm.track is not None else None
    return Raised(lane.zone_id, alarm.start_us, alarm.end_us, lasted, kind[0] if kind else "unclear", alarm.sure)


def when_of(site: Site, view: View, recording: Recording, index: FrameIndex, *, all_hours: bool = False) -> When:
    """When what holds over a recording, in microseconds after its first frame; always where nobody knows when it was taken.

    Raises
    ------
    HushError : the hours cannot be turned into instants.
    """
    items = [*(watcher_id(held) for held in view.plan.watchers), *(sensor.id for sensor in view.sensors)]
    end_us = round(index.duration_s * US_PER_S)
    began = recording.began(index, site.zone)
    if all_hours or not view.has_hours or began is None:
        return always((0, end_us), items)
    start_us = us_of(began)

    def spans(hours: Hours, kind: str) -> Spans:
        return hours.spans(kind, site.clock, start_us, start_us + end_us) - start_us

    by_item = {kind: {item: spans(view.hours_of(item), kind) for item in items} for kind in ("recording", "notifying")}
    armed = union(spans(view.hours_of(item), "armed") for item in items)
    counted_us = int((armed[:, 1] - armed[:, 0]).sum())
    kept_by = view.hours.kept_by(site.clock, start_us, start_us + end_us)
    sensors = frozenset(sensor.id for sensor in view.sensors)
    kept_by = {said: held - start_us for said, held in kept_by.items()}
    return When((0, end_us), counted_us, by_item["recording"], kept_by, by_item["notifying"], sensors)


def led_to(
    evaluator: Evaluator,
    site: Site,
    view: View,
    recording: Recording,
    index: FrameIndex,
    found: Evaluation,
    asked: Sequence[Raised] = (),
    *,
    all_hours: bool = False,
) -> Replayed:
    """What the alarms of an evaluation lead to, with what other views asked this one to record.

    Raises
    ------
    HushError : the hours cannot be turned into instants.
    """
    when = when_of(site, view, recording, index, all_hours=all_hours)
    return replay(raised_of(found, kinds_of_crossings(evaluator, found)), view.outcome, when, asked)
