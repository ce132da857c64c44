"""Wire prints: the pixels under a line, side by side for every frame, as one long picture."""

from __future__ import annotations

import hashlib
import io
import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from north_hush.core.errors import EvidenceError, FootageError
from north_hush.core.footage.fingerprint import fingerprint
from north_hush.core.footage.index import FrameIndex
from north_hush.core.footage.luma import luma_of
from north_hush.core.footage.options import Orientation
from north_hush.core.footage.passes import decoded
from north_hush.core.footage.source import Ending
from north_hush.core.footage.store import cache_folder
from north_hush.core.grid import Grid
from north_hush.core.scene.items import Privacy
from north_hush.core.scene.outline import Line
from north_hush.core.scene.privacy import BLANK_GREY, covered_pixels

SAMPLES_MAX = 240
PRINT_VERSION = 1
_REPORT_FRAMES = 50
_MARK_ROWS = 12


@dataclass(frozen=True)
class PrintOrder:
    """What a print is made of. Places under privacy masks are blank in it."""

    line: Line
    orientation: Orientation | None = None
    privacy: tuple[Privacy, ...] = ()

    def key(self, recording_fingerprint: str) -> str:
        """Name of the stored print."""
        parts = [
            PRINT_VERSION,
            recording_fingerprint,
            self.line,
            self.orientation.model_dump() if self.orientation else None,
            [held.model_dump(mode="json") for held in self.privacy],
        ]
        return hashlib.sha256(json.dumps(parts).encode()).hexdigest()[:32]


def sample_places(line: Line, grid: Grid) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Pixels under a line from its first point to its last, about one a pixel of length, at most SAMPLES_MAX: x and y."""
    corners = np.asarray(line, np.float64) * (grid.width, grid.height)
    lengths = np.hypot(*np.diff(corners, axis=0).T)
    along = np.concatenate([[0.0], np.cumsum(lengths)])
    count = int(min(SAMPLES_MAX, max(2, np.ceil(along[-1]))))
    at = np.linspace(0.0, along[-1], count)
    x = np.interp(at, along, corners[:, 0]).astype(np.int64).clip(0, grid.width - 1)
    y = np.interp(at, along, corners[:, 1]).astype(np.int64).clip(0, grid.height - 1)
    return x, y


def make_print(
    index: FrameIndex,
    order: PrintOrder,
    report: Callable[[int], None] = lambda frames: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> NDArray[np.uint8] | None:
    """Decode a recording and take the pixels under a line; None when cancelled.

    Returns
    -------
    (samples, frames) uint8 luma

    Raises
    ------
    FootageError : nothing could be decoded.
    """
    grid = index.grid(order.orientation)
    x, y = sample_places(order.line, grid)
    blank = covered_pixels(order.privacy, grid.width, grid.height)[y, x]
    columns = []
    for frame in decoded(index, Ending()):
        if cancelled():
            return None
        column = grid.orient(luma_of(frame.picture))[y, x].copy()
        column[blank] = BLANK_GREY
        columns.append(column)
        if len(columns) % _REPORT_FRAMES == 0:
            report(len(columns))
    if not columns:
        raise FootageError(str(index.footage.path), "holds not a single frame that can be decoded.", "Export it again.")
    return np.ascontiguousarray(np.stack(columns, axis=1))


def stored_print(index: FrameIndex, order: PrintOrder) -> Path:
    """Where the print of a recording is kept."""
    return cache_folder().parent / "prints" / f"{order.key(fingerprint(index.footage))}.npy"


def keep_print(picture: NDArray[np.uint8], target: Path) -> None:
    """Write a print, whole or not at all.

    Raises
    ------
    EvidenceError : the folder cannot be written.
    """
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        partial = target.with_suffix(".part")
        with partial.open("wb") as file:
            np.save(file, picture)
        partial.replace(target)
    except OSError as error:
        raise EvidenceError(str(target), f"cannot be written ({error.strerror}).", "Free some space.") from error


def read_print(path: Path) -> NDArray[np.uint8] | None:
    """A stored print; None when there is none, or it is damaged."""
    try:
        picture = np.load(path, allow_pickle=False)
    except (OSError, ValueError):
        return None
    return picture if picture.ndim == 2 and picture.dtype == np.uint8 else None


def striking(picture: NDArray[np.uint8]) -> NDArray[np.int32]:
    """How much each frame's column differs from the usual one, (frames,): the median over a sample of frames."""
    usual = np.median(picture[:, :: max(1, picture.shape[1] // 500)], axis=1)
    return np.asarray(np.abs(picture.astype(np.int16) - usual[:, None].astype(np.int16)).sum(axis=0), np.int32)


def png_of(picture: NDArray[np.uint8], marked: Sequence[int]) -> bytes:
    """A print as PNG, with a strip on top that carries a mark for each of some frames."""
    strip = np.full((_MARK_ROWS, picture.shape[1]), 24, np.uint8)
    for frame in marked:
        strip[:-2, max(0, frame - 1) : frame + 2] = 255
    buffer = io.BytesIO()
    Image.fromarray(np.vstack([strip, picture])).save(buffer, "PNG")
    return buffer.getvalue()
