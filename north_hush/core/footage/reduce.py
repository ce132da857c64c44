"""Reduce one frame after the other to evidence: integer cell values per channel and a row of frame facts.

One `Reducer` serves the pass over a recording and a live camera alike, so both give the same bits. Scales: planes in
1/16 grey level (uint16); the fast background in 1/2**20 grey level (int64); cell values in quarters of a grey level (uint8,
saturating at 63.75).
"""

from __future__ import annotations

import math
from collections import deque
from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray

from north_hush.core.footage.background import Background
from north_hush.core.footage.differences import (
    ALPHA_SHIFT,
    BACKGROUND_SHIFT,
    FAINT_SCALE,
    SHARE_LIMITS_GREY,
    cell_luma,
    cell_means,
    changed_counts,
    follow_background,
    follow_noise,
    median_shift,
    plane_sums,
)
from north_hush.core.footage.foreground import STEP_SEEN_US, foreground, quarters_over
from north_hush.core.footage.jitter import Jitter, left_over, moved_luma, shift_of
from north_hush.core.footage.luma import PLANE_SCALE, analysis_plane, full_range
from north_hush.core.footage.options import (
    CHANNELS,
    FOREGROUND,
    QUARTERS,
    STEP_INTERVALS_US,
    STORED,
    EvidenceOptions,
)
from north_hush.core.footage.scene_shift import PARTS, SceneShift
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.grid import Grid

FRAME_DTYPE = np.dtype(
    [
        ("pts", np.int64),
        ("time_us", np.int64),
        ("valid", np.bool_),
        ("gap", np.bool_),
        ("key", np.bool_),
        *((f"shift_{channel}", np.int16) for channel in CHANNELS),
        *((f"share_{limit}", np.uint16) for limit in SHARE_LIMITS_GREY),
        ("mean", np.uint16),
        ("contrast", np.uint16),
        ("sharpness", np.uint16),
        ("grain", np.uint16),
        ("same", np.bool_),
        ("alike", np.int16),
        ("alike_there", np.int16),
        ("moved_right", np.int16),
        ("moved_down", np.int16),
        ("detail", np.uint16),
    ]
)
"""One row a frame. `pts` in the stream's own unit; shifts, mean, contrast, sharpness and grain (how much a pixel usually changes from
frame to frame, which is mostly noise) in 1/16 grey level; shares in 1/100 % of the view; `gap` marks the first frame after a gap;
`same` one in which no cell differs from the frame before. How alike the picture is to the usual scene, in place and where it has moved
to, in 1/1000, that shift in 1/1000 of the picture, the detail in 1/1000, and the grain: the newest look's."""


_MOST = int(np.iinfo(np.uint16).max)


def background_alpha(interval_us: int, elapsed_us: int, tau_s: float) -> int:
    """Share of the way the background moves in one interval, in 1/2**ALPHA_SHIFT.

    1 - exp(-dt / tau), with tau no longer than the time seen so far, so that the first frame does not linger.
    """
    tau_us = min(tau_s * US_PER_S, max(elapsed_us, interval_us))
    return round((1 - math.exp(-interval_us / tau_us)) * (1 << ALPHA_SHIFT))


@dataclass(frozen=True)
class Reduced:
    """One frame's evidence: a row of FRAME_DTYPE (0-d), and per channel its cell values, shape (cells,) uint8 quarters."""

    row: NDArray[np.void]
    cells: dict[str, NDArray[np.uint8]]


