"""Suspicious quiet stretches: where something travelled and no alarm ran, so that missed incidents are found without
watching everything."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from north_hush.core.follow.apart import tracks_apart
from north_hush.core.follow.tracks import CELLS, FOOT, FRAME, HITS, HOW, NET, OWN, TRACK, UNSEEN, X, Y
from north_hush.core.footage.evidence import Evidence
from north_hush.core.scene.outline import Point

_TRAVEL_SHARE = 0.06
_SEEN_MIN_FRAMES = 10
_SUSPICIOUS: dict[str, float] = {"drifting": 0.1, "light": 0.1, "unclear": 0.4}
_NEAR_FRAC = 0.1
"""Two that go on at once, no further apart, are pieces of one."""


@dataclass(frozen=True)
class Suspect:
    """A stretch without an alarm in which something travelled.

    Attributes
    ----------
    travelled_percent : how far, in percent of the picture's width
    place : where it was in the middle of its way
    weight : rank; distance, times how steadily it was seen
    """

    start_s: float
    end_s: float
    travelled_percent: float
    place: Point
    weight: float


def suspects(
    sights: NDArray[np.float64],
    names: Mapping[int, tuple[str, float]],
    evidence: Evidence,
    known: Sequence[tuple[float, float]],
) -> list[Suspect]:
    """Stretches in which something travelled and nothing known ran, the most suspicious first.

    Parameters
    ----------
    sights : (sights, tracks.SIGHT_FIELDS) float64 of the recording
    names : the kind of each track: what drifts, and light, comes last
    known : spans in seconds that are alarms, incidents or judged already
    """
    grid, seconds = evidence.grid, evidence.seconds
    found = []
    for rows in tracks_apart(sights):
        seen = rows[rows[:, HOW] != UNSEEN]
        net = float(seen[:, NET].max())
        if seen[-1, HITS] < _SEEN_MIN_FRAMES or net < _TRAVEL_SHARE * grid.columns:
            continue
        start_s, end_s = float(seconds[int(seen[0, FRAME])]), float(seconds[int(seen[-1, FRAME])])
        if any(start_s <= end + 1 and end_s >= start - 1 for start, end in known):
            continue
        way = float(np.hypot(np.diff(seen[:, X]), np.diff(seen[:, Y])).sum())
        middle = seen[len(seen) // 2]
        place = grid.point(float(middle[X]), float(middle[FOOT]))
        own = seen[seen[:, HOW] == OWN]
        body = float(np.median(own[:, CELLS])) if len(own) else 0.0
        weight = (
            net
            * min(1.0, net / max(way, 1e-9))
            * min(1.0, body / 4)
            * _SUSPICIOUS.get(names[int(rows[0, TRACK])][0], 1.0)
        )
        found.append(Suspect(start_s, end_s, 100 * net / grid.columns, place, weight))
    return _apart(sorted(found, key=lambda held: (-held.weight, held.start_s)))


def _apart(ranked: list[Suspect]) -> list[Suspect]:
    """Without those that go on beside a weightier one: head and legs of somebody, or the one he walks with."""
    kept: list[Suspect] = []
    for held in ranked:
        beside = (
            other.start_s <= held.end_s
            and held.start_s <= other.end_s
            and np.hypot(held.place[0] - other.place[0], held.place[1] - other.place[1]) <= _NEAR_FRAC
            for other in kept
        )
        if not any(beside):
            kept.append(held)
    return kept
