"""The part of a picture that is shown for an alarm: what moved, and some of what is around it."""

from __future__ import annotations

from north_hush.core.explain.reasons import Seen

Box = tuple[float, float, float, float]
"""Left, top, right and bottom in fractions of the picture."""
_WIDER, _LEAST_FRAC = 2.5, 0.16


def box_around(patch: Seen) -> Box:
    """A box of the picture's shape around a patch, wider than it, and no further than the picture's edges."""
    side = min(1.0, max(_LEAST_FRAC, _WIDER * max(patch.right - patch.left, patch.bottom - patch.top)))
    left = min(max(0.0, (patch.left + patch.right - side) / 2), 1 - side)
    top = min(max(0.0, (patch.top + patch.bottom - side) / 2), 1 - side)
    return left, top, left + side, top + side
