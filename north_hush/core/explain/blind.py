"""The blind check: where, when and how a walking person would raise no alarm, from what is measured of the item's own ground.

A person of height h cells is taken as 0.4 h wide. At v heights a second, between two compared frames each side of the body moves
by m = v h d cells, d being the channel's interval; against a background the whole body shows. A cell at the side changes by
C min(1, m), C being how many grey levels the person differs from the ground, and about h min(2 max(1, m), 0.8 h) cells change.
The alarm needs

    C min(1, m) >= s / w        and        100 * cells / zone >= start level, in every frame of the confirmation,

and no other dial in the way: size, travel, the time it takes to walk through, a light guard that takes the person for light.

How much somebody differs from the ground is that of the light on it (Weber 1834): clothes and ground differ by a quarter of how
bright the place is, or more; in fog by as much less as the contrast of the view is below its usual one. So a dark corner beside
a lamp is blind, however much contrast the view has. Cells whose own noise is above what a person would change there see nobody
either.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from north_hush.core.detect.guard import OFF_PERCENT
from north_hush.core.detect.settings import HEIGHTS_MAX, ZoneSettings
from north_hush.core.footage.evidence import NOISE_SCALE, Evidence
from north_hush.core.footage.foreground import limits_grey
from north_hush.core.footage.luma import PLANE_SCALE
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.runs import runs_of
from north_hush.core.scene.items import Watcher
from north_hush.core.scene.plan import Plan, is_crossed
from north_hush.core.scene.raster import SIXTEENTHS
from north_hush.core.scene.stature import person_height_frac
from north_hush.core.scene.weights import FULLY_WATCHED, Weights, watched_weights

HEIGHTS_PER_S = 0.7
"""A usual walk: 1.2 m/s at 1.75 m."""
PERSON_M = 1.75
WIDTH_SHARE = 0.4
DIFFERS_SHARE = 0.25
"""How much of the brightness of a place a person differs from it by, at least."""
RECOGNISED_PX_PER_M = 125
RECOGNISED_LUMA = 25.0
"""To recognise somebody takes so many pixels a metre (IEC 62676-4), and light: below a tenth of full brightness faces are noise."""
_SPEEDS = np.geomspace(0.03, 6.0, 60)
"""From creeping to faster than anybody runs, in heights a second."""
_STRETCH_S = 5.0
_UNKNOWN_SHARE = 4
"""Without size marks a person is taken to be one over this of the picture tall."""
_COVERED_SHARE = 0.5
"""A zone is covered while a person would be noticed on so much of its ground."""


@dataclass(frozen=True)
class Reach:
    """What a zone needs of a person whose feet are at one height of the picture."""

    y_frac: float
    height_frac: float
    contrast_grey: float | None
    """How much the person must differ from the ground; None when none is enough, since too few cells change."""


LIGHT = "light"


@dataclass(frozen=True)
class BlindCheck:
    """What a zone or wire can still see.

    Attributes
    ----------
    contrast_grey : how much a person differs from the zone's ground, median over its cells and the time
    noise_grey : the usual change of its own cells while nothing moves, median; None where it was not measured
    covered_percent : of its ground, the share on which somebody at a usual walk is noticed, over all the time
    smallest_frac : height of the smallest person that alarms at that contrast, as a fraction of the picture's height; None
        when none would
    hidden_by : setting that keeps a person at a usual walk quiet; '' when none does; LIGHT where nobody stands out from the
        ground enough to be followed over a wire
    slowest_m_per_s, fastest_m_per_s : of walks that are still noticed; None when none is
    unrecognised_percent : of the ground on which somebody is noticed, where he is too small or too dark to be recognised;
        None without size marks
    reaches : at the zone's far and near end, where size marks tell how tall people are; else empty
    not_covered_s : stretches, start and end in seconds, in which less than half of the ground is covered
    """

    contrast_grey: float
    noise_grey: float | None
    covered_percent: float
    smallest_frac: float | None
    hidden_by: str
    slowest_m_per_s: float | None
    fastest_m_per_s: float | None
    unrecognised_percent: float | None
    reaches: tuple[Reach, ...]
    not_covered_s: tuple[tuple[float, float], ...]


@dataclass(frozen=True)
class _Zone:
    """What a walk through a zone depends on besides the person: all lengths in cells, times in seconds."""

    settings: ZoneSettings
    interval_s: float
    frame_s: float
    cells: float
    width: float
    view_cells: int
    view_columns: int
    limit_grey: float

    def hidden_by(self, height: float, speed: float, contrast: float) -> str:
        """The setting that keeps somebody of a height and contrast quiet who walks through at some speed in heights a
        second; '' when he is noticed."""
        dials, moved = self.settings, speed * height * self.interval_s
        changed = height * min(2 * max(1.0, moved), 2 * WIDTH_SHARE * height)
        size, through_s = 100 * changed / self.view_cells, (self.width + WIDTH_SHARE * height) / (speed * height)
        waits_s = (dials.confirm_frames - 1 + dials.smooth_frames // 2) * self.frame_s
        far_heights, far_percent = self.width / height, 100 * self.width / self.view_columns
        in_percent = dials.things_in == "percent"
        rules = (
            ("change_limit_grey", contrast * min(1.0, moved) < self.limit_grey),
            ("start_percent", 100 * changed / self.cells < dials.start_percent),
            ("size_min_percent", in_percent and size < dials.size_min_percent),
            ("size_max_percent", in_percent and size > dials.size_max_percent),
            ("size_min_heights", not in_percent and dials.size_min_heights > 1),
            ("size_max_heights", not in_percent and dials.size_max_heights < min(1.0, HEIGHTS_MAX)),
            ("travel_percent", in_percent and far_percent < dials.travel_percent),
            ("travel_heights", not in_percent and far_heights < dials.travel_heights),
            ("guard_percent", dials.guard_percent < OFF_PERCENT and size >= dials.guard_percent),
            ("confirm_frames", through_s < waits_s),
        )
        return next((field for field, hides in rules if hides), "")


def blind_check(evidence: Evidence, watcher: Watcher | None, plan: Plan, settings: ZoneSettings) -> BlindCheck | None:
    """Check one zone or wire on a recording; None when nothing of it is watched, or no frame counts."""
    grid = evidence.grid
    weights = watched_weights(watcher, plan, grid)
    if weights.total == 0 or not evidence.valid.any():
        return None
    light, noise = _light(evidence, weights)
    weakest = settings.change_limit_grey * FULLY_WATCHED / float(np.median(weights.weight))
    if is_crossed(watcher):  # who crosses is followed in the foreground, whatever the dials of the level
        followed = limits_grey(light, noise)
        settings, weakest = _followed(settings), float(np.median(followed))
    rows = weights.cells // grid.columns
    zone = _Zone(
        settings=settings,
        interval_s=_interval_s(settings, evidence),
        frame_s=1 / settings.analysis_per_s if settings.analysis_per_s else evidence.usual_us / US_PER_S,
        cells=weights.total / SIXTEENTHS,
        width=float(np.median(np.bincount(rows)[np.unique(rows)])),
        view_cells=grid.cells,
        view_columns=grid.columns,
        limit_grey=weakest,
    )
    own = DIFFERS_SHARE * light
    clear = _clearness(evidence)
    usual = float(np.median(own))
    heights = _heights(plan, evidence, rows)
    tall = float(np.median(heights)) if heights is not None else grid.rows / _UNKNOWN_SHARE
    needs = np.array([_contrast_for(zone, height) for height in (heights if heights is not None else [tall])])
    floor = np.maximum(needs, 0 if noise is None else noise)  # what is noise there anyway tells of nobody
    if is_crossed(watcher):
        floor = np.maximum(floor, followed)
    speeds = [speed for speed in _SPEEDS.tolist() if not zone.hidden_by(tall, speed, usual)]
    smallest = _first_seen(zone, usual)
    covered = _share_covered(own, clear, floor)
    hidden = zone.hidden_by(tall, HEIGHTS_PER_S, usual)
    metres = PERSON_M  # a person height
    return BlindCheck(
        contrast_grey=usual,
        noise_grey=None if noise is None else float(np.median(noise)),
        covered_percent=100 * float(covered[evidence.valid].mean()),
        smallest_frac=None if smallest is None else min(1.0, smallest * grid.cell_size_frac[1]),
        hidden_by=LIGHT if hidden == "change_limit_grey" and is_crossed(watcher) else hidden,
        slowest_m_per_s=metres * speeds[0] if speeds else None,
        fastest_m_per_s=metres * speeds[-1] if speeds else None,
        unrecognised_percent=_unrecognised(evidence, heights, light, own >= floor),
        reaches=_reaches(plan, evidence, zone, rows),
        not_covered_s=tuple(_stretches(evidence, covered < _COVERED_SHARE)),
    )


def _share_covered(
    own: NDArray[np.float64], clear: NDArray[np.float64], floor: NDArray[np.float64]
) -> NDArray[np.float64]:
    """The share of cells in which somebody differs by what is needed there, for each frame by how clear it is."""
    with np.errstate(divide="ignore", invalid="ignore"):
        needed = np.where(own > 0, floor / own, np.where(floor > 0, np.inf, 0.0))
    return np.searchsorted(np.sort(np.broadcast_to(needed, own.shape)), clear, side="right") / len(own)


def _followed(settings: ZoneSettings) -> ZoneSettings:
    """Settings that hide nobody but by size: those of a level that compares with the slow background."""
    sizes = {name: getattr(settings, name) for name in ZoneSettings.model_fields if name.startswith("size_")}
    least = {"start_percent": 0.01, "clear_percent": 0.01, "confirm_frames": 1}
    return ZoneSettings(channel="drift", things_in=settings.things_in, **least, **sizes)


def _light(evidence: Evidence, weights: Weights) -> tuple[NDArray[np.float64], NDArray[np.float64] | None]:
    """Brightness of each own cell, and its noise where that was measured, in grey levels, median over the time."""
    soil = evidence.soil
    if soil is None or len(soil.luma) == 0:
        contrast = float(np.median(evidence.frames["contrast"][evidence.valid])) / PLANE_SCALE
        return np.full(len(weights.cells), contrast / DIFFERS_SHARE), None
    spans = np.diff([*soil.first_frame.tolist(), len(evidence.frames)])
    order = np.repeat(np.arange(len(spans)), np.maximum(1, spans * 32 // max(1, int(spans.sum()))))
    light = np.median(soil.luma[order][:, weights.cells], axis=0) / PLANE_SCALE
    return light, np.median(soil.noise[order][:, weights.cells], axis=0) / NOISE_SCALE


def _clearness(evidence: Evidence) -> NDArray[np.float64]:
    """How clear the air is in each frame, 0..1, (frames,): the contrast of the view against its usual one."""
    contrast = evidence.frames["contrast"].astype(np.float64)
    usual = max(1.0, float(np.median(contrast[evidence.valid])))
    return np.minimum(1.0, contrast / usual)


def _heights(plan: Plan, evidence: Evidence, rows: NDArray[np.int64]) -> NDArray[np.float64] | None:
    """Height in cells of a person whose feet are in each own cell; None without size marks, and where most of the zone lies so
    near the horizon, or above the ground they stand on, that they tell less than a cell."""
    if not plan.size_marks:
        return None
    grid = evidence.grid
    down = grid.cell_size_frac[1]
    by_row = [person_height_frac(plan.size_marks, (0.5, (row + 0.5) * down)) for row in range(grid.rows)]
    found = np.array([(by_row[row] or 0.0) / down for row in rows.tolist()])
    return np.maximum(found, 1.0) if (found >= 1).mean() > _COVERED_SHARE else None


def _contrast_for(zone: _Zone, height: float) -> float:
    """How much somebody of a height must differ at a usual walk; infinite when another dial hides him."""
    least = contrast_needed(height, zone.interval_s, zone.cells, zone.view_cells, zone.settings, zone.limit_grey)
    hidden = zone.hidden_by(height, HEIGHTS_PER_S, np.inf)
    return np.inf if least is None or hidden else least


def _first_seen(zone: _Zone, contrast: float) -> float | None:
    """The least height in cells that is noticed at a usual walk."""
    heights = np.arange(0.5, zone.view_cells / zone.view_columns + 0.25, 0.25)
    return next((h for h in heights.tolist() if not zone.hidden_by(h, HEIGHTS_PER_S, contrast)), None)


def _unrecognised(
    evidence: Evidence,
    heights: NDArray[np.float64] | None,
    light: NDArray[np.float64],
    noticed: NDArray[np.bool_],
) -> float | None:
    if heights is None or not noticed.any():
        return None
    tall_px = heights * evidence.grid.cell_source_px
    known = (tall_px >= RECOGNISED_PX_PER_M * PERSON_M) & (light >= RECOGNISED_LUMA)
    return 100 * float((~known)[noticed].mean())


def _reaches(plan: Plan, evidence: Evidence, zone: _Zone, rows: NDArray[np.int64]) -> tuple[Reach, ...]:
    found, grid = [], evidence.grid
    for row in (int(rows.min()), int(rows.max())) if plan.size_marks else ():
        y_frac = min(1.0, (row + 0.5) * grid.cell_size_frac[1])
        tall = person_height_frac(plan.size_marks, (0.5, y_frac))
        if tall is not None:
            least = _contrast_for(zone, tall / grid.cell_size_frac[1])
            found.append(Reach(y_frac, tall, None if np.isinf(least) else least))
    return tuple(found)


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


def _interval_s(settings: ZoneSettings, evidence: Evidence) -> float:
    """Seconds between what a channel compares; against a background a person stands out whole."""
    channel = settings.stored_channel
    return float("inf") if channel in ("drift", "settle") else evidence.interval_s(channel)


def _stretches(evidence: Evidence, low: NDArray[np.bool_]) -> list[tuple[float, float]]:
    """Stretches of at least 5 s of frames that are too low, where the median of a second around each frame decides."""
    slot = (evidence.time_us // US_PER_S).astype(np.int64)
    if len(slot) == 0:
        return []
    seconds, starts, counts = np.unique(slot, return_index=True, return_counts=True)
    dim = 2 * np.add.reduceat(low.astype(np.int64), starts) > counts
    found = []
    for first, after in runs_of(dim):
        start_s, end_s = float(seconds[first]), float(seconds[after - 1] + 1)
        if end_s - start_s >= _STRETCH_S:
            found.append((start_s, min(end_s, evidence.duration_s)))
    return found
