"""Where zones and wires lie on a grid: the weights of their cells under the masks of a plan."""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from north_hush.core.grid import Grid
from north_hush.core.memo import Memo
from north_hush.core.scene.items import Watcher, Wire
from north_hush.core.scene.plan import Plan, watcher_id
from north_hush.core.scene.weights import Weights, plane_weights, watched_weights

_PLACES_KEPT = 512


@dataclass(frozen=True, eq=False)
class Placed:
    """Where a zone or wire of a plan lies on a grid; the plan is held, so that no other one gets its id."""

    plan: Plan
    weights: Weights
    plane: NDArray[np.uint8]
    plane_key: bytes


class Places:
    """Finds them, by the identity of a plan first."""

    def __init__(self, memo: Memo) -> None:
        self._memo = memo
        self._placed: OrderedDict[tuple[int, str, Grid], Placed] = OrderedDict()

    def of(self, watcher: Watcher | None, plan: Plan, grid: Grid) -> Placed:
        """Where a watcher lies. A plan is asked for again and again as it is: by its identity first, since to compare what is
        drawn costs more than to evaluate it."""
        here = (id(plan), watcher_id(watcher), grid)
        held = self._placed.get(here)
        if held is not None and watcher in plan.watchers:
            return held
        place = watcher.line if isinstance(watcher, Wire) else watcher.area if watcher is not None else None
        masks = tuple(mask for mask in plan.masks if mask.covers(watcher_id(watcher)))
        key = ("weights", place, masks, plan.privacy, grid)
        weights, plane = self._memo.made(
            key, lambda: (watched_weights(watcher, plan, grid), plane_weights(watcher_id(watcher), plan, grid))
        )
        held = Placed(plan, weights, plane, plane.tobytes())
        if watcher in plan.watchers:
            self._placed[here] = held
            while len(self._placed) > _PLACES_KEPT:
                self._placed.popitem(last=False)
        return held
