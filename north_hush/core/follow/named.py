"""When a track is named: each time it has been seen half as often again in a body of its own."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from north_hush.core.follow.apart import HITS_LEAST
from north_hush.core.follow.tracks import HOW, OWN

NAMED_AT = (HITS_LEAST, 8, 12, 18, 27, 40, 60, 90, 135, 200, 300, 450)
"""After so many sights in a body of its own a track is named; the last name stays."""
SIGHTS_MOST = 1024
"""By so many sights, with and without a body of its own, the last name is given: what is kept of a live track ends there."""


def named_in(
    columns: NDArray[np.float32], starts: NDArray[np.int64]
) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64]]:
    """Where the tracks begin that are named, once for each name, the sights they are named in, and which of their names it is."""
    own = columns[HOW] == OWN
    counted, began = np.cumsum(own), starts[:-1]
    which = np.repeat(np.arange(len(began)), np.diff(starts))
    so_far = counted - np.concatenate([[0], counted])[began][which]
    early = np.arange(len(own)) - began[which] < SIGHTS_MOST
    named = np.flatnonzero(own & np.isin(so_far, NAMED_AT) & early)
    return began[which[named]], named, np.searchsorted(NAMED_AT, so_far[named])


def named_after(columns: NDArray[np.float32]) -> NDArray[np.int64]:
    """After how many of its sights a track is named, at the last after all of them, (names,) int64."""
    _, named, _ = named_in(columns, np.array([0, columns.shape[1]]))
    return np.append(named + 1, columns.shape[1])
