"""Where an item touched incidents: in which frames its largest patch lies in an incident's place.

At least half of the cells of the largest patch must. Its patches are those of the item's own watched cells over its change limit,
8-connected. The place is the incident's box, swept over the interval that the item's channel compares, and one cell wider all round.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
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

    def meets(self, first: NDArray[np.int64], last: NDArray[np.int64]) -> NDArray[np.bool_]:
        """Which stretches, from first to last frame, hold a frame in which it does, (stretches,) bool."""
        most = len(self.before) - 1
        start = np.minimum(np.maximum(first - self.first_frame, 0), most)
        after = np.minimum(np.maximum(last + 1 - self.first_frame, 0), most)
        return np.asarray(self.before[np.maximum(start, after)] > self.before[start])


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
    evidence: Evidence, weights: Weights, dials: ZoneSettings, incident: Incident, boxes: NDArray[np.int64]
) -> Ground:
    """In which frames around an incident the largest patch of an item's cells lies in the incident's place, which is in `boxes`
    in each frame, see `swept_boxes`."""
    first, after = reaches_of(evidence, [incident])[0].tolist()
    grid, limits = evidence.grid, cell_limits(weights.weight, dials.change_limit_quarters)
    values = evidence.values(dials.stored_channel, first, after, weights.cells)
    hits = largest_inside(values, weights.cells, limits, grid.columns, grid.rows, boxes)
    return Ground(first, np.concatenate([[0], np.cumsum(hits)]))


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
def largest_inside(
    values: NDArray[np.uint8],
    cells: NDArray[np.int64],
    limits: NDArray[np.int64],
    columns: int,
    rows: int,
    boxes: NDArray[np.int64],
) -> NDArray[np.bool_]:
    """For each frame whether at least half of the cells of the largest patch lie in its box, (frames,) bool; values (cells,
    frames) are of the cells alone."""
    # Cells are joined as in follow/patches. A part shared by both would be kept compiled in each, and stay as it was there
    # when it is changed: what is compiled is renewed by the file it stands in alone.
    frames = boxes.shape[0]
    hits = np.zeros(frames, np.bool_)
    labels = np.full(columns * rows, -1, np.int64)
    active = np.empty((256, cells.size), np.int64)
    counts = np.zeros(256, np.int64)
    parent = np.empty(cells.size, np.int64)
    sizes = np.empty(cells.size, np.int64)
    inside = np.empty(cells.size, np.int64)
    for start in range(0, frames, 256):
        end = min(start + 256, frames)
        counts[:] = 0
        for n in range(cells.size):
            if limits[n] > 255:
                continue
            row = values[n, start:end]
            for t in range(end - start):
                if row[t] >= limits[n]:
                    active[t, counts[t]] = cells[n]
                    counts[t] += 1
        for t in range(end - start):
            count = counts[t]
            left, top, right, bottom = boxes[start + t]
            for i in range(count):
                cell = active[t, i]
                column = cell % columns
                labels[cell], parent[i] = i, i
                sizes[i], inside[i] = 0, 0
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
                cell = active[t, i]
                sizes[root] += 1
                if left <= cell % columns <= right and top <= cell // columns <= bottom:
                    inside[root] += 1
                labels[cell] = -1
            for i in range(count):
                if sizes[i] > 0 and (best < 0 or sizes[i] > sizes[best]):
                    best = i
            hits[start + t] = best >= 0 and 2 * inside[best] >= sizes[best]
    return hits


def reached_by(lane: Lane, reaches: NDArray[np.int64]) -> list[int]:
    """Numbers of the incidents that an alarm of a lane reaches in time, see `reaches_of`."""
    frames = _frames_of(lane)
    near = (frames[:, :1] < reaches[:, 1]) & (frames[:, 1:] >= reaches[:, 0])
    found: list[int] = np.flatnonzero(near.any(axis=0)).tolist()
    return found


def lies_on(lane: Lane, reaches: NDArray[np.int64], ground_of: Callable[[int], Ground]) -> NDArray[np.bool_]:
    """Which alarms of a lane touch the grounds of which incidents, (alarms, incidents) bool; the ground of an incident that no
    alarm reaches is not asked for, see `reaches_of`."""
    found, frames = np.zeros((len(lane.alarms), len(reaches)), bool), _frames_of(lane)
    for number in reached_by(lane, reaches):
        found[:, number] = ground_of(number).meets(frames[:, 0], frames[:, 1])
    return found


def _frames_of(lane: Lane) -> NDArray[np.int64]:
    """First and last frame of each alarm, (alarms, 2)."""
    return np.array([(held.onset_frame, held.end_frame) for held in lane.alarms], np.int64).reshape(-1, 2)
