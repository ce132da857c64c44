"""A recording that is played as if it were live."""

from __future__ import annotations

import time
from collections.abc import Generator
from pathlib import Path

import numpy as np

from north_hush.core.errors import FootageError
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.server import FrameServer
from north_hush.core.footage.sound import WINDOW_US, Level, Sound, sound_of
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.site.model import Stream
from north_hush.core.watch.sources import LiveFrame, Opened, SourceLost, now_us


def play_recording(stream: Stream, speed: float) -> Opened:
    """A recording played as if it were live, at a speed; its times begin now."""
    try:
        index = index_recording(Footage(Path(stream.address)))
    except FootageError as error:
        raise SourceLost(error.subject, error.what, error.remedy) from error
    server = FrameServer(index, cache_bytes=0)  # nobody steps back
    sound = None if index.footage.is_folder else sound_of(index.footage.path)

    def frames() -> Generator[LiveFrame, None, None]:
        began_us, began, heard_us = now_us(), time.monotonic(), 0
        for number in range(index.frames):
            at_us = int(index.time_us[number])
            wait = at_us / US_PER_S / speed - (time.monotonic() - began)
            if wait > 0:
                time.sleep(wait)
            try:
                picture = server.frame(number)
            except FootageError:
                continue
            levels = _levels_between(sound, heard_us, at_us, began_us)
            heard_us = at_us
            yield LiveFrame(picture, began_us + at_us, bool(index.key[number]), (), levels)

    return Opened(frames(), server.close, None, ends=True)


def _levels_between(sound: Sound | None, after_us: int, until_us: int, began_us: int) -> tuple[Level, ...]:
    """Levels of a recording that are over by a time of it, and were not by another one."""
    if sound is None:
        return ()
    first, after = after_us // WINDOW_US, until_us // WINDOW_US
    return tuple(
        (began_us + place * WINDOW_US, float(sound.plain_db[place]), float(sound.weighted_db[place]))
        for place in range(first, min(after, len(sound.plain_db)))
        if np.isfinite(sound.plain_db[place])
    )
