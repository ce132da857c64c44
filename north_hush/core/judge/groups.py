"""Groups of like alarms, so that twenty of one kind are judged in one act.

Alarms of one item are clustered by what is measured of them (Ward 1963): how strong, how long, how large, how much of the view
changed with it, how far something came, where. Sizes and lengths are in doublings, so that a step means the same at either end.
There are as many groups as one for every five or six alarms; the odd ones, those farthest from the rest, come first.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from north_hush.core.explain.causes import Cause, Signs

ALARMS_A_GROUP = 5.8
_AT_ONCE = 2000
"""Clustering is quadratic: more alarms of an item are clustered in parts of so many."""
_FARTHEST = 4.0
"""Whoever came four gates of 4 cells came far; more makes no other thing of it."""


@dataclass(frozen=True)
class Like:
    """What decides which group an alarm belongs to; without signs, as long as its reasons are not known, its item alone."""

    item: str
    signs: Signs | None = None
    cause: Cause = "unclear"
    x_frac: float = 0.5
    y_frac: float = 0.5


@dataclass(frozen=True)
class Group:
    """Alarms that look alike, by their places in the list they came from, and what most of them look like."""

    item: str
    cause: Cause
    members: tuple[int, ...]
    odd: float
    """How far they are from the rest of their item's alarms, in doublings."""


def grouped(alarms: Sequence[Like]) -> list[Group]:
    """Group alarms; the odd groups first, those not looked at yet last."""
    found: list[Group] = []
    for item in dict.fromkeys(alarm.item for alarm in alarms):
        known = [place for place, alarm in enumerate(alarms) if alarm.item == item and alarm.signs is not None]
        unknown = tuple(place for place, alarm in enumerate(alarms) if alarm.item == item and alarm.signs is None)
        for first in range(0, len(known), _AT_ONCE):
            found += _clustered(item, alarms, known[first : first + _AT_ONCE])
        if unknown:
            found.append(Group(item, "unclear", unknown, -1.0))
    return sorted(found, key=lambda group: (-round(group.odd, 6), group.members))


def _clustered(item: str, alarms: Sequence[Like], places: Sequence[int]) -> list[Group]:
    table = np.array([_features(alarms[place]) for place in places])
    labels = np.ones(len(places), np.int64)
    count = math.ceil(len(places) / ALARMS_A_GROUP)
    if count > 1:
        from scipy.cluster.hierarchy import fcluster, linkage  # takes long to import, and no window waits for it

        labels = fcluster(linkage(table, "ward"), count, "maxclust").astype(np.int64)
    usual = np.median(table, axis=0)
    groups = []
    for label in np.unique(labels).tolist():
        rows = np.flatnonzero(labels == label)
        members = tuple(places[row] for row in rows.tolist())
        cause = Counter(alarms[place].cause for place in members).most_common(1)[0][0]
        odd = float(np.linalg.norm(table[rows].mean(axis=0) - usual))
        groups.append(Group(item, cause, members, odd))
    return groups


def _features(alarm: Like) -> NDArray[np.float64]:
    """An alarm as a point; alike ones are near. Strength tells most: who is there differs from the ground more than noise,
    rain or a thread does, whatever else moves."""
    signs = alarm.signs
    assert signs is not None  # only alarms with signs are clustered
    return np.array([
        4.0 * math.log2(signs.strength + 0.5),
        1.0 * math.log2(signs.lasts_s + 0.1),
        0.5 * math.log2(signs.largest_percent + 0.02),
        0.5 * math.log2(signs.raw_percent + 0.1),
        0.5 * min(signs.travelled_cells / 4, _FARTHEST),
        0.25 * math.log2(max(1.0, signs.path_cells) / max(1.0, signs.view_cells)),
        2.0 * signs.busy,
        0.25 * math.log2(signs.specks_per_frame + 1),
        6.0 * alarm.x_frac,
        6.0 * alarm.y_frac,
    ])  # fmt: skip
