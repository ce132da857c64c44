"""Chances of kinds while a track is seen: what it was likely to be by what had been seen of it until then.

An item that reports some kinds alone has to decide while a thing is in sight, live as on a recording. So a track is named anew each
time it has been seen half as often again in a body of its own, and what comes later changes nothing that was said before.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.follow.apart import Apart
from north_hush.core.follow.kinds import likely_of
from north_hush.core.follow.named import NAMED_AT, SIGHTS_MOST, named_in
from north_hush.core.follow.taught import Parts, names_of, with_taught
from north_hush.core.follow.tracks import FRAME, HOW, OWN, SIGHT_FIELDS, TRACK
from north_hush.core.follow.traits import trait_parts
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.grid import Grid
from north_hush.core.scene.kind import KINDS, Taught

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
    likely : (named, names) float32
    names : kinds, and ids of those that were taught
    """

    keys: NDArray[np.int64]
    likely: NDArray[np.float32]
    names: tuple[str, ...] = KINDS

    def of(
        self, tracks: NDArray[np.floating], frames: NDArray[np.floating], kinds: Sequence[str]
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
        found[known] = chance_of(self.likely[named[known]], self.names, kinds)
        return found


def chance_of(likely: NDArray[np.float32], names: Sequence[str], kinds: Sequence[str]) -> NDArray[np.float64]:
    """How likely it is that each is one of some kinds, of rows of `Chances.likely`; of a kind that was taken away nothing is."""
    places = [names.index(kind) for kind in kinds if kind in names]
    return np.asarray(likely[:, places].astype(np.float64).sum(axis=1).round(_DECIMALS))


def enough(likely: NDArray[np.float64], settings: ZoneSettings) -> NDArray[np.bool_]:
    """Which of some sights are likely enough of a kind that is reported."""
    return np.asarray(likely >= settings.kind_sure_percent / 100)


def chances_of(
    apart: Apart, time_us: NDArray[np.int64], person: NDArray[np.float64], grid: Grid, taught: Sequence[Taught] = ()
) -> Chances:
    """The chances of all tracks of a recording.

    Parameters
    ----------
    time_us : (frames,) int64
    person : (rows,) float64, height of a person in cells by the row of the feet, 0 where it is not known
    """
    columns_of = names_of(taught)
    keys, likely = [np.zeros(0, np.int64)], [np.zeros((0, len(columns_of)))]
    for first in range(0, len(apart), _TRACKS_AT_ONCE):
        starts = apart.starts[first : first + _TRACKS_AT_ONCE + 1]
        columns = np.ascontiguousarray(apart.columns[:, starts[0] : starts[-1]])
        firsts, named, names = named_in(columns, starts - starts[0])
        parts = Parts(columns, firsts, named + 1, time_us, grid, names)
        likely.append(_likely(parts, person, taught))
        tracks, frames = columns[[TRACK, FRAME]][:, named].astype(np.int64)
        keys.append((tracks << _FRAME_BITS) | frames)
    return Chances(np.concatenate(keys), np.concatenate(likely).astype(np.float32), columns_of)


def _likely(parts: Parts, person: NDArray[np.float64], taught: Sequence[Taught]) -> NDArray[np.float64]:
    likely = likely_of(trait_parts(parts.columns, parts.firsts, parts.afters, parts.time_us, person, parts.grid))
    return with_taught(likely, parts, taught) if taught else likely


@dataclass
class _Seen:
    sights: list[NDArray[np.float32]] = field(default_factory=list)
    time_us: list[int] = field(default_factory=list)
    own: int = 0
    seen_us: int = 0
    due: int = 0
    """After how many of its sights it is to be named, once somebody asks; 0 when it is named."""
    whole: bool = False
    """Its last name is given or due: nothing more of it is kept."""
    likely: NDArray[np.float32] | None = None


class LiveChances:
    """The live twin of `Chances`: fed with the sights of each frame, it knows what each track is likely to be by now.

    Parameters
    ----------
    person, taught : see `chances_of`
    """

    def __init__(self, person: NDArray[np.float64], grid: Grid, taught: Sequence[Taught] = ()) -> None:
        self._person, self._grid = person, grid
        self._taught, self._names = tuple(taught), names_of(taught)
        self._seen: dict[int, _Seen] = {}
        self._forgot_us = 0

    def take(self, person: NDArray[np.float64], taught: Sequence[Taught]) -> None:
        """Name by other heights and other taught kinds from the next name on; until then what is followed is of none of those."""
        self._person = person
        if tuple(taught) != self._taught:
            self._taught, self._names = tuple(taught), names_of(taught)
            for held in self._seen.values():
                if held.likely is not None:
                    held.likely = np.append(held.likely[: len(KINDS)], np.zeros(len(taught), np.float32))

    def feed(self, sights: NDArray[np.float64], now_us: int) -> None:
        """Take the sights of a frame, (sights, SIGHT_FIELDS) float64."""
        for row in sights:
            self._take(self._seen.setdefault(int(row[TRACK]), _Seen()), row, now_us)
        if now_us - self._forgot_us > _FORGET_US:
            self._forgot_us = now_us
            self._seen = {number: held for number, held in self._seen.items() if now_us - held.seen_us <= _FORGET_US}

    def _take(self, held: _Seen, row: NDArray[np.float64], now_us: int) -> None:
        held.seen_us = now_us
        if held.whole:
            return
        held.sights.append(row.astype(np.float32))
        held.time_us.append(now_us)
        own = row[HOW] == OWN
        held.own += own
        if own and held.own in NAMED_AT:
            held.due = len(held.sights)
        held.whole = held.own >= NAMED_AT[-1] or len(held.sights) >= SIGHTS_MOST

    def _name(self, held: _Seen) -> None:
        """Name what is due. Where no item asks for kinds nothing is named, and what is kept ends with its track."""
        columns = np.stack(held.sights[: held.due], axis=1)
        columns[FRAME] = np.arange(held.due)
        name = np.array([NAMED_AT.index(int((columns[HOW] == OWN).sum()))])
        ends = np.zeros(1, np.int64), np.full(1, held.due, np.int64)
        times = np.array(held.time_us[: held.due])
        held.likely = _likely(Parts(columns, *ends, times, self._grid, name), self._person, self._taught)[0].astype(
            np.float32
        )
        held.due = 0
        if held.whole:
            held.sights, held.time_us = [], []

    def of(self, tracks: NDArray[np.floating], kinds: Sequence[str]) -> NDArray[np.float64]:
        """How likely each of some tracks is one of some kinds by now, (tracks,) float64; 0 for what is not named."""
        likely = np.zeros((len(tracks), len(self._names)), np.float32)
        for place, number in enumerate(tracks):
            held = self._seen.get(int(number))
            if held is not None and held.due:
                self._name(held)
            if held is not None and held.likely is not None:
                likely[place] = held.likely
        return chance_of(likely, self._names, kinds)


def compile_chances(grid: Grid) -> None:
    """Name a track of a few tiny frames, as live does: a process that is confined afterwards has the compiled code by then."""
    sights = np.zeros((1, SIGHT_FIELDS))
    sights[0, HOW] = OWN
    live = LiveChances(np.zeros(grid.rows), grid)
    for now_us in range(NAMED_AT[0]):
        live.feed(sights, now_us)
    live.of(sights[:, TRACK], KINDS[:1])
