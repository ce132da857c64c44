"""What was left and what was taken: places that changed and stayed so, told apart by the pixels before and after.

The *settle* channel holds what a fast background has taken over and a slow one has not yet. A patch of it that lasts while nobody
stands there is a thing that came or went. Which of the two, the outline says: where a thing lies, edges run along it.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from north_hush.core.ask.bodies import beside
from north_hush.core.ask.look import Box, Cut, Look
from north_hush.core.ask.moves import Answer
from north_hush.core.ask.places import NEAR_S, Place, places_of, since_key
from north_hush.core.ask.question import Question
from north_hush.core.ask.views import PIXELS_LEAST, Views, evened
from north_hush.core.ask.visits import CAME_CELLS, Change, sighted
from north_hush.core.follow.tracks import FOOT, FRAME, NET, TRACK, X
from north_hush.core.footage.evidence import Evidence
from north_hush.core.grid import Grid

_SAME_S, _WAITS_SHARE = 6.0, 0.25
"""Pieces of one change begin so soon after one another; and a track that is in so many of the pictures stood there."""
_MARGIN_CELLS = 2
_TOUCHES_PX = 2
"""Pieces of a thing lie so near to each other: its rim is blurred."""
_SLIVER = 4
"""One over this of a thing is no other thing."""
_TELLS, _TELLS_MOST = 0.15, 1.5
"""Of the edges of the change so many more must be in the one picture than in the other; where there are many more than the change has,
both pictures changed."""


@dataclass(frozen=True)
class Thing:
    """Something that was left, or else taken, and the answer it is."""

    left: bool
    answer: Answer


@dataclass(frozen=True, eq=False)
class _Found:
    """A thing at a place: about 1 where it came, -1 where it went, the frame, and its pixels on the whole analysis plane, bool."""

    place: Place
    side: float
    moment: int
    pixels: NDArray[np.bool_]

    def told(self, stretch: Stretch) -> Thing:
        end, sure = max(self.place.change.last, self.moment), min(1.0, 0.5 + 0.5 * abs(self.side))
        rows = [self.moment, end, *self.place.span]
        start_s, end_s, before_s, after_s = (stretch.evidence.time_us[rows] / 1e6).tolist()
        who = stretch.who_was_at(self.place.change, self.moment)
        return Thing(self.side > 0, Answer(start_s, end_s, sure, before_s, after_s, who))

    def is_of(self, other: _Found, room: int) -> bool:
        """Whether it is a piece of another, at whose rim its place lies: they changed within some frames, and they touch. A sliver that
        seems to have come where something large went, or gone where it came, is its rim too."""
        (first, last), (other_first, other_last) = self.place.span, other.place.span
        opposite = (self.side > 0) != (other.side > 0)
        if opposite and self.pixels.sum() * _SLIVER > other.pixels.sum():
            return False
        if first > other_last + room or other_first > last + room:
            return False
        return bool((ndimage.binary_dilation(other.pixels, iterations=_TOUCHES_PX) & self.pixels).any())


@dataclass(frozen=True, eq=False)
class Stretch:
    """What evidence and tracks tell of a stretch, before any picture is looked at."""

    evidence: Evidence
    tracks: Sequence[NDArray[np.float64]]
    seen: NDArray[np.bool_]
    places: list[Place]

    @classmethod
    def of(cls, question: Question, evidence: Evidence, tracks: Sequence[NDArray[np.float64]]) -> Stretch:
        """With the places where a thing may have come or gone at the place of a question."""
        seen = sighted(evidence)
        return cls(evidence, tracks, seen, places_of(question, evidence, tracks, seen))

    def who_was_at(self, change: Change, moment: int) -> int | None:
        """The track of who had come from elsewhere and was at a patch last, or still is, when it was another; None where nobody was
        shortly before."""
        latest, who = moment - round(NEAR_S * 1e6 / max(1, self.evidence.usual_us)), None
        for sights in self.tracks:
            if sights[0, FRAME] > moment or sights[-1, FRAME] < latest or sights[:, NET].max() < CAME_CELLS:
                continue
            there = sights[beside(sights, change.cells) & (sights[:, FRAME] <= moment), FRAME]
            if len(there) and there[-1] >= latest:
                latest, who = int(there[-1]), int(sights[0, TRACK])
        return who


def settled_things(stretch: Stretch, look: Look, between: tuple[int, int] | None = None) -> list[Thing]:
    """Things that were left and that were taken, in the order of time: who looks for the one has found the other.

    Parameters
    ----------
    between : the first frame that is asked for and the one after the last, None for all: what came or went in others is told only
        where it is about then
    """
    evidence, places, found, known = stretch.evidence, stretch.places, list[_Found](), list[Change]()
    room = round(_SAME_S * 1e6 / max(1, evidence.usual_us))
    if between is not None:  # pieces of one change may lie on either side
        places = [held for held in places if held.span[0] < between[1] + room and held.span[1] >= between[0] - room]
    for stage in (Place.soonest, Place.sooner):  # most end here, and the pictures before are dearest
        look.prepare(row for place in places for part in stage(place) for row in part)
        places = [place for place in places if _may_differ(place, stage(place), look, evidence.grid)]
    first = _first_of_each(places, evidence)
    for group in (first, [place for place in places if place not in first]):
        left = [place for place in group if not _among(place, known, evidence)]
        look.prepare(row for place in left for part in place.rows for row in part)
        for place in left:
            thing = None if _among(place, known, evidence) else _thing(place, stretch, look)
            if thing is not None:
                known.append(place.change)
                found.append(thing)
    return sorted((one.told(stretch) for one in _each_once(found, room)), key=lambda one: one.answer.start_s)


def _first_of_each(places: Sequence[Place], evidence: Evidence) -> list[Place]:
    """Of places that are pieces of one change the first: where it is a thing the others need not be looked at."""
    first: list[Place] = []
    for place in places:
        if not _among(place, [other.change for other in first], evidence):
            first.append(place)
    return first


def _among(place: Place, changes: Sequence[Change], evidence: Evidence) -> bool:
    return any(_same(place.change, other, evidence) for other in changes)


def _each_once(found: Sequence[_Found], room: int) -> list[_Found]:
    """The largest piece of each thing."""
    kept: list[_Found] = []
    for one in sorted(found, key=lambda one: -int(one.pixels.sum())):
        if not any(one.is_of(other, room) for other in kept):
            kept.append(one)
    return kept


def _thing(place: Place, stretch: Stretch, look: Look) -> _Found | None:
    """The thing that came or went at a place; None where there is none."""
    grid = stretch.evidence.grid
    box = _box_of(place.change, grid)
    cut = partial(look, box=box)
    views = _views(place.rows, cut)
    thing = views.thing()
    if thing.sum() < PIXELS_LEAST or not views.stays(thing) or not views.covers(thing):
        return None
    side = views.is_left(thing)
    if not _TELLS <= abs(side) <= _TELLS_MOST:
        return None
    stood = _without(place.change, stretch.tracks, place.rows, left=side > 0)
    if not _is_thing(views, thing, stood, stretch.seen & ~place.hidden, cut, left=side > 0):
        return None
    pixels = np.zeros((grid.plane_height, grid.plane_width), bool)
    pixels[box] = thing
    return _Found(place, side, _moment(views, thing, place, since_key(stretch.evidence), cut), pixels)


def _may_differ(place: Place, rows: tuple[list[int], list[int]], look: Look, grid: Grid) -> bool:
    """Whether some pictures before and after let it be another thing."""
    soon = sum(row <= place.rows[1][-1] for row in rows[1])
    return _views(rows, partial(look, box=_box_of(place.change, grid))).may_differ(soon)


def _views(rows: Iterable[Sequence[int]], cut: Cut) -> Views:
    return Views(*evened(*(np.stack([cut(row) for row in part]) for part in rows)))


def _same(change: Change, other: Change, evidence: Evidence) -> bool:
    """Whether two patches are pieces of one change: they touch, and began together."""
    if abs(change.first - other.first) * evidence.usual_us >= _SAME_S * 1e6:
        return False
    return bool((ndimage.binary_dilation(other.cells) & change.cells).any())


def _box_of(change: Change, grid: Grid) -> Box:
    """The rows and columns of the analysis plane around a patch."""
    rows, columns = np.nonzero(change.cells)
    side, margin = grid.cell_px, _MARGIN_CELLS
    top, bottom = max(0, rows.min() - margin) * side, (rows.max() + 1 + margin) * side
    left, right = max(0, columns.min() - margin) * side, (columns.max() + 1 + margin) * side
    return slice(top, min(bottom, grid.plane_height)), slice(left, min(right, grid.plane_width))


def _without(
    change: Change, tracks: Sequence[NDArray[np.float64]], rows: tuple[list[int], list[int]], *, left: bool
) -> list[int]:
    """Frames that tell a thing from somebody who stood there: where a track stands at the patch, or beside it, in the pictures that
    show it (a shadow is no part of his box), the first frame after it went on, or of what seems taken the last before it came. A
    thing that was followed is taken over by who passes, so that only the picture itself can tell."""
    shown, found = rows[1] if left else rows[0], list[int]()
    for sights in tracks:
        if sights[-1, FRAME] < shown[0] or sights[0, FRAME] > shown[-1]:
            continue
        there = sights[beside(sights, change.cells) & np.isin(sights[:, FRAME], shown)]
        if len(there) < _WAITS_SHARE * len(shown):
            continue
        others = sights[sights[:, FRAME] > there[-1, FRAME]] if left else sights[sights[:, FRAME] < there[0, FRAME]]
        others = others[~beside(others, change.cells)]
        away = others[np.hypot(others[:, X] - there[0, X], others[:, FOOT] - there[0, FOOT]) >= CAME_CELLS]
        if len(away):
            found.append(int(away[0, FRAME] if left else away[-1, FRAME]))
    return found


def _is_thing(
    views: Views, thing: NDArray[np.bool_], frames: Sequence[int], open_: NDArray[np.bool_], look: Cut, *, left: bool
) -> bool:
    """Whether the picture without whoever stood there still shows the thing; where none can be seen it is not believed."""
    was, is_ = (picture[thing] for picture in views.usual)
    for frame in frames:
        seen = np.flatnonzero(open_[frame:])[:1] + frame if left else np.flatnonzero(open_[: frame + 1])[-1:]
        if not len(seen):
            return False
        now = look(int(seen[0]))[thing]
        nearer_after = np.abs(now - is_).mean() < np.abs(now - was).mean()
        if nearer_after != left:
            return False
    return True


def _moment(views: Views, thing: NDArray[np.bool_], place: Place, since_key: NDArray[np.int64], look: Cut) -> int:
    """The first frame in which the place is seen as it is after, found by parting: about the middle, where it is decoded soonest."""
    was, is_ = (picture[thing] for picture in views.usual)
    first, last = place.span
    seen = np.flatnonzero(~place.hidden[first : last + 1]) + first
    low, high = 0, len(seen) - 1
    while low < high:
        quarter = (high - low) // 4
        middle = low + quarter + int(since_key[seen[low + quarter : high - quarter]].argmin())
        now = look(int(seen[middle]))[thing]
        if np.abs(now - is_).mean() < np.abs(now - was).mean():
            high = middle
        else:
            low = middle + 1
    return int(seen[low])
