"""The blind check: the faintest and smallest walking person that would still raise an alarm, from measured contrast.

A person of height h cells is taken as 0.4 h wide and walks across at 0.7 heights a second (1.2 m/s at 1.75 m). Between
two compared frames each side of the body moves by m = 0.7 h d cells, d being the channel's interval; against a
background the whole body shows. A cell at the side changes by C min(1, m), C being how many grey levels the person
differs from the ground, and about h min(2 max(1, m), 0.8 h) cells change. The alarm needs

    C min(1, m) >= s / w        and        100 * cells / zone >= start level, size limits kept

How much somebody differs from the ground is estimated by the contrast of the view, the standard deviation of its luma; in
the dark and in fog it falls, and then the zone is not covered, however quiet it is.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.footage.differences import CELL_SCALE
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.index import usual_interval_us
from north_hush.core.footage.luma import PLANE_SCALE
from north_hush.core.footage.options import STEP_INTERVALS_US
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.scene.items import Watcher
from north_hush.core.scene.plan import Plan
from north_hush.core.scene.raster import SIXTEENTHS
from north_hush.core.scene.stature import person_height_frac
from north_hush.core.scene.weights import FULLY_WATCHED, watched_weights

HEIGHTS_PER_S = 0.7
WIDTH_SHARE = 0.4
_STRETCH_S = 5.0
_NOISE_PERCENTILE = 99


@dataclass(frozen=True)
class Reach:
    """What a zone needs of a person whose feet are at one height of the picture."""

    y_frac: float
    height_frac: float
    contrast_grey: float | None
    """How much the person must differ from the ground; None when none is enough, since too few cells change."""


@dataclass(frozen=True)
class BlindCheck:
    """What a zone or wire can still see.

    Attributes
    ----------
    contrast_grey : median contrast of the view
    noise_grey : the change that 99 of 100 still cells stay below
    smallest_frac : height of the smallest person that alarms at that contrast, as a fraction of the picture's height; None
        when none would
    reaches : at the zone's far and near end, where size marks tell how tall people are; else empty
    not_covered_s : stretches, start and end in seconds, whose contrast is too low
    """

    contrast_grey: float
    noise_grey: float
    smallest_frac: float | None
    reaches: tuple[Reach, ...]
    not_covered_s: tuple[tuple[float, float], ...]


def blind_check(evidence: Evidence, watcher: Watcher | None, plan: Plan, settings: ZoneSettings) -> BlindCheck | None:
    """Check one zone or wire on a recording; None when nothing of it is watched, or no frame counts."""
    grid, frames = evidence.grid, evidence.frames
    weights = watched_weights(watcher, plan, grid)
    valid = frames["valid"]
    if weights.total == 0 or not valid.any():
        return None
    contrast = frames["contrast"] / PLANE_SCALE
    usual = float(np.median(contrast[valid]))
    weakest = settings.change_limit_grey * FULLY_WATCHED / float(np.median(weights.weight))
    cells = weights.total / SIXTEENTHS
    interval_s = _interval_s(settings, usual_interval_us(evidence.time_us))
    values = evidence.channel(settings.stored_channel)[weights.cells[:: max(1, weights.cells.size // 400)]]
    quiet = values[:, np.flatnonzero(valid)[:: max(1, int(valid.sum()) // 500)]]
    heights = np.arange(0.5, grid.rows + 0.25, 0.25)
    needed = [contrast_needed(float(height), interval_s, cells, grid.cells, settings, weakest) for height in heights]
    seen = [height for height, least in zip(heights, needed, strict=True) if least is not None and least <= usual]
    rows = weights.cells // grid.columns
    reaches = []
    for row in (int(rows.min()), int(rows.max())) if plan.size_marks else ():
        y_frac = min(1.0, (row + 0.5) * grid.cell_source_px / grid.height)
        tall = person_height_frac(plan.size_marks, (0.5, y_frac))
        if tall is not None:
            own = tall * grid.height / grid.cell_source_px
            least = contrast_needed(own, interval_s, cells, grid.cells, settings, weakest)
            reaches.append(Reach(y_frac, tall, least))
    floor = max([weakest, *(reach.contrast_grey for reach in reaches if reach.contrast_grey is not None)])
    return BlindCheck(
        contrast_grey=usual,
        noise_grey=float(np.percentile(quiet, _NOISE_PERCENTILE)) / CELL_SCALE,
        smallest_frac=min(1.0, float(seen[0]) * grid.cell_source_px / grid.height) if seen else None,
        reaches=tuple(reaches),
        not_covered_s=tuple(_stretches(evidence, contrast < floor)),
    )


def contrast_needed(
    height_cells: float,
    interval_s: float,
    zone_cells: float,
    view_cells: int,
    settings: ZoneSettings,
    limit_grey: float,
) -> float | None:
    """Grey levels a walking person of a height must differ from the ground to alarm; None when too few cells change."""
    moved = HEIGHTS_PER_S * height_cells * interval_s
    cells = height_cells * min(2 * max(1.0, moved), 2 * WIDTH_SHARE * height_cells)
    if 100 * cells / zone_cells < settings.start_percent:
        return None
    size = 100 * cells / view_cells
    if settings.things_in == "percent" and not settings.size_min_percent <= size <= settings.size_max_percent:
        return None
    return limit_grey / min(1.0, moved)


def _interval_s(settings: ZoneSettings, usual_us: int) -> float:
    """Seconds between what a channel compares; against a background a person stands out whole."""
    if settings.stored_channel in ("drift", "settle"):
        return float("inf")
    return STEP_INTERVALS_US.get(settings.stored_channel, usual_us) / US_PER_S


def _stretches(evidence: Evidence, low: NDArray[np.bool_]) -> list[tuple[float, float]]:
    """Stretches of at least 5 s of frames that are too low, where the median of a second around each frame decides."""
    time_us = evidence.time_us
    slot = (time_us // US_PER_S).astype(np.int64)
    seconds, starts = np.unique(slot, return_index=True)
    dim = np.array([bool(part.mean() > 0.5) for part in np.split(low, starts[1:])])
    edges = np.flatnonzero(np.diff(np.concatenate([[0], dim.astype(np.int8), [0]])))
    found = []
    for first, after in zip(edges[::2], edges[1::2], strict=True):
        start_s, end_s = float(seconds[first]), float(seconds[after - 1] + 1)
        if end_s - start_s >= _STRETCH_S:
            found.append((start_s, min(end_s, evidence.duration_s)))
    return found
