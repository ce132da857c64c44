"""Know a recording without decoding it: its stamps, key frames, facts, and what is odd about it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime, tzinfo
from fractions import Fraction
from functools import cached_property
from pathlib import Path

import av
import av.error
import numpy as np
from numpy.typing import NDArray

from north_hush.core.errors import FootageError
from north_hush.core.footage.dating import Dated, dates_of
from north_hush.core.footage.luma import luma_of, reads_plane
from north_hush.core.footage.oddities import header_oddities, rate_oddities
from north_hush.core.footage.options import Orientation
from north_hush.core.footage.source import (
    Ending,
    decode_image,
    decode_video,
    image_files,
    image_time_base,
    open_video,
)
from north_hush.core.footage.stamps import ASSUMED_FRAMES_PER_S, US_PER_S, repaired_times, usual_interval_us
from north_hush.core.footage.stamps_kept import PacketStamps, keep_stamps, known_stamps
from north_hush.core.grid import Grid
from north_hush.core.words import tr

_REORDERED_MAX = 32


@dataclass(frozen=True)
class Footage:
    """What to open: a file or folder, and the frame rate the user stated for numbered images."""

    path: Path
    frames_per_s: float | None = None

    @property
    def is_folder(self) -> bool:
        return self.path.is_dir()


@dataclass(frozen=True, eq=False)
class FrameIndex:
    """Frames of a recording in order of presentation.

    Attributes
    ----------
    pts : (frames,) int64, stamps in units of `time_base` (repaired ones are made up to fit).
    time_us : (frames,) int64, microseconds after the first frame, strictly increasing.
    key : (frames,) bool
    dates : what tells when it was taken, what counts most first
    stamped : most frames have a stamp
    shown : stamps are of presentation, those that decoded pictures carry; some containers hold decoding times alone
    exact : every stamp is used as it is, so that a place can be sought by it
    """

    footage: Footage
    coded_width: int
    coded_height: int
    orientation: Orientation
    full_range: bool
    codec: str
    container: str
    time_base: Fraction
    dates: tuple[Dated, ...]
    stamped: bool
    shown: bool
    exact: bool
    pts: NDArray[np.int64]
    time_us: NDArray[np.int64]
    key: NDArray[np.bool_]
    oddities: tuple[str, ...]

    @property
    def frames(self) -> int:
        return len(self.pts)

    @cached_property
    def usual_interval_us(self) -> int:
        return usual_interval_us(self.time_us)

    def taken_at(self, zone: tzinfo = UTC) -> datetime | None:
        """When the first frame was taken, in UTC, by what the recording says; None where nothing tells. A statement without
        an offset is of the zone's clock."""
        return self.dates[0].at(zone) if self.dates else None

    @property
    def duration_s(self) -> float:
        """From the first frame to the end of the last."""
        return float(self.time_us[-1] + self.usual_interval_us) / US_PER_S

    @cached_property
    def worst_interval_us(self) -> int:
        return int(np.diff(self.time_us).max(initial=self.usual_interval_us))

    @property
    def frames_per_s(self) -> float:
        """Measured: one over the median interval."""
        return US_PER_S / self.usual_interval_us

    def grid(self, orientation: Orientation | None = None, cell_px: int = 4) -> Grid:
        """Geometry under an orientation, by default the one the recording states."""
        turn = orientation or self.orientation
        return Grid(self.coded_width, self.coded_height, turn.rotation_deg, turn.flip, self.full_range, cell_px)


def index_recording(footage: Footage) -> FrameIndex:
    """Read stamps and key frames of a recording, decoding no more than its first frame.

    Raises
    ------
    FootageError : it is not there, is no recording, holds no picture or not a single frame.
    """
    try:
        return _index_images(footage) if footage.is_folder else _index_video(footage)
    except PermissionError as error:
        raise FootageError(str(footage.path), tr("may not be read by you."), tr("Change its permissions.")) from error


def _index_images(footage: Footage) -> FrameIndex:
    if footage.frames_per_s is None:
        raise FootageError(
            str(footage.path), tr("is a folder of images, which have no frame rate."), tr("State one (--fps).")
        )
    if not 0.01 <= footage.frames_per_s <= 1000:
        raise FootageError(
            tr("frame rate"),
            tr("is {frames_per_s:g}.", frames_per_s=footage.frames_per_s),
            tr("Use 0.01 to 1000 frames/s."),
        )
    files = image_files(footage.path)
    picture = decode_image(files[0])
    luma_of(picture)
    time_base = image_time_base(footage.frames_per_s)
    places = np.arange(len(files), dtype=np.int64)
    return FrameIndex(
        footage,
        picture.width,
        picture.height,
        Orientation(),
        _full_range(picture),
        picture.format.name,
        "image folder",
        time_base,
        dates_of(files[0], 0.0, ends=False),
        True,
        True,
        True,
        places,
        _scaled_us(places, time_base),
        np.ones(len(files), bool),
        (),
    )


