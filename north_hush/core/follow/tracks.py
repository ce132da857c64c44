"""Tracks: bodies followed over time, one frame after the other, with bounded memory. No dial, mask or zone changes them.

Each track carries a middle, a speed and a size (an alpha-beta filter, Kalata 1984, its gains from the time between frames), and is
paired with a body in each frame, see `pairing`. A body that nobody takes begins a track. A track whose prediction lies in a body
that another one took shares it: the boxes of all who share, each of its usual size, are fitted to the cells of the body, and each
follows its box with less trust, so that two who meet keep where they were heading. A track that is nowhere goes on at its speed
for a while.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from north_hush.core.compiled import compiled
from north_hush.core.follow.bodies import BODIES_MAX, BODY_FIELDS, find_bodies
from north_hush.core.follow.bodies import BOTTOM as B_BOTTOM
from north_hush.core.follow.bodies import CELLS as B_CELLS
from north_hush.core.follow.bodies import FOOT as B_FOOT
from north_hush.core.follow.bodies import LEFT as B_LEFT
from north_hush.core.follow.bodies import RIGHT as B_RIGHT
from north_hush.core.follow.bodies import STRENGTH as B_STRENGTH
from north_hush.core.follow.bodies import TOP as B_TOP
from north_hush.core.follow.bodies import X as B_X
from north_hush.core.follow.bodies import Y as B_Y
from north_hush.core.follow.pairing import (
    AT_S,
    BELOW,
    FROM_X,
    FROM_Y,
    NUMBER,
    OWN_S,
    SPEED_X,
    SPEED_Y,
    TRACK_FIELDS,
    pairs_of,
)
from north_hush.core.follow.pairing import CELLS as T_CELLS
from north_hush.core.follow.pairing import HITS as T_HITS
from north_hush.core.follow.pairing import TALL as T_TALL
from north_hush.core.follow.pairing import WIDE as T_WIDE
from north_hush.core.follow.pairing import X as T_X
from north_hush.core.follow.pairing import Y as T_Y
from north_hush.core.follow.parting import are_several, part_bodies
from north_hush.core.follow.sharing import lies_within, places_within
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.foreground import ALL_QUARTERS, MOVES
from north_hush.core.footage.options import FOREGROUND, QUARTERS
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.grid import Grid
from north_hush.core.scene.items import Privacy
from north_hush.core.scene.weights import masked_weights

TRACKS_MAX = 256
FRAME, TRACK, X, Y, TOP, FOOT, LEFT, RIGHT, CELLS, STRENGTH, HOW, HITS, NET = range(13)
"""Columns of a sight: frame, number of the track, its middle, box and lower edge in cells, the cells of its body and how far
that is above the limit of foreground (both 0 while it has none of its own), how it was seen, in how many frames by now, and how far
its middle is from where it began, in cells."""
SIGHT_FIELDS = 13
UNSEEN, SHARED, OWN = range(3)
"""How a track is seen: not at all, in a body with others, or in one of its own."""

_SETTLES_S = 0.15
"""The filter takes over two thirds of a deviation that lasts so long."""
_SIZE_SETTLES_S = 0.6
"""One step of a walk: legs open and close."""
_SHARED_TRUST = 0.4
"""Of the gain while cells are shared: their border is a guess."""
_UNSEEN_S, _SHARED_S, _NEW_UNSEEN_S, _NEW_HITS = 2.0, 4.0, 0.35, 4
"""How long a track lives without a body of its own: behind a post, in a group; and while it has only begun."""
_SPECK = 4
"""One over this of the cells of another is no sharer of its body: a hand, a bag, a wave that joins."""
_SHARE_FOLLOWED = 4
"""One over this: while more of the view than that is foreground, it is light, which is nobody."""
_BLOCK_FRAMES = 256


def uncovered(values: NDArray[np.uint8], privacy: tuple[Privacy, ...], grid: Grid) -> NDArray[np.uint8]:
    """Foreground without what lies under privacy masks, not even in part; the same array where there are none.

    Parameters
    ----------
    values : (cells, frames) uint8
    """
    if not privacy:
        return values
    return np.where(masked_weights((), grid, privacy)[:, None] > 0, values, np.uint8(0))


class Follower:
    """Follows what moves in the foreground of one recording or live view, fed with frames in their order."""

    def __init__(self, grid: Grid) -> None:
        self._rows, self._columns = grid.rows, grid.columns
        self._tracks = np.zeros((TRACKS_MAX, TRACK_FIELDS), np.float64)
        self._alive = 0
        self._given = 0
        self._frames = 0
        self._labels = np.empty((grid.rows, grid.columns), np.int32)
        self._bodies = np.empty((BODIES_MAX, BODY_FIELDS), np.float64)
        self._sights = np.empty((2 * TRACKS_MAX, SIGHT_FIELDS), np.float64)

    def feed(
        self,
        values: NDArray[np.uint8],
        quarters: NDArray[np.uint8],
        time_us: NDArray[np.int64],
        valid: NDArray[np.bool_],
        gap: NDArray[np.bool_],
    ) -> NDArray[np.float64]:
        """Take the next frames and return the sights of tracks in them.

        Parameters
        ----------
        values, quarters : (cells, frames) uint8 foreground, and which quarters of it are over the limit
        time_us, valid, gap : (frames,); a gap ends every track, an invalid frame is passed over

        Returns
        -------
        (sights, SIGHT_FIELDS) float64, by frame
        """
        found = [np.zeros((0, SIGHT_FIELDS))]
        for first in range(0, values.shape[1], _BLOCK_FRAMES):
            planes = np.ascontiguousarray(values[:, first : first + _BLOCK_FRAMES].T)
            parts = np.ascontiguousarray(quarters[:, first : first + _BLOCK_FRAMES].T)
            for number, (plane, part) in enumerate(zip(planes, parts, strict=True), first):
                if gap[number]:
                    self._alive = 0
                if valid[number]:
                    shape = self._rows, self._columns
                    made = self._step(plane.reshape(shape), part.reshape(shape), time_us[number] / US_PER_S)
                    found.append(self._sights[:made].copy())
                self._frames += 1
        return np.concatenate(found)

    def _step(self, plane: NDArray[np.uint8], quarters: NDArray[np.uint8], now_s: float) -> int:
        count = find_bodies(plane, self._labels, self._bodies) if plane.any() else 0
        if count == 0 and self._alive == 0:
            return 0
        bodies = self._bodies[:count]
        if bodies[:, B_CELLS].sum() * _SHARE_FOLLOWED > plane.size:
            bodies = bodies[:0]
        alive = self._tracks[: self._alive]
        pairs = pairs_of(alive, bodies, now_s)
        within = lies_within(alive, pairs, bodies)
        several = are_several(alive, within, len(bodies))
        if several.any():
            bodies = self._bodies[: part_bodies(several, self._bodies, self._labels, plane, quarters)]
            pairs = pairs_of(alive, bodies, now_s)
            within = lies_within(alive, pairs, bodies)
        places = places_within(alive, within, bodies, self._labels)
        self._alive, self._given, made = _step(
            self._tracks, pairs, within, places, bodies, now_s, self._given, self._frames, self._sights
        )
        return made


def compile_follower(grid: Grid) -> NDArray[np.float64]:
    """Follow something through a few tiny frames: a process that is confined afterwards has the compiled code by then."""
    bodies, flags = np.zeros((grid.cells, 3), np.uint8), np.ones(3, bool)
    bodies[:2] = 60 | MOVES
    return Follower(grid).feed(bodies, np.full_like(bodies, ALL_QUARTERS), np.arange(3), flags, ~flags)


def followed(evidence: Evidence, privacy: tuple[Privacy, ...] = ()) -> Iterator[NDArray[np.float64]]:
    """Sights of all tracks of a recording, (sights, SIGHT_FIELDS) float64 by frame, block by block; what privacy masks cover is not
    followed."""
    follower = Follower(evidence.grid)
    both = zip(evidence.blocks(FOREGROUND), evidence.blocks(QUARTERS), strict=True)
    for (first, values), (_, quarters) in both:
        part = slice(first, first + values.shape[1])
        seen = uncovered(values, privacy, evidence.grid)
        yield follower.feed(seen, quarters, evidence.time_us[part], evidence.valid[part], evidence.gap[part])


@compiled
def _step(
    tracks: NDArray[np.float64],
    pairs: NDArray[np.int64],
    within: NDArray[np.int64],
    places: NDArray[np.float64],
    bodies: NDArray[np.float64],
    now_s: float,
    given: int,
    frame: int,
    sights: NDArray[np.float64],
) -> tuple[int, int, int]:
    """Take over one frame's pairs; how many tracks are alive, how many numbers were given, and how many sights were written."""
    alive, made, kept = pairs.size, 0, 0
    before = tracks[:alive].copy()
    for p in range(alive):
        track, body = before[p].copy(), within[p]
        how = UNSEEN
        alone = body >= 0 and _alone(before, p, within)
        if alone:
            how = OWN
            _take(track, bodies[body], now_s)
        elif body >= 0 and places[p, 2] > 0:
            how = SHARED
            _correct(track, places[p, 0], places[p, 1], max(now_s - track[OWN_S], 1e-3), _SHARED_TRUST)
        if alone or (body >= 0 and _keeps(before, p, within)):
            track[OWN_S] = now_s
        lost = now_s - track[OWN_S]
        if lost > (_SHARED_S if body >= 0 else _UNSEEN_S) or (lost > _NEW_UNSEEN_S and track[T_HITS] < _NEW_HITS):
            continue
        track[T_HITS] += how != UNSEEN
        tracks[kept] = track
        _note(sights[made], frame, track, bodies, body if how == OWN else -1, how)
        kept += 1
        made += 1
    for b in range(bodies.shape[0]):
        if kept < tracks.shape[0] and not (pairs == b).any():
            _begin(tracks[kept], bodies[b], given, now_s)
            _note(sights[made], frame, tracks[kept], bodies, b, OWN)
            given += 1
            kept += 1
            made += 1
    return kept, given, made


