"""Mask images: 8-bit grey PGM (binary and plain) and PNG at exactly the picture's size."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from PIL import Image, UnidentifiedImageError

from north_hush.core.errors import SiteError
from north_hush.core.scene.area import area_samples
from north_hush.core.scene.items import Mask, Privacy
from north_hush.core.scene.painted import PIXELS_MAX, rescaled, strengths_of
from north_hush.core.scene.privacy import covered_pixels
from north_hush.core.scene.raster import sample_places
from north_hush.core.scene.weights import mask_grey
from north_hush.core.words import tr

Polarity = Literal["white_watched", "black_watched"]
Format = Literal["png", "pgm", "pgm-plain"]
_BYTES_MAX = 512 * 1024**2
_PLAIN_HEAD_BYTES, _PLAIN_BYTES_A_PIXEL, _PLAIN_DIGITS = 65_536, 16, 8
"""A plain image may have comments, and blanks between its numbers, but within a bound: each word becomes an object."""
_PLAIN_LINE = 17
"""Numbers a line of a plain PGM; its lines must not be longer than 70 characters."""


@dataclass(frozen=True)
class WrongSize(Exception):
    """A mask image is sound but of another size than the picture; `rescaled_to` tells what it would be as."""

    subject: str
    width: int
    height: int
    wanted_width: int
    wanted_height: int

    def __str__(self) -> str:
        return tr(
            "{subject} is {width} x {height} pixels, but the picture is {wanted_width} x {wanted_height}.",
            subject=self.subject,
            width=self.width,
            height=self.height,
            wanted_width=self.wanted_width,
            wanted_height=self.wanted_height,
        )


# --- out ----------------------------------------------------------------------------------------------------------


def detection_strengths(masks: Sequence[Mask], width: int, height: int) -> NDArray[np.uint8]:
    """Strength of masks at every pixel, (height, width) uint8; where they overlap, the strongest.

    A pixel is under a drawn mask when its middle is.
    """
    strengths = np.zeros((height, width), np.uint8)
    xs, ys = sample_places(width, 1 / width, 1), sample_places(height, 1 / height, 1)
    for mask in masks:
        if mask.painted is not None:
            painted = strengths_of(mask.painted)
            under = painted if painted.shape == (height, width) else rescaled(painted, width, height)
        else:
            under = np.where(area_samples(mask.area, xs, ys), np.uint8(mask_grey(mask)), np.uint8(0))
        strengths = np.maximum(strengths, under)
    return strengths


def privacy_strengths(privacy: Sequence[Privacy], width: int, height: int) -> NDArray[np.uint8]:
    """255 at every pixel a privacy mask touches, else 0, (height, width) uint8."""
    return np.where(covered_pixels(tuple(privacy), width, height), np.uint8(255), np.uint8(0))


def mask_image(strengths: NDArray[np.uint8], kind: Format, polarity: Polarity = "white_watched") -> bytes:
    """Strengths, 0 (watched) to 255 (masked), as an image file.

    Parameters
    ----------
    polarity : white watched means 255 where it is watched in full, black watched the other way round
    """
    grey = 255 - strengths if polarity == "white_watched" else strengths
    if kind == "pgm-plain":
        height, width = grey.shape
        values = grey.ravel().astype(str)
        lines = [" ".join(values[at : at + _PLAIN_LINE]) for at in range(0, values.size, _PLAIN_LINE)]
        return "\n".join([f"P2\n{width} {height}\n255", *lines, ""]).encode("ascii")
    out = io.BytesIO()
    Image.fromarray(np.ascontiguousarray(grey)).save(out, "PNG" if kind == "png" else "PPM")
    return out.getvalue()


# --- in -----------------------------------------------------------------------------------------------------------


def read_mask_image(
    path: Path, width: int, height: int, polarity: Polarity = "white_watched", *, rescale: bool = False
) -> NDArray[np.uint8]:
    """Read a mask image for a picture of a size.

    Returns
    -------
    Strengths, (height, width) uint8, 0 (watched) to 255 (masked), all values kept

    Raises
    ------
    SiteError : it cannot be read, or is not 8-bit grey.
    WrongSize : it is sound but of another size, and `rescale` is off.
    """
    data = _read(path)
    plain = data[:2] == b"P2"
    held_width, held_height = _plain_size(data, path) if plain else _size_of(data, path)
    if held_width * held_height > PIXELS_MAX:
        raise SiteError(
            str(path),
            tr(
                "says it is {held_width:,} x {held_height:,} pixels, more than any camera picture.",
                held_width=held_width,
                held_height=held_height,
            ),
            tr("Choose another file."),
        )
    if (held_width, held_height) != (width, height) and not rescale:
        raise WrongSize(str(path), held_width, held_height, width, height)
    grey = _plain_pixels(data, held_width, held_height, path) if plain else _pixels(data, path)
    strengths = 255 - grey if polarity == "white_watched" else grey
    return strengths if grey.shape == (height, width) else rescaled(strengths, width, height)


def _read(path: Path) -> bytes:
    try:
        if path.stat().st_size > _BYTES_MAX:
            raise SiteError(str(path), tr("is larger than 512 MB, which no mask image is."), tr("Choose another file."))
        return path.read_bytes()
    except OSError as error:
        raise SiteError(
            str(path),
            tr("cannot be read ({strerror}).", strerror=error.strerror),
            tr("Check the path and permissions."),
        ) from error


def _opened(data: bytes, path: Path) -> Image.Image:
    try:
        return Image.open(io.BytesIO(data), formats=("PNG", "PPM"))
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError, Image.DecompressionBombError) as error:
        raise SiteError(
            str(path),
            tr("is not a PGM or PNG image, or is damaged ({error}).", error=error),
            tr("Export it again as 8-bit grey."),
        ) from error


def _size_of(data: bytes, path: Path) -> tuple[int, int]:
    """Size by the head of the file alone, so that nothing large is unfolded before it is known to fit."""
    head = _opened(data, path)
    depth = _depth_of(data)
    if head.mode != "L" or depth != 255:
        what = {
            "1": tr("holds 1 bit a pixel"),
            "P": tr("holds colours from a palette"),
            "LA": tr("holds transparency"),
            "RGB": tr("is in colour"),
            "RGBA": tr("is in colour"),
        }.get(head.mode, "holds 16 bits a pixel")
        if head.mode == "L":
            what = tr("has {depth} as its brightest value", depth=depth)
        raise SiteError(
            str(path), tr("{what}; a mask image is 8-bit grey.", what=what), tr("Export it again as 8-bit grey.")
        )
    return head.size


def _depth_of(data: bytes) -> int:
    """The brightest value a file states: the fourth word of a PGM, and by its bit depth for a PNG."""
    if data[:1] == b"P":
        words = _head_words(data, 4)
        return int(words[3]) if len(words) == 4 and words[3].isdigit() else 0
    return (1 << data[24]) - 1 if len(data) > 24 and data[24] <= 16 else 0


def _pixels(data: bytes, path: Path) -> NDArray[np.uint8]:
    image = _opened(data, path)
    try:
        return np.asarray(image, np.uint8)
    except (OSError, SyntaxError, ValueError, EOFError) as error:
        raise SiteError(
            str(path), tr("is cut off or damaged ({error}).", error=error), tr("Export it again.")
        ) from error


def _head_words(data: bytes, count: int) -> list[bytes]:
    """The first words of a PGM, comments left out."""
    words: list[bytes] = []
    for line in data[:65_536].split(b"\n"):
        words += line.split(b"#", 1)[0].split()
        if len(words) >= count:
            break
    return words[:count]


def _plain_size(data: bytes, path: Path) -> tuple[int, int]:
    words = _head_words(data, 4)
    if len(words) < 4 or not all(word.isdigit() and len(word) < 10 for word in words[1:]):
        raise SiteError(str(path), tr("is no plain PGM: its head is not three numbers."), tr("Export it again."))
    if words[3] != b"255":
        raise SiteError(
            str(path),
            tr("has {words} as its brightest value; a mask image is 8-bit grey.", words=int(words[3])),
            tr("Export it again as 8-bit grey."),
        )
    if not (int(words[1]) and int(words[2])):
        raise SiteError(str(path), tr("says it has no pixels."), tr("Export it again."))
    if len(data) > _PLAIN_HEAD_BYTES + _PLAIN_BYTES_A_PIXEL * int(words[1]) * int(words[2]):
        raise SiteError(str(path), tr("is far longer than the pixels its head names."), tr("Export it again."))
    return int(words[1]), int(words[2])


def _plain_pixels(data: bytes, width: int, height: int, path: Path) -> NDArray[np.uint8]:
    words = b"\n".join(line.split(b"#", 1)[0] for line in data.split(b"\n")).split()[4:]
    if len(words) != width * height:
        raise SiteError(
            str(path),
            tr(
                "holds {count:,} pixels, but its head says {width:,}: it is cut off or damaged.",
                count=len(words),
                width=width * height,
            ),
            tr("Export it again."),
        )
    if max(map(len, words)) > _PLAIN_DIGITS:
        raise SiteError(str(path), tr("holds values beyond 0 to 255."), tr("Export it again as 8-bit grey."))
    try:
        values = np.array(words).astype(np.int64)
    except ValueError as error:
        raise SiteError(
            str(path), tr("holds what is no number ({error}).", error=error), tr("Export it again.")
        ) from error
    if values.min() < 0 or values.max() > 255:
        raise SiteError(str(path), tr("holds values beyond 0 to 255."), tr("Export it again as 8-bit grey."))
    grey: NDArray[np.uint8] = values.astype(np.uint8).reshape(height, width)
    return grey
