"""Visits: what zones make of tracks and their own patches: entry, loitering, and limits of size and travel."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Literal, get_args

import numpy as np
from numpy.typing import NDArray

from north_hush.core.detect.alarms import ALLOWED, COMES, REFUSED, STAYS
from north_hush.core.detect.settings import HEIGHTS_MAX, ZoneSettings
from north_hush.core.follow.chances import enough
from north_hush.core.follow.owned import FRAME, LASTS, LIT, NET, SIZE, TALL, TRACK, X, Y
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.grid import Grid
from north_hush.core.scene.area import WHOLE_AREA, cell_shares
from north_hush.core.scene.items import SizeMark, Watcher, Wire, Zone
from north_hush.core.scene.raster import SIXTEENTHS
from north_hush.core.scene.stature import person_cells

_TRAVEL_MIN_CELLS = 1.5
Refusal = Literal[
    "size_min_percent", "size_max_percent", "travel_percent", "size_min_heights", "size_max_heights", "travel_heights",
    "kind_sure_percent", "loiter_s", "entry", "unseen", "guard_percent", "rearm_s", "confirm_frames",
]  # fmt: skip
"""What kept an alarm from being raised: a limit of the settings, that nothing came in, or that nothing was seen."""
REFUSALS: tuple[Refusal, ...] = get_args(Refusal)
_UNSEEN = REFUSALS.index("unseen")
_VISITED: dict[str, Refusal] = {"entry": "entry", "loitering": "loiter_s"}

_BREAK_US = 2_000_000
"""Out of the zone for less, as behind a post, is still in it: so long a track lives unseen, see `tracks`."""
_NEAR_CELLS = 2.0
"""A track that begins nearer than somebody is tall to where another is or just was goes on with its visit; of who is shorter than so
many cells the place jumps by as much."""
_TOGETHER_US = 3_000_000
"""Who comes so soon behind another comes with them, and is no alarm of his own."""
_FORGET_US = 60_000_000
_FORGET_EVERY_US = 1_000_000
"""Looking through all visits at every new track would be quadratic in snow."""


def needs_tracks(watcher: Watcher | None, settings: ZoneSettings) -> bool:
    """Tell whether a zone's alarms (None: of the whole picture) depend on what is followed. A line that must not be
    broken follows nothing: its level is all there is."""
    return not isinstance(watcher, Wire) and (settings.follows or is_visited(watcher))


def is_visited(watcher: Watcher | None) -> bool:
    """Tell whether an item's alarms are visits, which last while somebody who counts is there, whatever else goes on."""
    return isinstance(watcher, Zone) and watcher.fires != "motion"


@dataclass
class _Visit:
    """Of a track: when it was seen last, whether it came in from outside, since when and until when it was inside (None: never yet)
    and where, and whether it counted."""

    seen_us: int
    came_in: bool = False
    inside_from_us: int = 0
    inside_at_us: int | None = None
    x: float = 0.0
    y: float = 0.0
    tall: float = 0.0
    counted: bool = False


@dataclass(frozen=True, eq=False)
class Looked:
    """What a zone makes of sights, of each.

    Attributes
    ----------
    inside : (sights,) bool
    refused : (sights,) int64, the first limit it does not keep, its place in REFUSALS, or -1
    comes : (sights,) bool, whether somebody's visit begins to count with it, not just behind another's
    stays : (sights,) bool, whether somebody whose visit counts is seen still, moving or not
    """

    inside: NDArray[np.bool_]
    refused: NDArray[np.int64]
    comes: NDArray[np.bool_]
    stays: NDArray[np.bool_]


