"""What moved through places, from tracks alone: no dial, zone or mask decides it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from north_hush.core.ask.question import Question, cells_of
from north_hush.core.follow.apart import Apart
from north_hush.core.follow.tracks import FOOT, FRAME, LEFT, RIGHT, TOP, X
from north_hush.core.grid import Grid
from north_hush.core.runs import runs_of

_AROUND_S = 1.0
"""Pictures before and after are so far from what they are of."""
_GAP_S = 1.5
"""Out of a place for less than this is not gone: a step beside it, a post before it."""
_TOUCH_SHARE = 0.25
"""So much of a body's box in a place is in it, where its feet are not asked for."""
_AT_ONCE = 1 << 17
"""So many sights stay near the processor."""
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


def feet_in(apart: Apart, place: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """In which of all sights a track stands in a place, (sights,) bool."""
    rows, columns = place.shape
    x = np.clip(apart.columns[X].astype(np.int32), 0, columns - 1)
    y = np.clip(apart.columns[FOOT].astype(np.int32) - 1, 0, rows - 1)
    return np.asarray(place.ravel()[y * columns + x])


def touching(apart: Apart, place: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """In which of all sights a good part of a track's box lies in a place, (sights,) bool."""
    rows, columns = place.shape
    sums = np.zeros((rows + 1, columns + 1), np.int32)
    sums[1:, 1:] = place.cumsum(axis=0).cumsum(axis=1)
    flat, wide = sums.ravel(), columns + 1
    found = np.empty(apart.columns.shape[1], bool)
    for first in range(0, len(found), _AT_ONCE):
        part = slice(first, first + _AT_ONCE)
        left, right = (np.clip(apart.columns[edge, part].astype(np.int32), 0, columns) for edge in (LEFT, RIGHT))
        top, bottom = (np.clip(apart.columns[edge, part].astype(np.int32), 0, rows) for edge in (TOP, FOOT))
        right, bottom = np.maximum(right, left + 1).clip(0, columns), np.maximum(bottom, top + 1).clip(0, rows)
        low, high = bottom * wide, top * wide
        inside = flat[low + right] - flat[high + right] - flat[low + left] + flat[high + left]
        found[part] = inside >= _TOUCH_SHARE * np.maximum((right - left) * (bottom - top), 1)
    return found


@dataclass(frozen=True, eq=False)
class Spells:
    """Stretches in which tracks are in a place, by track and then by time; each of them (spells,).

    Attributes
    ----------
    track : its place among the tracks
    first, last : its sights, by their place among all
    """

    track: NDArray[np.int64]
    first: NDArray[np.int64]
    last: NDArray[np.int64]


def spells(inside: NDArray[np.bool_], apart: Apart, time_s: NDArray[np.float64]) -> Spells:
    """Stretches of sights in a place; short absences do not end one."""
    held = np.flatnonzero(inside)
    track = np.searchsorted(apart.starts, held, side="right") - 1
    at_s = time_s[apart.columns[FRAME][held].astype(np.int64)]
    begins = np.ones(len(held), bool)
    begins[1:] = (np.diff(track) > 0) | (np.diff(at_s) > _GAP_S)
    ends = np.append(begins[1:], True)[: len(held)]
    return Spells(track[begins], held[begins], held[ends])


class Moves:
    """Answers of one recording; `kinds` has the kind of each track and how sure it is."""

    def __init__(
        self, apart: Apart, kinds: Mapping[int, tuple[str, float]], time_s: NDArray[np.float64], grid: Grid
    ) -> None:
        self._apart, self._kinds, self._time_s, self._grid = apart, kinds, time_s, grid
        self._length_s = float(time_s[-1]) if len(time_s) else 0.0

    def answers(self, question: Question) -> list[Answer]:
        """Answers in the order of time."""
        found = {
            "moved": self._moved, "passed": self._passed, "went": self._went, "stayed": self._stayed, "nothing": self._nothing,
        }[question.kind](question)  # fmt: skip
        return sorted(found, key=lambda one: (one.start_s, one.end_s))

    def _told(self, track: NDArray[np.int64], first: NDArray[np.int64], last: NDArray[np.int64]) -> Iterator[Answer]:
        """Answers from some sights to others, of tracks by their place."""
        frames, numbers = self._apart.columns[FRAME], self._apart.numbers[track]
        start_s, end_s = (self._time_s[frames[at].astype(np.int64)] for at in (first, last))
        for number, start, end in zip(numbers.tolist(), start_s.tolist(), end_s.tolist(), strict=True):
            kind, sure = self._kinds.get(number, ("unclear", 0.5))
            yield answer(start, end, sure, self._length_s, number, kind)

    def _lasting(self, inside: NDArray[np.bool_], least_s: float) -> Iterator[Answer]:
        held = spells(inside, self._apart, self._time_s)
        frames = self._apart.columns[FRAME]
        start_s, end_s = (self._time_s[frames[at].astype(np.int64)] for at in (held.first, held.last))
        long = end_s - start_s >= least_s
        return self._told(held.track[long], held.first[long], held.last[long])

    def _moved(self, question: Question) -> Iterator[Answer]:
        return self._lasting(touching(self._apart, cells_of(question.place, self._grid)), question.least_s)

    def _stayed(self, question: Question) -> Iterator[Answer]:
        return self._lasting(feet_in(self._apart, cells_of(question.place, self._grid)), question.least_s)

    def _passed(self, question: Question) -> Iterator[Answer]:
        held = spells(feet_in(self._apart, cells_of(question.place, self._grid)), self._apart, self._time_s)
        goes = held.last > held.first
        if question.way is not None:
            goes &= self._along(held, question.way)
        return self._told(held.track[goes], held.first[goes], held.last[goes])

    def _along(self, held: Spells, way: tuple[tuple[float, float], tuple[float, float]]) -> NDArray[np.bool_]:
        """Whether feet go along an arrow, in pixels of the picture, so that its shape does not turn the angle."""
        across, down = self._grid.cell_size_frac
        wide, high = self._grid.width, self._grid.height
        x, foot = self._apart.columns[X], self._apart.columns[FOOT]
        moved = np.stack(
            [(x[held.last] - x[held.first]) * across * wide, (foot[held.last] - foot[held.first]) * down * high]
        )
        arrow = np.array([(way[1][0] - way[0][0]) * wide, (way[1][1] - way[0][1]) * high])
        length, along = float(np.hypot(*arrow)), arrow @ moved
        return np.asarray((along >= _ALONG_COS * length * np.hypot(*moved)) & (along >= _ALONG_SHARE * length**2))

    def _went(self, question: Question) -> Iterator[Answer]:
        source, target = (
            np.flatnonzero(feet_in(self._apart, cells_of(place, self._grid))) for place in (question.place, question.to)
        )
        whose, to_whom = (np.searchsorted(self._apart.starts, held, side="right") - 1 for held in (source, target))
        rows = []
        for track in np.intersect1d(whose, to_whom).tolist():
            from_, to = (
                held[slice(*np.searchsorted(of, (track, track + 1)))]
                for held, of in ((source, whose), (target, to_whom))
            )
            if from_[0] < to[-1]:
                arrival = int(to[to > from_[0]][0])
                rows.append((track, int(from_[from_ < arrival][-1]), arrival))
        return self._told(*np.array(rows, np.int64).reshape(-1, 3).T)

    def _nothing(self, question: Question) -> Iterator[Answer]:
        """Stretches in which nobody who is followed is in the place."""
        quiet = np.ones(len(self._time_s), bool)
        there = touching(self._apart, cells_of(question.place, self._grid))
        quiet[self._apart.columns[FRAME][there].astype(np.int64)] = False
        for first, after in runs_of(quiet):
            start_s, end_s = float(self._time_s[first]), float(self._time_s[after - 1])
            if end_s - start_s >= question.least_s:
                yield answer(start_s, end_s, 1.0, self._length_s)
