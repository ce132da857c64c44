"""Kinds of what was followed: labels with how sure they are, told from traits by weights that were fitted on the demo's truth.

The weights are those of a multinomial logistic regression on the traits, their squares and products (Cox 1966), and ship as a table of
numbers; `python -m north_hush.demo.kinds` makes them. Traits beyond what it was fitted on count as its rim, so that nothing is said
more surely the farther it lies outside.
"""

from __future__ import annotations

import json
from dataclasses import astuple, dataclass, fields
from functools import cache
from importlib import resources
from typing import Any, Literal, get_args

import numpy as np
from numpy.typing import NDArray

from north_hush.core.follow.tracks import FOOT, FRAME, HITS, HOW, LEFT, RIGHT, TOP, TRACK, UNSEEN
from north_hush.core.follow.traits import Traits, traits_of
from north_hush.core.grid import Grid
from north_hush.core.words import tr

Kind = Literal[
    "person", "people", "two-wheeler", "vehicle", "boat", "animal", "drifting", "light", "unclear"
]  # fmt: skip
KINDS: tuple[Kind, ...] = get_args(Kind)
KIND_WORDS: dict[str, str] = {
    "person": tr("person"), "people": tr("people"), "two-wheeler": tr("two-wheeler"), "vehicle": tr("vehicle"), "boat": tr("boat"),
    "animal": tr("animal"), "drifting": tr("drifting"), "light": tr("light"), "unclear": tr("unclear"),
}  # fmt: skip
HITS_LEAST = 5
"""A track that was seen in fewer frames is no track."""
_UNCLEAR = 0.4
"""What is less likely names nothing."""
_PEOPLE_WIDE = 0.8
"""Persons side by side are wider than so many of their heights: one who strides is half as wide as tall."""
WEIGHTS_FILE = "kind_weights.json"
_SHARES = frozenset({"level", "straight", "seen", "alone", "filled", "measured"})
_LEAST = 0.02
"""All but shares are taken by their logarithm, from here on."""
_RIM = 2.0
"""Standard deviations."""
_PART_SHARE, _PART_BESIDE = 0.7, 0.5
"""What is at a vehicle for so much of the time that it is seen, within so many person heights of it, and goes its way, is part of it:
a wheel, a driver, what is drawn."""


@dataclass(frozen=True, eq=False)
class KindModel:
    """Weights that name a track.

    Attributes
    ----------
    kinds : what is told apart; persons stand for people too
    middle, spread : (traits,) of what it was fitted on
    weights : (kinds, terms) float64, see `terms_of`
    bias : (kinds,) float64
    """

    kinds: tuple[Kind, ...]
    middle: NDArray[np.float64]
    spread: NDArray[np.float64]
    weights: NDArray[np.float64]
    bias: NDArray[np.float64]

    def chances(self, traits: NDArray[np.float64]) -> NDArray[np.float64]:
        """How likely each track is of each kind, (tracks, kinds).

        Parameters
        ----------
        traits : (tracks, traits) float64, see `trait_rows`
        """
        strengths = terms_of((traits - self.middle) / self.spread) @ self.weights.T + self.bias
        likely = np.exp(strengths - strengths.max(axis=1, keepdims=True))
        return np.asarray(likely / likely.sum(axis=1, keepdims=True))


def trait_rows(held: list[Traits]) -> NDArray[np.float64]:
    """Traits as numbers, (tracks, traits) float64."""
    rows = np.array([astuple(one) for one in held], np.float64).reshape(len(held), len(fields(Traits)))
    scales = np.array([field.name not in _SHARES for field in fields(Traits)])
    rows[:, scales] = np.log(np.maximum(rows[:, scales], _LEAST))
    return rows


def terms_of(scaled: NDArray[np.float64]) -> NDArray[np.float64]:
    """The traits and their squares and products, (tracks, terms) float64, of traits in standard deviations."""
    held = np.clip(scaled, -_RIM, _RIM)
    first, second = np.triu_indices(held.shape[1])
    return np.hstack([held, held[:, first] * held[:, second]])


@cache
def kind_model() -> KindModel:
    """The weights that ship."""
    held: dict[str, Any] = json.loads((resources.files("north_hush.core.follow") / WEIGHTS_FILE).read_text("utf-8"))
    middle, spread, weights, bias = (np.array(held[name], float) for name in ("middle", "spread", "weights", "bias"))
    return KindModel(tuple(held["kinds"]), middle, spread, weights, bias)


def kinds_of(held: list[Traits]) -> list[tuple[Kind, float]]:
    """The kind of each track, and how likely it is that, 0 to 1."""
    if not held:
        return []
    model = kind_model()
    found = list[tuple[Kind, float]]()
    for traits, likely in zip(held, model.chances(trait_rows(held)), strict=True):
        best = int(likely.argmax())
        kind, sure = model.kinds[best], round(float(likely[best]), 3)
        if sure < _UNCLEAR:
            found.append(("unclear", round(1 - sure, 3)))
        else:
            found.append(("people" if kind == "person" and traits.wide >= _PEOPLE_WIDE else kind, sure))
    return found


def named(
    sights: NDArray[np.float64], time_us: NDArray[np.int64], person: NDArray[np.float64], grid: Grid
) -> dict[int, tuple[Kind, float]]:
    """Kind and certainty of every track of a recording, by its number.

    Parameters
    ----------
    sights : (sights, SIGHT_FIELDS) float64
    time_us : (frames,) int64
    """
    apart = {int(rows[0, TRACK]): rows for rows in tracks_apart(sights)}
    held = {number: traits_of(rows, time_us, person, grid) for number, rows in apart.items()}
    known = {number: traits for number, traits in held.items() if traits is not None}
    found: dict[int, tuple[Kind, float]] = dict.fromkeys(held, ("unclear", 0.0))
    found.update(zip(known, kinds_of(list(known.values())), strict=True))
    going = {number: rows for number, rows in apart.items() if number in known and known[number].travelled >= 1}
    for number, (kind, sure) in list(found.items()):
        if kind == "vehicle" and number in going:
            room = _PART_BESIDE * float(np.median(going[number][:, FOOT] - going[number][:, TOP])) / known[number].tall
            parts = (other for other in going if other != number and _beside(going[other], going[number], room))
            found.update((other, ("vehicle", sure)) for other in parts)
    return found


def _beside(part: NDArray[np.float64], whole: NDArray[np.float64], room: float) -> bool:
    """Whether a track is at another, or within some cells of it, for most of its sights."""
    _, here, there = np.intersect1d(part[:, FRAME], whole[:, FRAME], assume_unique=True, return_indices=True)
    near, other = part[here], whole[there]
    across = np.maximum(near[:, LEFT] - other[:, RIGHT], other[:, LEFT] - near[:, RIGHT])
    down = np.maximum(near[:, TOP] - other[:, FOOT], other[:, TOP] - near[:, FOOT])
    return int(((across <= room) & (down <= room)).sum()) >= _PART_SHARE * len(part)


def tracks_apart(sights: NDArray[np.float64]) -> list[NDArray[np.float64]]:
    """The sights of each track that was seen often enough to be one, without the frames it went on unseen at its end."""
    ordered = sights[np.argsort(sights[:, TRACK], kind="stable")]
    apart = np.split(ordered, np.flatnonzero(np.diff(ordered[:, TRACK])) + 1) if len(ordered) else []
    found = []
    for rows in apart:
        seen = np.flatnonzero(rows[:, HOW] != UNSEEN)
        if len(seen) and rows[seen[-1], HITS] >= HITS_LEAST:
            found.append(rows[: seen[-1] + 1])
    return found
