"""Where to lay it: what a wire, or the edge of a zone that fires on entry, would find and falsely raise a little beside where it is.

Nothing is analysed anew: tracks are there, and only the line is another one. The incidents that have to be found are those that
concern the item where it lies now, so that laying it where nobody goes gains nothing.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from statistics import median

import numpy as np
from numpy.typing import NDArray

from north_hush.core.advise.aim import Case
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.grid import Grid
from north_hush.core.scene.area import Polygon
from north_hush.core.scene.items import Wire, Zone
from north_hush.core.scene.outline import inside_picture
from north_hush.core.scene.plan import Plan

SHIFTS_FRAC = tuple(round(0.01 * step, 2) for step in range(-8, 9))
"""How far an item is shifted, in shares of the picture's width: about the height of somebody near by to either side."""
TURNS_DEG, TURNED_SHIFTS_FRAC = (-10.0, 10.0), (0.0, -0.02, 0.02)
"""How far a line is turned round its middle, and where that is tried."""
_MITER_MOST = 3.0
"""A pointed corner moves at most so many times as far as its edges."""

Placed = Wire | Zone


@dataclass(frozen=True)
class Laid:
    """An item laid somewhere.

    Attributes
    ----------
    shift_frac : along its normal towards side A, or outwards, in shares of the picture's width
    turn_deg : clockwise as seen on the picture
    found, of : incidents that it meets, of those that concern it where it lies now
    false : its alarms in no incident, where all incidents are marked
    sure : median certainty of crossings in incidents; None where there are none, or for a zone
    """

    shift_frac: float
    turn_deg: float
    item: Placed
    found: int
    of: int
    false: int
    sure: float | None

    @property
    def worth(self) -> tuple[int, int]:
        """The more the better: first who is found, then what is not raised."""
        return self.found, -self.false


def can_be_laid(item: object) -> bool:
    """Tell whether an item's place has a curve: wires watched for crossings, and drawn zones that fire on entry."""
    if isinstance(item, Wire):
        return item.crossed
    return isinstance(item, Zone) and item.fires == "entry" and all(isinstance(part, Polygon) for part in item.area)


def laid(
    cases: Sequence[Case],
    plan: Plan,
    item: Placed,
    dials: ZoneSettings,
    shift_frac: float,
    turn_deg: float,
    evaluator: Evaluator,
) -> Laid | None:
    """What an item would do beside where it is; None where no place is left for it on the picture."""
    grid = cases[0].evidence.grid
    there = shifted(item, shift_frac, turn_deg, grid)
    if there is None:
        return None
    wires = tuple(there if held.id == there.id and isinstance(there, Wire) else held for held in plan.wires)
    zones = tuple(there if held.id == there.id and isinstance(there, Zone) else held for held in plan.zones)
    moved = Plan(zones, wires, plan.masks, plan.privacy, plan.size_marks, plan.without_zones, plan.taught)
    found, of, false = 0, 0, 0
    sures: list[float] = []
    for case in cases:
        lane = evaluator.lane(case.evidence, there, moved, {there.id: dials})
        concerns = evaluator.concerns(case.truth, plan, case.evidence.grid)
        here = np.array([held is None or item.id in held for held in concerns], bool)
        lies = evaluator.lies(case.evidence, moved, lane, case.truth)
        hits = np.asarray(lies[:, here].any(axis=1))
        of += int(here.sum())
        found += int(lies[:, here].any(axis=0).sum())
        false += int((~lies.any(axis=1)).sum()) if case.truth.complete else 0
        sures += [
            held.sure for held, hit in zip(lane.alarms, hits.tolist(), strict=True) if hit and held.sure is not None
        ]
    sure = round(median(sures), 3) if sures else None
    return Laid(shift_frac, turn_deg, there, found, of, false, sure)


def best_of(places: Sequence[Laid], now: Laid) -> Laid:
    """The best place, and of equal ones the one that is least far from where the item is; `now` when none is better."""
    best = max(places, key=lambda held: (held.worth, -abs(held.shift_frac), -abs(held.turn_deg)), default=now)
    return best if best.worth > now.worth else now


def shifted(item: Placed, shift_frac: float, turn_deg: float, grid: Grid) -> Placed | None:
    """An item along its normal and turned; None where less than half of it would lie on the picture, or nothing is left.

    Shares are of the picture's width along both axes: a turned line keeps its angles.
    """
    scale = np.array([1.0, grid.height / grid.width])
    if isinstance(item, Wire):
        points = np.array(item.line) * scale
        middle = (points.min(axis=0) + points.max(axis=0)) / 2
        along = points[-1] - points[0]
        length = float(np.hypot(*along)) or 1.0
        normal = np.array([along[1], -along[0]]) / length  # side A is at the left hand of who looks along the line
        angle = np.radians(turn_deg)
        turn = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
        there = ((points - middle) @ turn.T + middle + shift_frac * normal) / scale
        inside = ((there >= 0) & (there <= 1)).all(axis=1)
        kept = tuple(inside_picture((float(x), float(y))) for x, y in there)
        if inside.mean() < 0.5 or all(a == b for a, b in pairwise(kept)):
            return None
        return item.model_copy(update={"line": kept})
    parts = []
    for part in item.area:
        assert isinstance(part, Polygon)  # see `can_be_laid`
        outline = _grown(np.array(part.points) * scale, -shift_frac if part.cuts else shift_frac)
        if outline is None:
            return None
        parts.append(
            Polygon(points=tuple(inside_picture((float(x), float(y))) for x, y in outline / scale), cuts=part.cuts)
        )
    return item.model_copy(update={"area": tuple(parts)})


def _grown(points: NDArray[np.float64], by: float) -> NDArray[np.float64] | None:
    """Each edge of an outline moved outwards; None when nothing is left of it."""
    before, after = np.roll(points, 1, axis=0), np.roll(points, -1, axis=0)

    def area(outline: NDArray[np.float64]) -> float:
        beside = np.roll(outline, -1, axis=0)
        return float((outline[:, 0] * beside[:, 1] - outline[:, 1] * beside[:, 0]).sum() / 2)

    turned = np.sign(area(points)) or 1.0

    def outward(edge: NDArray[np.float64]) -> NDArray[np.float64]:
        length = np.maximum(np.hypot(edge[:, 0], edge[:, 1]), 1e-9)[:, None]
        normals: NDArray[np.float64] = turned * np.column_stack([edge[:, 1], -edge[:, 0]]) / length
        return normals

    first, second = outward(points - before), outward(after - points)
    bisector = first + second
    reach = np.maximum((bisector**2).sum(axis=1) / 2, 1 / _MITER_MOST)[:, None]
    grown: NDArray[np.float64] = points + by * bisector / reach
    whole = area(points)
    return grown if area(grown) / whole > 0.1 and (by > 0 or abs(area(grown)) < abs(whole)) else None


def steps(item: Placed) -> list[tuple[float, float]]:
    """Shifts and turns to try: where it is first, then shifts from near to far, then turns where it is."""
    near = sorted(SHIFTS_FRAC, key=abs)
    turns = [(shift, turn) for turn in TURNS_DEG for shift in TURNED_SHIFTS_FRAC] if isinstance(item, Wire) else []
    return [(shift, 0.0) for shift in near] + turns
