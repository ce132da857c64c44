"""Writing evidence: block by block, and an index with checksums last.

Blocks start small, so that a running pass shows something early, and double up to 4,096 frames. A folder without `index.json` is an
unfinished or killed pass and is never taken for a whole one.
"""

from __future__ import annotations

import json
import shutil
import tempfile
from collections.abc import Callable
from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np
import zstandard
from numpy.typing import NDArray

from north_hush.core.errors import EvidenceError
from north_hush.core.footage.cache import cache_folder
from north_hush.core.footage.evidence import EVIDENCE_VERSION
from north_hush.core.footage.leftovers import SPARE, clear_left_behind, owned_folder
from north_hush.core.footage.options import STORED, EvidenceOptions
from north_hush.core.footage.reduce import FRAME_DTYPE, Reduced
from north_hush.core.footage.room import carry_over, trim
from north_hush.core.footage.store import checksum, find_evidence, index_sum, stored_folder
from north_hush.core.grid import Grid
from north_hush.core.words import tr

_BLOCK_FIRST = 128
_BLOCK_MAX = 4096
_ZSTD_LEVEL = 3
CellSoil = tuple[NDArray[np.uint16], NDArray[np.uint16]]
"""Noise and brightness of each cell, see `Reducer.soil`."""


class StoreWriter:
    """Write evidence block by block; `finish` makes it whole. When the cache cannot be written, a temporary folder
    takes over and `stored` turns False: the evidence then lasts as long as the session. `block_most` is the frames that wait in
    memory at most."""

    def __init__(
        self,
        key: str,
        grid: Grid,
        options: EvidenceOptions,
        root: Path | None = None,
        block_most: int = _BLOCK_MAX,
    ) -> None:
        self._key, self._grid, self._options = key, grid, options
        self._block_most = block_most
        self._root = root or cache_folder()
        self._blocks: list[dict[str, Any]] = []
        self._pending: list[Reduced] = []
        self._block_frames = _BLOCK_FIRST
        self.stored = True
        try:
            self._root.mkdir(parents=True, exist_ok=True, mode=0o700)
            clear_left_behind(self._root)
            self.folder = owned_folder(f"{key}.part", self._root)
        except OSError:
            self._move_out()

    @property
    def frames(self) -> int:
        """Frames written so far, in whole blocks."""
        return sum(block["frames"] for block in self._blocks)

    def add(self, reduced: Reduced, soil: Callable[[], CellSoil]) -> bool:
        """Take a frame; True when that completed a block. `soil` tells what the cells are like by then."""
        self._pending.append(reduced)
        if len(self._pending) < self._block_frames:
            return False
        self._flush(soil())
        self._block_frames = min(2 * self._block_frames, self._block_most)
        return True

    def finish(self, oddities: tuple[str, ...], soil: Callable[[], CellSoil], *, key: str | None = None) -> Path:
        """Write the index and move the folder to its lasting name, which is returned; `key` is given where it was not known before."""
        self._key = key or self._key
        if self._pending:
            self._flush(soil())
        index = {
            "key": self._key,
            "grid": asdict(self._grid),
            "options": self._options.model_dump(),
            "blocks": self._blocks,
            "oddities": oddities,
        }
        told = {
            "format": "north-hush-evidence",
            "version": EVIDENCE_VERSION,
            "blake2": index_sum(index),
            "index": index,
        }
        self._write("index.json", json.dumps(told).encode())
        if not self.stored:
            return self.folder
        lasting = stored_folder(self._key, self._root)
        try:
            self.folder.rename(lasting)
        except OSError:
            if find_evidence(self._key, self._root) is None:  # what lies there is lean, damaged or of another version
                carry_over(lasting, self.folder)
                shutil.rmtree(lasting, ignore_errors=True)
                self.folder.rename(lasting)
            else:  # another pass over the same recording was faster, and may be read from by now
                shutil.rmtree(self.folder, ignore_errors=True)
        trim(self._root, keep=lasting)
        return lasting

    def discard(self) -> None:
        """Throw away what was written."""
        shutil.rmtree(self.folder, ignore_errors=True)

    def _flush(self, soil: CellSoil) -> None:
        rows = np.array([item.row for item in self._pending], FRAME_DTYPE)
        self.add_block(
            rows, lambda channel: np.stack([item.cells[channel] for item in self._pending], axis=1), np.stack(soil)
        )
        self._pending = []

    def add_block(
        self, rows: NDArray[np.void], values: Callable[[str], NDArray[np.uint8]], soil: NDArray[np.uint16]
    ) -> None:
        """Write a block of frames.

        Parameters
        ----------
        rows : (frames,) FRAME_DTYPE
        values : of a channel, (cells, frames)
        soil : (2, cells), noise and brightness by then
        """
        number = len(self._blocks)
        parts = {"frames": self._write_part(f"frames-{number:04d}.zst", rows.tobytes())}
        for channel in STORED:
            parts[channel] = self._write_part(f"{channel}-{number:04d}.zst", values(channel).tobytes())
        parts["soil"] = self._write_part(f"soil-{number:04d}.zst", soil.tobytes())
        self._blocks.append({"frames": len(rows), "parts": parts})

    def _write_part(self, name: str, data: bytes) -> dict[str, Any]:
        packed = zstandard.ZstdCompressor(level=_ZSTD_LEVEL).compress(data)
        self._write(name, packed)
        return {"file": name, "bytes": len(packed), "blake2": checksum(packed)}

    def _write(self, name: str, data: bytes) -> None:
        try:
            _write_whole(self.folder / name, data)
        except OSError as error:
            if not self.stored:
                raise EvidenceError(
                    str(self.folder),
                    tr("cannot be written ({strerror}).", strerror=error.strerror),
                    tr("Free some space and open the recording again."),
                ) from error
            self._move_out()
            _write_whole(self.folder / name, data)

    def _move_out(self) -> None:
        unusable = getattr(self, "folder", None)
        self.stored = False
        spare = Path(tempfile.gettempdir())
        try:
            self.folder = owned_folder(SPARE, spare)
            if unusable is not None:
                shutil.copytree(unusable, self.folder, dirs_exist_ok=True)
        except OSError as error:
            raise EvidenceError(
                str(spare),
                tr("cannot take what does not fit into the cache either ({value}).", value=error.strerror or error),
                tr("Free some space and open the recording again."),
            ) from error
        if unusable is not None:
            shutil.rmtree(unusable, ignore_errors=True)


def _write_whole(path: Path, data: bytes) -> None:
    """Write under another name first, so that a reader never sees half a block."""
    part = path.with_suffix(".tmp")
    part.write_bytes(data)
    part.rename(path)
