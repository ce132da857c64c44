"""Wire prints: the pixels under a line, side by side for every frame, as one long picture."""

from __future__ import annotations

import hashlib
import io
import json
import os
from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from north_hush.core.errors import EvidenceError, FootageError
from north_hush.core.footage.cache import cache_folder
from north_hush.core.footage.fingerprint import fingerprint
from north_hush.core.footage.index import FrameIndex
from north_hush.core.footage.luma import luma_of
from north_hush.core.footage.options import Orientation
from north_hush.core.footage.passes import decoded
from north_hush.core.footage.source import Ending
from north_hush.core.grid import Grid
from north_hush.core.scene.items import Privacy
from north_hush.core.scene.outline import Line
from north_hush.core.scene.privacy import BLANK_GREY, covered_pixels
from north_hush.core.words import tr

SAMPLES_MAX = 240
PRINT_VERSION = 2
_FOLDER_LIMIT_BYTES = 1024**3
_REPORT_FRAMES = 50
_MARK_ROWS = 12


@dataclass(frozen=True)
class PrintOrder:
    """What a print is made of. Places under privacy masks are blank in it."""

    line: Line
    orientation: Orientation | None = None
    privacy: tuple[Privacy, ...] = ()

    def name(self, recording_fingerprint: str) -> str:
        """Name of the stored print: recording, privacy masks, and line, each as a hash, so that prints of a recording that were
        made under other masks can be found."""
        masks = [held.model_dump(mode="json", include={"outline", "painted"}) for held in self.privacy]
        turn = self.orientation.model_dump() if self.orientation else None
        parts = ([PRINT_VERSION, recording_fingerprint], [masks, turn], [self.line])
        return "-".join(hashlib.sha256(json.dumps(part).encode()).hexdigest()[:16] for part in parts)


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
        raise FootageError(
            str(index.footage.path), tr("holds not a single frame that can be decoded."), tr("Export it again.")
        )
    return np.ascontiguousarray(np.stack(columns, axis=1))


def prints_folder() -> Path:
    """Where prints are kept: pixels, for the owner's eyes alone."""
    return cache_folder().parent / "prints"


def stored_print(index: FrameIndex, order: PrintOrder) -> Path:
    """Where the print of a recording is kept."""
    return prints_folder() / f"{order.name(fingerprint(index.footage))}.npy"


def keep_print(picture: NDArray[np.uint8], target: Path) -> None:
    """Write a print, whole or not at all, readable by its owner alone. Prints of the same recording under other privacy masks go,
    and the oldest ones when all are too many.

    Raises
    ------
    EvidenceError : the folder cannot be written.
    """
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        target.parent.chmod(0o700)
        partial = target.with_suffix(f".{os.getpid()}.part")
        with os.fdopen(os.open(partial, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "wb") as file:
            np.save(file, picture)
        partial.replace(target)
        drop_other_prints(target)
        _trim(target)
    except OSError as error:
        raise EvidenceError(
            str(target), tr("cannot be written ({strerror}).", strerror=error.strerror), tr("Free some space.")
        ) from error


def drop_other_prints(target: Path) -> None:
    """Remove the prints of a recording that were made under other privacy masks than this one: they show what is covered now."""
    recording, _, rest = target.name.partition("-")
    masks = rest.partition("-")[0]
    for path in target.parent.glob(f"{recording}-*.npy") if masks else ():
        if not path.name.startswith(f"{recording}-{masks}-"):
            with suppress(OSError):
                path.unlink()


def _trim(keep: Path) -> None:
    held = sorted(keep.parent.glob("*.npy"), key=lambda path: path.stat().st_mtime, reverse=True)
    total = 0
    for path in held:
        total += path.stat().st_size
        if total > _FOLDER_LIMIT_BYTES and path != keep:
            path.unlink(missing_ok=True)


def read_print(path: Path) -> NDArray[np.uint8] | None:
    """A stored print; None when there is none, or it is damaged. Others of the recording under other masks are removed."""
    drop_other_prints(path)
    try:
        picture = np.load(path, allow_pickle=False)
    except (OSError, ValueError, EOFError, SyntaxError, TypeError):  # whatever a flipped header makes of it
        return None
    sound = isinstance(picture, np.ndarray) and picture.ndim == 2 and picture.dtype == np.uint8
    return picture if sound and picture.size else None


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
