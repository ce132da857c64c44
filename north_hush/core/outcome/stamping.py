"""A time stamp that reads on black and on white, burnt into pictures; and the time in the metadata of snapshots."""

from __future__ import annotations

from datetime import datetime, timedelta
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont
from PIL.PngImagePlugin import PngInfo

from north_hush.core.footage.stamps import clock_text
from north_hush.core.outcome.rules import Stamp

_TAKEN, _TAKEN_SUBSEC, _TAKEN_OFFSET, _EXIF_PART = 0x9003, 0x9291, 0x9011, 0x8769
"""Exif 2.32: DateTimeOriginal, SubSecTimeOriginal, OffsetTimeOriginal; where they stand."""


def stamp_text(began: datetime | None, time_us: int, zone: ZoneInfo) -> str:
    """What is stamped on a frame: the site's clock with its zone, or the time since the start where no clock is known."""
    if began is None:
        return clock_text(time_us)
    at = (began + timedelta(microseconds=time_us)).astimezone(zone)
    return f"{at:%Y-%m-%d %H:%M:%S}.{at.microsecond // 100_000} {at:%Z}"


def draw_stamp(pixels: NDArray[np.uint8], text: str, stamp: Stamp) -> None:
    """Draw a text into a corner of a picture, (height, width, 4) uint8, in place: white with a black rim."""
    height, width = pixels.shape[:2]
    size = max(10, round(height * stamp.height_percent / 100))
    font = ImageFont.load_default(size)
    rim, margin = max(1, size // 10), max(2, size // 3)
    box = font.getbbox(text, stroke_width=rim)
    across, down = min(width, int(box[2] - box[0])), min(height, int(box[3] - box[1]))
    left = margin if stamp.corner.endswith("left") else width - margin - across
    top = margin if stamp.corner.startswith("top") else height - margin - down
    left, top = max(0, left), max(0, top)
    part = pixels[top : top + down, left : left + across]
    image = Image.fromarray(np.ascontiguousarray(part[:, :, :3]))
    ImageDraw.Draw(image).text(
        (-box[0], -box[1]), text, fill=(255, 255, 255), font=font, stroke_width=rim, stroke_fill=(0, 0, 0)
    )
    part[:, :, :3] = np.asarray(image)


def save_picture(pixels: NDArray[np.uint8], at: datetime | None, target: Path) -> None:
    """Write a picture, (height, width, 4) uint8 in the order blue, green, red, unused, as JPEG or PNG by its ending, with the time it
    was taken in the file's own metadata.

    Raises
    ------
    OSError : it cannot be written.
    """
    image = Image.fromarray(np.ascontiguousarray(pixels[:, :, 2::-1]))
    target.parent.mkdir(parents=True, exist_ok=True)
    if target.suffix == ".png":
        facts = PngInfo()
        if at is not None:
            facts.add_text("Creation Time", at.isoformat())
        image.save(target, pnginfo=facts)
        return
    image.save(target, quality=90, exif=_exif(at))


def _exif(at: datetime | None) -> Image.Exif:
    held: Any = Image.Exif()
    if at is not None:
        offset = f"{at:%z}"
        held.get_ifd(_EXIF_PART).update(
            {
                _TAKEN: f"{at:%Y:%m:%d %H:%M:%S}",
                _TAKEN_SUBSEC: f"{at.microsecond // 1000:03d}",
                _TAKEN_OFFSET: f"{offset[:3]}:{offset[3:5]}",
            }
        )
    return held  # type: ignore[no-any-return]
