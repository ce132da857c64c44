"""Single frames of a recording, by number: exact, cached, forward and back."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Iterator, Sequence
from contextlib import ExitStack
from typing import Any

import av
import numpy as np
from av.container import InputContainer
from av.video.stream import VideoStream
from numpy.typing import NDArray

from north_hush.core.errors import FootageError
from north_hush.core.footage.differences import median_shift_numpy
from north_hush.core.footage.index import FrameIndex
from north_hush.core.footage.luma import PLANE_SCALE, analysis_plane_numpy, full_range_numpy, luma_of
from north_hush.core.footage.numbering import Numbering
from north_hush.core.footage.planes import PLANAR, remade
from north_hush.core.footage.source import Ending, RawFrame, decode_image, decode_video, image_files, open_video
from north_hush.core.grid import Grid
from north_hush.core.words import tr

CACHE_BYTES = 192 * 1024**2
_CONVERTED_PX = 16
CUT_MOST_PX = 320
"""The converter to colours works on whole blocks of so many pixels."""


class FrameServer:
    """Decode frames on demand, keeping the last ones within a bound.

    A frame behind the decoder costs one seek to its key frame; the whole group is then cached, so stepping on through
    it is free. A recording whose stamps are missing, repeated or wild is decoded from its start instead, and its frames are
    counted.
    """

    def __init__(self, index: FrameIndex, cache_bytes: int = CACHE_BYTES) -> None:
        self.index = index
        self._cache: OrderedDict[int, av.VideoFrame] = OrderedDict()
        self._cache_bytes, self._held_bytes = cache_bytes, 0
        self._place_of = {int(pts): place for place, pts in enumerate(index.pts)}
        self._files = image_files(index.footage.path) if index.footage.is_folder else []
        self._open: ExitStack | None = None
        self._file: tuple[InputContainer, VideoStream] | None = None
        self._decoding: Iterator[RawFrame] = iter(())
        self._numbering = Numbering(index)
        self._next = 0

    def frame(self, place: int) -> av.VideoFrame:
        """Return frame number `place` as decoded.

        Raises
        ------
        FootageError : the frame cannot be decoded, or the recording was taken away.
        """
        place = min(max(place, 0), self.index.frames - 1)
        if place in self._cache:
            self._cache.move_to_end(place)
            return self._cache[place]
        if self._files:
            return self._keep(place, decode_image(self._files[place]))
        key = self._key_before(place)
        if self._open is None or not key <= self._next <= place:
            self._seek(key)
        found, back = self._advance(place), 1
        while found is None and key > 0:
            # A seek in a transport stream, or where groups of frames are open, may land behind what was sought.
            for _ in range(back):
                key = self._key_before(key - 1) if key > 0 else 0
            back *= 2
            self._seek(key)
            found = self._advance(place)
        if found is None:
            raise FootageError(
                str(self.index.footage.path),
                tr("frame {place:,} cannot be decoded.", place=place),
                tr("Step on; the rest may be sound."),
            )
        return found

    def close(self) -> None:
        """Let go of the file."""
        if self._open is not None:
            self._open.close()
            self._open = self._file = None

    def _key_before(self, place: int) -> int:
        if not self.index.exact:
            return 0
        keys = np.flatnonzero(self.index.key[: place + 1])
        return int(keys[-1]) if len(keys) else 0

    def _seek(self, key: int) -> None:
        if key == 0 or self._file is None:  # not every file can be sought in
            self.close()
            with ExitStack() as stack:
                self._file = stack.enter_context(open_video(self.index.footage.path))
                self._open = stack.pop_all()
        container, stream = self._file
        if key > 0:
            container.seek(int(self.index.pts[key]), stream=stream, backward=True)
        self._decoding = decode_video(container, stream, Ending())
        self._next, self._numbering = key, Numbering(self.index, key)

    def _advance(self, place: int) -> av.VideoFrame | None:
        for raw in self._decoding:
            if self.index.exact and self.index.shown and raw.stamp is not None:
                number = self._place_of.get(raw.stamp)
            else:
                number = self._numbering.next(raw.stamp)
            if number is None:
                continue
            self._keep(number, raw.picture)
            self._next = number + 1
            if number == place:
                return raw.picture
            if number > place:
                return None
        self.close()
        return None

    def _keep(self, place: int, frame: av.VideoFrame) -> av.VideoFrame:
        if place not in self._cache:
            self._cache[place] = frame
            self._held_bytes += _frame_bytes(frame)
        while self._held_bytes > self._cache_bytes and len(self._cache) > 1:
            self._held_bytes -= _frame_bytes(self._cache.popitem(last=False)[1])
        return frame


def _frame_bytes(frame: av.VideoFrame) -> int:
    return frame.width * frame.height * max(1, frame.format.padded_bits_per_pixel) // 8


def picture_of(frame: av.VideoFrame, grid: Grid, width: int | None = None) -> NDArray[np.uint8]:
    """Return the oriented picture, (height, width, 4) uint8 in the order blue, green, red, unused.

    `width` scales it down to about that many pixels across.
    """
    coded_width, coded_height = frame.width, frame.height
    if width is not None and width < grid.width:
        coded_width = max(1, frame.width * width // grid.width)
        coded_height = max(1, frame.height * width // grid.width)
    scaled = (coded_width, coded_height) != (frame.width, frame.height)
    deep = frame.format.components[0].bits > 8
    if frame.format.name in PLANAR and (deep or (not scaled and frame.width % _CONVERTED_PX)):
        # At other widths the converter leaves the last columns as they lay in memory.
        frame = remade(frame, whole_blocks=not scaled)
    if scaled:
        pixels: NDArray[Any] = frame.reformat(width=coded_width, height=coded_height, format="bgra").to_ndarray()
    else:
        pixels = frame.reformat(format="bgra").to_ndarray()[:, :coded_width]
    return grid.orient(pixels)


def cut_out(picture: NDArray[np.uint8], box: Sequence[float]) -> NDArray[np.uint8]:
    """A part of a picture, (height, width, 4), left, top, right and bottom in fractions, in its own pixels or in means of them
    where it would be wider than `CUT_MOST_PX`."""
    height, width = picture.shape[:2]
    left, right = (min(max(0, round(x * width)), width) for x in (box[0], box[2]))
    top, bottom = (min(max(0, round(y * height)), height) for y in (box[1], box[3]))
    part = picture[min(top, height - 1) : max(bottom, top + 1), min(left, width - 1) : max(right, left + 1)]
    step = -(-part.shape[1] // CUT_MOST_PX)
    if step == 1 or part.shape[0] < step:
        return np.ascontiguousarray(part)
    rows, columns = part.shape[0] // step, part.shape[1] // step
    blocks = part[: rows * step, : columns * step].reshape(rows, step, columns, step, 4)
    return np.asarray(blocks.mean(axis=(1, 3)), np.uint8)


def difference_of(frame: av.VideoFrame, before: av.VideoFrame, grid: Grid) -> NDArray[np.uint8]:
    """Return |P(t) - P(before) - light shift| on the analysis plane, whole grey levels, (plane height, plane width).

    Uses the NumPy twins: one frame at a time does not pay for loading the compiler.
    """
    planes = [analysis_plane_numpy(grid.orient(luma_of(item)), grid.factor) for item in (frame, before)]
    now, then = (held if grid.full_range else full_range_numpy(held) for held in planes)
    difference = now.astype(np.int16) - then.astype(np.int16)
    grey: NDArray[np.uint8] = (np.abs(difference - median_shift_numpy(now, then)) // PLANE_SCALE).astype(np.uint8)
    return grey
