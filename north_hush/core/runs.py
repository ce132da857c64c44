"""Stretches of set flags."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def runs_of(flags: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """The first place of each stretch that is set, and the one after its last."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], flags.astype(np.int8), [0]]))).tolist()
    return list(zip(edges[::2], edges[1::2], strict=True))
