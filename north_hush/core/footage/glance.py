"""A first look at a long recording: single key frames, spread over all of it, before every frame is analysed.

It tells roughly where something was different, and nothing else: no level, no alarm and no score is made of it.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import av.error
import numpy as np
from numpy.typing import NDArray

from north_hush.core.errors import FootageError
from north_hush.core.footage.differences import cell_luma
from north_hush.core.footage.index import FrameIndex
from north_hush.core.footage.luma import PLANE_SCALE, analysis_plane, full_range, luma_of
from north_hush.core.footage.options import EvidenceOptions
from north_hush.core.footage.picked import has_keys, picked_frames
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.grid import Grid

WORTH_IT_FRAMES = 20_000
"""A shorter recording is analysed before a first look would have helped."""
BUDGET_S, _BUDGET_A_FRAME_S = 25.0, 0.0002
"""The longest it may take, and for each frame of the recording: a twentieth of what the pass takes."""
_FIRST, _MOST = 48, 1536
"""Pictures of the first round, each of which doubles them, and of all."""
_USUAL_OF, _USUAL_WITHIN_US = 25, 1800 * US_PER_S
"""What is usual at a picture is the median of so many others, evenly spread over the half hour before and after it."""
_DIFFERS_GREY = 8
"""A cell whose brightness is so far from usual, beyond what the light of the whole picture did, differs."""


@dataclass(frozen=True, eq=False)
class Glance:
    """What a first look found by now.

    Attributes
    ----------
    time_us : (pictures,) int64, microseconds after the first frame, increasing
    percent : (pictures,) float32, share of the view that was not as usual
    """

    time_us: NDArray[np.int64]
    percent: NDArray[np.float32]


def glances(
    index: FrameIndex,
    options: EvidenceOptions,
    budget_s: float | None = None,
    go_on: Callable[[], bool] = lambda: True,
) -> Iterator[Glance]:
    """Look at key frames, ever closer together, until the time is up; what was found, after each round.

    A recording that cannot be sought in, or whose key frames cannot be decoded, gives nothing: the pass says what is wrong with it.
    """
    keys = np.flatnonzero(index.key)
    if not has_keys(index) or len(keys) < _FIRST:
        return
    budget_s = min(BUDGET_S, index.frames * _BUDGET_A_FRAME_S) if budget_s is None else budget_s
    grid, ends = index.grid(options.orientation, options.cell_px), time.monotonic() + budget_s
    seen: dict[int, NDArray[np.uint16]] = {}
    try:
        wanted = _FIRST
        while wanted == _FIRST or (wanted <= _MOST and time.monotonic() < ends):
            places = np.unique(np.linspace(0, len(keys) - 1, wanted).round().astype(np.int64))
            for number, picture in picked_frames(index, ([key] for key in keys[places].tolist() if key not in seen)):
                seen[number] = _cells(picture, grid)
                if not go_on():
                    return
                if time.monotonic() >= ends and len(seen) >= _FIRST:
                    break
            yield _found(seen, index)
            if len(places) == len(keys):
                return
            wanted = 2 * wanted - 1  # those of before are among them
    except (av.error.FFmpegError, FootageError, OSError, ValueError):
        return


def _cells(picture: av.VideoFrame, grid: Grid) -> NDArray[np.uint16]:
    plane = analysis_plane(grid.orient(luma_of(picture)), grid.factor)
    return cell_luma(plane if grid.full_range else full_range(plane), grid.cell_px)


def _found(seen: dict[int, NDArray[np.uint16]], index: FrameIndex) -> Glance:
    numbers = sorted(seen)
    times = index.time_us[numbers]
    cells = np.stack([seen[number] for number in numbers]).astype(np.int32)
    return Glance(times, changed_percent(cells, times))


def changed_percent(cells: NDArray[np.int32], time_us: NDArray[np.int64]) -> NDArray[np.float32]:
    """How much of each picture is not as it usually is about that time.

    Parameters
    ----------
    cells : (pictures, cells) brightness in 1/16 grey level
    time_us : (pictures,)

    Returns
    -------
    (pictures,) float32, percent of the cells
    """
    found = np.zeros(len(cells), np.float32)
    for place, now in enumerate(cells):
        first, after = np.searchsorted(
            time_us, [time_us[place] - _USUAL_WITHIN_US, time_us[place] + _USUAL_WITHIN_US + 1]
        )
        others = np.unique(np.linspace(first, after - 1, _USUAL_OF).round().astype(np.int64))
        away = now - np.median(cells[others], axis=0)
        away -= np.median(away)
        found[place] = 100 * float((np.abs(away) >= _DIFFERS_GREY * PLANE_SCALE).mean())
    return found
