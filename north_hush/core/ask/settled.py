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

from north_hush.core.ask.bodies import beside, bodies_of, moving, stirring, together
from north_hush.core.ask.look import Box, Cut, Look
from north_hush.core.ask.moves import Answer
from north_hush.core.ask.question import Question, cells_of
from north_hush.core.ask.settling import changes
from north_hush.core.ask.views import PIXELS_LEAST, Views, evened
from north_hush.core.ask.visits import CAME_CELLS, Change, sighted, visited
from north_hush.core.follow.tracks import FOOT, FRAME, NET, X
from north_hush.core.footage.evidence import Evidence
from north_hush.core.grid import Grid

_LOOKS, _LOOKS_AFTER = 7, 5
"""So many pictures before, and after: there they are spread over longer, and key frames are near."""
_KEYS_LEAST, _KEY_EVERY_S, _KEYS_S, _KEYS_MOST_S = 3, 2.0, 30.0, 60.0
"""Key frames before and after, one in so long at most, tell whether a place may hold another thing at all. They cost a tenth of what
other frames do, and all places share them. Of what lies for as long as is asked they must show enough: so long of what can be seen,
from so long at most. Where there are fewer than so many, others that are decoded soon stand beside them."""
_BEFORE_S, _AFTER_S, _LAG_S, _LASTS_S, _KNOWN_S = 8.0, 20.0, 1.0, 6.0, 3.0
"""Over so long they are spread; what settles lags behind what happened, and is seen for so long at least; and before it for so long,
or nobody knows what the place does by itself."""
_NEAR_S, _SETTLES_S = 12.0, 3.0
"""Somebody was there so shortly before; a patch is first told up to so long before it is seen."""
_SAME_S, _WAITS_SHARE = 6.0, 0.25
ROOM_S = 150.0
"""Nothing that is further away tells anything of a patch."""
_STILL_S = 4.0
"""A track that stands for so long is a thing, or somebody who stirs."""
_MARGIN_CELLS = 2
_TELLS, _TELLS_MOST = 0.15, 1.5
"""Of the edges of the change so many more must be in the one picture than in the other; where there are many more than the change has,
both pictures changed."""


@dataclass(frozen=True, eq=False)
class _Place:
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


@dataclass(frozen=True)
class Thing:
    """Something that was left, or else taken, and the answer it is."""

    left: bool
    answer: Answer


def settled_things(
    question: Question,
    evidence: Evidence,
    tracks: Sequence[NDArray[np.float64]],
    look: Look,
    between: tuple[int, int] | None = None,
) -> list[Thing]:
    """Things that were left and that were taken at the place of a question, in the order of time: who looks for the one has found the
    other.

    Parameters
    ----------
    between : the first frame that is asked for and the one after the last, None for all: what came or went in others is told only
        where it is about then
    """
    time_s = evidence.time_us / 1e6
    seen, found, known = sighted(evidence), list[Thing](), list[Change]()
    places = _places(question, evidence, tracks, seen)
    if between is not None:
        room = round(_SAME_S * 1e6 / max(1, evidence.usual_us))  # pieces of one change may lie on either side
        places = [held for held in places if held.span[0] < between[1] + room and held.span[1] >= between[0] - room]
    for stage in (_Place.soonest, _Place.sooner):  # most end here, and the pictures before are dearest
        look.prepare(row for place in places for part in stage(place) for row in part)
        places = [place for place in places if _may_differ(place, stage(place), look, evidence.grid)]
    first = _first_of_each(places, evidence)
    for group in (first, [place for place in places if place not in first]):
        left = [place for place in group if not _among(place, known, evidence)]
        look.prepare(row for place in left for part in place.rows for row in part)
        for place in left:
            thing = None if _among(place, known, evidence) else _thing(place, evidence, tracks, seen, look)
            if thing is None:
                continue
            known.append(place.change)
            side, moment = thing
            end, sure = max(place.change.last, moment), min(1.0, 0.5 + 0.5 * abs(side))
            start_s, end_s, before_s, after_s = time_s[[moment, end, *place.span]].tolist()
            found.append(Thing(side > 0, Answer(start_s, end_s, sure, before_s, after_s)))
    return sorted(found, key=lambda one: one.answer.start_s)


def _first_of_each(places: Sequence[_Place], evidence: Evidence) -> list[_Place]:
    """Of places that are pieces of one change the first: where it is a thing the others need not be looked at."""
    first: list[_Place] = []
    for place in places:
        if not _among(place, [other.change for other in first], evidence):
            first.append(place)
    return first


