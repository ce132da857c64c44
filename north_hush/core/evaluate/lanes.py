"""What the zones and wires of a view do on stored evidence: levels and alarms, tracks, and the tables that spare reading it again.

What is worked out on the way is kept in the memo of the process, by value, so that nothing is done twice.
"""

from __future__ import annotations

from collections.abc import Hashable, Mapping, Sequence
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from north_hush.core.detect.alarms import ALLOWED, Alarm, Part, switched_alarms
from north_hush.core.detect.dials import LEVEL_FIELDS, next_limits
from north_hush.core.detect.guard import OFF_PERCENT, LightGuard
from north_hush.core.detect.lane import WHOLE_PICTURE_NAME, DialPart, Lane
from north_hush.core.detect.levels import changed_areas
from north_hush.core.detect.settings import FACTORY, ZoneSettings
from north_hush.core.detect.steady import Steadier
from north_hush.core.evaluate.following import Following, tracks_key
from north_hush.core.evaluate.lasting import Raised
from north_hush.core.evaluate.places import Places
from north_hush.core.evaluate.reported import Reported
from north_hush.core.evaluate.switched import Switched
from north_hush.core.evaluate.tables import Tables
from north_hush.core.follow.apart import Apart
from north_hush.core.follow.broken import names_what_breaks
from north_hush.core.follow.crossing import Crossing, crossing_alarms, unmasked
from north_hush.core.follow.kinds import KindTable
from north_hush.core.follow.owned import OWNED_FIELDS, Owner
from north_hush.core.follow.tracks import FRAME as TRACK_FRAME
from north_hush.core.follow.visits import ZoneWatch, is_visited, needs_tracks
from north_hush.core.follow.walkers import Perspective
from north_hush.core.footage.evidence import Evidence
from north_hush.core.grid import Grid
from north_hush.core.memo import SHARED, Memo
from north_hush.core.scene.items import Watcher, Wire, Zone
from north_hush.core.scene.kind import Example
from north_hush.core.scene.plan import Plan, is_crossed, watcher_id
from north_hush.core.scene.weights import Weights

_Key = tuple[str, int, str, bytes]
"""Evidence and how many frames of it, channel and weights: equal keys mean equal levels."""


def _sights_key(evidence: Evidence, plan: Plan, dials: ZoneSettings, plane: bytes) -> tuple[Hashable, ...]:
    """What decides the patches an item sees, and whose they are."""
    rate, channel = dials.analysis_per_s, dials.stored_channel
    return ("sights", tracks_key(evidence, plan.privacy), channel, rate, dials.change_limit_quarters, plane)


def parts_of(settings: Mapping[str, ZoneSettings], item: str) -> tuple[DialPart, ...]:
    """From when to when which dials of an item are on; nothing where they are always the same."""
    return settings.parts(item) if isinstance(settings, Switched) else ()