@compiled
def _alone(tracks: NDArray[np.float64], own: int, within: NDArray[np.int64]) -> bool:
    """Tell whether a track has its body for itself: beside it there are only specks that cling to it."""
    for q in range(within.size):
        if q != own and within[q] == within[own] and tracks[q, T_CELLS] * _SPECK >= tracks[own, T_CELLS]:
            return False
    return True


@compiled
def _keeps(tracks: NDArray[np.float64], own: int, within: NDArray[np.int64]) -> bool:
    """Tell whether a track is the one of those that share a body which was seen most: it lives on with the body, however long."""
    for q in range(within.size):
        older = tracks[q, T_HITS] > tracks[own, T_HITS] or (tracks[q, T_HITS] == tracks[own, T_HITS] and q < own)
        if q != own and within[q] == within[own] and older:
            return False
    return True


@compiled
def _correct(track: NDArray[np.float64], x: float, y: float, passed_s: float, trust: float) -> None:
    """Move a track towards where it was measured: beta = alpha**2 / (2 - alpha) (Benedict and Bordner 1962)."""
    alpha = trust * (1 - np.exp(-passed_s / _SETTLES_S))
    beta = alpha * alpha / (2 - alpha)
    off_x, off_y = x - track[T_X], y - track[T_Y]
    track[T_X] += alpha * off_x
    track[T_Y] += alpha * off_y
    track[SPEED_X] += beta * off_x / passed_s
    track[SPEED_Y] += beta * off_y / passed_s


