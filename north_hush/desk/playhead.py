"""Where in the recording we are: single frames, times, and playing at a multiple of real time."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QElapsedTimer, QObject, QTimer, Signal

from north_hush.core.footage.index import FrameIndex
from north_hush.core.footage.stamps import US_PER_S

_TICK_MS = 15


class Playhead(QObject):
    """The frame number shown, by the time stamps of a frame index."""

    moved = Signal()
    playing_changed = Signal(bool)
    ended = Signal()
    """Played to the last frame."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.frame = 0
        self.speed = 1.0
        self.loop: tuple[int, int] | None = None
        """First and last frame of the stretch that is played over and over."""
        self._index: FrameIndex | None = None
        self._clock = QElapsedTimer()
        self._played_from_us = 0
        self._ticker = QTimer(self, interval=_TICK_MS)
        self._ticker.timeout.connect(self._tick)

    def put_on(self, index: FrameIndex) -> None:
        """Follow another recording, from its first frame."""
        self._index, self.frame = index, 0

    def take_off(self) -> None:
        """There is nothing to play any more."""
        self.pause()
        self.loop = None
        self._index, self.frame = None, 0

    def seek(self, frame: int) -> None:
        """Go to a frame, and out of a stretch that is played over and over; beyond the ends goes to the ends."""
        self.loop = None
        self._go(frame)

    def _go(self, frame: int) -> None:
        if self._index is None:
            return
        frame = min(max(0, frame), self._index.frames - 1)
        if frame != self.frame:
            self.frame = frame
            self.moved.emit()
        self._start_clock()

    def seek_s(self, time_s: float) -> None:
        """Go to the frame shown at a time in seconds."""
        if self._index is not None:
            self.seek(int(np.searchsorted(self._index.time_us, time_s * US_PER_S, side="right")) - 1)

    def play_loop(self, first: int, last: int) -> None:
        """Play a stretch over and over, until something else is asked for."""
        if self._index is None:
            return
        self.seek(first)
        self.loop = (max(0, first), min(last, self._index.frames - 1))
        self.play()

    def step(self, frames: int) -> None:
        """Go some frames forward (or back), and stop playing."""
        self.pause()
        self.seek(self.frame + frames)

    def play(self) -> None:
        """Play on from here; from the start when at the end."""
        if self._index is None:
            return
        if self.frame >= self._index.frames - 1:
            self.seek(0)
        self._start_clock()
        self._ticker.start()
        self.playing_changed.emit(True)

    def pause(self) -> None:
        """Stop playing."""
        self.loop = None
        if self._ticker.isActive():
            self._ticker.stop()
            self.playing_changed.emit(False)

    @property
    def playing(self) -> bool:
        return self._ticker.isActive()

    def set_speed(self, speed: float) -> None:
        """Play at a multiple of real time."""
        self.speed = speed
        if self._index is not None:
            self._start_clock()

    def _start_clock(self) -> None:
        assert self._index is not None
        self._played_from_us = int(self._index.time_us[self.frame])
        self._clock.start()

    def _tick(self) -> None:
        if self._index is None:
            return
        now_us = self._played_from_us + self._clock.elapsed() * 1000 * self.speed
        frame = int(np.searchsorted(self._index.time_us, now_us, side="right")) - 1
        if self.loop is not None and frame > self.loop[1]:
            self._go(self.loop[0])
            return
        if frame > self.frame:
            self.frame = min(frame, self._index.frames - 1)
            self.moved.emit()
        if self.frame >= self._index.frames - 1:
            self.pause()
            self.ended.emit()
