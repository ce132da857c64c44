"""Places where a thing may have come or gone, and the pictures in which each can be looked at."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from north_hush.core.ask.bodies import bodies_of, bounds, hide, moving, stirring, together
from north_hush.core.ask.question import Question, cells_of
from north_hush.core.ask.settling import changes
from north_hush.core.ask.visits import CAME_CELLS, Change, visited
from north_hush.core.follow.tracks import NET
from north_hush.core.footage.evidence import Evidence

_LOOKS, _LOOKS_AFTER = 7, 5
"""So many pictures before, and after: there they are spread over longer, and key frames are near."""
_KEYS_LEAST, _KEY_EVERY_S, _KEYS_S, _KEYS_MOST_S = 3, 2.0, 30.0, 60.0
"""Key frames before and after, one in so long at most, tell whether a place may hold another thing at all. They cost a tenth of what
other frames do, and all places share them. Of what lies for as long as is asked they must show enough: so long of what can be seen,
from so long at most. Where there are fewer than so many, others that are decoded soon stand beside them."""
_BEFORE_S, _AFTER_S, _LAG_S, _LASTS_S, _KNOWN_S = 8.0, 20.0, 1.0, 6.0, 3.0
"""Over so long they are spread; what settles lags behind what happened, and is seen for so long at least; and before it for so long,
or nobody knows what the place does by itself."""
NEAR_S, _SETTLES_S = 12.0, 3.0
"""Somebody was there so shortly before; a patch is first told up to so long before it is seen."""
ROOM_S = 150.0
"""Nothing that is further away tells anything of a patch."""
_STILL_S = 4.0
"""A track that stands for so long is a thing, or somebody who stirs."""


@dataclass(frozen=True, eq=False)
class Place:
    """A patch, in which frames it is hidden, (frames,) bool, and the numbers of some before and after in which it can be looked at:
    those that are decoded soonest, nearly all key frames, and a few that are spread evenly."""

    change: Change
    hidden: NDArray[np.bool_]
    quick: tuple[list[int], list[int]]
    rows: tuple[list[int], list[int]]

    def soonest(self) -> tuple[list[int], list[int]]:
        """What is looked at first."""
        return self.quick

    def sooner(self) -> tuple[list[int], list[int]]:
        """With the pictures after that are looked at in the end, which are nearer to key frames than those before."""
        return self.quick[0], self.rows[1]

    @property
    def span(self) -> tuple[int, int]:
        """From the last frame in which it is seen before to the first after: it changed somewhere between."""
        return self.rows[0][-1], self.rows[1][0]


def places_of(
    question: Question, evidence: Evidence, tracks: Sequence[NDArray[np.float64]], seen: NDArray[np.bool_]
) -> list[Place]:
    """Patches that changed when somebody was there, and can be seen before and after, in the order of time."""
    a_second, place = 1e6 / max(1, evidence.usual_us), cells_of(question.place, evidence.grid)
    still = max(2, round(_STILL_S * a_second))
    tracks = [held for sights in tracks if len(held := stirring(moving(sights, still), evidence))]
    bodies = bodies_of(tracks, evidence.grid, len(evidence.frames))
    candidates = [
        *changes(evidence, place, bodies, seen, question.least_s),
        *visited(evidence, tracks, place, bodies, seen),
    ]
    found, keys = [], _Keys.of(evidence)
    anybody, came = together(tracks), together([sights for sights in tracks if sights[:, NET].max() >= CAME_CELLS])
    for change in sorted(candidates, key=lambda held: held.first):
        if not _somebody_near(change, change.first + round(_SETTLES_S * a_second), came, evidence):
            continue
        shown = _visible(change, _hidden(change, anybody, evidence, *_near(change, evidence)), evidence, seen, keys)
        if shown is not None:
            found.append(shown)
    return found


def _hidden(
    change: Change, sights: tuple[NDArray[np.float64], NDArray[np.float64]], evidence: Evidence, first: int, after: int
) -> NDArray[np.bool_]:
    """In which of some frames somebody stands before a patch, (frames,) bool of all; `sights` as `together` has them."""
    hidden, (held, frames) = np.zeros(len(evidence.frames), np.bool_), sights
    hide(hidden, held[slice(*np.searchsorted(frames, (first, after)))], *bounds(change.cells))
    return hidden


def _near(change: Change, evidence: Evidence) -> tuple[int, int]:
    """The first frame that is looked at for a patch, and the one after the last."""
    room = round(ROOM_S * 1e6 / max(1, evidence.usual_us))
    return max(0, change.first - room), min(len(evidence.frames), change.first + room)


def _somebody_near(
    change: Change, last: int, came: tuple[NDArray[np.float64], NDArray[np.float64]], evidence: Evidence
) -> bool:
    """Whether anybody who comes or goes was at the patch shortly before a frame, or in it: things do not come and go by themselves."""
    around = round(NEAR_S * 1e6 / max(1, evidence.usual_us))
    return bool(_hidden(change, came, evidence, max(0, last - around), last + 1).any())


def since_key(evidence: Evidence) -> NDArray[np.int64]:
    """How many frames after a key frame each is, (frames,) int64."""
    places = np.arange(len(evidence.frames))
    return np.asarray(places - np.maximum.accumulate(np.where(evidence.frames["key"], places, 0)))


@dataclass(frozen=True, eq=False)
class _Keys:
    """Key frames, no more of them than are needed, (frames,) bool; and how many frames after one each is, (frames,) int64."""

    needed: NDArray[np.bool_]
    since: NDArray[np.int64]

    @classmethod
    def of(cls, evidence: Evidence) -> _Keys:
        every, keys = round(_KEY_EVERY_S * 1e6), np.flatnonzero(evidence.frames["key"])
        needed = np.zeros(len(evidence.frames), bool)
        needed[keys[np.unique(evidence.time_us[keys] // every, return_index=True)[1]]] = True
        return cls(needed, since_key(evidence))

    def soonest(self, keys: list[int], others: list[int]) -> list[int]:
        """Key frames, and where they are too few of others those that are decoded soonest."""
        ordered = sorted(set(others) - set(keys), key=lambda row: (self.since[row], row))
        return sorted([*keys, *ordered[: max(0, _KEYS_LEAST - len(keys))]])


def _visible(
    change: Change, hidden: NDArray[np.bool_], evidence: Evidence, seen: NDArray[np.bool_], keys: _Keys
) -> Place | None:
    """A patch with the frames before and after in which it is seen; None where there are too few."""
    a_second = 1e6 / max(1, evidence.usual_us)
    first, after_last = _near(change, evidence)
    open_ = np.zeros(len(seen), bool)
    open_[first:after_last] = (seen & ~hidden)[first:after_last]
    lag = round(_LAG_S * a_second)
    before = np.flatnonzero(open_[: max(0, change.first - lag)])[-round(_BEFORE_S * a_second) :]
    start = change.first + lag
    within = np.flatnonzero(seen[start : start + round(_KEYS_MOST_S * a_second)])[: round(_AFTER_S * a_second)] + start
    after = within[open_[within]]
    if len(before) < max(_LOOKS, _KNOWN_S * a_second) or len(after) < max(_LOOKS, _LASTS_S * a_second):
        return None
    near, most = round(_KEYS_S * a_second), round(_KEYS_MOST_S * a_second)
    earlier = np.flatnonzero(open_[: before[-1] + 1])[-near:]
    later = np.flatnonzero(open_[after[0] : after[0] + most])[:near] + after[0]
    earlier, later = earlier[keys.needed[earlier] & (earlier > before[-1] - most)], later[keys.needed[later]]
    nearest = earlier[-_LOOKS:].tolist(), later[:_LOOKS].tolist()
    rows = _spread(before, keys.since, _LOOKS), _spread(after, keys.since, _LOOKS_AFTER)
    quick = keys.soonest(nearest[0], rows[0]), keys.soonest(nearest[1], rows[1])
    return Place(change, hidden, quick, rows)


def _spread(rows: NDArray[np.int64], since_key: NDArray[np.int64], looks: int) -> list[int]:
    """Some of them, evenly spread, of each part that which is decoded soonest."""
    return [int(part[since_key[part].argmin()]) for part in np.array_split(rows, looks)]