class Reducer:
    """Frames in, evidence out, with bounded memory.

    Parameters
    ----------
    grid : the geometry of the recording.
    options : time constants and warm-up.
    gap_us : a pause longer than this starts the warm-up again.
    """

    def __init__(self, grid: Grid, options: EvidenceOptions, gap_us: int) -> None:
        self._grid, self._options, self._gap_us = grid, options, gap_us
        self._before: NDArray[np.uint16] | None = None
        plane = grid.plane_height, grid.plane_width
        self._background = Background(plane, options.drift_window_s)
        self._background_luma = np.zeros(grid.cells, np.uint16)
        self._recent, self._recent_plane = np.zeros(plane, np.int64), np.zeros(plane, np.uint16)
        self._lately = np.zeros(grid.cells, np.uint8)
        self._planes: deque[tuple[int, NDArray[np.uint16]]] = deque()
        self._last_us = self._segment_us = self._elapsed_us = 0
        self._faint, self._noise = np.zeros(grid.cells, np.int32), np.zeros(grid.cells, np.int32)
        self._step_faint = np.zeros(grid.cells, np.int32)
        self._noise_known = False
        self._scene = SceneShift(grid.columns, grid.rows)
        self._grain = 0
        self._jitter, self._changed = Jitter(), (0, 0, 0)

    def recall(self, luma: NDArray[np.uint8], time_us: int) -> None:
        """Show it a frame of before the first, at a time below 0: the background begins with it, and no evidence comes of it."""
        if self._background.feed(self._plane_of(luma), time_us):
            self._background_luma = cell_luma(self._background.plane, self._grid.cell_px)

    def _plane_of(self, luma: NDArray[np.uint8]) -> NDArray[np.uint16]:
        plane = analysis_plane(self._grid.orient(luma), self._grid.factor)
        return plane if self._grid.full_range else full_range(plane)

    def _settled(self, luma: NDArray[np.uint8], before: NDArray[np.uint16], time_us: int) -> NDArray[np.uint16]:
        """The plane of a frame, put back where it usually is on a mast that shakes."""
        plane = self._plane_of(luma)
        self._changed = changed_counts(plane, before)
        moved = partial(self._moved, luma)
        settled = self._jitter.settled(plane, self._background.plane, self._changed[0], time_us, moved)
        if settled is not plane:
            self._changed = changed_counts(settled, before)
        return settled

    def _moved(self, luma: NDArray[np.uint8], right_px: float, down_px: float) -> NDArray[np.uint16]:
        """The plane of a picture moved by so many analysis pixels to the left and up."""
        held, factor = np.ascontiguousarray(self._grid.orient(luma)), self._grid.factor
        plane = analysis_plane(moved_luma(held, right_px * factor, down_px * factor), factor)
        return plane if self._grid.full_range else full_range(plane)

    def reduce(self, luma: NDArray[np.uint8], pts: int, time_us: int, key: bool) -> Reduced:
        """Take the next frame: luma as decoded (not yet oriented), its stamp, its time and whether it is a key frame."""
        plane = self._plane_of(luma) if self._before is None else self._settled(luma, self._before, time_us)
        row = np.zeros((), FRAME_DTYPE)
        row["pts"], row["time_us"], row["key"] = pts, time_us, key
        cells: dict[str, NDArray[np.uint8]] = {channel: np.zeros(self._grid.cells, np.uint8) for channel in STORED}
        first = self._before is None
        interval_us = time_us - self._last_us
        row["gap"] = not first and interval_us > self._gap_us
        if first or row["gap"]:
            self._segment_us = time_us
        if first or row["gap"]:
            self._planes.clear()
        if self._before is None:
            self._recent[:], self._recent_plane[:] = plane.astype(np.int64) << BACKGROUND_SHIFT, plane
        else:
            self._compare(plane, self._before, interval_us, row, cells)
            self._tell_foreground(plane, self._before, interval_us, row, cells)
        if self._background.feed(plane, time_us):
            self._background_luma = cell_luma(self._background.plane, self._grid.cell_px)
        warm = time_us - self._segment_us >= self._options.warm_up_s * US_PER_S
        row["valid"] = warm and time_us > self._segment_us
        if row["valid"]:
            self._follow_noise()
        self._describe(plane, row)
        row["same"] = not first and not row["shift_step"] and not cells["step"].any()
        self._compare_scene(plane, time_us, row)
        self._before, self._last_us = plane, time_us
        self._keep(plane, time_us)
        return Reduced(row, cells)

    def _compare(
        self,
        plane: NDArray[np.uint16],
        before: NDArray[np.uint16],
        interval_us: int,
        row: NDArray[np.void],
        cells: dict[str, NDArray[np.uint8]],
    ) -> None:
        for limit, count in zip(SHARE_LIMITS_GREY, self._changed, strict=True):
            row[f"share_{limit}"] = count * 10_000 // plane.size
        self._take_channel("step", plane, before, row, cells)
        self._step_faint, self._faint = self._faint, self._step_faint
        for channel, interval in STEP_INTERVALS_US.items():
            earlier = self._plane_ago(int(row["time_us"]), interval, before)
            if earlier is before:  # frames are so few that it is the same as step
                row[f"shift_{channel}"], cells[channel] = row["shift_step"], cells["step"].copy()
            else:
                self._take_channel(channel, plane, earlier, row, cells)
        self._take_channel("drift", plane, self._background.plane, row, cells)
        seen, cell_px = self._recent_plane, self._grid.cell_px
        cell_means(plane, seen, median_shift(plane, seen), cell_px, self._lately, self._faint)
        alpha = background_alpha(interval_us, self._elapsed_us, self._options.settle_tau_s)
        follow_background(self._recent, plane, alpha, seen)
        self._take_channel("settle", seen, self._background.plane, row, cells)
        self._elapsed_us += interval_us

    def _tell_foreground(
        self,
        plane: NDArray[np.uint16],
        before: NDArray[np.uint16],
        interval_us: int,
        row: NDArray[np.void],
        cells: dict[str, NDArray[np.uint8]],
    ) -> None:
        ground = self._background_luma, self._noise
        earlier = self._plane_ago(int(row["time_us"]), STEP_INTERVALS_US["step_200ms"], before)
        moves, shift = cells["step_200ms"], int(row["shift_step_200ms"])
        if interval_us > STEP_SEEN_US:  # a body has left its place by the next frame, so that a step shows two of it
            moves, earlier, shift = np.zeros_like(moves), plane, 0
        value = foreground(cells["drift"], moves, self._lately, *ground)
        usual = self._background.plane, int(row["shift_drift"])
        cells[FOREGROUND] = value
        cells[QUARTERS] = quarters_over(plane, *usual, earlier, shift, value, *ground, self._grid.cell_px)

    def _compare_scene(self, plane: NDArray[np.uint16], time_us: int, row: NDArray[np.void]) -> None:
        if self._scene.due(time_us):
            self._scene.look(cell_luma(plane, self._grid.cell_px), self._background_luma, time_us)
            self._grain = int(np.median(self._noise)) * PLANE_SCALE // FAINT_SCALE
        held = self._scene.known
        row["alike"], row["alike_there"] = round(held.alike * PARTS), round(held.alike_there * PARTS)
        row["moved_right"] = round(held.right / self._grid.columns * PARTS)
        row["moved_down"] = round(held.down / self._grid.rows * PARTS)
        row["detail"], row["grain"] = min(round(held.detail * PARTS), _MOST), self._grain

    def _plane_ago(self, time_us: int, interval_us: int, before: NDArray[np.uint16]) -> NDArray[np.uint16]:
        """The kept plane whose age is nearest to an interval, the older of two; the frame before when none is kept."""
        if not self._planes:
            return before
        return min(self._planes, key=lambda held: abs(time_us - held[0] - interval_us))[1]

    def _keep(self, plane: NDArray[np.uint16], time_us: int) -> None:
        """Keep planes for the longest interval, and one that is older."""
        self._planes.append((time_us, plane))
        while len(self._planes) > 2 and time_us - self._planes[1][0] > max(STEP_INTERVALS_US.values()):
            self._planes.popleft()

    def _take_channel(
        self,
        channel: str,
        plane: NDArray[np.uint16],
        other: NDArray[np.uint16],
        row: NDArray[np.void],
        cells: dict[str, NDArray[np.uint8]],
    ) -> None:
        shift = median_shift(plane, other)
        row[f"shift_{channel}"] = shift
        cell_means(plane, other, shift, self._grid.cell_px, cells[channel], self._faint)

    def _follow_noise(self) -> None:
        if self._noise_known:
            follow_noise(self._noise, self._step_faint)
        else:  # the first value is as good a start as any
            self._noise[:], self._noise_known = self._step_faint, True

    def soil(self) -> tuple[NDArray[np.uint16], NDArray[np.uint16]]:
        """Noise of each cell by now, in 1/256 grey level, and how bright the slow background is, in 1/16: (cells,) uint16
        each."""
        noise = np.minimum(self._noise, _MOST).astype(np.uint16)
        return noise, self._background_luma

    @property
    def last_us(self) -> int:
        """Time of the frame last taken."""
        return self._last_us

    @staticmethod
    def _describe(plane: NDArray[np.uint16], row: NDArray[np.void]) -> None:
        total, squares, edges = (int(value) for value in plane_sums(plane))
        row["mean"] = total // plane.size
        row["contrast"] = math.isqrt(max(0, squares * plane.size - total * total)) // plane.size
        row["sharpness"] = min(edges // plane.size, _MOST)


_LINE_ROOM_PX = 16


def compile_reducer(grid: Grid) -> list[Reduced]:
    """Run tiny frames through a reducer, so that its compiled code is on disk; what came of three of them. The decoder hands its
    planes out in one piece, or with room at the end of each line."""
    found: list[Reduced] = []
    for room in (_LINE_ROOM_PX, 0):
        reducer = Reducer(grid, EvidenceOptions(warm_up_s=0), gap_us=1_000_000)
        luma = np.zeros((grid.plane_height, grid.plane_width + room), np.uint8)[:, : grid.plane_width]
        luma.setflags(write=False)
        plane = reducer._moved(luma, 0.0, 0.0)  # nothing stirs in what comes next
        left_over(plane, plane, 0), shift_of(plane, plane, 0)
        found = [reducer.reduce(luma, number, number * 100_000, False) for number in range(3)]
    return found
