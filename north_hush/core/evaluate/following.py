"""What is followed on a recording: tracks, and what is told from them alone. Tracks and crossings are kept beside the evidence."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import astuple
from typing import Any

import numpy as np
from numpy.typing import NDArray

from north_hush.core.follow.apart import Apart, order_of
from north_hush.core.follow.chances import Chances, chances_of
from north_hush.core.follow.crossing import Crossing
from north_hush.core.follow.crossings import WireWatch
from north_hush.core.follow.kinds import KindTable, named, weights_digest
from north_hush.core.follow.taught import example_of, names_of, taught_names
from north_hush.core.follow.tracks import SIGHT_FIELDS, followed
from north_hush.core.follow.walkers import Perspective, perspective
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.kept import Keeping, find_kept, keep_rows, pieces
from north_hush.core.memo import Memo
from north_hush.core.scene.items import DIRECTIONS, Privacy
from north_hush.core.scene.kind import Example
from north_hush.core.scene.outline import Point
from north_hush.core.scene.plan import Plan
from north_hush.core.scene.stature import person_cells

_FLOAT, _SINGLE, _INT = np.dtype(np.float64), np.dtype(np.float32), np.dtype(np.int64)
_CROSSING_COLUMNS, _KIND_COLUMNS = 11, 3
_SIGHTS_AT_ONCE = 100_000


def tracks_key(evidence: Evidence, privacy: tuple[Privacy, ...]) -> Hashable:
    """What decides the tracks that are followed."""
    return "tracks", evidence.key, len(evidence.frames), privacy


class Following:
    """Follows, or finds what was followed before."""

    def __init__(self, memo: Memo) -> None:
        self._memo = memo

    def tracks(self, evidence: Evidence, privacy: tuple[Privacy, ...]) -> NDArray[np.float64]:
        """Sights of all tracks, see `tracks.Follower`; those of stored evidence are mapped."""

        def make() -> NDArray[np.float64]:
            what = f"tracks {privacy}"
            found = find_kept(evidence.folder, what, (None, SIGHT_FIELDS), _FLOAT)
            if found is None:
                found = keep_rows(evidence.folder, what, SIGHT_FIELDS, _FLOAT, lambda: followed(evidence, privacy))
            return found

        return self._memo.made(tracks_key(evidence, privacy), make)

    def apart(self, evidence: Evidence, privacy: tuple[Privacy, ...]) -> Apart:
        """The same, one track after the other."""

        def make() -> Apart:
            columns, starts = f"apart {privacy}", f"starts {privacy}"
            held = find_kept(evidence.folder, columns, (SIGHT_FIELDS, None), _SINGLE)
            begins = find_kept(evidence.folder, starts, (None,), _INT)
            if held is not None and begins is not None and begins[-1] == held.shape[1]:
                return Apart(held, begins)
            sights = self.tracks(evidence, privacy).view(np.ndarray)
            order, found = order_of(sights)
            keeping = Keeping(evidence.folder, columns, (SIGHT_FIELDS, len(order)), _SINGLE)
            for first in range(0, len(order), _SIGHTS_AT_ONCE):
                keeping.array[:, first : first + _SIGHTS_AT_ONCE] = sights[order[first : first + _SIGHTS_AT_ONCE]].T
                keeping.let_go()
            begins_keeping = Keeping(evidence.folder, starts, found.shape, _INT)
            begins_keeping.array[:] = found
            return Apart(keeping.finish(), begins_keeping.finish())

        return self._memo.made(("apart", tracks_key(evidence, privacy)), make)

    def crossings(self, evidence: Evidence, line: tuple[Point, ...], plan: Plan) -> list[Crossing]:
        """All crossings of a line, either way."""

        def make() -> list[Crossing]:
            what = f"crossings {line} {plan.size_marks} {plan.privacy}"
            held = find_kept(evidence.folder, what, (None, _CROSSING_COLUMNS), _FLOAT)
            if held is not None:
                return [_crossing(row) for row in held.tolist()]
            watch = WireWatch(line, evidence.grid, plan.size_marks)
            found = [
                crossing
                for sights in pieces(self.tracks(evidence, plan.privacy))
                for crossing in watch.feed(sights, evidence.time_us)
            ]
            rows = np.array([_row(crossing) for crossing in found], _FLOAT).reshape(-1, _CROSSING_COLUMNS)
            keep_rows(evidence.folder, what, _CROSSING_COLUMNS, _FLOAT, lambda: [rows])
            return found

        key = ("crossings", tracks_key(evidence, plan.privacy), line, plan.size_marks)
        return self._memo.made(key, make)

    def kinds(self, evidence: Evidence, plan: Plan) -> KindTable:
        """What each track is, and how sure that is, by its number. Without size marks the walkers of the recording tell how tall a
        person is."""

        def make() -> KindTable:
            what = f"kinds {plan.privacy} {plan.size_marks} {plan.taught} {weights_digest()}"
            names = names_of(plan.taught)
            held = find_kept(evidence.folder, what, (None, _KIND_COLUMNS), _FLOAT)
            if held is None:
                grid = evidence.grid
                person = person_cells(plan.size_marks, grid)
                if not plan.size_marks and (walkers := self.perspective(evidence, plan.privacy)) is not None:
                    person = walkers.cells
                apart = self.apart(evidence, plan.privacy)
                found: dict[int, tuple[str, float]] = {**named(apart, evidence.time_us, person, grid)}
                if plan.taught:
                    found |= taught_names(apart, evidence.time_us, grid, plan.taught)
                rows = np.array([(number, names.index(kind), sure) for number, (kind, sure) in found.items()], _FLOAT)
                rows = rows.reshape(-1, _KIND_COLUMNS)
                held = keep_rows(evidence.folder, what, _KIND_COLUMNS, _FLOAT, lambda: [rows])
            return KindTable(held, names)

        return self._memo.made(("kinds", tracks_key(evidence, plan.privacy), plan.size_marks, plan.taught), make)

    def example(self, evidence: Evidence, plan: Plan, track: int, recording: str) -> Example | None:
        """A track as an example of a kind of one's own; None where it never had a body of its own, or there is no such track."""
        sights = self.apart(evidence, plan.privacy).of(track)
        return None if sights is None else example_of(sights, evidence.time_us, evidence.grid, recording)

    def chances(self, evidence: Evidence, plan: Plan) -> Chances:
        """What each track was likely to be while it was seen. Without size marks it knows nobody's height: live, nobody has walked
        there yet."""

        def make() -> Chances:
            what = f"chances {plan.privacy} {plan.size_marks} {plan.taught} {weights_digest()}"
            names = names_of(plan.taught)
            held = find_kept(evidence.folder, what, (None, 1 + len(names)), _FLOAT)
            if held is None:
                person, grid = person_cells(plan.size_marks, evidence.grid), evidence.grid
                apart = self.apart(evidence, plan.privacy)
                found = chances_of(apart, evidence.time_us, person, grid, plan.taught)
                rows = np.column_stack([found.keys, found.likely]).astype(_FLOAT)
                held = keep_rows(evidence.folder, what, 1 + len(names), _FLOAT, lambda: [rows])
            return Chances(held[:, 0].astype(np.int64), held[:, 1:].astype(np.float32), names)

        return self._memo.made(("chances", tracks_key(evidence, plan.privacy), plan.size_marks, plan.taught), make)

    def perspective(self, evidence: Evidence, privacy: tuple[Privacy, ...]) -> Perspective | None:
        """How tall persons are by those who walked there; None while too few did."""
        return self._memo.made(
            ("perspective", tracks_key(evidence, privacy)),
            lambda: perspective(self.apart(evidence, privacy), evidence.grid),
        )


def _row(held: Crossing) -> tuple[float, ...]:
    told: Any = astuple(held)
    frame, told_frame, direction, place, *rest, heights = told
    return frame, told_frame, DIRECTIONS.index(direction), *place, *rest, np.nan if heights is None else heights


def _crossing(row: list[float]) -> Crossing:
    frame, told_frame, way, x, y, track, passed_us, told_us, sure, size, heights = row
    return Crossing(
        int(frame), int(told_frame), DIRECTIONS[int(way)], (x, y), int(track), int(passed_us), int(told_us), sure, size,
        None if np.isnan(heights) else heights,
    )  # fmt: skip
