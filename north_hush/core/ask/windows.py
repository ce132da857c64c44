"""A long recording gone through in windows, so that what is looked at at once stays within memory."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor

import numpy as np
from numpy.typing import NDArray

from north_hush.core.ask.look import Box, Look
from north_hush.core.ask.places import ROOM_S
from north_hush.core.ask.question import Question
from north_hush.core.ask.settled import Stretch, Thing, settled_things
from north_hush.core.follow.apart import Apart
from north_hush.core.follow.tracks import FRAME
from north_hush.core.footage.evidence import Evidence

_WINDOW_S, _AT_ONCE = 900.0, 2
"""Of so long; while pictures of one are decoded another is worked out, and no more for the sake of memory."""


def things_in_windows(
    question: Question, evidence: Evidence, apart: Apart, look: Callable[[], Look]
) -> Iterator[list[Thing]]:
    """Things that were left and taken at the place of a question, window by window, see `settled_things`."""
    frames = len(evidence.frames)
    window, room = (round(seconds * 1e6 / max(1, evidence.usual_us)) for seconds in (_WINDOW_S, ROOM_S))
    if frames <= window + 2 * room:
        tracks = [sights.astype(np.float64, order="C") for sights in apart]
        yield settled_things(Stretch.of(question, evidence, tracks), look())
        return
    begins, ends = apart.spans

    def things(first: int) -> list[Thing]:
        after, low, high = min(first + window, frames), max(0, first - room), min(frames, first + window + room)
        near = np.flatnonzero((begins < high) & (ends >= low)).tolist()
        tracks = [_shifted(apart[number], low, high) for number in near]
        stretch = Stretch.of(question, evidence.between(low, high), tracks)
        found = settled_things(stretch, _Shifted(look(), low), (first - low, after - low))
        start_s, end_s = evidence.time_us[[first, after - 1]] / 1e6
        return [thing for thing in found if start_s <= thing.answer.start_s <= end_s]

    with ThreadPoolExecutor(_AT_ONCE) as pool:
        yield from pool.map(things, range(0, frames, window))


def _shifted(sights: NDArray[np.float32], first: int, after: int) -> NDArray[np.float64]:
    """The sights of a track in a window, by frames of it."""
    held = sights[(sights[:, FRAME] >= first) & (sights[:, FRAME] < after)].astype(np.float64, order="C")
    held[:, FRAME] -= first
    return held


class _Shifted:
    """Pictures by the frames of a window."""

    def __init__(self, look: Look, first: int) -> None:
        self._look, self._first = look, first

    def prepare(self, rows: Iterable[int]) -> None:
        """Go through the recording once, and keep the pictures that are wanted."""
        self._look.prepare(row + self._first for row in rows)

    def __call__(self, row: int, box: Box) -> NDArray[np.float64]:
        return self._look(row + self._first, box)
