"""Chances of kinds while a track is seen: what it was likely to be by what had been seen of it until then.

An item that reports some kinds alone has to decide while a thing is in sight, live as on a recording. So a track is named anew each
time it has been seen half as often again in a body of its own, and what comes later changes nothing that was said before.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from north_hush.core.follow.apart import HITS_LEAST, Apart
from north_hush.core.follow.kinds import likely_of
from north_hush.core.follow.tracks import FRAME, HOW, OWN, SIGHT_FIELDS, TRACK
from north_hush.core.follow.traits import trait_parts
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.grid import Grid
from north_hush.core.scene.kind import KINDS, Kind

NAMED_AT = (HITS_LEAST, 8, 12, 18, 27, 40, 60, 90, 135, 200, 300, 450)
"""After so many sights in a body of its own a track is named; the last name stays."""
_SIGHTS_MOST = 1024
"""By so many sights, with and without a body of its own, the last name is given: what is kept of a live track ends there."""
_FRAME_BITS = 32
_DECIMALS = 4
"""One row and a thousand rows are not multiplied alike to the last bit, and live shall say what replay says."""
_FORGET_US = 10 * US_PER_S
_TRACKS_AT_ONCE = 4096


@dataclass(frozen=True, eq=False)
class Chances:
    """What all tracks of a recording were likely to be, and from when on.

    Attributes
    ----------
    keys : (named,) int64, ascending: number of the track and the frame it is named in
    likely : (named, kinds) float32 in the order of `KINDS`
    """

    keys: NDArray[np.int64]
    likely: NDArray[np.float32]

    def of(
        self, tracks: NDArray[np.floating], frames: NDArray[np.floating], kinds: Sequence[Kind]
    ) -> NDArray[np.float64]:
        """How likely each sight is one of some kinds, (sights,) float64: 0 before its track is named, and for what no track holds.

        Parameters
        ----------
        tracks, frames : (sights,), number of the track (-1 for none) and frame
        """
        keys = (tracks.astype(np.int64) << _FRAME_BITS) | frames.astype(np.int64)
        named = np.searchsorted(self.keys, keys, side="right") - 1
        known = (named >= 0) & (tracks >= 0)
        known &= (self.keys[named] if len(self.keys) else keys) >> _FRAME_BITS == tracks.astype(np.int64)
        found = np.zeros(len(tracks))
        found[known] = chance_of(self.likely[named[known]], kinds)
        return found


def chance_of(likely: NDArray[np.float32], kinds: Sequence[Kind]) -> NDArray[np.float64]:
    """How likely it is that each is one of some kinds, of rows of `Chances.likely`."""
    places = [KINDS.index(kind) for kind in kinds]
    return np.asarray(likely[:, places].astype(np.float64).sum(axis=1).round(_DECIMALS))


def chances_of(apart: Apart, time_us: NDArray[np.int64], person: NDArray[np.float64], grid: Grid) -> Chances:
    """The chances of all tracks of a recording.

    Parameters
    ----------
    time_us : (frames,) int64
    person : (rows,) float64, height of a person in cells by the row of the feet, 0 where it is not known
    """
    keys, likely = [np.zeros(0, np.int64)], [np.zeros((0, len(KINDS)))]
    for first in range(0, len(apart), _TRACKS_AT_ONCE):
        starts = apart.starts[first : first + _TRACKS_AT_ONCE + 1]
        columns = np.ascontiguousarray(apart.columns[:, starts[0] : starts[-1]])
        firsts, named = _named_in(columns, starts - starts[0])
        likely.append(likely_of(trait_parts(columns, firsts, named + 1, time_us, person, grid)))
        tracks, frames = columns[[TRACK, FRAME]][:, named].astype(np.int64)
        keys.append((tracks << _FRAME_BITS) | frames)
    return Chances(np.concatenate(keys), np.concatenate(likely).astype(np.float32))


def _named_in(columns: NDArray[np.float32], starts: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Where the tracks begin that are named, once for each name, and the sights they are named in."""
    own = columns[HOW] == OWN
    counted, began = np.cumsum(own), starts[:-1]
    which = np.repeat(np.arange(len(began)), np.diff(starts))
    so_far = counted - np.concatenate([[0], counted])[began][which]
    early = np.arange(len(own)) - began[which] < _SIGHTS_MOST
    named = np.flatnonzero(own & np.isin(so_far, NAMED_AT) & early)
    return began[which[named]], named


@dataclass
class _Seen:
    sights: list[NDArray[np.float32]] | None = field(default_factory=list)
    """None once the last name is given."""
    time_us: list[int] = field(default_factory=list)
    own: int = 0
    seen_us: int = 0
    likely: NDArray[np.float32] | None = None


class LiveChances:
    """The live twin of `Chances`: fed with the sights of each frame, it knows what each track is likely to be by now.

    Parameters
    ----------
    person : see `chances_of`
    """

    def __init__(self, person: NDArray[np.float64], grid: Grid) -> None:
        self.person, self._grid = person, grid
        self._seen: dict[int, _Seen] = {}
        self._forgot_us = 0

    def feed(self, sights: NDArray[np.float64], now_us: int) -> None:
        """Take the sights of a frame, (sights, SIGHT_FIELDS) float64."""
        for row in sights:
            self._take(self._seen.setdefault(int(row[TRACK]), _Seen()), row, now_us)
        if now_us - self._forgot_us > _FORGET_US:
            self._forgot_us = now_us
            self._seen = {number: held for number, held in self._seen.items() if now_us - held.seen_us <= _FORGET_US}

    def _take(self, held: _Seen, row: NDArray[np.float64], now_us: int) -> None:
        held.seen_us = now_us
        if held.sights is None:
            return
        held.sights.append(row.astype(np.float32))
        held.time_us.append(now_us)
        own = row[HOW] == OWN
        held.own += own
        if own and held.own in NAMED_AT:
            columns = np.stack(held.sights, axis=1)
            columns[FRAME] = np.arange(columns.shape[1])
            part = np.zeros(1, np.int64), np.full(1, columns.shape[1], np.int64)
            table = trait_parts(columns, *part, np.array(held.time_us), self.person, self._grid)
            held.likely = likely_of(table)[0].astype(np.float32)
        if held.own >= NAMED_AT[-1] or len(held.sights) >= _SIGHTS_MOST:
            held.sights, held.time_us = None, []

    def of(self, tracks: NDArray[np.floating], kinds: Sequence[Kind]) -> NDArray[np.float64]:
        """How likely each of some tracks is one of some kinds by now, (tracks,) float64; 0 for what is not named."""
        rows = [held.likely if (held := self._seen.get(int(number))) is not None else None for number in tracks]
        nothing = np.zeros(len(KINDS), np.float32)
        likely = np.array([nothing if row is None else row for row in rows], np.float32).reshape(-1, len(KINDS))
        return chance_of(likely, kinds)


def compile_chances(grid: Grid) -> None:
    """Name a track of a few tiny frames, as live does: a process that is confined afterwards has the compiled code by then."""
    sights = np.zeros((1, SIGHT_FIELDS))
    sights[0, HOW] = OWN
    live = LiveChances(np.zeros(grid.rows), grid)
    for now_us in range(NAMED_AT[0]):
        live.feed(sights, now_us)
