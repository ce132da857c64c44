"""The one place that answers what a view raises on a recording, and what that is worth."""

from __future__ import annotations

from collections.abc import Hashable, Mapping, Sequence
from dataclasses import replace
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from north_hush.core.detect.alarms import Alarm
from north_hush.core.detect.lane import Lane
from north_hush.core.detect.settings import FACTORY, ZoneSettings
from north_hush.core.evaluate.armed import Armed, armed_lane, armed_truth
from north_hush.core.evaluate.evaluation import Evaluation, spans_of
from north_hush.core.evaluate.lanes import Lanes, parts_of
from north_hush.core.evaluate.lasting import Lasting, Raised, find_lasting, keep_lasting, name_of
from north_hush.core.evaluate.sensed import Sensed, with_sensors
from north_hush.core.evaluate.switched import Switched
from north_hush.core.explain.reasons import Explainer
from north_hush.core.explain.refusals import Refusals, refusals
from north_hush.core.follow.kinds import weights_digest
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.options import Channel
from north_hush.core.grid import Grid
from north_hush.core.judge.ground import (
    Ground,
    Grounds,
    anywhere,
    frames_of,
    reached_by,
    reaches_of,
    swept_boxes,
    touches,
)
from north_hush.core.judge.incidents import Incident, PlaceRow, Truth
from north_hush.core.judge.matching import Span
from north_hush.core.judge.place import concerned_items, lies_in, trail_of
from north_hush.core.memo import SHARED, Memo
from north_hush.core.scene.items import Watcher
from north_hush.core.scene.plan import Plan, is_crossed, watcher_id


