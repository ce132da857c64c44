"""The process that cameras are forked from: it has loaded and compiled all that a camera calls."""

from __future__ import annotations

import traceback

import av
import numpy as np

from north_hush.core.compiled import spare_linear_algebra
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.follow.kinds import compile_kinds
from north_hush.core.footage.reduce import compile_reducer
from north_hush.core.forking import serve_forks
from north_hush.core.grid import Grid
from north_hush.core.site.drawing import add_wire, add_zone
from north_hush.core.site.edits import new_site, put_settings
from north_hush.core.watch import camera_worker
from north_hush.core.watch.eye import Eye
from north_hush.core.watch.sources import LiveFrame

CAMERA = "hush-camera"
"""As the system lists the process of a camera."""
_WIDTH, _HEIGHT, _FRAMES, _SQUARE_PX = 320, 180, 40, 30


def serve() -> int:
    """Fork cameras until nobody asks for any more; returns the exit code."""
    return serve_forks(CAMERA, _load, lambda _: camera_worker.serve())


def _load() -> None:
    """Have all that a camera calls compiled and loaded; where that fails a camera meets it itself and is told of."""
    spare_linear_algebra()
    try:
        compile_reducer(Grid(32, 16))
        compile_kinds(Grid(32, 16))
        _watch_a_square()
    except Exception:  # noqa: BLE001
        traceback.print_exc()


def _watch_a_square() -> None:
    """See a square go through a zone and over a wire."""
    site = add_zone(new_site("Loaded"), "view-1", ((0, 0), (1, 0), (1, 1), (0, 1)), "All")
    site = add_wire(site, "view-1", ((0.5, 0.2), (0.5, 1.0)), watches="both")
    site = put_settings(site, "view-1", "factory", site.views[0].zones[0].id, ZoneSettings(travel_percent=2.0))
    eye: Eye | None = None
    for number in range(_FRAMES):
        pixels = np.full((_HEIGHT * 3 // 2, _WIDTH), 90, np.uint8)
        left = number * (_WIDTH - _SQUARE_PX) // _FRAMES
        pixels[_HEIGHT // 2 : _HEIGHT // 2 + _SQUARE_PX, left : left + _SQUARE_PX] = 200
        frame = LiveFrame(av.VideoFrame.from_ndarray(pixels, "yuv420p"), number * 100_000, number == 0)
        eye = eye or Eye(site.views[0], site.clock, frame)
        eye.look(frame)
