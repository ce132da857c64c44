"""What the restlessness map says at a place, and which masks are proposed from it."""

from __future__ import annotations

from north_hush.core.explain.restless import Region, Restlessness, clock_region, restless_region
from north_hush.core.scene.outline import Point
from north_hush.core.scene.weights import masked_weights
from north_hush.core.site.model import View
from north_hush.core.words import tr


def clock_not_masked(view: View, measured: Restlessness) -> Region | None:
    """The burnt-in clock, which is proposed first, unless it is masked already."""
    clock = clock_region(measured)
    if clock is None or not masked_weights(view.masks, measured.grid, view.privacy)[measured.ticking].any():
        return None
    return clock


def region_of(measured: Restlessness, cell: int) -> Region | None:
    """The restless region a cell is of, None where it is quiet; of a clock all of it."""
    region = clock_region(measured) if measured.ticking[cell] else None
    return region or restless_region(measured, cell)


def restless_text(measured: Restlessness, at: Point) -> str:
    """How often a place changes, and in which rhythm."""
    cell = measured.grid.cell_at(*at)
    if cell is None:
        return ""
    said = tr("changes in {share:.1f} % of {frames:,} frames", share=100 * measured.share[cell], frames=measured.frames)
    if measured.ticking[cell]:
        return tr("{said}, on whole seconds: a clock", said=said)
    period_s = measured.period_s[cell]
    return tr("{said}, every {period_s:.1f} s", said=said, period_s=period_s) if period_s else said