def _among(place: _Place, changes: Sequence[Change], evidence: Evidence) -> bool:
    return any(_same(place.change, other, evidence) for other in changes)


def _thing(
    place: _Place, evidence: Evidence, tracks: Sequence[NDArray[np.float64]], seen: NDArray[np.bool_], look: Look
) -> tuple[float, int] | None:
    """Whether a thing came or went at a place: about 1 where it came, -1 where it went, and the frame; None where there is none."""
    cut = partial(look, box=_box_of(place.change, evidence.grid))
    views = _views(place.rows, cut)
    thing = views.thing()
    if thing.sum() < PIXELS_LEAST or not views.stays(thing) or not views.covers(thing):
        return None
    side = views.is_left(thing)
    if not _TELLS <= abs(side) <= _TELLS_MOST:
        return None
    stood = _without(place.change, tracks, place.rows, left=side > 0)
    if not _is_thing(views, thing, stood, seen & ~place.hidden, cut, left=side > 0):
        return None
    return side, _moment(views, thing, place, since_key(evidence), cut)


def _places(
    question: Question, evidence: Evidence, tracks: Sequence[NDArray[np.float64]], seen: NDArray[np.bool_]
) -> list[_Place]:
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


def _may_differ(place: _Place, rows: tuple[list[int], list[int]], look: Look, grid: Grid) -> bool:
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


def _hidden(
    change: Change, sights: NDArray[np.float64], evidence: Evidence, first: int, after: int
) -> NDArray[np.bool_]:
    """In which of some frames somebody stands before a patch, (frames,) bool of all; `sights` in the order of frames."""
    hidden = np.zeros(len(evidence.frames), bool)
    near = sights[slice(*np.searchsorted(sights[:, FRAME], (first, after)))]
    hidden[near[beside(near, change.cells), FRAME].astype(int)] = True
    return hidden


def _near(change: Change, evidence: Evidence) -> tuple[int, int]:
    """The first frame that is looked at for a patch, and the one after the last."""
    room = round(ROOM_S * 1e6 / max(1, evidence.usual_us))
    return max(0, change.first - room), min(len(evidence.frames), change.first + room)


def _somebody_near(change: Change, last: int, came: NDArray[np.float64], evidence: Evidence) -> bool:
    """Whether anybody who comes or goes was at the patch shortly before a frame, or in it: things do not come and go by themselves."""
    around = round(_NEAR_S * 1e6 / max(1, evidence.usual_us))
    return bool(_hidden(change, came, evidence, max(0, last - around), last + 1).any())


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
) -> _Place | None:
    """A patch with the frames before and after in which it is seen; None where there are too few."""
    a_second = 1e6 / max(1, evidence.usual_us)
    first, after_last = _near(change, evidence)
    open_ = np.zeros(len(seen), bool)
    open_[first:after_last] = (seen & ~hidden)[first:after_last]
    lag = round(_LAG_S * a_second)
    before = np.flatnonzero(open_[: max(0, change.first - lag)])[-round(_BEFORE_S * a_second) :]
    start = change.first + lag
    after = np.flatnonzero(open_[start : start + round(_AFTER_S * a_second)]) + start
    if len(before) < max(_LOOKS, _KNOWN_S * a_second) or len(after) < max(_LOOKS, _LASTS_S * a_second):
        return None
    near, most = round(_KEYS_S * a_second), round(_KEYS_MOST_S * a_second)
    earlier = np.flatnonzero(open_[: before[-1] + 1])[-near:]
    later = np.flatnonzero(open_[after[0] : after[0] + most])[:near] + after[0]
    earlier, later = earlier[keys.needed[earlier] & (earlier > before[-1] - most)], later[keys.needed[later]]
    nearest = earlier[-_LOOKS:].tolist(), later[:_LOOKS].tolist()
    rows = _spread(before, keys.since, _LOOKS), _spread(after, keys.since, _LOOKS_AFTER)
    quick = keys.soonest(nearest[0], rows[0]), keys.soonest(nearest[1], rows[1])
    return _Place(change, hidden, quick, rows)


def _spread(rows: NDArray[np.int64], since_key: NDArray[np.int64], looks: int) -> list[int]:
    """Some of them, evenly spread, of each part that which is decoded soonest."""
    return [int(part[since_key[part].argmin()]) for part in np.array_split(rows, looks)]


def _moment(views: Views, thing: NDArray[np.bool_], place: _Place, since_key: NDArray[np.int64], look: Cut) -> int:
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
