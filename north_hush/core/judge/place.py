"""Where incidents were: boxes over time, which items they concern, and whether an alarm changed what lies there.

An alarm lies in an incident's place when at some instant of both, to within a tolerance, at least half of the cells of its
largest patch do. Its patches are those of the item's own watched cells over its change limit, 8-connected. The place is the
incident's box, swept over the interval that the item's channel compares, and one cell wider all round.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from north_hush.core.compiled import compiled
from north_hush.core.detect.alarms import Alarm
from north_hush.core.detect.lane import Lane
from north_hush.core.detect.levels import cell_limits
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.options import Channel
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.grid import Grid
from north_hush.core.judge.incidents import Incident, PlaceRow
from north_hush.core.scene.area import WHOLE_AREA, area_contains
from north_hush.core.scene.items import Watcher, Wire
from north_hush.core.scene.outline import Point
from north_hush.core.scene.plan import Plan, watcher_id
from north_hush.core.scene.weights import Weights

TOLERANCE_S = 1.0
"""Alarm and incident may miss each other by so long."""
_WIDER_CELLS = 1
_ENTERS_S = 1.0
"""An incident concerns a zone in which its feet are for so long, or for half of it where it is shorter than twice that."""
_LOOKED_AT_S = 0.1
_TRAIL_STEP_S, _BODY_S = 0.2, 0.5


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


def boxes_at(place: Sequence[PlaceRow], time_s: NDArray[np.float64]) -> NDArray[np.float64]:
    """Left, top, right and bottom of a place at some times, (times, 4) float64 in fractions: between its rows on a straight
    line, before the first and after the last as there."""
    rows = np.asarray(place, np.float64)
    return np.stack([np.interp(time_s, rows[:, 0], rows[:, column]) for column in range(1, 5)], axis=1)


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
    first = np.floor(low / size).astype(np.int64) - _WIDER_CELLS
    last = np.ceil(high / size).astype(np.int64) - 1 + _WIDER_CELLS
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


def lies_in(crossing: Alarm, incident: Incident, grid: Grid) -> bool:
    """Tell whether a crossing was where and when an incident was: the point at which the line was passed."""
    near = crossing.onset_s <= incident.end_s + TOLERANCE_S and crossing.end_s >= incident.start_s - TOLERANCE_S
    if not near or not incident.place or crossing.place is None:
        return near
    at = np.array([min(max(crossing.onset_s, incident.start_s), incident.end_s)])
    left, top, right, bottom = boxes_at(incident.place, at)[0].tolist()
    across, down = (_WIDER_CELLS * size for size in grid.cell_size_frac)
    x, y = crossing.place
    return bool(left - across <= x <= right + across and top - down <= y <= bottom + down)


# --- concerns -------------------------------------------------------------------------------------------------------


def concerned_items(incident: Incident, plan: Plan, grid: Grid) -> tuple[str, ...]:
    """The zones and wires an incident's feet enter or cross. Feet are the middle of its box's lower edge, half a cell up."""
    count = max(2, round((incident.end_s - incident.start_s) / _LOOKED_AT_S) + 1)
    times = np.linspace(incident.start_s, incident.end_s, count)
    boxes = boxes_at(incident.place, times)
    feet = np.stack([(boxes[:, 0] + boxes[:, 2]) / 2, boxes[:, 3] - grid.cell_size_frac[1] / 2], axis=1)
    step_s = (incident.end_s - incident.start_s) / (count - 1)
    enough_s = min(_ENTERS_S, (incident.end_s - incident.start_s) / 2)
    return tuple(watcher_id(held) for held in plan.watchers if _enters(held, feet, step_s, enough_s))


def _enters(watcher: Watcher | None, feet: NDArray[np.float64], step_s: float, enough_s: float) -> bool:
    if isinstance(watcher, Wire):
        return _passes(watcher.line, feet)
    area = WHOLE_AREA if watcher is None else watcher.area
    inside = sum(area_contains(area, min(x, 0.9999), min(y, 0.9999)) for x, y in feet.tolist())
    return inside > 0 and inside * step_s >= enough_s


def _passes(line: Sequence[Point], feet: NDArray[np.float64]) -> bool:
    """Tell whether a way crosses a line: two segments cross when each separates the ends of the other."""
    steps = [(a, b) for a, b in zip(feet[:-1].tolist(), feet[1:].tolist(), strict=True) if a != b]
    return any(_cross(a, b, c, d) for a, b in steps for c, d in pairwise(line))


def _cross(a: Sequence[float], b: Sequence[float], c: Sequence[float], d: Sequence[float]) -> bool:
    def side(p: Sequence[float], q: Sequence[float], r: Sequence[float]) -> float:
        return (q[0] - p[0]) * (r[1] - p[1]) - (q[1] - p[1]) * (r[0] - p[0])

    return side(a, b, c) * side(a, b, d) <= 0 and side(c, d, a) * side(c, d, b) <= 0


# --- trails ---------------------------------------------------------------------------------------------------------


def trail_of(evidence: Evidence, weights: Weights, dials: ZoneSettings, alarm: Alarm) -> tuple[PlaceRow, ...]:
    """Where an alarm was, as the place of an incident: about every 0.2 s the box round the item's largest patches within half a
    second. From frame to frame only edges of a body change; in that time they show all of it. Of a crossing a cell round the
    point where it was passed. Empty where no frame holds anything over the limit."""
    grid = evidence.grid
    across, down = grid.cell_size_frac
    if alarm.place is not None:
        x, y = alarm.place
        return (_row(alarm.onset_s, (x - across, y - down, x + across, y + down)),)
    step = max(1, round(_TRAIL_STEP_S * US_PER_S / evidence.usual_us))
    frames = np.unique(np.append(np.arange(alarm.onset_frame, alarm.end_frame + 1, step), alarm.end_frame))
    values = evidence.values_at(dials.stored_channel, frames, weights.cells)
    over = values >= cell_limits(weights.weight, dials.change_limit_quarters)[:, None]
    seen: list[tuple[float, tuple[float, float, float, float]]] = []
    for column, frame in enumerate(frames.tolist()):
        box = _largest_box(weights.cells[over[:, column]], grid)
        if box is not None:
            seen.append((int(evidence.time_us[frame]) / US_PER_S, box))
    boxes = np.array([box for _, box in seen]).reshape(-1, 4)
    times = np.array([at_s for at_s, _ in seen])
    rows: list[PlaceRow] = []
    for at_s in times.tolist():
        near = boxes[np.abs(times - at_s) <= _BODY_S]
        (left, top), (right, bottom) = near[:, :2].min(axis=0).tolist(), near[:, 2:].max(axis=0).tolist()
        rows.append(_row(at_s, (left, top, right, bottom)))
    return tuple(rows)


def _largest_box(cells: NDArray[np.int64], grid: Grid) -> tuple[float, float, float, float] | None:
    from scipy import ndimage  # takes as long to import as the window to paint

    if len(cells) == 0:
        return None
    plane = np.zeros(grid.cells, bool)
    plane[cells] = True
    labels, _ = ndimage.label(plane.reshape(grid.rows, grid.columns), np.ones((3, 3), bool))
    largest = int(np.bincount(labels.ravel())[1:].argmax()) + 1
    y, x = np.nonzero(labels == largest)
    left, top, *_ = grid.cell_box(int(y.min()) * grid.columns + int(x.min()))
    *_, right, bottom = grid.cell_box(int(y.max()) * grid.columns + int(x.max()))
    return left, top, right, bottom


def _row(at_s: float, box: tuple[float, float, float, float]) -> PlaceRow:
    left, top, right, bottom = (round(min(1.0, max(0.0, edge)), 4) for edge in box)
    return round(at_s, 3), left, top, right, bottom


def near_in_place(first: Sequence[PlaceRow], second: Sequence[PlaceRow], reach_frac: float) -> bool:
    """Tell whether something could have gone from the end of one place to the beginning of the other: the boxes are no
    further apart than `reach_frac` of the picture either way. A place that is not known is near to any."""
    if not first or not second:
        return True
    earlier, later = (first, second) if first[0][0] <= second[0][0] else (second, first)
    at = np.array([later[0][0]])
    a, b = boxes_at(earlier, at)[0], boxes_at(later, at)[0]
    apart_x = max(a[0], b[0]) - min(a[2], b[2])
    apart_y = max(a[1], b[1]) - min(a[3], b[3])
    return bool(max(apart_x, apart_y) <= reach_frac)