class ZoneWatch:
    """Follows which tracks are in a zone: for entry and loitering, and for limits of size and travel.

    None for the zone stands for the whole picture.
    """

    def __init__(
        self, zone: Zone | None, settings: ZoneSettings, grid: Grid, size_marks: tuple[SizeMark, ...] = ()
    ) -> None:
        shares = cell_shares(zone.area if zone else WHOLE_AREA, grid)
        self._inside = (shares * 2 >= SIXTEENTHS).reshape(grid.rows, grid.columns)
        self._fires = zone.fires if zone else "motion"
        self._loiter_us = int(settings.loiter_s * US_PER_S)
        self._sizes = settings.size_min_percent * grid.cells / 100, settings.size_max_percent * grid.cells / 100
        self._net = settings.travel_percent * grid.columns / 100
        self._heights: NDArray[np.float64] | None = None
        if settings.things_in == "heights":
            self._sizes, self._net = (0.0, float(grid.cells)), 0.0
            self._heights = person_cells(size_marks, grid)
            self._tall = settings.size_min_heights, settings.size_max_heights
            self._net_heights = settings.travel_heights
        if self._fires == "entry":
            self._net = max(self._net, _TRAVEL_MIN_CELLS)
        self._settings = settings
        self._visits: dict[int, _Visit] = {}
        self._inside_last: dict[int, _Visit] = {}
        """Those who were inside, the last of them last."""
        self._came_us = -_TOGETHER_US
        self._stayed_us = -2 * _BREAK_US
        self._forgot_us = 0

    def feed(
        self,
        sights: NDArray[np.float64],
        time_us: NDArray[np.int64],
        first_frame: int = 0,
        likely: NDArray[np.float64] | None = None,
    ) -> NDArray[np.uint8]:
        """Tell for each frame whether something is in the zone that counts: of the size, come far enough, and for entry
        and loitering come in or stayed; of these also where the visit of somebody else begins to count.

        Parameters
        ----------
        sights : (sights, owned.OWNED_FIELDS) float64
        time_us : of the frames from `first_frame` on, which the sights belong to
        likely : (sights,) float64, how likely each is of a kind that is reported; must be given where kinds are limited

        Returns
        -------
        (frames,) uint8, see alarms.STAYS
        """
        fires = np.full(len(time_us), REFUSED, np.uint8)
        looked = self.looked_at(sights, time_us, first_frame, likely)
        frames = sights[:, FRAME].astype(np.int64) - first_frame
        stayed_us = np.full(len(time_us), self._stayed_us)
        stayed_us[frames[looked.stays]] = time_us[frames[looked.stays]]
        stayed_us = np.maximum.accumulate(stayed_us)
        self._stayed_us = int(stayed_us[-1]) if len(stayed_us) else self._stayed_us
        fires[time_us - stayed_us <= _BREAK_US] = STAYS
        fires[frames[looked.inside & (looked.refused < 0)]] = ALLOWED
        fires[frames[looked.comes]] = COMES
        return fires

    def go_on_from(self, before: ZoneWatch) -> None:
        """Know who is in the zone from what watched it under other settings, or as it was drawn before."""
        self._visits, self._inside_last = before._visits, before._inside_last
        self._came_us, self._stayed_us, self._forgot_us = before._came_us, before._stayed_us, before._forgot_us

    def looked_at(
        self,
        sights: NDArray[np.float64],
        time_us: NDArray[np.int64],
        first_frame: int = 0,
        likely: NDArray[np.float64] | None = None,
    ) -> Looked:
        """What the zone makes of each sight. Visits are counted on from the last call."""
        rows, columns = self._inside.shape
        x = np.clip(sights[:, X].astype(np.int64), 0, columns - 1)
        y = np.clip(sights[:, Y].astype(np.int64), 0, rows - 1)
        inside = self._inside[y, x]
        refused = self._refusals(sights, x, y, likely)
        comes, stays = np.zeros(len(sights), bool), np.zeros(len(sights), bool)
        if self._fires != "motion":
            looked = _of_who_enters(sights[:, TRACK].astype(np.int64), inside)
            at_us = time_us[sights[looked, FRAME].astype(np.int64) - first_frame].tolist()
            # Python's own numbers: an hour of snow has a million sights.
            places = sights[looked][:, [TRACK, X, Y, TALL]].tolist()
            where = zip(looked.tolist(), places, at_us, inside[looked].tolist(), strict=True)
            for number, (track, *place), now_us, is_inside in where:
                visit = self._visit(int(track), place, is_inside, now_us)
                if not is_inside:
                    continue
                why = self._why_not_yet(visit, now_us)
                if why is not None:
                    refused[number] = REFUSALS.index(why)
                elif refused[number] < 0:
                    comes[number] = self._comes(visit, now_us)
                stays[number] = visit.counted
            stays &= (refused < 0) | ((refused == _UNSEEN) & (sights[:, LASTS] > 0))
            # Of what no track holds nobody knows that it came or stayed.
            refused[sights[:, TRACK] < 0] = REFUSALS.index(_VISITED[self._fires])
        return Looked(inside, refused, comes, stays)

    def _comes(self, visit: _Visit, now_us: int) -> bool:
        """Note that a visit counts; whether somebody comes with it, and not just behind another."""
        if visit.counted:
            return False
        visit.counted, alone = True, now_us - self._came_us >= _TOGETHER_US
        self._came_us = now_us
        return alone

    def _refusals(
        self,
        sights: NDArray[np.float64],
        x: NDArray[np.int64],
        y: NDArray[np.int64],
        likely: NDArray[np.float64] | None,
    ) -> NDArray[np.int64]:
        """Of each sight the first limit it does not keep, its place in REFUSALS, -1 when it keeps all. Somebody who
        loiters may be still, and leave no patch; where no person stands upright (no size marks, beyond the horizon),
        limits in heights refuse nothing. Motion is what the zone's own patches are: of light there are none."""
        net, size, tall = sights[:, NET], sights[:, SIZE], sights[:, TALL]
        unseen = (size == 0) | ((sights[:, LIT] > 0) & (self._fires == "motion"))
        stays = self._fires == "loitering"
        rules: list[tuple[Refusal, NDArray[np.bool_]]] = [
            ("travel_percent", net < self._net),
            ("unseen", unseen & (sights[:, LASTS] == 0) if stays else unseen),
            ("size_min_percent", ~unseen & (size < self._sizes[0])),
            ("size_max_percent", ~unseen & (size > self._sizes[1])),
        ]
        if self._heights is not None:
            person = self._heights[y]
            low, high = self._tall
            known = (person > 0) & ~unseen
            rules += [
                ("size_min_heights", known & (tall < low * person)),
                ("size_max_heights", known & (tall > high * person) & (high < HEIGHTS_MAX)),
                ("travel_heights", known & (net < self._net_heights * person)),
            ]
        if likely is not None:
            rules.append(("kind_sure_percent", ~enough(likely, self._settings)))
        refused = np.full(len(sights), -1, np.int64)
        for limit, breaks in reversed(rules):
            refused[breaks] = REFUSALS.index(limit)
        return refused

    def _visit(self, track: int, place: list[float], inside: bool, now_us: int) -> _Visit:
        """The visit of a track, which notes its x, y and how tall it is."""
        visit = self._visits.get(track)
        if visit is None:
            if now_us - self._forgot_us > _FORGET_EVERY_US:
                self._forget(now_us)
                self._forgot_us = now_us
            visit = self._visits[track] = self._begun(place, now_us) if inside else _Visit(now_us)
        visit.seen_us = now_us
        if not inside:
            visit.came_in = True
            return visit
        if visit.inside_at_us is None or now_us - visit.inside_at_us > _BREAK_US:
            visit.inside_from_us, visit.counted = now_us, False
        visit.inside_at_us = now_us
        visit.x, visit.y, visit.tall = place
        self._inside_last.pop(track, None)
        self._inside_last[track] = visit
        return visit

    def _why_not_yet(self, visit: _Visit, now_us: int) -> Refusal | None:
        """Why a visit does not count yet, as far as it decides it."""
        if self._fires == "entry":
            return None if visit.came_in else "entry"
        return None if now_us - visit.inside_from_us >= self._loiter_us else "loiter_s"

    def _begun(self, place: list[float], now_us: int) -> _Visit:
        """The visit of a track that begins inside: who was there just now, as near as they are tall, is followed on as another, or was
        two who part."""
        x, y, tall = place
        for other in reversed(self._inside_last.values()):
            if other.inside_at_us is None or now_us - other.inside_at_us > _BREAK_US:
                break
            if math.hypot(other.x - x, other.y - y) <= max(_NEAR_CELLS, other.tall, tall):
                return replace(other)
        return _Visit(now_us)

    def _forget(self, now_us: int) -> None:
        self._visits = {track: visit for track, visit in self._visits.items() if now_us - visit.seen_us <= _FORGET_US}
        self._inside_last = {track: visit for track, visit in self._inside_last.items() if track in self._visits}


def _of_who_enters(tracks: NDArray[np.int64], inside: NDArray[np.bool_]) -> NDArray[np.int64]:
    """The sights of tracks that are inside in any of them, in their order, and the last of each other track, which may enter later."""
    known = tracks >= 0
    looked = known & np.isin(tracks, tracks[known & inside])
    _, last = np.unique(tracks[::-1], return_index=True)
    looked[len(tracks) - 1 - last] = True
    return np.flatnonzero(looked & known)
