"""The response map: two dials of one item across, unwanted alarms and missed incidents at every point."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from pydantic import ValidationError

from north_hush.core.advise.curves import WhatIf
from north_hush.core.detect.dials import Dial, ladder

RUNGS = 40
RUNGS_FOLLOWED = 10


@dataclass(frozen=True, eq=False)
class ResponseMap:
    """What every pair of values would do.

    Attributes
    ----------
    across, up : fields of the two dials, with their values from loud to quiet
    unwanted, missed : (up, across) int32; -1 where the pair makes no sense
    watched_s : (up, across) float32, seconds one would watch of what is unwanted
    """

    across: str
    up: str
    across_values: tuple[float, ...]
    up_values: tuple[float, ...]
    unwanted: NDArray[np.int32]
    missed: NDArray[np.int32]
    watched_s: NDArray[np.float32]


def response_map(
    what_if: WhatIf, across: Dial, up: Dial, cancelled: Callable[[], bool] = lambda: False
) -> ResponseMap | None:
    """Work out a response map; None when cancelled."""
    values = [
        ladder(dial, RUNGS_FOLLOWED if what_if.follows(dial) else RUNGS, float(getattr(what_if.settings, dial.field)))
        for dial in (across, up)
    ]
    shape = len(values[1]), len(values[0])
    unwanted, missed = np.full(shape, -1, np.int32), np.full(shape, -1, np.int32)
    watched_s = np.zeros(shape, np.float32)
    for column, first in enumerate(values[0]):
        for row, second in enumerate(values[1]):
            if cancelled():
                return None
            wanted = {across.field: across.number(first), up.field: up.number(second)}
            try:
                settings = what_if.settings.turned(**wanted)
            except ValidationError:
                continue
            found = what_if.tally(settings)
            unwanted[row, column], missed[row, column] = found.unwanted, found.missed
            watched_s[row, column] = found.watched_s
    return ResponseMap(across.field, up.field, tuple(values[0]), tuple(values[1]), unwanted, missed, watched_s)
