"""Evidence on disk: a folder a recording, blocks of frames, and an index with checksums that is written last.

A block holds FRAME_DTYPE rows, and each channel cell-major, compressed with zstd; see `writing` for how they come there.
"""

from __future__ import annotations

import hashlib
import json
import os
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import zstandard
from numpy.typing import NDArray

from north_hush.core.errors import EvidenceError, FootageError
from north_hush.core.footage.cache import cache_folder
from north_hush.core.footage.evidence import EVIDENCE_VERSION, Evidence, Soil
from north_hush.core.footage.options import LIVE, STORED, EvidenceOptions
from north_hush.core.footage.reduce import FRAME_DTYPE
from north_hush.core.footage.room import is_lean
from north_hush.core.grid import Grid
from north_hush.core.words import tr

_CHECKED_WHOLE_BYTES = 256 * 1024**2
_UNKNOWN: Mapping[str, str] = {}


def evidence_key(fingerprint: str, options: EvidenceOptions) -> str:
    """Name of the evidence of one recording under one set of options."""
    text = f"{EVIDENCE_VERSION} {fingerprint} {options.model_dump_json(exclude={'lead'})}"
    for lead in options.lead:
        text += f" after {lead.fingerprint} {lead.ahead_s}"
    return hashlib.blake2b(text.encode(), digest_size=16).hexdigest()


def stored_folder(key: str, root: Path | None = None) -> Path:
    """Where finished evidence of this name is kept."""
    return (root or cache_folder()) / key


def checksum(data: bytes) -> str:
    """The checksum a part is held against."""
    return hashlib.blake2b(data, digest_size=16).hexdigest()


def known_evidence(
    fingerprint: str, options: EvidenceOptions, root: Path | None = None, *, lean: bool = False
) -> Evidence | None:
    """Evidence of a recording, as it was made live where it was, else under these options; None where there is none. With `lean`
    rather what is left of it, where its values were let go."""
    keys = [evidence_key(fingerprint, options.model_copy(update={"lead": held})) for held in ((LIVE,), options.lead)]
    whole = next((held for held in (find_evidence(key, root) for key in keys) if held is not None), None)
    if whole is not None or not lean:
        return whole
    return next((held for held in (find_evidence(key, root, lean=True) for key in keys) if held is not None), None)


def find_evidence(key: str, root: Path | None = None, *, lean: bool = False) -> Evidence | None:
    """Return stored evidence, or None when there is none or it is damaged (it is then made again). With `lean` also what is left of it
    where its values were let go."""
    folder = stored_folder(key, root)
    try:
        evidence = read_evidence(folder, lean=lean)
    except EvidenceError:
        return None
    with suppress(OSError):
        os.utime(folder)  # so that the folder used last is dropped last
    return evidence


def read_evidence(folder: Path, *, lean: bool = False) -> Evidence:
    """Open a finished evidence folder and check its parts: each against its checksum, of a large one its size, and its checksum when
    it is read. With `lean` one whose values were let go will do.

    Raises
    ------
    EvidenceError : unfinished, damaged, without its values, or of another version.
    """
    without = is_lean(folder)
    if without and not lean:
        raise EvidenceError(str(folder), tr("was let go to make room."), tr("It is made again."))
    try:
        told = json.loads((folder / "index.json").read_bytes())
        if told["version"] != EVIDENCE_VERSION:
            raise EvidenceError(str(folder), tr("is of version {told}.", told=told["version"]), tr("It is made again."))
        index = told["index"]
        if told["blake2"] != index_sum(index):
            raise EvidenceError(str(folder / "index.json"), tr("is damaged."), tr("It is made again."))
        parts = [
            part
            for block in index["blocks"]
            for name, part in block["parts"].items()
            if not (without and name in STORED)
        ]
        _check_parts(folder, parts)
        grid, options = Grid(**index["grid"]), EvidenceOptions.model_validate(index["options"])
        counts = [int(block["frames"]) for block in index["blocks"]]
        sums = {part["file"]: str(part["blake2"]) for part in parts}
        oddities = tuple(index["oddities"])
        key = f"{index['key']} lean" if without else index["key"]
        made = _evidence(key, grid, options, folder, counts, whole=not without, oddities=oddities, sums=sums)
        return replace(made, folder=folder, origin=folder, lean=without)
    except (OSError, ValueError, KeyError, TypeError, RecursionError, FootageError) as error:
        raise EvidenceError(str(folder), tr("is not finished evidence."), tr("It is made again.")) from error


def _check_parts(folder: Path, parts: list[dict[str, Any]]) -> None:
    """Raises EvidenceError, OSError or ValueError where a part is not as it was written."""
    if sum(int(part["bytes"]) for part in parts) <= _CHECKED_WHOLE_BYTES:
        for part in parts:
            _sound(folder / part["file"], part["blake2"])
    elif any((folder / part["file"]).stat().st_size != part["bytes"] for part in parts):
        raise ValueError(tr("a part is cut off"))


def index_sum(index: dict[str, Any]) -> str:
    """The checksum of an index."""
    return checksum(json.dumps(index, sort_keys=True).encode())


def _sound(path: Path, told: str | None) -> bytes:
    """The bytes of a part, if they are those that were written.

    Raises
    ------
    EvidenceError : they are gone, or others.
    """
    try:
        data = path.read_bytes()
    except OSError as error:
        if is_lean(path.parent):
            remedy = tr("Wait until the recording is analysed again, or put it on.")
            raise EvidenceError(str(path.parent), tr("was let go to make room."), remedy) from error
        raise EvidenceError(str(path), tr("is gone."), tr("Open the recording again to make it anew.")) from error
    if told is not None and checksum(data) != told:
        with suppress(OSError):  # whoever opens it next takes it for unfinished, and makes it anew
            (path.parent / "index.json").unlink(missing_ok=True)
        raise EvidenceError(str(path), tr("is damaged."), tr("Open the recording again to make it anew."))
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
            raise EvidenceError(str(path), tr("is damaged."), tr("Open the recording again to make it anew."))
        return part.reshape(grid.cells, counts[number]).copy()  # kernels are compiled for arrays that can be written

    return Evidence(key, grid, options, frames, load, tuple(counts), whole, oddities, soil, folder if whole else None)


def _unpack(path: Path, told: str | None = None) -> bytes:
    """A part as it was before it was packed; looked at against its checksum where that is known."""
    try:
        return zstandard.ZstdDecompressor().decompress(_sound(path, told))
    except zstandard.ZstdError as error:
        raise EvidenceError(str(path), tr("is damaged."), tr("Open the recording again to make it anew.")) from error
