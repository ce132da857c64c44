"""Perspective from walkers: how tall a person is at each place, from what was followed there.

On flat ground the height on the picture is a straight line in the row of the feet (see `scene.stature`). Every upright track that
went its way gives its height where it walked; the line is that of Siegel's repeated medians (1982), which half of the tracks
cannot bend, whatever they are.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from north_hush.core.follow.tracks import CELLS, FOOT, HOW, LEFT, NET, OWN, RIGHT, STRENGTH, TOP, UNSEEN
from north_hush.core.grid import Grid
from north_hush.core.scene.outline import Point

_TRACKS_LEAST = 4
_HITS_LEAST = 20
_SEEN_LEAST, _FILLED, _STRONG = 0.9, 0.45, 1.3
"""Share of frames it is seen in, of its box that is its own, and how far above the limit of foreground: rain and threads
have less of one or the other."""
_TRAVEL_TALL = 1.5
"""A walker has gone one and a half times his own height, at least."""
_UPRIGHT = (1.3, 4.5)
"""Height by width of somebody on foot, with the coarseness of cells."""
_PIECES = 6
"""A track gives as many heights, along its way, so that one who comes nearer tells the slope."""
_LEAST_CELLS = 1.5
"""Lower than this nobody is measured."""


@dataclass(frozen=True, eq=False)
class Perspective:
    """Height of a person whose feet are in each row of cells.

    Attributes
    ----------
    cells : (rows,) float64 in cells; 0 where it falls below what can be measured
    spread : median deviation of the walkers from it, as a share of their height
    walkers : how many tracks it stands on
    feet : the rows between which they walked, far and near; beyond them it is drawn out
    """

    cells: NDArray[np.float64]
    spread: float
    walkers: int
    feet: tuple[float, float]

    def marks(self, grid: Grid) -> tuple[tuple[Point, float], ...]:
        """Size marks for it: feet, and height as a share of the picture's, where they walked farthest off and nearest; not farther
        off than where they can be measured."""
        down, known = grid.cell_size_frac[1], np.flatnonzero(self.cells)
        if known.size == 0:
            return ()
        feet = [min(max(foot, float(known[0])), known[-1] + 0.99) for foot in self.feet]
        held = [(foot, float(self.cells[int(foot)])) for foot in feet]
        return tuple(
            ((0.5, round(min(1.0, foot * down), 4)), round(tall * down, 4)) for foot, tall in held if 0 < tall <= foot
        )


def perspective(tracks: Iterable[NDArray[np.floating]], grid: Grid) -> Perspective | None:
    """Estimate how tall persons are; None while too few walked.

    Parameters
    ----------
    tracks : (sights, SIGHT_FIELDS) each, of a whole recording
    """
    feet, talls, walkers = [], [], 0
    for track in tracks:
        rows = track[track[:, HOW] == OWN]
        if (track[:, HOW] != UNSEEN).mean() < _SEEN_LEAST or not _walks(rows):
            continue
        walkers += 1
        for piece in np.array_split(rows, _PIECES):
            feet.append(float(np.median(piece[:, FOOT])))
            talls.append(float(np.median(piece[:, FOOT] - piece[:, TOP])))
    if walkers < _TRACKS_LEAST:
        return None
    from scipy.stats import siegelslopes  # takes long to import, and no window waits for it

    foot, tall = np.array(feet), np.array(talls)
    slope, start = siegelslopes(tall, foot) if np.ptp(foot) > 2 else (0.0, float(np.median(tall)))
    if slope < 0:  # nobody grows with distance
        slope, start = 0.0, float(np.median(tall))
    line = start + slope * (np.arange(grid.rows) + 0.5)
    expected = np.maximum(start + slope * foot, _LEAST_CELLS)
    spread = float(np.median(np.abs(tall / expected - 1)))
    far, near = np.percentile(foot, (5, 95)).tolist()
    return Perspective(np.where(line >= _LEAST_CELLS, line, 0.0), spread, walkers, (far, near))


def _walks(rows: NDArray[np.floating]) -> bool:
    """Tell whether the sights of a track with a body of its own are those of somebody upright who goes his way."""
    if len(rows) < _HITS_LEAST:
        return False
    tall, wide = rows[:, FOOT] - rows[:, TOP], rows[:, RIGHT] - rows[:, LEFT]
    usual = float(np.median(tall))
    if usual < _LEAST_CELLS or np.median(rows[:, STRENGTH]) < _STRONG:
        return False
    if np.median(rows[:, CELLS] / np.maximum(1.0, tall * wide)) < _FILLED:
        return False
    return bool(_UPRIGHT[0] <= np.median(tall / wide) <= _UPRIGHT[1] and rows[:, NET].max() >= _TRAVEL_TALL * usual)
