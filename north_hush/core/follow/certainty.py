"""How sure a track is somebody or something that goes its way, and not weather, light or a chance of noise.

A product of memberships, each 0 to 1 and rising over a wide range: what bodies have, whatever the scene. None is in units of one
camera: they are shares, the body's own heights, and multiples of the limit of foreground.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from north_hush.core.footage.stamps import US_PER_S

KNOWN_BY_US, _SEEN_BY_US = 30_000_000, 2_500_000
"""A body is known by its own looks of the last half minute, since two who walk together have none of their own for long; whether
it is seen all the time, by the last few."""
_SEEN = (0.5, 0.85)
"""Share of frames it is seen in. Rain drops that happen to line up are missing in half of them."""
_TURMOIL_PER_S = (10.0, 30.0)
"""Tracks that begin in the view in a second: a crowd of a dozen makes a few, rain fifty. The more there are, the longer a body has
to be known."""
_KNOWN_CALM_S, _KNOWN_IN_TURMOIL_S = (0.3, 0.8), (2.0, 4.0)
"""For how long it has a body of its own: in calm a car that shoots through, in rain a walker."""
_WAY_IN_TURMOIL = (1.0, 2.0)
"""And how far it has come, in own heights: of a mast that shakes every edge is a body for seconds, and none goes anywhere."""
_ONLY_SHARED = 0.6
"""Who was never seen alone may be a part of somebody."""
_HEIGHTS = (0.3, 0.55)
"""Person heights, where size marks tell them: an insect by the lens or a gull far off is lower than any child."""
_FILLED = (0.2, 0.45)
"""Cells of its box that are its own. A thread or a bough is a slanting line."""
_STRENGTH = (1.1, 1.5)
"""How far it is above the limit of foreground. Fog and the rims of light are just above it."""
_FAST_HEIGHTS_PER_S = (8.0, 14.0)
"""Own heights a second: a car in a town has 9, a gull far more."""
_VIEW_PERCENT = (4.0, 10.0)
"""Of the view: larger is light, or stands too near to have a way."""


@dataclass(frozen=True)
class Look:
    """How a track is seen in a frame: place of its feet, height and cells (None while it has no body of its own) in cells, the
    share of its box that is its own, and how far above the limit it is."""

    now_us: int
    x: float
    y: float
    tall: float
    seen: bool
    cells: float | None
    filled: float
    strength: float


def certainty(looks: Sequence[Look], view_cells: int, begun_per_s: float, heights: float | None) -> float:
    """How sure the track of these looks is a body that goes its way, 0 to 1.

    Parameters
    ----------
    begun_per_s : tracks that begin in the whole view in a second
    heights : of the body in person heights, None where those are not known
    """
    turmoil = _rises(begun_per_s, *_TURMOIL_PER_S)
    own = [look for look in looks if look.cells is not None]
    shared = sum(look.seen for look in looks) - len(own)
    known = (len(own) + (1 - turmoil) * shared) / len(looks)
    known_least, known_most = (
        calm + turmoil * (rain - calm) for calm, rain in zip(_KNOWN_CALM_S, _KNOWN_IN_TURMOIL_S, strict=True)
    )
    took_s = max((looks[-1].now_us - looks[0].now_us) / US_PER_S, 0.1)
    seen = [look.seen for look in looks if look.now_us >= looks[-1].now_us - _SEEN_BY_US]
    sure = (
        _rises(sum(seen) / len(seen), *_SEEN)
        * _rises(took_s * known, known_least, known_most)
        * (1.0 if turmoil == 0 else _rises(_way_heights(looks), *(turmoil * way for way in _WAY_IN_TURMOIL)))
        * (_like_a_body(own, view_cells) if own else _ONLY_SHARED)
        * (1.0 if heights is None else _rises(heights, *_HEIGHTS))
    )
    return round(sure, 3)


def _way_heights(looks: Sequence[Look]) -> float:
    """How far it is from where it was first known, in its own heights."""
    tall = max(1.0, float(np.median([look.tall for look in looks])))
    return float(np.hypot(looks[-1].x - looks[0].x, looks[-1].y - looks[0].y)) / tall


def _like_a_body(own: Sequence[Look], view_cells: int) -> float:
    moved_s = max((own[-1].now_us - own[0].now_us) / US_PER_S, 0.1)
    cells = float(np.median([look.cells or 0.0 for look in own]))
    return (
        _rises(float(np.median([look.filled for look in own])), *_FILLED)
        * _rises(float(np.median([look.strength for look in own])), *_STRENGTH)
        * (1 - _rises(_way_heights(own) / moved_s, *_FAST_HEIGHTS_PER_S))
        * (1 - _rises(100 * cells / view_cells, *_VIEW_PERCENT))
    )


def _rises(value: float, low: float, high: float) -> float:
    return min(1.0, max(0.0, (value - low) / (high - low)))
