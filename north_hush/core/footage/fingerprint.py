"""Recognise a recording by what is in it, without reading gigabytes."""

from __future__ import annotations

import hashlib
from pathlib import Path

from north_hush.core.errors import FootageError
from north_hush.core.footage.index import Footage
from north_hush.core.footage.source import image_files
from north_hush.core.words import tr

_PIECES = 16
_PIECE_BYTES = 64 * 1024
_IMAGE_PIECES, _IMAGE_PIECE_BYTES = 8, 2048
"""Of every image of a folder, so that one exchanged in its place is seen; times are left out, since a copy has others."""


def fingerprint(footage: Footage) -> str:
    """Return a hex digest of size and evenly spaced pieces; of names, sizes and pieces of every image for a folder.

    Raises
    ------
    FootageError : the recording is not there or cannot be read.
    """
    digest = hashlib.blake2b(digest_size=16)
    try:
        if footage.is_folder:
            files = image_files(footage.path)
            digest.update(repr((footage.frames_per_s, [(path.name, path.stat().st_size) for path in files])).encode())
            for path in files:
                _add_pieces(digest, path, _IMAGE_PIECES, _IMAGE_PIECE_BYTES)
        else:
            _add_pieces(digest, footage.path, _PIECES, _PIECE_BYTES)
    except FileNotFoundError as error:
        raise FootageError(
            str(footage.path), tr("is not there."), tr("Check the path, or show North Hush where the recording is now.")
        ) from error
    except OSError as error:
        raise FootageError(
            str(footage.path),
            tr("cannot be read ({strerror}).", strerror=error.strerror),
            tr("Check the disk and permissions."),
        ) from error
    return digest.hexdigest()


def _add_pieces(digest: hashlib.blake2b, path: Path, pieces: int, piece_bytes: int) -> None:
    size = path.stat().st_size
    digest.update(str(size).encode())
    with path.open("rb") as file:
        for piece in range(pieces):
            file.seek(max(0, size - piece_bytes) * piece // (pieces - 1))
            digest.update(file.read(piece_bytes))
