"""Where incidents were: boxes over time, which items they concern, and where alarms were. What alarms change there is in `ground`."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from north_hush.core.detect.alarms import Alarm
from north_hush.core.detect.levels import cell_limits
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.footage.evidence import Evidence
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
WIDER_CELLS = 1
"""The place of an incident is wider all round by so much: cells are coarse, and boxes are laid by hand."""
_ENTERS_S = 1.0
"""An incident concerns a zone in which its feet are for so long, or for half of it where it is shorter than twice that."""
_LOOKED_AT_S = 0.1
_TRAIL_STEP_S, _BODY_S = 0.2, 0.5


def boxes_at(place: Sequence[PlaceRow], time_s: NDArray[np.float64]) -> NDArray[np.float64]:
    """Left, top, right and bottom of a place at some times, (times, 4) float64 in fractions: between its rows on a straight
    line, before the first and after the last as there."""
    rows = np.asarray(place, np.float64)
    return np.stack([np.interp(time_s, rows[:, 0], rows[:, column]) for column in range(1, 5)], axis=1)


def lies_in(crossing: Alarm, incident: Incident, grid: Grid) -> bool:
    """Tell whether a crossing was where and when an incident was: the point at which the line was passed."""
    near = crossing.onset_s <= incident.end_s + TOLERANCE_S and crossing.end_s >= incident.start_s - TOLERANCE_S
    if not near or not incident.place or crossing.place is None:
        return near
    at = np.array([min(max(crossing.onset_s, incident.start_s), incident.end_s)])
    left, top, right, bottom = boxes_at(incident.place, at)[0].tolist()
    across, down = (WIDER_CELLS * size for size in grid.cell_size_frac)
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
