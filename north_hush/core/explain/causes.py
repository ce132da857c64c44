"""Causes: what an alarm looks like, from measured signs, by weights that were fitted on the demo's truth.

`python -m north_hush.demo.causes` makes the weights.
"""

from __future__ import annotations

from dataclasses import astuple, dataclass, fields
from functools import cache
from typing import Literal, cast, get_args

import numpy as np
from numpy.typing import NDArray

from north_hush.core.weighing import Weighing, read_weights
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
_UNCLEAR = 0.4
"""What is less likely is not named."""
WEIGHTS_FILE = "cause_weights.json"
_SHARES = frozenset({"key_share", "begins_at_key", "busy", "ticking", "periodic", "straight", "slow_channel"})
_TICKS = 0.4
"""Where so many of the changed cells change once a second, and at no other time, it is a clock."""
_SHAKES_PERCENT, _NO_LIGHT_GREY = 20.0, 0.6
"""Where so much beside the item changes, and the light does not, the camera moved."""
_LEAST = 0.02
"""All but shares are taken by their logarithm, from here on."""


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


@cache
def cause_model() -> Weighing:
    """The weights that ship."""
    return read_weights("north_hush.core.explain", WEIGHTS_FILE)


def sign_rows(held: list[Signs]) -> NDArray[np.float64]:
    """Signs as they are weighed, (alarms, signs) float64: all but shares by their logarithm."""
    rows = np.array([astuple(one) for one in held], np.float64).reshape(len(held), len(fields(Signs)))
    scales = np.array([field.name not in _SHARES for field in fields(Signs)])
    rows[:, scales] = np.log(np.maximum(rows[:, scales], _LEAST))
    return rows


def likely_cause(signs: Signs) -> tuple[Cause, float]:
    """The likeliest cause and how likely it is, 0..1."""
    if signs.ticking >= _TICKS:  # demo sites mask their clock, so no weights were fitted on one
        return "clock", round(signs.ticking, 2)
    if signs.beside_percent >= _SHAKES_PERCENT and max(signs.shift_grey, signs.drift_grey) <= _NO_LIGHT_GREY:
        return "shake", 0.95
    model = cause_model()
    likely = model.chances(sign_rows([signs]))[0]
    best = int(likely.argmax())
    sure = round(float(likely[best]), 2)
    return (cast(Cause, model.names[best]), sure) if sure >= _UNCLEAR else ("unclear", round(1 - sure, 2))
