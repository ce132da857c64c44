"""What moved through places, from tracks alone: no dial, zone or mask decides it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from north_hush.core.ask.question import Question, cells_of
from north_hush.core.follow.tracks import FOOT, FRAME, LEFT, RIGHT, TOP, TRACK, X
from north_hush.core.grid import Grid
from north_hush.core.runs import runs_of

_AROUND_S = 1.0
"""Pictures before and after are so far from what they are of."""
_GAP_S = 1.5
"""Out of a place for less than this is not gone: a step beside it, a post before it."""
_TOUCH_SHARE = 0.25
"""So much of a body's box in a place is in it, where its feet are not asked for."""
_ALONG_COS, _ALONG_SHARE = 0.6, 0.4
"""A way is the arrow's within some 53 degrees, and goes over this share of its length."""


@dataclass(frozen=True)
class Answer:
    """From when to when, how sure, when to look at pictures before and after, in seconds after the first frame; and who it was."""

    start_s: float
    end_s: float
    sure: float
    before_s: float
    after_s: float
    track: int | None = None
    kind: str = "unclear"


def answer(
    start_s: float, end_s: float, sure: float, length_s: float, track: int | None = None, kind: str = "unclear"
) -> Answer:
    """An answer with its pictures, within the recording."""
    return Answer(start_s, end_s, sure, max(0.0, start_s - _AROUND_S), min(length_s, end_s + _AROUND_S), track, kind)


def feet_in(sights: NDArray[np.float64], place: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """In which of its sights a track stands in a place, (sights,) bool."""
    rows, columns = place.shape
    x = np.clip(sights[:, X].astype(int), 0, columns - 1)
    y = np.clip(sights[:, FOOT].astype(int) - 1, 0, rows - 1)
    return np.asarray(place[y, x])


def touching(sights: NDArray[np.float64], place: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """In which of its sights a good part of a track's box lies in a place, (sights,) bool."""
    rows, columns = place.shape
    sums = np.zeros((rows + 1, columns + 1))
    sums[1:, 1:] = place.cumsum(axis=0).cumsum(axis=1)
    left, right = (np.clip(sights[:, edge].astype(int), 0, columns) for edge in (LEFT, RIGHT))
    top, bottom = (np.clip(sights[:, edge].astype(int), 0, rows) for edge in (TOP, FOOT))
    right, bottom = np.maximum(right, left + 1).clip(0, columns), np.maximum(bottom, top + 1).clip(0, rows)
    inside = sums[bottom, right] - sums[top, right] - sums[bottom, left] + sums[top, left]
    return np.asarray(inside >= _TOUCH_SHARE * np.maximum((right - left) * (bottom - top), 1))


def spells(inside: NDArray[np.bool_], at_s: NDArray[np.float64]) -> list[tuple[int, int]]:
    """Stretches of sights in a place, first and last; short absences do not end one."""
    found: list[tuple[int, int]] = []
    for place in np.flatnonzero(inside).tolist():
        if found and at_s[place] - at_s[found[-1][1]] <= _GAP_S:
            found[-1] = (found[-1][0], place)
        else:
            found.append((place, place))
    return found


class Moves:
    """Answers of one recording; `kinds` has the kind of each track and how sure it is."""

    def __init__(
        self,
        tracks: Sequence[NDArray[np.float64]],
        kinds: Mapping[int, tuple[str, float]],
        time_s: NDArray[np.float64],
        grid: Grid,
    ) -> None:
        self._tracks, self._kinds, self._time_s, self._grid = tracks, kinds, time_s, grid
        self._length_s = float(time_s[-1]) if len(time_s) else 0.0

    def answers(self, question: Question) -> list[Answer]:
        """Answers in the order of time."""
        found = {
            "moved": self._moved, "passed": self._passed, "went": self._went, "stayed": self._stayed, "nothing": self._nothing,
        }[question.kind](question)  # fmt: skip
        return sorted(found, key=lambda one: (one.start_s, one.end_s))

    def _in(
        self, place: NDArray[np.bool_], *, feet: bool
    ) -> Iterable[tuple[NDArray[np.float64], NDArray[np.float64], int, int]]:
        """Each track with its times, for each of its stretches in a place."""
        for sights in self._tracks:
            at_s = self._time_s[sights[:, FRAME].astype(int)]
            for first, last in spells(feet_in(sights, place) if feet else touching(sights, place), at_s):
                yield sights, at_s, first, last

    def _answer(self, sights: NDArray[np.float64], start_s: float, end_s: float) -> Answer:
        number = int(sights[0, TRACK])
        kind, sure = self._kinds.get(number, ("unclear", 0.5))
        return answer(float(start_s), float(end_s), sure, self._length_s, number, kind)

    def _moved(self, question: Question) -> Iterable[Answer]:
        for sights, at_s, first, last in self._in(cells_of(question.place, self._grid), feet=False):
            if at_s[last] - at_s[first] >= question.least_s:
                yield self._answer(sights, at_s[first], at_s[last])

    def _stayed(self, question: Question) -> Iterable[Answer]:
        for sights, at_s, first, last in self._in(cells_of(question.place, self._grid), feet=True):
            if at_s[last] - at_s[first] >= question.least_s:
                yield self._answer(sights, at_s[first], at_s[last])

    def _passed(self, question: Question) -> Iterable[Answer]:
        for sights, at_s, first, last in self._in(cells_of(question.place, self._grid), feet=True):
            if last > first and (question.way is None or self._goes(sights[first : last + 1], question.way)):
                yield self._answer(sights, at_s[first], at_s[last])

    def _goes(self, sights: NDArray[np.float64], way: tuple[tuple[float, float], tuple[float, float]]) -> bool:
        """Whether feet go along an arrow, in pixels of the picture, so that its shape does not turn the angle."""
        across, down = self._grid.cell_size_frac
        wide, high = self._grid.width, self._grid.height
        moved = np.array(
            [(sights[-1, X] - sights[0, X]) * across * wide, (sights[-1, FOOT] - sights[0, FOOT]) * down * high]
        )
        arrow = np.array([(way[1][0] - way[0][0]) * wide, (way[1][1] - way[0][1]) * high])
        length, along = float(np.hypot(*arrow)), float(moved @ arrow)
        return along >= _ALONG_COS * length * float(np.hypot(*moved)) and along >= _ALONG_SHARE * length**2

    def _went(self, question: Question) -> Iterable[Answer]:
        source, target = cells_of(question.place, self._grid), cells_of(question.to, self._grid)
        for sights in self._tracks:
            at_s = self._time_s[sights[:, FRAME].astype(int)]
            from_, to = np.flatnonzero(feet_in(sights, source)), np.flatnonzero(feet_in(sights, target))
            if len(from_) and len(to) and from_[0] < to[-1]:
                arrival = int(to[to > from_[0]][0])
                leaving = int(from_[from_ < arrival][-1])
                yield self._answer(sights, at_s[leaving], at_s[arrival])

    def _nothing(self, question: Question) -> Iterable[Answer]:
        """Stretches in which nobody who is followed is in the place."""
        quiet = np.ones(len(self._time_s), bool)
        place = cells_of(question.place, self._grid)
        for sights in self._tracks:
            quiet[sights[touching(sights, place), FRAME].astype(int)] = False
        for first, after in runs_of(quiet):
            start_s, end_s = float(self._time_s[first]), float(self._time_s[after - 1])
            if end_s - start_s >= question.least_s:
                yield answer(start_s, end_s, 1.0, self._length_s)
