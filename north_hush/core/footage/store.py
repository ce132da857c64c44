"""Evidence on disk: a folder a recording, blocks of frames, and an index with checksums that is written last.

A block holds FRAME_DTYPE rows, and each channel cell-major, compressed with zstd. Blocks start small, so that a
running pass shows something early, and double up to 4,096 frames. A folder without `index.json` is an unfinished or
killed pass and is never taken for a whole one.
"""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import tempfile
from collections.abc import Callable, Mapping
from contextlib import suppress
from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np
import platformdirs
import zstandard
from numpy.typing import NDArray

from north_hush.core.errors import EvidenceError, FootageError
from north_hush.core.footage.evidence import EVIDENCE_VERSION, Evidence, Soil
from north_hush.core.footage.leftovers import SPARE, clear_left_behind, is_owned, owned_folder
from north_hush.core.footage.options import STORED, EvidenceOptions
from north_hush.core.footage.reduce import FRAME_DTYPE, Reduced
from north_hush.core.grid import Grid

_BLOCK_FIRST = 128
_BLOCK_MAX = 4096
_FOLDER_LIMIT_BYTES = 20 * 1024**3
_ZSTD_LEVEL = 3
_CHECKED_WHOLE_BYTES = 256 * 1024**2
_UNKNOWN: Mapping[str, str] = {}
CellSoil = tuple[NDArray[np.uint16], NDArray[np.uint16]]
"""Noise and brightness of each cell, see `Reducer.soil`."""


def cache_folder() -> Path:
    """Where evidence is kept: `$NORTH_HUSH_CACHE`, or the user's cache folder."""
    stated = os.environ.get("NORTH_HUSH_CACHE")
    return Path(stated) if stated else Path(platformdirs.user_cache_path("north-hush")) / "evidence"


def evidence_key(fingerprint: str, options: EvidenceOptions) -> str:
    """Name of the evidence of one recording under one set of options."""
    text = f"{EVIDENCE_VERSION} {fingerprint} {options.model_dump_json()}"
    return hashlib.blake2b(text.encode(), digest_size=16).hexdigest()


def stored_folder(key: str, root: Path | None = None) -> Path:
    """Where finished evidence of this name is kept."""
    return (root or cache_folder()) / key


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
            "blake2": _index_sum(index),
            "index": index,
        }
        self._write("index.json", json.dumps(told).encode())
        if not self.stored:
            return self.folder
        lasting = stored_folder(self._key, self._root)
        try:
            self.folder.rename(lasting)
        except OSError:
            if find_evidence(self._key, self._root) is None:  # what lies there is damaged or of another version
                shutil.rmtree(lasting, ignore_errors=True)
                self.folder.rename(lasting)
            else:  # another pass over the same recording was faster, and may be read from by now
                shutil.rmtree(self.folder, ignore_errors=True)
        _trim(self._root, keep=lasting)
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
        return {"file": name, "bytes": len(packed), "blake2": _checksum(packed)}

    def _write(self, name: str, data: bytes) -> None:
        try:
            _write_whole(self.folder / name, data)
        except OSError as error:
            if not self.stored:
                raise EvidenceError(
                    str(self.folder),
                    f"cannot be written ({error.strerror}).",
                    "Free some space and open the recording again.",
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
                f"cannot take what does not fit into the cache either ({error.strerror or error}).",
                "Free some space and open the recording again.",
            ) from error
        if unusable is not None:
            shutil.rmtree(unusable, ignore_errors=True)


def _write_whole(path: Path, data: bytes) -> None:
    """Write under another name first, so that a reader never sees half a block."""
    part = path.with_suffix(".tmp")
    part.write_bytes(data)
    part.rename(path)


def _checksum(data: bytes) -> str:
    return hashlib.blake2b(data, digest_size=16).hexdigest()


def find_evidence(key: str, root: Path | None = None) -> Evidence | None:
    """Return stored evidence, or None when there is none or it is damaged (it is then made again)."""
    folder = stored_folder(key, root)
    try:
        evidence = read_evidence(folder)
    except EvidenceError:
        return None
    with suppress(OSError):
        os.utime(folder)  # so that the folder used last is dropped last
    return evidence


def read_evidence(folder: Path) -> Evidence:
    """Open a finished evidence folder and check its parts: each against its checksum, of a large one its size, and its checksum when
    it is read.

    Raises
    ------
    EvidenceError : unfinished, damaged, or of another version.
    """
    try:
        told = json.loads((folder / "index.json").read_bytes())
        if told["version"] != EVIDENCE_VERSION:
            raise EvidenceError(str(folder), f"is of version {told['version']}.", "It is made again.")
        index = told["index"]
        if told["blake2"] != _index_sum(index):
            raise EvidenceError(str(folder / "index.json"), "is damaged.", "It is made again.")
        _check_parts(folder, [part for block in index["blocks"] for part in block["parts"].values()])
        grid, options = Grid(**index["grid"]), EvidenceOptions.model_validate(index["options"])
        counts = [int(block["frames"]) for block in index["blocks"]]
        sums = {part["file"]: str(part["blake2"]) for block in index["blocks"] for part in block["parts"].values()}
        oddities = tuple(index["oddities"])
        return _evidence(index["key"], grid, options, folder, counts, whole=True, oddities=oddities, sums=sums)
    except (OSError, ValueError, KeyError, TypeError, RecursionError, FootageError) as error:
        raise EvidenceError(str(folder), "is not finished evidence.", "It is made again.") from error


