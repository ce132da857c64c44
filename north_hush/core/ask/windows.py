"""A long recording gone through in windows, so that what is looked at at once stays within memory."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from north_hush.core.ask.moves import Answer
from north_hush.core.ask.question import Question
from north_hush.core.ask.settled import settled_answers
from north_hush.core.ask.views import Look
from north_hush.core.follow.apart import Apart
from north_hush.core.follow.tracks import FRAME
from north_hush.core.footage.evidence import Evidence

_WINDOW_S, _ROOM_S = 1200.0, 150.0
"""They overlap by more than a change is told from."""


def settled_in_windows(question: Question, evidence: Evidence, apart: Apart, look: Look) -> list[Answer]:
    """Things that were left, or taken, as the question asks, in the order of time, see `settled_answers`."""
    frames = len(evidence.frames)
    window, room = (round(seconds * 1e6 / max(1, evidence.usual_us)) for seconds in (_WINDOW_S, _ROOM_S))
    if frames <= window + 2 * room:
        return settled_answers(question, evidence, [sights.astype(np.float64) for sights in apart], look)
    begins, ends = apart.spans
    found: list[Answer] = []
    for first in range(0, frames, window):
        low, high = max(0, first - room), min(frames, first + window + room)
        near = np.flatnonzero((begins < high) & (ends >= low)).tolist()
        held = [_shifted(apart[number], low, high) for number in near]
        start_s, end_s = evidence.time_us[[first, min(first + window, frames) - 1]] / 1e6
        answers = settled_answers(question, evidence.between(low, high), held, _Shifted(look, low))
        found += [answer for answer in answers if start_s <= answer.start_s <= end_s]
    return found


def _shifted(sights: NDArray[np.float32], first: int, after: int) -> NDArray[np.float64]:
    """The sights of a track in a window, by frames of it."""
    held = sights[(sights[:, FRAME] >= first) & (sights[:, FRAME] < after)].astype(np.float64)
    held[:, FRAME] -= first
    return held


class _Shifted:
    """Pictures by the frames of a window."""

    def __init__(self, look: Look, first: int) -> None:
        self._look, self._first = look, first

    def prepare(self, rows: Iterable[int]) -> None:
        """Go through the recording once, and keep the pictures that are wanted."""
        self._look.prepare(row + self._first for row in rows)

    def __call__(self, row: int) -> NDArray[np.float64]:
        return self._look(row + self._first)
