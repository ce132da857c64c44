"""Compile every hot kernel once, so that no later call waits for the compiler."""

from __future__ import annotations

import sys
from contextlib import suppress
from importlib.metadata import version
from pathlib import Path

import numpy as np
import platformdirs

from north_hush import __version__
from north_hush.core.detect.alarms import find_alarms
from north_hush.core.detect.levels import changed_areas, survival_table
from north_hush.core.detect.settings import FACTORY
from north_hush.core.follow.chances import compile_chances
from north_hush.core.follow.kinds import compile_kinds
from north_hush.core.follow.owned import Owner
from north_hush.core.footage.reduce import compile_reducer
from north_hush.core.grid import Grid
from north_hush.core.judge.ground import Ground, Grounds, largest_patches, lie_inside
from north_hush.core.judge.incidents import Truth
from north_hush.core.judge.tally import Counter
from north_hush.core.scene.plan import Plan
from north_hush.core.scene.weights import watched_weights


def _stamp() -> Path:
    python, numba = f"{sys.version_info.major}.{sys.version_info.minor}", version("numba")
    return Path(platformdirs.user_cache_path("north-hush")) / f"kernels-{__version__}-{python}-{numba}"


def is_prepared() -> bool:
    """Whether this North Hush has compiled its kernels on this machine already."""
    return _stamp().exists()


def mark_prepared() -> None:
    """Remember that it has; where that cannot be written it is only done once more."""
    with suppress(OSError):
        _stamp().parent.mkdir(parents=True, exist_ok=True)
        _stamp().touch()


def compile_kernels() -> None:
    """Run a few tiny frames through all of it; the compiled code stays on disk."""
    # The window asks this module whether all is compiled, and must not wait for what that imports.
    from north_hush.core.ask.things import compile_things

    grid = Grid(32, 16)
    values = np.stack([frame.cells["step"] for frame in compile_reducer(grid)], axis=1)
    weights = watched_weights(None, Plan(), grid)
    areas = changed_areas(values, weights, 4)
    survival_table(values, weights)
    flags = np.ones(3, bool)
    compile_things()
    tracks = compile_kinds(grid)
    Owner(np.full(grid.cells, 255, np.uint8), 4, grid).feed(values, flags, tracks)
    compile_chances(grid)
    find_alarms(areas, np.ones(3, bool), np.zeros(3, bool), weights.total, FACTORY, np.arange(3))
    Counter("", Truth(), ()).count(np.zeros((1, 3)), np.zeros((1, 0), bool))
    boxes = np.zeros((3, 4), np.int64)
    limits = np.full(1, 4, np.int64)
    lie_inside(*largest_patches(values, np.zeros(1, np.int64), limits, grid.columns, grid.rows), grid.columns, boxes)
    Grounds.of([Ground(0, np.zeros(2, np.int64))]).meet(np.zeros((1, 2), np.int64))
