"""Kinds of what was followed: labels with how sure they are, told by rules from size, shape, speed and course.

Sizes and speeds are in person heights at the feet, from size marks or from the walkers of the recording; where neither tells them,
in own heights, and less is sure. Each rule is a product of memberships between 0 and 1; the strongest names the track.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, get_args

import numpy as np
from numpy.typing import NDArray

from north_hush.core.follow.tracks import (
    CELLS,
    FOOT,
    FRAME,
    HITS,
    HOW,
    LEFT,
    OWN,
    RIGHT,
    STRENGTH,
    TOP,
    TRACK,
    UNSEEN,
    X,
)
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
_UNCLEAR = 0.3
"""A strongest rule below this names nothing."""


@dataclass(frozen=True)
class Traits:
    """What a track is named by.

    Attributes
    ----------
    tall, wide : in person heights (own heights where those are not known)
    shape : height by width
    speed : median, person heights a second
    straight : way from first to last by way gone, 0..1
    travelled : farthest from where it began, in own heights
    seen : share of its frames it was seen in
    filled : share of its box that is its own
    strength : how far above the limit of foreground
    view_percent : of the view
    steady : median change of its cells from frame to frame, as a share
    measured : whether person heights are known
    """

    tall: float
    wide: float
    shape: float
    speed: float
    straight: float
    travelled: float
    seen: float
    filled: float
    strength: float
    view_percent: float
    steady: float
    measured: bool


def traits_of(
    rows: NDArray[np.float64], time_us: NDArray[np.int64], person: NDArray[np.float64], grid: Grid
) -> Traits | None:
    """Traits of one track; None when it never had a body of its own.

    Parameters
    ----------
    rows : (sights, SIGHT_FIELDS) float64 of the track, by frame
    person : (rows,) float64, height of a person in cells by the row of the feet, 0 where it is not known
    """
    own = rows[rows[:, HOW] == OWN]
    if len(own) == 0:
        return None
    tall = np.maximum(own[:, FOOT] - own[:, TOP], 0.5)
    wide = own[:, RIGHT] - own[:, LEFT]
    foot = np.clip(own[:, FOOT].astype(np.int64), 0, grid.rows - 1)
    heights = person[foot]
    measured = bool((heights > 0).mean() > 0.5)
    unit = np.where(heights > 0, heights, np.median(tall)) if measured else np.full(len(own), float(np.median(tall)))
    at_s = time_us[own[:, FRAME].astype(np.int64)] / 1e6
    points = np.column_stack([own[:, X], own[:, FOOT]])
    pace = max(1, round(0.5 / max(float(np.median(np.diff(at_s))), 1e-3))) if len(own) > 1 else 1
    legs = np.hypot(*(points[pace:] - points[:-pace]).T) if len(own) > pace else np.zeros(1)
    took = at_s[pace:] - at_s[:-pace] if len(own) > pace else np.ones(1)
    gone = np.hypot(*np.diff(points[::pace], axis=0).T).sum() if len(own) > pace else 0.0
    net = float(np.hypot(*(points[-1] - points[0])))
    return Traits(
        tall=float(np.median(tall / unit)),
        wide=float(np.median(wide / unit)),
        shape=float(np.median(tall / wide)),
        speed=float(np.median(legs / np.maximum(took, 1e-3))) / float(np.median(unit)),
        straight=net / gone if gone > 1 else 0.0,
        travelled=float(np.hypot(*(points - points[0]).T).max()) / float(np.median(tall)),
        seen=float((rows[:, HOW] != UNSEEN).mean()),
        filled=float(np.median(own[:, CELLS] / np.maximum(1.0, tall * wide))),
        strength=float(np.median(own[:, STRENGTH])),
        view_percent=100 * float(np.median(own[:, CELLS])) / grid.cells,
        steady=float(np.median(np.abs(np.diff(own[:, CELLS]) / own[:-1, CELLS]))) if len(own) > 1 else 1.0,
        measured=measured,
    )


def kind_of(traits: Traits) -> tuple[Kind, float]:
    """The kind of a track, and how sure that is, 0 to 1."""
    strengths = _strengths(traits)
    kind = max(strengths, key=lambda name: strengths[name])
    total = sum(strengths.values())
    best = strengths[kind]
    if best < _UNCLEAR:
        return "unclear", round(1 - best, 3)
    sure = best * best / total if total else 0.0
    return kind, round(min(1.0, sure if traits.measured else 0.8 * sure), 3)


def _strengths(held: Traits) -> dict[Kind, float]:
    body = (
        _rises(held.seen, 0.6, 0.9)
        * _rises(held.filled, 0.25, 0.45)
        * _rises(held.strength, 1.05, 1.4)
        * _falls(held.view_percent, 5.0, 12.0)
    )
    goes = _rises(held.travelled, 0.3, 1.0)
    size = _within(held.tall, 0.45, 0.7, 1.4, 1.9)
    low = _falls(held.tall, 0.45, 0.7)
    return {
        "person": body * goes * size * _falls(held.wide, 0.65, 1.0) * _rises(held.shape, 1.0, 1.5) * _falls(held.speed, 2.0, 3.0),
        "people": body * goes * size * _within(held.wide, 0.6, 0.85, 2.0, 3.0) * _falls(held.speed, 1.2, 1.8),
        "two-wheeler": body * goes * size * _within(held.wide, 0.3, 0.5, 1.3, 1.7) * _within(held.speed, 1.5, 2.2, 8, 12),
        "vehicle": body * goes * _rises(held.wide, 1.1, 1.7) * _rises(held.tall, 0.5, 0.8) * _rises(held.speed, 0.9, 1.4),
        "boat": body * goes * _rises(held.wide, 1.0, 1.5) * _falls(held.shape, 0.6, 0.9) * _falls(held.speed, 0.9, 1.4),
        "animal": body * goes * max(low, _rises(held.speed, 5.0, 9.0)),
        "drifting": max(
            1 - _rises(held.filled, 0.2, 0.4),
            1 - _rises(held.seen, 0.5, 0.85),
            _falls(held.tall, 0.25, 0.45) * _falls(held.straight, 0.3, 0.7),
            _rises(held.shape, 3.2, 4.5) * _falls(held.wide, 0.3, 0.6),
        ),
        "light": max(
            _rises(held.view_percent, 5.0, 12.0),
            _falls(held.strength, 1.05, 1.3) * (1 - goes),
            _rises(held.steady, 0.3, 0.6) * _falls(held.travelled, 0.3, 1.0),
        ),
    }  # fmt: skip


def named(
    sights: NDArray[np.float64], time_us: NDArray[np.int64], person: NDArray[np.float64], grid: Grid
) -> dict[int, tuple[Kind, float]]:
    """Kind and certainty of every track of a recording, by its number.

    Parameters
    ----------
    sights : (sights, SIGHT_FIELDS) float64
    time_us : (frames,) int64
    """
    found: dict[int, tuple[Kind, float]] = {}
    for rows in tracks_apart(sights):
        traits = traits_of(rows, time_us, person, grid)
        found[int(rows[0, TRACK])] = kind_of(traits) if traits is not None else ("unclear", 0.0)
    return found


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


def _rises(value: float, low: float, high: float) -> float:
    return min(1.0, max(0.0, (value - low) / (high - low)))


def _falls(value: float, low: float, high: float) -> float:
    return 1 - _rises(value, low, high)


def _within(value: float, low: float, least: float, most: float, high: float) -> float:
    return _rises(value, low, least) * _falls(value, most, high)
