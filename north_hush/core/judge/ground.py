"""Where an item touched incidents: in which frames its largest patch lies in an incident's place.

At least half of the cells of the largest patch must. Its patches are those of the item's own watched cells over its change limit,
8-connected. The place is the incident's box, swept over the interval that the item's channel compares, and one cell wider all round.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from north_hush.core.compiled import compiled
from north_hush.core.detect.lane import Lane
from north_hush.core.detect.levels import cell_limits
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.options import Channel
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.grid import Grid
from north_hush.core.judge.incidents import Incident
from north_hush.core.judge.place import TOLERANCE_S, WIDER_CELLS, boxes_at
from north_hush.core.scene.weights import Weights

_AT_ONCE = 256
"""Frames whose patches are found at once."""


@dataclass(frozen=True, eq=False)
class Ground:
    """In which frames an item's largest patch lies in an incident's place.

    Attributes
    ----------
    first_frame : the frame the first value is of
    before : (frames + 1,) int64, in how many of the frames before each it does
    """

    first_frame: int
    before: NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class Grounds:
    """The grounds of several incidents, end to end.

    Attributes
    ----------
    first_frames : (incidents,) int64
    starts : (incidents + 1,) int64, where the values of each begin in `before`
    before : int64, of each as a `Ground` has it
    """

    first_frames: NDArray[np.int64]
    starts: NDArray[np.int64]
    before: NDArray[np.int64]

    @classmethod
    def of(cls, grounds: Sequence[Ground]) -> Grounds:
        """Those of some incidents."""
        sizes = [len(held.before) for held in grounds]
        before = np.concatenate([held.before for held in grounds]) if grounds else np.zeros(0, np.int64)
        return cls(
            np.array([held.first_frame for held in grounds], np.int64), np.cumsum([0, *sizes]).astype(np.int64), before
        )

    def meet(self, frames: NDArray[np.int64]) -> NDArray[np.bool_]:
        """Which stretches touch which of them, (stretches, incidents) bool, of (stretches, 2) first and last frames."""
        return np.asarray(_meet(frames, self.first_frames, self.starts, self.before))


@compiled
def _meet(
    frames: NDArray[np.int64], first_frames: NDArray[np.int64], starts: NDArray[np.int64], before: NDArray[np.int64]
) -> NDArray[np.bool_]:
    found = np.zeros((frames.shape[0], first_frames.size), np.bool_)
    for a in range(frames.shape[0]):
        for i in range(first_frames.size):
            most = starts[i + 1] - starts[i] - 1
            start = min(max(frames[a, 0] - first_frames[i], 0), most)
            after = min(max(frames[a, 1] + 1 - first_frames[i], 0), most)
            found[a, i] = after > start and before[starts[i] + after] > before[starts[i] + start]
    return found


def swept_s(channel: Channel, evidence: Evidence) -> float:
    """How far back a channel's change reaches: the interval between what it compares; a background holds no such moment,
    and what settles lags behind by its time constant."""
    if channel == "drift":
        return 0.0
    return evidence.options.settle_tau_s if channel == "settle" else evidence.interval_s(channel)


def reaches_of(evidence: Evidence, incidents: Sequence[Incident]) -> NDArray[np.int64]:
    """First frame of each incident, and the one after its last, with the tolerance, (incidents, 2) int64."""
    reach_s = [(held.start_s - TOLERANCE_S, held.end_s + TOLERANCE_S) for held in incidents]
    reach = [(round(first * US_PER_S) - 1, round(last * US_PER_S) + 1) for first, last in reach_s]
    return np.searchsorted(evidence.time_us, np.array(reach, np.int64).reshape(-1, 2))


def swept_boxes(evidence: Evidence, channel: Channel, incident: Incident) -> NDArray[np.int64]:
    """First and last column, first and last row of an incident's place in each frame that it reaches, (frames, 4) int64 in the
    order left, top, right, bottom."""
    first, after = reaches_of(evidence, [incident])[0].tolist()
    at = np.clip(evidence.seconds[first:after], incident.start_s, incident.end_s)
    now = boxes_at(incident.place, at)
    then = boxes_at(incident.place, at - swept_s(channel, evidence))
    return _cell_boxes(np.minimum(now, then)[:, :2], np.maximum(now, then)[:, 2:], evidence.grid)


def touches(
    evidence: Evidence,
    weights: Weights,
    dials: ZoneSettings,
    incidents: Sequence[Incident],
    boxes: Sequence[NDArray[np.int64]],
) -> list[Ground]:
    """In which frames around each incident the largest patch of an item's cells lies in the incident's place, which is in its boxes in
    each frame, see `swept_boxes`. The patches of a frame are found once, however many incidents reach it."""
    grid, limits = evidence.grid, cell_limits(weights.weight, dials.change_limit_quarters)
    reaches = reaches_of(evidence, incidents)
    hits = [np.zeros(after - first, bool) for first, after in reaches.tolist()]
    for start in range(int(reaches[:, 0].min(initial=0)), int(reaches[:, 1].max(initial=0)), _AT_ONCE):
        near = np.flatnonzero((reaches[:, 0] < start + _AT_ONCE) & (reaches[:, 1] > start)).tolist()
        if not near:
            continue
        low = max(start, int(reaches[near, 0].min()))
        values = evidence.values(
            dials.stored_channel, low, min(start + _AT_ONCE, int(reaches[near, 1].max())), weights.cells
        )
        patches, starts = largest_patches(values, weights.cells, limits, grid.columns, grid.rows)
        for number in near:
            first, after = reaches[number].tolist()
            begin, end = max(first, low), min(after, low + values.shape[1])
            hits[number][begin - first : end - first] = lie_inside(
                patches, starts[begin - low :], grid.columns, boxes[number][begin - first : end - first]
            )
    return [
        Ground(first, np.concatenate([[0], np.cumsum(held)]))
        for first, held in zip(reaches[:, 0].tolist(), hits, strict=True)
    ]


def anywhere(evidence: Evidence, incident: Incident) -> Ground:
    """The frames around an incident whose place nobody knows: whatever moves then lies in it."""
    first, after = reaches_of(evidence, [incident])[0].tolist()
    return Ground(first, np.arange(after - first + 1))


def _cell_boxes(low: NDArray[np.float64], high: NDArray[np.float64], grid: Grid) -> NDArray[np.int64]:
    """First and last column, first and last row of boxes, one cell wider, (boxes, 4) int64 in the order left, top, right,
    bottom."""
    size = np.array(grid.cell_size_frac)
    first = np.floor(low / size).astype(np.int64) - WIDER_CELLS
    last = np.ceil(high / size).astype(np.int64) - 1 + WIDER_CELLS
    return np.ascontiguousarray(np.concatenate([first, last], axis=1))


@compiled
def largest_patches(
    values: NDArray[np.uint8], cells: NDArray[np.int64], limits: NDArray[np.int64], columns: int, rows: int
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """The cells of the largest patch of each frame, and where those of each frame begin, (frames + 1,), both int64; values (cells,
    frames) are of the cells alone."""
    # Cells are joined as in follow/patches. A part shared by both would be kept compiled in each, and stay as it was there
    # when it is changed: what is compiled is renewed by the file it stands in alone.
    frames = values.shape[1]
    starts, made = np.zeros(frames + 1, np.int64), 0
    labels = np.full(columns * rows, -1, np.int64)
    active = np.empty((frames, cells.size), np.int64)
    counts = np.zeros(frames, np.int64)
    parent = np.empty(cells.size, np.int64)
    sizes = np.empty(cells.size, np.int64)
    for n in range(cells.size):
        if limits[n] > 255:
            continue
        row = values[n]
        for t in range(frames):
            if row[t] >= limits[n]:
                active[t, counts[t]] = cells[n]
                counts[t] += 1
    largest = np.empty(counts.sum(), np.int64)
    for t in range(frames):
        count = counts[t]
        for i in range(count):
            cell = active[t, i]
            column = cell % columns
            labels[cell], parent[i], sizes[i] = i, i, 0
            for step in range(4):
                if step == 0:
                    other = cell - 1 if column > 0 else -1
                elif step == 1:
                    other = cell - columns - 1 if column > 0 else -1
                elif step == 2:
                    other = cell - columns
                else:
                    other = cell - columns + 1 if column < columns - 1 else -1
                if other < 0 or labels[other] < 0:
                    continue
                a, b = i, labels[other]
                while parent[a] != a:
                    a = parent[a]
                while parent[b] != b:
                    b = parent[b]
                if a < b:
                    parent[b] = a
                elif b < a:
                    parent[a] = b
        best = -1
        for i in range(count):
            root = i
            while parent[root] != root:
                root = parent[root]
            parent[i] = root  # lower than i, so that it is its own already
            sizes[root] += 1
            labels[active[t, i]] = -1
        for i in range(count):
            if sizes[i] > 0 and (best < 0 or sizes[i] > sizes[best]):
                best = i
        for i in range(count):
            if parent[i] == best:
                largest[made] = active[t, i]
                made += 1
        starts[t + 1] = made
    return largest[:made], starts


@compiled
def lie_inside(
    patches: NDArray[np.int64], starts: NDArray[np.int64], columns: int, boxes: NDArray[np.int64]
) -> NDArray[np.bool_]:
    """In which frames at least half of the cells of a patch lie in a box, (frames,) bool.

    Parameters
    ----------
    patches, starts : see `largest_patches`, of these frames
    boxes : (frames, 4) int64, see `swept_boxes`
    """
    hits = np.zeros(boxes.shape[0], np.bool_)
    for t in range(boxes.shape[0]):
        left, top, right, bottom = boxes[t]
        size, inside = starts[t + 1] - starts[t], 0
        for cell in patches[starts[t] : starts[t + 1]]:
            inside += left <= cell % columns <= right and top <= cell // columns <= bottom
        hits[t] = size > 0 and 2 * inside >= size
    return hits


def reached_by(lane: Lane, reaches: NDArray[np.int64]) -> list[int]:
    """Numbers of the incidents that an alarm of a lane reaches in time, see `reaches_of`."""
    frames = frames_of(lane)
    near = (frames[:, :1] < reaches[:, 1]) & (frames[:, 1:] >= reaches[:, 0])
    found: list[int] = np.flatnonzero(near.any(axis=0)).tolist()
    return found


def frames_of(lane: Lane) -> NDArray[np.int64]:
    """First and last frame of each alarm, (alarms, 2)."""
    return np.array([(held.onset_frame, held.end_frame) for held in lane.alarms], np.int64).reshape(-1, 2)