@compiled
def _take(track: NDArray[np.float64], body: NDArray[np.float64], now_s: float) -> None:
    """Take over a body that is a track's own."""
    passed_s = max(now_s - track[OWN_S], 1e-3)
    _correct(track, body[B_X], body[B_Y], passed_s, 1.0)
    gain = 1 - np.exp(-passed_s / _SIZE_SETTLES_S)
    track[T_WIDE] += gain * (body[B_RIGHT] - body[B_LEFT] - track[T_WIDE])
    track[T_TALL] += gain * (body[B_BOTTOM] - body[B_TOP] - track[T_TALL])
    track[T_CELLS] += gain * (body[B_CELLS] - track[T_CELLS])
    track[BELOW] += gain * (body[B_FOOT] - body[B_Y] - track[BELOW])


@compiled
def _begin(track: NDArray[np.float64], body: NDArray[np.float64], number: int, now_s: float) -> None:
    track[:] = 0.0
    track[NUMBER] = number
    track[T_X], track[T_Y] = body[B_X], body[B_Y]
    track[T_WIDE], track[T_TALL] = body[B_RIGHT] - body[B_LEFT], body[B_BOTTOM] - body[B_TOP]
    track[T_CELLS], track[T_HITS] = body[B_CELLS], 1.0
    track[BELOW] = body[B_FOOT] - body[B_Y]
    track[OWN_S] = track[AT_S] = now_s
    track[FROM_X], track[FROM_Y] = body[B_X], body[B_Y]


@compiled
def _note(
    sight: NDArray[np.float64],
    frame: int,
    track: NDArray[np.float64],
    bodies: NDArray[np.float64],
    own: int,
    how: int,
) -> None:
    """Write a sight: the box of the track's own body, or one of its usual size where it should be."""
    sight[FRAME], sight[TRACK], sight[HOW], sight[HITS] = frame, track[NUMBER], how, track[T_HITS]
    sight[X], sight[Y] = track[T_X], track[T_Y]
    sight[NET] = np.hypot(track[T_X] - track[FROM_X], track[T_Y] - track[FROM_Y])
    sight[CELLS] = sight[STRENGTH] = 0.0
    if own >= 0:
        sight[TOP], sight[FOOT] = bodies[own, B_TOP], bodies[own, B_FOOT]
        sight[LEFT], sight[RIGHT] = bodies[own, B_LEFT], bodies[own, B_RIGHT]
        sight[CELLS], sight[STRENGTH] = bodies[own, B_CELLS], bodies[own, B_STRENGTH]
    else:
        sight[FOOT] = track[T_Y] + track[BELOW]
        sight[TOP] = sight[FOOT] - track[T_TALL]
        sight[LEFT], sight[RIGHT] = track[T_X] - track[T_WIDE] / 2, track[T_X] + track[T_WIDE] / 2
