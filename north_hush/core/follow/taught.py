"""Kinds of one's own: how alike a track is to tracks that somebody named.

What is compared are the traits by which kinds are told, in own heights and in standard deviations of what the weights were fitted on,
and where the feet are; what varies much from day to day with one and the same thing counts for less. A track is as likely of a
taught kind as its nearest example is near: even at `_EVEN`, falling as a bell curve does.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, fields

import numpy as np
from numpy.typing import NDArray

from north_hush.core.follow.apart import Apart
from north_hush.core.follow.kinds import kind_model, scaled
from north_hush.core.follow.named import named_after
from north_hush.core.follow.tracks import FOOT, FRAME, HOW, OWN, X
from north_hush.core.follow.traits import Traits, trait_parts
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.grid import Grid
from north_hush.core.scene.kind import KINDS, TRAITS, Example, Taught
from north_hush.core.scene.outline import Point
from north_hush.core.weighing import RIM

_EVEN = 0.33
"""So far from its nearest example, as the root of the mean square of all numbers, a track is as likely of its kind as not."""
_VARIES = np.array([
    0.00, 0.34, 0.37, 0.23, 0.27, 0.18, 0.16, 0.39, 0.14, 0.66, 0.62, 0.30, 0.20, 0.32, 0.27, 0.28, 0.25, 0.23, 0.50, 0.00, 0.44, 0.15,
])  # fmt: skip
"""How far each number of one thing varies from day to day, in its units, in the order of `Traits` and then where the feet are: over ten
things of the demo on four days each. Height and whether heights are known never do."""
_COUNTS = 1 / (_VARIES**2 + 0.05)
_COUNTS /= _COUNTS.mean()
_PLACE_FRAC = 0.2
"""So far apart on the picture counts as a standard deviation of a trait."""
_NAMED_FROM = 0.5
assert len(fields(Traits)) == TRAITS


@dataclass(frozen=True, eq=False)
class Parts:
    """Parts of tracks, which may overlap: columns as `Apart` has them, from which to before which each goes, see `trait_parts`."""

    columns: NDArray[np.float32]
    firsts: NDArray[np.int64]
    afters: NDArray[np.int64]
    time_us: NDArray[np.int64]
    grid: Grid
    names: NDArray[np.int64]
    """Which name of its track each is, from 0 on; -1 for the last one, of all of it."""

    def likenesses(self) -> NDArray[np.float64]:
        """What likeness is told by, (parts, numbers) float64; not a number where a part has no body of its own. In own heights, so that
        examples outlast the size marks."""
        nobody = np.zeros(self.grid.rows)
        table = trait_parts(self.columns, self.firsts, self.afters, self.time_us, nobody, self.grid)
        return np.hstack([scaled(table), self._feet()])

    def _feet(self) -> NDArray[np.float64]:
        found = np.full((len(self.firsts), 2), np.nan)
        for part, (first, after) in enumerate(zip(self.firsts.tolist(), self.afters.tolist(), strict=True)):
            own = self.columns[HOW, first:after] == OWN
            if own.any():
                x, y = (float(np.median(self.columns[column, first:after][own])) for column in (X, FOOT))
                found[part] = self.grid.point(x, y)
        return found


def taught_likely(parts: Parts, taught: Sequence[Taught]) -> NDArray[np.float64]:
    """How likely each part is of each taught kind, (parts, taught) float64, 0 to 1. Like is held against like: what was just seen
    against how an example was at first, and all of a track against all of it."""
    rows = parts.likenesses()
    likely = np.zeros((len(rows), len(taught)))
    known = np.flatnonzero(np.isfinite(rows).all(axis=1))
    here, names = _spread(rows[known]), parts.names[known]
    for column, kind in enumerate(taught):
        nearest = np.full(len(known), np.inf)
        for held in kind.examples:
            there = _spread(np.hstack([np.array(held.traits), np.array(held.feet)]))
            then = np.minimum(names, len(there) - 1)  # -1 is the last one
            nearest = np.minimum(nearest, ((here - there[then]) ** 2 * _COUNTS).mean(axis=1))
        likely[known, column] = 0.5 ** (nearest / _EVEN**2)
    return likely


def _spread(rows: NDArray[np.float64]) -> NDArray[np.float64]:
    model = kind_model()
    return np.hstack([np.clip((rows[:, :-2] - model.middle) / model.spread, -RIM, RIM), rows[:, -2:] / _PLACE_FRAC])


def with_taught(likely: NDArray[np.float64], parts: Parts, taught: Sequence[Taught]) -> NDArray[np.float64]:
    """Chances of all kinds, (parts, kinds and taught): what is likely of a taught kind is that much less likely of the others.

    Parameters
    ----------
    likely : (parts, kinds) float64, see `kinds.likely_of`
    """
    own = taught_likely(parts, taught)
    own /= np.maximum(1.0, own.sum(axis=1, keepdims=True))
    return np.hstack([likely * (1 - own.sum(axis=1, keepdims=True)), own])


def names_of(taught: Sequence[Taught]) -> tuple[str, ...]:
    """The columns of `with_taught`."""
    return (*KINDS, *(kind.id for kind in taught))


def example_of(sights: NDArray[np.float32], time_us: NDArray[np.int64], grid: Grid, recording: str) -> Example | None:
    """A track as an example of a kind, as it was each time it was named and at its end; None where it never had a body of its own.

    Parameters
    ----------
    sights : (sights, SIGHT_FIELDS) float32 of the track
    """
    columns = np.ascontiguousarray(sights.T)
    afters = named_after(columns)
    begins = np.zeros(len(afters), np.int64)
    rows = Parts(columns, begins, afters, time_us, grid, begins).likenesses().round(4)
    known = rows[np.isfinite(rows).all(axis=1)].tolist()
    if not known:
        return None
    at_s = round(float(time_us[int(sights[0, FRAME])]) / US_PER_S, 3)
    feet: list[Point] = [(row[-2], row[-1]) for row in known]
    return Example(recording=recording, at_s=at_s, traits=tuple(tuple(row[:-2]) for row in known), feet=tuple(feet))


def taught_names(
    apart: Apart, time_us: NDArray[np.int64], grid: Grid, taught: Sequence[Taught]
) -> dict[int, tuple[str, float]]:
    """The tracks of a recording that are rather of a taught kind than not, by their number: which, and how likely."""
    last = np.full(len(apart), -1)
    likely = taught_likely(Parts(apart.columns, apart.starts[:-1], apart.starts[1:], time_us, grid, last), taught)
    best, most, numbers = likely.argmax(axis=1).tolist(), likely.max(axis=1).round(3).tolist(), apart.numbers.tolist()
    return {
        number: (taught[place].id, sure)
        for number, place, sure in zip(numbers, best, most, strict=True)
        if sure >= _NAMED_FROM
    }