def _check_parts(folder: Path, parts: list[dict[str, Any]]) -> None:
    """Raises EvidenceError, OSError or ValueError where a part is not as it was written."""
    if sum(int(part["bytes"]) for part in parts) <= _CHECKED_WHOLE_BYTES:
        for part in parts:
            _sound(folder / part["file"], part["blake2"])
    elif any((folder / part["file"]).stat().st_size != part["bytes"] for part in parts):
        raise ValueError("a part is cut off")


def _index_sum(index: dict[str, Any]) -> str:
    return _checksum(json.dumps(index, sort_keys=True).encode())


def _sound(path: Path, told: str | None) -> bytes:
    """The bytes of a part, if they are those that were written.

    Raises
    ------
    EvidenceError : they are gone, or others.
    """
    try:
        data = path.read_bytes()
    except OSError as error:
        raise EvidenceError(str(path), "is gone.", "Open the recording again to make it anew.") from error
    if told is not None and _checksum(data) != told:
        with suppress(OSError):  # whoever opens it next takes it for unfinished, and makes it anew
            (path.parent / "index.json").unlink(missing_ok=True)
        raise EvidenceError(str(path), "is damaged.", "Open the recording again to make it anew.")
    return data


def read_partial(folder: Path, key: str, grid: Grid, options: EvidenceOptions, counts: list[int]) -> Evidence:
    """Open the blocks a running pass has written so far; `counts` holds the frames of each."""
    return _evidence(f"{key}:{sum(counts)}", grid, options, folder, counts, whole=False, oddities=())


def _evidence(
    key: str,
    grid: Grid,
    options: EvidenceOptions,
    folder: Path,
    counts: list[int],
    *,
    whole: bool,
    oddities: tuple[str, ...],
    sums: Mapping[str, str] = _UNKNOWN,
) -> Evidence:
    def unpack(path: Path) -> bytes:
        return _unpack(path, sums.get(path.name))

    rows = [np.frombuffer(unpack(folder / f"frames-{i:04d}.zst"), FRAME_DTYPE) for i in range(len(counts))]
    frames = np.concatenate(rows) if rows else np.zeros(0, FRAME_DTYPE)

    grounds = [
        np.frombuffer(unpack(folder / f"soil-{i:04d}.zst"), np.uint16).reshape(2, grid.cells)
        for i in range(len(counts))
    ]
    firsts = np.cumsum([0, *counts[:-1]]).astype(np.int64)[: len(counts)]
    both = np.stack(grounds) if grounds else np.zeros((0, 2, grid.cells), np.uint16)
    soil = Soil(firsts, both[:, 0], both[:, 1])

    def load(channel: str, number: int) -> NDArray[np.uint8]:
        path = folder / f"{channel}-{number:04d}.zst"
        part = np.frombuffer(unpack(path), np.uint8)
        if part.size != grid.cells * counts[number]:
            raise EvidenceError(str(path), "is damaged.", "Open the recording again to make it anew.")
        return part.reshape(grid.cells, counts[number]).copy()  # kernels are compiled for arrays that can be written

    return Evidence(key, grid, options, frames, load, tuple(counts), whole, oddities, soil, folder if whole else None)


def _unpack(path: Path, told: str | None = None) -> bytes:
    """A part as it was before it was packed; looked at against its checksum where that is known."""
    try:
        return zstandard.ZstdDecompressor().decompress(_sound(path, told))
    except zstandard.ZstdError as error:
        raise EvidenceError(str(path), "is damaged.", "Open the recording again to make it anew.") from error


def folder_bytes(folder: Path) -> int:
    """Size of an evidence folder on disk."""
    return sum(path.stat().st_size for path in folder.iterdir())


def _trim(root: Path, keep: Path) -> None:
    """Drop the folders used longest ago until the rest fits, and parts that killed passes left behind."""
    clear_left_behind(root)
    with suppress(OSError):
        folders = sorted(
            (path for path in root.iterdir() if path.is_dir()), key=lambda path: path.stat().st_mtime, reverse=True
        )
        total = 0
        for folder in folders:
            if is_owned(folder.name):
                continue
            total += folder_bytes(folder)
            if total > _FOLDER_LIMIT_BYTES and folder != keep:
                shutil.rmtree(folder, ignore_errors=True)