class Evaluator(Lanes):
    """Evaluates zones and wires on evidence, and holds their alarms against what is known."""

    def __init__(self, memo: Memo = SHARED) -> None:
        super().__init__(memo)
        self._spans: WeakKeyDictionary[Lane, tuple[object, list[Span]]] = WeakKeyDictionary()

    def evaluate(
        self,
        evidence: Evidence,
        plan: Plan,
        settings: Mapping[str, ZoneSettings],
        truth: Truth | None = None,
        armed: Armed | None = None,
        sensed: Sensed | None = None,
    ) -> Evaluation:
        """All that a view raises on a recording under some settings while it is armed (None: always), with what its sensors did, held
        against what is known of it."""
        lanes = self.lanes(evidence, plan, settings)
        if sensed is not None:
            lanes = with_sensors(lanes, sensed, evidence)
        if armed is not None:
            lanes = [armed_lane(lane, armed, evidence) for lane in lanes]
        found = self.judged(evidence, plan, lanes, truth or Truth(), armed)
        return replace(found, over=settings) if isinstance(settings, Switched) else found

    def lanes(self, evidence: Evidence, plan: Plan, settings: Mapping[str, ZoneSettings]) -> list[Lane]:
        """Levels and alarms of every zone and wire of a plan, in its order."""
        if not evidence.stays:  # one sweep over a long recording for all of them
            missing = [held for held in plan.watchers if self._outlived(evidence, held, plan, settings) is None]
            self.make_tables(evidence, missing, plan, settings)
        return [self._remembered(evidence, watcher, plan, settings) for watcher in plan.watchers]

    def _remembered(
        self, evidence: Evidence, watcher: Watcher | None, plan: Plan, settings: Mapping[str, ZoneSettings]
    ) -> Lane:
        """The same lane as long as nothing it stands on changes: of a turned dial the other items are not worked out again. Only here;
        a curve or a map tries thousands of settings once."""

        def make() -> Lane:
            known = self._outlived(evidence, watcher, plan, settings)
            return self.lane(evidence, watcher, plan, settings, known)

        key = ("lane", evidence.key, self._lane_basis(evidence, watcher, plan, settings))
        return self._memo.made(key, make)

    def _lane_basis(
        self, evidence: Evidence, watcher: Watcher | None, plan: Plan, settings: Mapping[str, ZoneSettings]
    ) -> tuple[Hashable, ...]:
        """All that a lane stands on beside the values of the evidence."""
        placed, item = self._places.of(watcher, plan, evidence.grid), watcher_id(watcher)
        return (
            len(evidence.frames), watcher, settings.get(item, FACTORY), plan.size_marks, plan.privacy,
            placed.plane_key, placed.weights.key, plan.taught, parts_of(settings, item),
        )  # fmt: skip

    # --- what outlives the values of the evidence -------------------------------------------------------------------

    def _lasting(self, evidence: Evidence) -> Lasting:
        key = ("lasting", evidence.key)
        return self._memo.made(key, lambda: find_lasting(evidence.folder, len(evidence.frames)))

    def _outlived(
        self, evidence: Evidence, watcher: Watcher | None, plan: Plan, settings: Mapping[str, ZoneSettings]
    ) -> Raised | None:
        """What was kept of a lane of a recording whose values were let go."""
        if not evidence.lean:
            return None
        return self._lasting(evidence).raised.get(_lane_name(self._lane_basis(evidence, watcher, plan, settings)))

    def keep(self, found: Evaluation) -> None:
        """Keep what was found beside the evidence, so that it is known after its values were let go."""
        evidence, plan = found.evidence, found.plan
        if evidence.folder is None or not evidence.whole or evidence.lean:
            return
        dials = {lane.zone_id: lane.settings for lane in found.lanes}
        settings = found.over if found.over is not None else dials
        raised, grounds = dict[str, Raised](), dict[str, Ground]()
        reaches = reaches_of(evidence, found.truth.incidents)
        for watcher in plan.watchers:
            lane = self._remembered(evidence, watcher, plan, settings)
            raised[_lane_name(self._lane_basis(evidence, watcher, plan, settings))] = lane.areas, lane.alarms
            if not is_crossed(watcher) and lane.alarms:
                reached = [found.truth.incidents[number] for number in reached_by(lane, reaches)]
                touched = self.grounds(evidence, watcher, plan, lane.settings, reached)
                for incident, ground in zip(reached, touched, strict=True):
                    grounds[name_of(self._touch_basis(evidence, watcher, plan, lane.settings, incident))] = ground
        key = ("kept", evidence.key)
        if self._memo.get(key) != (names := (*raised, *grounds)):
            keep_lasting(evidence.folder, Lasting(raised, grounds))
            self._memo.put(key, names)

    def judged(
        self, evidence: Evidence, plan: Plan, lanes: list[Lane], truth: Truth, armed: Armed | None = None
    ) -> Evaluation:
        """Lanes that are there already, held against what is known of the recording, and of its armed time."""
        if armed is not None:
            truth, out = armed_truth(truth, armed)
            found = self.judged(evidence, plan, lanes, truth)
            return replace(found, armed=armed, out_of_hours=out)
        spans = [span for lane in lanes for span in self.spans(evidence, plan, lane, truth)]
        spans.sort(key=lambda span: (span.start_s, span.end_s, span.item))
        concerns = self.concerns(truth, plan, evidence.grid)
        return Evaluation(evidence, plan, tuple(lanes), tuple(spans), truth, concerns)

    def explainer(self, evidence: Evidence, plan: Plan) -> Explainer:
        """What tells why the alarms of a recording were raised."""
        return Explainer(
            evidence,
            plan,
            lambda watcher, dials: self.sights(evidence, watcher, plan, dials),
            lambda: self.tracks(evidence, plan),
        )

    def refusals(self, evidence: Evidence, plan: Plan, lane: Lane) -> Refusals:
        """What the limits of a lane refused."""
        return refusals(
            evidence,
            plan,
            lane,
            lambda watcher, dials: self.sights(evidence, watcher, plan, dials),
            lambda sights, dials: self.reported.likely(evidence, plan, sights, dials) if dials.limits_kinds else None,
            lambda watcher, dials: self.reported.refused_on_line(evidence, watcher, plan, dials),
        )

    # --- where alarms were, against where incidents were ------------------------------------------------------------

    def concerns(self, truth: Truth, plan: Plan, grid: Grid) -> tuple[frozenset[str] | None, ...]:
        """For each incident the items it concerns; None for any, where its place is not known."""
        return tuple(self._concerned(held, plan, grid) for held in truth.incidents)

    def _concerned(self, incident: Incident, plan: Plan, grid: Grid) -> frozenset[str] | None:
        named = incident.items or incident.judged_on
        if named or not incident.place:
            return frozenset(named) if named else None
        key = ("concerned", incident.place, incident.start_s, incident.end_s, plan.zones, plan.wires, grid)
        return frozenset(self._memo.made(key, lambda: concerned_items(incident, plan, grid)))

    def lies(self, evidence: Evidence, plan: Plan, lane: Lane, truth: Truth) -> NDArray[np.bool_]:
        """Which alarms of a lane were, at some instant, where which incidents were, (alarms, incidents) bool."""
        watcher = next((held for held in plan.watchers if watcher_id(held) == lane.zone_id), None)
        if not is_crossed(watcher):
            reached = reached_by(lane, reaches_of(evidence, truth.incidents))
            grounds = self.grounds(evidence, watcher, plan, lane.settings, [truth.incidents[held] for held in reached])
            found = np.zeros((len(lane.alarms), len(truth.incidents)), bool)
            found[:, reached] = Grounds.of(grounds).meet(frames_of(lane))
            return found
        found = np.zeros((len(lane.alarms), len(truth.incidents)), bool)
        for column, incident in enumerate(truth.incidents):
            found[:, column] = [lies_in(held, incident, evidence.grid) for held in lane.alarms]
        return found

    def grounds(
        self,
        evidence: Evidence,
        watcher: Watcher | None,
        plan: Plan,
        dials: ZoneSettings,
        incidents: Sequence[Incident],
    ) -> list[Ground]:
        """In which frames an item's largest patch lies in the place of each incident. Only channel and change limit of the dials
        decide it."""
        found = [self._known_ground(evidence, watcher, plan, dials, held) for held in incidents]
        wanted = [number for number, held in enumerate(found) if held is None]
        if wanted:
            unknown = [incidents[number] for number in wanted]
            boxes = [self._swept(evidence, dials.stored_channel, held) for held in unknown]
            made = touches(evidence, self.weights(watcher, plan, evidence.grid), dials, unknown, boxes)
            for number, incident, ground in zip(wanted, unknown, made, strict=True):
                basis = self._touch_basis(evidence, watcher, plan, dials, incident)
                found[number] = self._memo.put(("touched", evidence.key, basis), ground)
        return [held for held in found if held is not None]

    def _known_ground(
        self, evidence: Evidence, watcher: Watcher | None, plan: Plan, dials: ZoneSettings, incident: Incident
    ) -> Ground | None:
        if not incident.place:
            return anywhere(evidence, incident)
        basis = self._touch_basis(evidence, watcher, plan, dials, incident)
        held: Ground | None = self._memo.get(("touched", evidence.key, basis))
        return self._lasting(evidence).grounds.get(name_of(basis)) if held is None and evidence.lean else held

    def _swept(self, evidence: Evidence, channel: Channel, incident: Incident) -> NDArray[np.int64]:
        key = ("swept", evidence.key, len(evidence.frames), channel, incident.place, incident.start_s, incident.end_s)
        return self._memo.made(key, lambda: swept_boxes(evidence, channel, incident))

    def _touch_basis(
        self, evidence: Evidence, watcher: Watcher | None, plan: Plan, dials: ZoneSettings, incident: Incident
    ) -> tuple[Hashable, ...]:
        """All that decides where an item touched an incident beside the values of the evidence."""
        weights = self.weights(watcher, plan, evidence.grid)
        return (
            len(evidence.frames), dials.stored_channel, weights.key, dials.change_limit_quarters,
            incident.place, incident.start_s, incident.end_s,
        )  # fmt: skip

    def trail(self, evidence: Evidence, plan: Plan, lane: Lane, alarm: Alarm) -> tuple[PlaceRow, ...]:
        """Where an alarm was, as the place of an incident."""
        watcher = next(held for held in plan.watchers if watcher_id(held) == lane.zone_id)
        return trail_of(evidence, self.weights(watcher, plan, evidence.grid), lane.settings, alarm)

    def spans(self, evidence: Evidence, plan: Plan, lane: Lane, truth: Truth) -> list[Span]:
        """The alarms of a lane as a score takes them. A verdict changes none of them, so they are kept with the lane."""
        basis = (evidence.key, plan, truth.incidents)
        held = self._spans.get(lane)
        if held is None or held[0] != basis:
            beside = lane.kind in ("sound", "contact")  # nobody knows where a sensor's alarm was
            lies = None if beside else self.lies(evidence, plan, lane, truth)
            held = self._spans[lane] = (basis, spans_of(lane, lies))
        return held[1]


def _lane_name(basis: tuple[Hashable, ...]) -> str:
    """Kinds decide what a lane raises too."""
    return name_of((*basis, weights_digest()))