def _index_video(footage: Footage) -> FrameIndex:
    with open_video(footage.path, threads=1) as (container, stream):
        first, ending = None, Ending()
        for first in decode_video(container, stream, ending):  # noqa: B007
            break
        if first is None:
            raise FootageError(
                str(footage.path),
                tr("holds not a single frame that can be decoded."),
                tr("Export it from the recorder again."),
            )
        picture = first.picture
        time_base = stream.time_base or Fraction(1, ASSUMED_FRAMES_PER_S)
        rate = stream.average_rate or stream.guessed_rate
        reorders = bool(stream.codec_context.has_b_frames)
        header_frames, header_us = stream.frames, _header_us(container, stream)
        facts = (stream.codec_context.name, container.format.name)
        tags = dict(container.metadata), dict(stream.metadata)
        orientation = _stated_orientation(picture)
        full_range = _full_range(picture)
    held = known_stamps(footage.path)
    if held is None:
        held = _packet_stamps(footage.path)
        keep_stamps(footage.path, held)
    stamps, keys, resets, shown = held.stamps, held.keys, held.resets, held.shown
    if not stamps:
        stamps, keys = [None], [True]
    stamped = stamps.count(None) * 2 < len(stamps)
    usual = _usual_raw_us(stamps, time_base, rate)
    order = _presentation_order(stamps, resets)
    # Where the decoder reorders and the stamps do not, they are made up by the container and wander with the packets.
    shown = shown and not (reorders and order == sorted(order))
    raw = [stamps[i] for i in order]
    times = repaired_times(_us(raw, time_base), usual)
    time_us = times.time_us
    pts = np.array(
        [round(Fraction(int(t), US_PER_S) / time_base) if s is None else s for s, t in zip(raw, time_us, strict=True)]
    )
    oddities = [
        *rate_oddities(time_us, times.repaired, times.restarts),
        *header_oddities(header_frames, header_us, time_us),
    ]
    return FrameIndex(
        footage,
        picture.width,
        picture.height,
        orientation,
        full_range,
        *facts,
        time_base,
        dates_of(footage.path, float(time_us[-1] + usual_interval_us(time_us)) / US_PER_S, *tags),
        stamped,
        shown,
        stamped and times.repaired == 0,
        pts.astype(np.int64),
        time_us,
        np.array([keys[i] for i in order], bool),
        tuple(oddities),
    )


def _packet_stamps(path: Path) -> PacketStamps:
    """Stamps and key flags of all packets, read from the file."""
    stamps: list[int | None] = []
    keys: list[bool] = []
    resets: list[int] = []
    shown = True
    last_dts: int | None = None
    with open_video(path, threads=1) as (container, stream):
        try:
            for packet in container.demux(stream):
                if packet.dts is not None:
                    if last_dts is not None and packet.dts < last_dts:
                        resets.append(len(stamps))
                    last_dts = packet.dts
                if packet.size and not packet.is_discard:
                    shown = shown and packet.pts is not None
                    stamps.append(packet.pts if packet.pts is not None else packet.dts)
                    keys.append(bool(packet.is_keyframe))
        except (av.error.FFmpegError, OSError):
            pass  # a broken end: what was read so far is the recording, and the pass reports it
    return PacketStamps(stamps, keys, resets, shown)


def _presentation_order(stamps: list[int | None], resets: list[int]) -> list[int]:
    """Order packets by stamp between the places where the clock was set back; file order where stamps are missing."""
    if not resets and None not in stamps and (np.diff(np.array(stamps, np.int64)) > 0).all():
        return list(range(len(stamps)))  # a day of them is gone through at once
    order: list[int] = []
    for first, end in zip([0, *resets], [*resets, len(stamps)], strict=True):
        places = list(range(first, end))
        known = [stamp for stamp in stamps[first:end] if stamp is not None]
        ordered = sorted(places, key=lambda i: stamps[i] or 0) if len(known) == len(places) else places
        # A stamp that would carry its frame away further than any decoder reorders is wild, and orders nothing.
        near = all(abs(new - old) <= _REORDERED_MAX for new, old in zip(ordered, places, strict=True))
        order += ordered if near else places
    return order


def _us(stamps: list[int | None], time_base: Fraction) -> list[int | None]:
    """Stamps in microseconds, rounded as fractions are, half to even. In whole numbers: a day has a million of them."""
    over, under = (time_base * US_PER_S).as_integer_ratio()
    found: list[int | None] = []
    for stamp in stamps:
        if stamp is None:
            found.append(None)
            continue
        whole, rest = divmod(stamp * over, under)
        found.append(whole + (2 * rest > under or (2 * rest == under and whole & 1)))
    return found


def _scaled_us(stamps: NDArray[np.int64], time_base: Fraction) -> NDArray[np.int64]:
    return np.array(_us(list(stamps.tolist()), time_base), np.int64)


def _usual_raw_us(stamps: list[int | None], time_base: Fraction, rate: Fraction | None) -> int:
    steps = np.diff(np.sort(np.array([stamp for stamp in stamps if stamp is not None], np.int64)))
    steps = steps[steps > 0]
    if len(steps):
        return max(1, round(float(np.median(steps)) * time_base * US_PER_S))
    return round(US_PER_S / rate) if rate else US_PER_S // ASSUMED_FRAMES_PER_S


def _header_us(container: av.container.InputContainer, stream: av.VideoStream) -> int | None:
    if stream.duration and stream.time_base:
        return round(stream.duration * stream.time_base * US_PER_S)
    return container.duration


def _stated_orientation(picture: av.VideoFrame) -> Orientation:
    degrees = round(-picture.rotation / 90) * 90 % 360
    return Orientation.model_validate({"rotation_deg": degrees})


def _full_range(picture: av.VideoFrame) -> bool:
    """Frames that do not lie as planes go through 8-bit grey, which is of full range whatever they were."""
    grey = picture.format.name.startswith("gray")
    wide = int(picture.color_range) == 2 or picture.format.name.startswith("yuvj") or picture.format.is_rgb
    return wide or (grey and int(picture.color_range) != 1) or not reads_plane(picture)
