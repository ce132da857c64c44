"""Kinds of what was followed: labels with how sure they are, told from traits by weights that were fitted on the demo's truth.

`python -m north_hush.demo.kinds` makes the weights.
"""

from __future__ import annotations

import hashlib
from bisect import bisect_left
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import astuple, fields
from functools import cache
from importlib import resources

import numpy as np
from numpy.typing import NDArray

from north_hush.core.follow.apart import Apart, apart_of, tracks_apart
from north_hush.core.follow.tracks import FOOT, FRAME, LEFT, RIGHT, TOP, compile_follower
from north_hush.core.follow.traits import Traits, trait_table
from north_hush.core.grid import Grid
from north_hush.core.scene.kind import KINDS, Kind
from north_hush.core.weighing import Weighing, read_weights

_UNCLEAR = 0.4
"""What is less likely names nothing."""
_PEOPLE_WIDE = 0.8
"""Persons side by side are wider than so many of their heights: one who strides is half as wide as tall."""
WEIGHTS_FILE = "kind_weights.json"
_SHARES = frozenset({"level", "straight", "seen", "alone", "filled", "measured"})
_LEAST = 0.02
"""All but shares are taken by their logarithm, from here on."""
_TALL, _WIDE, _TRAVELLED = (
    [field.name for field in fields(Traits)].index(name) for name in ("tall", "wide", "travelled")
)
_AT_ONCE = 4096
_PART_SHARE, _PART_BESIDE = 0.7, 0.5
"""What is at a vehicle for so much of the time that it is seen, within so many person heights of it, and goes its way, is part of it:
a wheel, a driver, what is drawn."""


class KindTable(Mapping[int, tuple[str, float]]):
    """Kind and certainty of each track by its number; of a day that is a hundred thousand, which are made when they are asked for.

    Parameters
    ----------
    rows : (tracks, 3) float64, by number: the number, the place among the names, how sure
    names : kinds, and ids of those that were taught
    """

    def __init__(self, rows: NDArray[np.float64], names: Sequence[str] = KINDS) -> None:
        self._names = tuple(names)
        self._numbers, self._kinds = (rows[:, column].astype(np.int64).tolist() for column in (0, 1))
        self._sure: list[float] = rows[:, 2].tolist()

    def __getitem__(self, number: int) -> tuple[str, float]:
        at = bisect_left(self._numbers, number)
        if at == len(self._numbers) or self._numbers[at] != number:
            raise KeyError(number)
        return self._names[self._kinds[at]], self._sure[at]

    def __iter__(self) -> Iterator[int]:
        return iter(self._numbers)

    def __len__(self) -> int:
        return len(self._numbers)


def scaled(table: NDArray[np.float64]) -> NDArray[np.float64]:
    """Traits as they are weighed, (tracks, traits) float64, see `trait_table`: all but shares by their logarithm."""
    rows = table.copy()
    scales = np.array([field.name not in _SHARES for field in fields(Traits)])
    rows[:, scales] = np.log(np.maximum(rows[:, scales], _LEAST))
    return rows


def trait_rows(held: list[Traits]) -> NDArray[np.float64]:
    """Some tracks' traits as they are weighed, see `scaled`."""
    return scaled(np.array([astuple(one) for one in held], np.float64).reshape(len(held), len(fields(Traits))))


@cache
def kind_model() -> Weighing:
    """The weights that ship; persons stand for people too."""
    return read_weights("north_hush.core.follow", WEIGHTS_FILE)


@cache
def weights_digest() -> str:
    """What is kept of kinds depends on this."""
    held = (resources.files("north_hush.core.follow") / WEIGHTS_FILE).read_bytes()
    return hashlib.blake2b(held, digest_size=8).hexdigest()


def likely_of(table: NDArray[np.float64]) -> NDArray[np.float64]:
    """How likely each track is of each kind, (tracks, kinds) float64 in the order of `KINDS`, 0 to 1; nothing of one that never had a
    body of its own.

    Parameters
    ----------
    table : (tracks, traits) float64, see `trait_table`
    """
    model = kind_model()
    places = np.array([KINDS.index(kind) for name in model.names for kind in KINDS if kind == name])
    person, people = KINDS.index("person"), KINDS.index("people")
    likely = np.zeros((len(table), len(KINDS)))
    for first in range(0, len(table), _AT_ONCE):
        part = table[first : first + _AT_ONCE]
        known = np.flatnonzero(np.isfinite(part).all(axis=1))
        likely[np.ix_(first + known, places)] = model.chances(scaled(part[known]))
    wide = np.asarray(table[:, _WIDE] >= _PEOPLE_WIDE)
    likely[wide, people], likely[wide, person] = likely[wide, person], 0.0
    return likely


def kinds_of(table: NDArray[np.float64]) -> list[tuple[Kind, float]]:
    """The kind of each track, and how likely it is that, 0 to 1.

    Parameters
    ----------
    table : (tracks, traits) float64, see `trait_table`
    """
    likely = likely_of(table)
    best, most = likely.argmax(axis=1).tolist(), likely.max(axis=1, initial=0.0).round(3).tolist()
    return [
        (KINDS[place], sure) if sure >= _UNCLEAR else ("unclear", round(1 - sure, 3) if sure > 0 else 0.0)
        for place, sure in zip(best, most, strict=True)
    ]


def named(
    apart: Apart, time_us: NDArray[np.int64], person: NDArray[np.float64], grid: Grid
) -> dict[int, tuple[Kind, float]]:
    """Kind and certainty of every track of a recording, by its number.

    Parameters
    ----------
    time_us : (frames,) int64
    person : (rows,) float64, height of a person in cells by the row of the feet, 0 where it is not known
    """
    table = trait_table(apart, time_us, person, grid)
    found = kinds_of(table)
    going = table[:, _TRAVELLED] >= 1
    first, last = apart.spans
    for number in np.flatnonzero(going & np.array([kind == "vehicle" for kind, _ in found], bool)).tolist():
        whole, sure = apart[number], found[number][1]
        room = _PART_BESIDE * float(np.median(whole[:, FOOT] - whole[:, TOP])) / table[number, _TALL]
        common = np.minimum(last, last[number]) - np.maximum(first, first[number]) + 1
        near = going & (common >= _PART_SHARE * (last - first + 1))
        for other in np.flatnonzero(near).tolist():
            if other != number and _beside(apart[other], whole, room):
                found[other] = "vehicle", sure
    return dict(zip(apart.numbers.tolist(), found, strict=True))


def _beside(part: NDArray[np.float32], whole: NDArray[np.float32], room: float) -> bool:
    """Whether a track is at another, or within some cells of it, for most of its sights."""
    _, here, there = np.intersect1d(part[:, FRAME], whole[:, FRAME], assume_unique=True, return_indices=True)
    near, other = part[here], whole[there]
    across = np.maximum(near[:, LEFT] - other[:, RIGHT], other[:, LEFT] - near[:, RIGHT])
    down = np.maximum(near[:, TOP] - other[:, FOOT], other[:, TOP] - near[:, FOOT])
    return int(((across <= room) & (down <= room)).sum()) >= _PART_SHARE * len(part)


def compile_kinds(grid: Grid) -> NDArray[np.float64]:
    """Follow and name something in a few tiny frames, and return its sights: a process that is confined afterwards has the compiled
    code by then."""
    sights = compile_follower(grid)
    named(apart_of(tracks_apart(sights)), np.zeros(3, np.int64), np.zeros(grid.rows), grid)
    return sights
