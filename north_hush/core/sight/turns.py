"""Turns of a camera after which what is drawn may no longer lie where it should, until somebody has looked after it."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from north_hush.core.footage.scene_shift import HELD_US, LOOK_US
from north_hush.core.sight.sight import Blind


def turns_left(found: Sequence[Blind], settled_us: Collection[int]) -> list[Blind]:
    """Turns that lasted and that nobody settled: the drawing was neither confirmed nor shifted.

    A camera that swung back needs nothing. One that stayed turned is told until the recording ends, or until what it looks at now
    has become its usual scene, which takes HELD_US.

    Parameters
    ----------
    settled_us : when turns began that were settled, in microseconds of the recording
    """
    return [
        one
        for one in found
        if one.kind == "moved"
        and (one.end_us is None or one.end_us - one.start_us >= HELD_US - 2 * LOOK_US)
        and one.start_us not in settled_us
    ]