class Lanes:
    """Levels and alarms, and what they are worked out from."""

    def __init__(self, memo: Memo = SHARED) -> None:
        self._memo = memo
        self._tables = Tables(memo)
        self._following = Following(memo)
        self._places = Places(memo)
        self.reported = Reported(memo, self._following, self._places)

    # --- alarms -----------------------------------------------------------------------------------------------------

    def lane(
        self,
        evidence: Evidence,
        watcher: Watcher | None,
        plan: Plan,
        settings: Mapping[str, ZoneSettings],
        known: Raised | None = None,
    ) -> Lane:
        """Levels and alarms of one zone or wire (None: the whole picture), unless they are known."""
        dials, parts = settings.get(watcher_id(watcher), FACTORY), parts_of(settings, watcher_id(watcher))
        total = self.weights(watcher, plan, evidence.grid).total
        if known is not None:
            areas, alarms = known
        elif len(parts) > 1:
            areas, alarms = self._switched(evidence, watcher, plan, parts)
        else:
            areas, counts = self._steadied(evidence, watcher, plan, dials)
            alarms = self._alarms(evidence, watcher, plan, areas, counts, total, dials)
        kind: Literal["zone", "wire"] = "wire" if isinstance(watcher, Wire) else "zone"
        name = watcher.name if watcher else WHOLE_PICTURE_NAME
        return Lane(watcher_id(watcher), name, areas, total, alarms, dials, kind, parts if len(parts) > 1 else ())

    def _steadied(
        self, evidence: Evidence, watcher: Watcher | None, plan: Plan, dials: ZoneSettings
    ) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
        """Changed area in each frame, and which frames count. A search turns what comes after it thousands of times."""
        _, weights, key = self._what(evidence, watcher, plan, {watcher_id(watcher): dials})
        steadier = Steadier(dials, weights.total)

        def make() -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
            plain = self._areas_of(key, evidence, weights, dials)
            return steadier.feed(plain, evidence.valid, evidence.gap, evidence.time_us)

        if steadier.passes or not evidence.stays:
            return make()
        return self._memo.made(("steadied", key, dials.change_limit_quarters, weights.total, steadier.knobs), make)

    def _alarms(
        self,
        evidence: Evidence,
        watcher: Watcher | None,
        plan: Plan,
        areas: NDArray[np.int64],
        counts: NDArray[np.bool_],
        total: int,
        dials: ZoneSettings,
    ) -> list[Alarm]:
        if is_crossed(watcher):
            if total == 0:
                return []
            plane = self._places.of(watcher, plan, evidence.grid).plane
            crossings = unmasked(self.crossings(evidence, watcher, plan), plane, evidence.grid)
            crossings = self.reported.crossings(evidence, plan, crossings, dials)
            return crossing_alarms(crossings, watcher, dials, areas)
        part = self._part(evidence, watcher, plan, areas, counts, dials)
        return switched_alarms([part], evidence.gap, total, evidence.time_us)

    def _part(
        self,
        evidence: Evidence,
        watcher: Watcher | None,
        plan: Plan,
        areas: NDArray[np.int64],
        counts: NDArray[np.bool_],
        dials: ZoneSettings,
    ) -> Part:
        """What the alarm rule is run over, of the whole recording under some dials."""
        allowed = self._allowed(evidence, watcher, plan, dials, counts)
        if dials.guard_percent < OFF_PERCENT:
            areas = np.where(self._guarded(evidence, dials), 0, areas)
        return Part(areas, counts, allowed, dials, is_visited(watcher))

    def _switched(
        self, evidence: Evidence, watcher: Watcher | None, plan: Plan, parts: tuple[DialPart, ...]
    ) -> tuple[NDArray[np.int64], list[Alarm]]:
        """Changed area and alarms of an item whose dials are others from some instants on."""
        total = self.weights(watcher, plan, evidence.grid).total
        areas, found, alarms = np.zeros(len(evidence.frames), np.int64), list[Part](), list[Alarm]()
        for start_us, end_us, dials in parts:
            first, after = np.searchsorted(evidence.time_us, np.array([start_us, end_us])).tolist()
            steadied, counts = self._steadied(evidence, watcher, plan, dials)
            areas[first:after] = steadied[first:after]
            if is_crossed(watcher):
                crossed = self._alarms(evidence, watcher, plan, steadied, counts, total, dials)
                alarms += [held for held in crossed if first <= held.start_frame < after]
            else:
                found.append(self._part(evidence, watcher, plan, steadied, counts, dials).between(first, after))
        return areas, alarms or switched_alarms(found, evidence.gap, total, evidence.time_us)

    def _guarded(self, evidence: Evidence, dials: ZoneSettings) -> NDArray[np.bool_]:
        key = ("guarded", evidence.key, len(evidence.frames), dials.guard_percent, dials.guard_hold_s)
        return self._memo.made(key, lambda: LightGuard(dials).feed(evidence.frames))

    def _allowed(
        self, evidence: Evidence, watcher: Watcher | None, plan: Plan, dials: ZoneSettings, counts: NDArray[np.bool_]
    ) -> NDArray[np.uint8]:
        """Which frames may confirm, see `advance`, kept for the dials that decide it: turning the others asks again and again."""
        if names_what_breaks(watcher, dials):
            return self.reported.broken_by(evidence, watcher, plan, dials)
        if not needs_tracks(watcher, dials):
            return np.full(len(evidence.frames), ALLOWED, np.uint8)
        taught = plan.taught if dials.limits_kinds else ()
        deciding = dials.model_copy(update={field: getattr(FACTORY, field) for field in LEVEL_FIELDS})
        zone = watcher if isinstance(watcher, Zone) else None
        place = (zone.area, zone.fires) if zone is not None else None
        plane = self._places.of(watcher, plan, evidence.grid).plane_key
        key = (
            "allowed",
            evidence.key,
            len(evidence.frames),
            place,
            plan.size_marks,
            deciding,
            plane,
            plan.privacy,
            taught,
        )

        def make() -> NDArray[np.uint8]:
            watch = ZoneWatch(zone, dials, evidence.grid, plan.size_marks)
            sights = self._sights_of(evidence, watcher, plan, dials, counts)
            likely = None
            if dials.limits_kinds:
                sights_key = _sights_key(evidence, plan, dials, plane)
                likely_key = ("likely", sights_key, dials.kinds, plan.size_marks, plan.taught)
                likely = self._memo.made(likely_key, lambda: self.reported.likely(evidence, plan, sights, dials))
            return watch.feed(sights, evidence.time_us, likely=likely)

        return self._memo.made(key, make)

    # --- tracks ----------------------------------------------------------------------------------------------------

    def tracks(self, evidence: Evidence, plan: Plan) -> NDArray[np.float64]:
        """Sights of all tracks of a recording, see `tracks.Follower`; what privacy masks cover is not followed."""
        return self._following.tracks(evidence, plan.privacy).view(np.ndarray)

    def apart(self, evidence: Evidence, plan: Plan) -> Apart:
        """The same, one track after the other, as columns that questions to all tracks are put to."""
        return self._following.apart(evidence, plan.privacy)

    def kinds(self, evidence: Evidence, plan: Plan) -> KindTable:
        """What each track of a recording is, and how sure that is, by its number."""
        return self._following.kinds(evidence, plan)

    def example(self, evidence: Evidence, plan: Plan, track: int, recording: str) -> Example | None:
        """A track as an example of a kind of one's own; None where it cannot be told from others."""
        return self._following.example(evidence, plan, track, recording)

    def perspective(self, evidence: Evidence, plan: Plan) -> Perspective | None:
        """How tall persons are on a recording by those who walked on it; None while too few did."""
        return self._following.perspective(evidence, plan.privacy)

    def crossings(self, evidence: Evidence, wire: Wire, plan: Plan) -> list[Crossing]:
        """All crossings of a wire, either way, whatever its dials."""
        return self._following.crossings(evidence, wire.line, plan)

    def _sights_of(
        self, evidence: Evidence, watcher: Watcher | None, plan: Plan, dials: ZoneSettings, counts: NDArray[np.bool_]
    ) -> NDArray[np.float64]:
        """What a watcher sees of what is followed, under the masks that count for it."""
        placed = self._places.of(watcher, plan, evidence.grid)

        def make() -> NDArray[np.float64]:
            owner = Owner(placed.plane, dials.change_limit_quarters, evidence.grid)
            tracks, found = self.tracks(evidence, plan), [np.zeros((0, OWNED_FIELDS))]
            for first, values in evidence.blocks(dials.stored_channel):
                after = first + values.shape[1]
                low, high = np.searchsorted(tracks[:, TRACK_FRAME], (first, after)).tolist()
                found.append(owner.feed(values, counts[first:after], tracks[low:high]))
            return np.concatenate(found)

        return self._memo.made(_sights_key(evidence, plan, dials, placed.plane_key), make)

    def sights(
        self, evidence: Evidence, watcher: Watcher | None, plan: Plan, dials: ZoneSettings
    ) -> NDArray[np.float64]:
        """What a watcher sees of what is followed, see `owned.Owner`."""
        nothing = np.zeros(len(evidence.frames), np.int64)
        counts = Steadier(dials, 0).feed(nothing, evidence.valid, evidence.gap, evidence.time_us)[1]
        return self._sights_of(evidence, watcher, plan, dials, counts)

    def prepare_next(self, evidence: Evidence, plan: Plan, settings: Mapping[str, ZoneSettings]) -> bool:
        """Follow what moves at a change limit one step from the present one, for an item that needs it, so that a turn of
        the dial finds it done. False when there is nothing left to do, or no room for it. May run in a thread."""
        for watcher in plan.watchers:
            dials = settings.get(watcher_id(watcher), FACTORY)
            if not needs_tracks(watcher, dials):
                continue
            plane = self._places.of(watcher, plan, evidence.grid).plane_key
            for beside in next_limits(dials):
                done = _sights_key(evidence, plan, beside, plane) in self._memo
                if not done and self._memo.room_bytes > self._memo.limit_bytes // 2:
                    self.sights(evidence, watcher, plan, beside)
                    return True
        return False

    # --- tables -----------------------------------------------------------------------------------------------------

    def has_table(
        self, evidence: Evidence, watcher: Watcher | None, plan: Plan, settings: Mapping[str, ZoneSettings]
    ) -> bool:
        """Tell whether a moved change limit would be a row look-up already."""
        dials, weights, _ = self._what(evidence, watcher, plan, settings)
        return self._tables.find(evidence, dials.stored_channel, weights) is not None

    def make_table(
        self, evidence: Evidence, watcher: Watcher | None, plan: Plan, settings: Mapping[str, ZoneSettings]
    ) -> bool:
        """Build a zone's survival table, so that from then on every change limit is a row look-up.

        Returns False when it would not fit beside what is kept. May run in a thread beside `lanes`.
        """
        return self.make_tables(evidence, (watcher,), plan, settings)

    def make_tables(
        self,
        evidence: Evidence,
        watchers: Sequence[Watcher | None],
        plan: Plan,
        settings: Mapping[str, ZoneSettings],
    ) -> bool:
        """Build the tables of some zones and wires that have none yet, those of a channel in one sweep."""
        wanted: dict[str, list[Weights]] = {}
        for watcher in watchers:
            dials, weights, _ = self._what(evidence, watcher, plan, settings)
            wanted.setdefault(dials.stored_channel, []).append(weights)
        made = [self._tables.make(evidence, channel, places) for channel, places in wanted.items()]
        return all(made)

    def weights(self, watcher: Watcher | None, plan: Plan, grid: Grid) -> Weights:
        """Weights of a zone or wire under the masks of a plan."""
        return self._places.of(watcher, plan, grid).weights

    def _what(
        self, evidence: Evidence, watcher: Watcher | None, plan: Plan, settings: Mapping[str, ZoneSettings]
    ) -> tuple[ZoneSettings, Weights, _Key]:
        dials = settings.get(watcher_id(watcher), FACTORY)
        weights = self.weights(watcher, plan, evidence.grid)
        return dials, weights, (evidence.key, len(evidence.frames), dials.stored_channel, weights.key)

    def _areas_of(self, key: _Key, evidence: Evidence, weights: Weights, dials: ZoneSettings) -> NDArray[np.int64]:
        limit_quarters = dials.change_limit_quarters

        def make() -> NDArray[np.int64]:
            held = self._tables.areas(evidence, dials.stored_channel, weights, limit_quarters)
            if held is not None:
                return held
            blocks = evidence.blocks(dials.stored_channel)
            parts = [changed_areas(values, weights, limit_quarters) for _, values in blocks]
            return np.concatenate([np.zeros(0, np.int64), *parts])

        if not evidence.stays and self._tables.has(evidence, dials.stored_channel, weights, limit_quarters):
            return make()  # a row of a table is as near as the memo, and those of a day would push out the rest
        return self._memo.made(("areas", key, limit_quarters), make)
