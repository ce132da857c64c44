"""Live pictures, one after the other, wherever they come from (`source_kinds`).

An end of a live stream is an outage, whatever the reader says of it; only a recording ends. What is lost is told by `SourceLost`, and
whoever reads opens it again.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Generator
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any

from north_hush.core.errors import HushError
from north_hush.core.footage.sound import Level
from north_hush.core.footage.stamps import US_PER_S

OPEN_S, STALL_S = 5.0, 3.0
_DRIFT_US = US_PER_S
"""A clock of the sender that is further than this from ours is set anew."""


_PAUSES_S = (1.0, 2.0, 4.0, 8.0, 15.0, 30.0)


def pause_s(tries: int) -> float:
    """How long to wait before what is lost is opened again, after so many tries that came to nothing."""
    return _PAUSES_S[min(tries, len(_PAUSES_S) - 1)]


class SourceLost(HushError):
    """No picture comes any more."""


@dataclass(frozen=True)
class LiveFrame:
    """A picture, when it was taken in microseconds of UTC, and for recording the packets that came since the picture before, with the
    times of what they hold. A decoder may be some packets behind; `key` says whether the first of them begins a group. Where packets
    alone were asked for, `picture` is None."""

    picture: Any = field(repr=False)
    time_us: int
    key: bool
    packets: tuple[tuple[Any, int], ...] = field(default=(), repr=False)
    levels: tuple[Level, ...] = field(default=(), repr=False)
    """How loud it was since the picture before, in tenths of a second of UTC."""
    sound: tuple[tuple[Any, int], ...] = field(default=(), repr=False)
    """Packets of sound that came since the picture before, for recording, with the times of what they hold."""


def now_us() -> int:
    """Our clock, in microseconds of UTC."""
    return time.time_ns() // 1000


def said_of(error: BaseException) -> str:
    """What a reader says of an error, in one line."""
    return (getattr(error, "strerror", None) or str(error) or type(error).__name__).rstrip(".")


class SenderClock:
    """Turns stamps of a sender into our time: anchored when the first one comes, anew when they wander off."""

    def __init__(self, time_base: Fraction) -> None:
        self._base = time_base
        self._anchor_us: int | None = None
        self._last_us = 0
        self._jump_us: int | None = None

    def jump_s(self) -> float | None:
        """By how much it jumped since it was last asked; None where it did not."""
        jump, self._jump_us = self._jump_us, None
        return None if jump is None else jump / US_PER_S

    def of(self, stated_us: int) -> int | None:
        """Our time of what the sender stamps on another of its tracks; None before the first picture came."""
        return None if self._anchor_us is None else self._anchor_us + stated_us

    def at(self, stamp: int | None) -> int:
        arrived = now_us()
        if stamp is None:
            found = arrived
        else:
            stated = round(stamp * self._base * US_PER_S)
            if self._anchor_us is None or abs(self._anchor_us + stated - arrived) > _DRIFT_US:
                if self._anchor_us is not None:
                    self._jump_us = self._anchor_us + stated - arrived
                self._anchor_us = arrived - stated
            found = self._anchor_us + stated
        self._last_us = max(found, self._last_us + 1)
        return self._last_us


@dataclass(frozen=True, eq=False)
class Opened:
    """A source that gives pictures.

    Attributes
    ----------
    template : the stream that packets belong to; None where a frame's packet is a picture by itself, or there is none
    sound : the stream of its sound; None where it has none
    jpeg : packets are JPEG pictures
    ends : an end is the end, and no outage
    clock : that of the sender; None where it says no times
    """

    frames: Generator[LiveFrame, None, None]
    shut: Callable[[], None]
    template: Any = None
    sound: Any = None
    jpeg: bool = False
    ends: bool = False
    clock: SenderClock | None = None

    def close(self) -> None:
        """Let go of it."""
        self.frames.close()
        self.shut()
