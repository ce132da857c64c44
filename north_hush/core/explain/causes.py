"""Causes: what an alarm looks like, from measured signs. Each cause has a strength from 0 to 1 by a short formula, and the
strongest is named; how sure that is, is its share of the sum of the two strongest."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, get_args

from north_hush.core.words import tr

Cause = Literal["light", "sway", "flash", "speckle", "shadow", "codec", "shake", "clock", "travelled", "unclear"]
CAUSES: tuple[Cause, ...] = get_args(Cause)

CAUSE_NAMES: dict[Cause, str] = {
    "light": tr("whole-picture light change"),
    "sway": tr("periodic sway"),
    "flash": tr("brief flash"),
    "speckle": tr("speckle"),
    "shadow": tr("slow shadow"),
    "codec": tr("codec pulse"),
    "shake": tr("camera shake"),
    "clock": tr("burnt-in clock"),
    "travelled": tr("something that travelled"),
    "unclear": tr("nothing that stands out"),
}
_UNCLEAR = 0.25
"""Strength below which no cause is named."""


@dataclass(frozen=True)
class Signs:
    """What is measured of an alarm.

    Attributes
    ----------
    lasts_s : from the onset to the last frame above the clear level, whatever the release
    raw_percent : largest share of the view that changed by 8 grey levels, before the light shift is taken out
    shift_grey, drift_grey : largest light shift from frame to frame, and change of the mean since before it
    beside_percent : largest share of what lies outside the item over the change limit
    key_share : share of the changed frames that are key frames or follow one; `begins_at_key` the first of them is
    busy : how often the changed cells change around the alarm too, as a share of the frames
    patch_cells : median size of the item's patches, `view_cells` of all in the view; `specks_per_frame` how many of at most 2
        cells that holds
    largest_percent : the largest, in percent of the view
    strength : strongest change, in change limits
    ticking, periodic : shares of the changed cells that tick like a clock, and that keep another rhythm
    travelled_cells, straight, seen_frames, path_cells : of the path that came farthest: net distance, that by its whole
        way, in how many frames it was seen, and the median size of its patches
    slow_channel : compared with a background, not with a frame before
    """

    lasts_s: float
    raw_percent: float
    shift_grey: float
    drift_grey: float
    beside_percent: float
    key_share: float
    begins_at_key: bool
    busy: float
    view_cells: float
    patch_cells: float
    specks_per_frame: float
    largest_percent: float
    strength: float
    ticking: float
    periodic: float
    travelled_cells: float
    straight: float
    seen_frames: int
    path_cells: float
    slow_channel: bool


def likely_cause(signs: Signs) -> tuple[Cause, float]:
    """The likeliest cause and how sure it is, 0..1."""
    strengths = sorted(((strength, cause) for cause, strength in strengths_of(signs).items()), reverse=True)
    (best, cause), (second, _) = strengths[:2]
    if best < _UNCLEAR:
        return "unclear", 0.5
    return cause, round(best / (best + second), 2)


def strengths_of(signs: Signs) -> dict[Cause, float]:
    """How strongly the signs speak for each cause, 0..1."""
    crowd, busy = _rises(signs.specks_per_frame, 4, 20), _rises(signs.busy, 0.06, 0.25)
    # Among many specks, and where it always moves, links jump from one to the other; a body stands out by its size.
    body = _rises(signs.path_cells / max(1.0, signs.view_cells), 2, 6)
    trusted = 1 - 0.95 * max(crowd, busy) * (1 - body)
    travelled = _rises(signs.travelled_cells, 2.5, 8) * (0.4 + 0.6 * min(1.0, signs.straight)) * trusted
    travelled *= _rises(signs.seen_frames, 3, 12)
    short = 1 - _rises(signs.lasts_s, 0.3, 1.2)
    brighter = _rises(max(signs.shift_grey, signs.drift_grey), 0.6, 1.8)
    wide = max(_rises(signs.raw_percent, 6, 30), _rises(signs.beside_percent, 8, 25))
    return {
        "light": wide * brighter,
        "shake": _rises(signs.beside_percent, 6, 20) * (1 - brighter),
        "codec": max(_rises(signs.key_share, 0.4, 0.9), float(signs.begins_at_key)) * short,
        "flash": 0.8 * short * _rises(signs.strength, 1.5, 4) * (1 - travelled) * (1 - busy),
        "speckle": (1 - _rises(signs.patch_cells, 3, 8)) * crowd * (1 - travelled),
        "sway": max(_rises(signs.periodic, 0.05, 0.35), 0.7 * busy * (1 - crowd)) * (1 - 0.8 * travelled),
        "clock": _rises(signs.ticking, 0.1, 0.4) * (1 - wide),
        "shadow": _rises(signs.largest_percent, 0.6, 3)
        * (1 - _rises(signs.strength, 2, 6))
        * (1.0 if signs.slow_channel else 0.6),
        "travelled": travelled,
    }


def _rises(value: float, low: float, high: float) -> float:
    """0 up to low, 1 from high on, straight between."""
    return min(1.0, max(0.0, (value - low) / (high - low)))
