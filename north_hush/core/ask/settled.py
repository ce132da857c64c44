"""What was left and what was taken: places that changed and stayed so, told apart by the pixels before and after.

The *settle* channel holds what a fast background has taken over and a slow one has not yet. A patch of it that lasts while nobody
stands there is a thing that came or went. Which of the two, the outline says: where a thing lies, edges run along it.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from north_hush.core.ask.moves import Answer
from north_hush.core.ask.question import Question, cells_of
from north_hush.core.ask.views import Cut, Look, Views, evened
from north_hush.core.ask.visits import (
    BODY_MARGIN_CELLS,
    CAME_CELLS,
    CELLS_LEAST,
    CELLS_MOST_SHARE,
    Change,
    sighted,
    visited,
)
from north_hush.core.follow.tracks import FOOT, FRAME, LEFT, NET, RIGHT, TOP, X
from north_hush.core.footage.differences import CELL_SCALE
from north_hush.core.footage.evidence import Evidence
from north_hush.core.grid import Grid

_LIMITS_GREY = (6.0, 12.0, 24.0)
"""A thing over which a cloud's shadow goes is one patch with it at the lowest limit, and by itself at a higher one."""
_STEADY_SHARE = 0.8
"""In so many frames of its least time a cell must be over the limit."""
_LOOKS = 7
"""So many pictures before and after."""
_BEFORE_S, _AFTER_S, _LAG_S, _LASTS_S, _KNOWN_S = 8.0, 20.0, 1.0, 6.0, 3.0
"""Over so long they are spread; what settles lags behind what happened, and is seen for so long at least; and before it for so long,
or nobody knows what the place does by itself."""
_NEAR_S, _SETTLES_S = 12.0, 3.0
"""Somebody was there so shortly before; a patch is first told up to so long before it is seen."""
_SAME_S, _WAITS_SHARE = 6.0, 0.25
_PIXELS_LEAST = 8
_STILL_CELLS, _STILL_S = 1.5, 4.0
"""A track whose box stays within so many cells for so long stands."""
_STIRS_GREY, _STIRS_S = 0.5, 1.0
"""Where somebody is, the cells of his box change by so much on average in some frame within so long."""
_MARGIN_CELLS = 2
_TELLS, _TELLS_MOST = 0.2, 1.5
"""Of the edges of the change so many more must be in the one picture than in the other; where there are many more than the change has,
both pictures changed."""


def changes(
    evidence: Evidence,
    place: NDArray[np.bool_],
    bodies: NDArray[np.bool_],
    seen: NDArray[np.bool_],
    least_s: float,
) -> list[Change]:
    """Patches in a place that stay changed for a while with nobody in them, by the frame they settled in; see `visited`."""
    grid, frames = evidence.grid, len(evidence.frames)
    if frames == 0:
        return []
    rate = 1e6 / max(1, evidence.usual_us)
    window = max(2, round(least_s * rate))
    cells = np.flatnonzero(place.ravel())
    settles = np.concatenate([values[cells] for _, values in evidence.blocks("settle")], axis=1)
    settles[~seen[None, :] | bodies[cells]] = 0
    found = []
    for limit in _LIMITS_GREY:
        over = (settles >= limit * CELL_SCALE).astype(np.float32)
        volume = np.zeros((grid.rows, grid.columns, frames), bool)
        volume.reshape(-1, frames)[cells] = (
            ndimage.uniform_filter1d(over, window, axis=1, mode="constant") >= _STEADY_SHARE
        )
        found += _patches(volume, window, least_s, evidence)
    return found


def _patches(volume: NDArray[np.bool_], window: int, least_s: float, evidence: Evidence) -> list[Change]:
    """Connected pieces of (rows, columns, frames) that are no larger than things, and last."""
    grid, frames = evidence.grid, volume.shape[2]
    labels, _ = ndimage.label(volume, structure=np.ones((3, 3, 3), bool))
    found = []
    for number, part in enumerate(ndimage.find_objects(labels), 1):
        held = labels[part] == number
        once = held.any(axis=2)
        if once.sum() < CELLS_LEAST or once.sum() > CELLS_MOST_SHARE * grid.cells:
            continue
        first, last = part[2].start, part[2].stop - 1
        if (last - first + 1) * evidence.usual_us / 1e6 < 0.5 * least_s:
            continue
        whole = np.zeros((grid.rows, grid.columns), bool)
        whole[part[0], part[1]] = once
        found.append(Change(max(0, first - window // 2), min(frames - 1, last + window // 2), whole))
    return found


def moving(sights: NDArray[np.float64], frames_around: int) -> NDArray[np.float64]:
    """The sights in which a track goes on or changes its size. A thing that was put down is followed too, and stands; so does somebody
    who waits, but not for long without a stir."""
    shape = sights[:, [X, FOOT, LEFT, RIGHT, TOP]]
    spread = ndimage.maximum_filter1d(shape, frames_around, axis=0) - ndimage.minimum_filter1d(
        shape, frames_around, axis=0
    )
    return np.asarray(sights[(spread > _STILL_CELLS).any(axis=1)])


def stirring(sights: NDArray[np.float64], evidence: Evidence) -> NDArray[np.float64]:
    """The sights of a track in whose box anything changes from frame to frame, or shortly before or after. Where a thing was taken its
    place is followed on, and its box comes and goes at its rim; but there nothing stirs."""
    if len(sights) == 0:
        return sights
    grid, first = evidence.grid, int(sights[0, FRAME])
    step = evidence.values("step", first, int(sights[-1, FRAME]) + 1).reshape(grid.rows, grid.columns, -1)
    left, right = (np.clip(sights[:, side], 0, grid.columns - 1).astype(int) for side in (LEFT, RIGHT))
    top, foot = (np.clip(sights[:, side], 0, grid.rows - 1).astype(int) for side in (TOP, FOOT))
    frames = sights[:, FRAME].astype(int) - first
    boxes = zip(top.tolist(), foot.tolist(), left.tolist(), right.tolist(), frames.tolist(), strict=True)
    stirs = np.array([step[up : down + 1, west : east + 1, at].mean() for up, down, west, east, at in boxes])
    around = 2 * round(_STIRS_S * 1e6 / max(1, evidence.usual_us)) + 1
    return np.asarray(sights[ndimage.maximum_filter1d(stirs, around) >= _STIRS_GREY * CELL_SCALE])


def _bodies(tracks: Sequence[NDArray[np.float64]], grid: Grid, frames: int) -> NDArray[np.bool_]:
    """Where somebody who is followed is, (cells, frames) bool."""
    held = np.zeros((grid.rows, grid.columns, frames), bool)
    for sights in tracks:
        for frame, left, right, top, foot in sights[:, [FRAME, LEFT, RIGHT, TOP, FOOT]].tolist():
            rows = slice(max(0, int(top - BODY_MARGIN_CELLS)), int(foot + BODY_MARGIN_CELLS) + 1)
            columns = slice(max(0, int(left - BODY_MARGIN_CELLS)), int(right + BODY_MARGIN_CELLS) + 1)
            held[rows, columns, int(frame)] = True
    return held.reshape(grid.cells, frames)


def settled_answers(
    question: Question, evidence: Evidence, tracks: Sequence[NDArray[np.float64]], look: Look
) -> list[Answer]:
    """Things that were left, or taken, as the question asks, in the order of time."""
    place = cells_of(question.place, evidence.grid)
    time_s = evidence.time_us / 1e6
    still = max(2, round(_STILL_S * 1e6 / max(1, evidence.usual_us)))
    followed = tracks
    tracks = [held for sights in followed if len(held := stirring(moving(sights, still), evidence))]
    found: list[Answer] = []
    known: list[Change] = []
    seen, bodies = sighted(evidence), _bodies(tracks, evidence.grid, len(evidence.frames))
    candidates = [
        *changes(evidence, place, bodies, seen, question.least_s),
        *visited(evidence, tracks, place, bodies, seen),
    ]
    shown, settles = [], round(_SETTLES_S * 1e6 / max(1, evidence.usual_us))
    for change in sorted(candidates, key=lambda held: held.first):
        hidden = _hidden(change, tracks, len(evidence.frames))
        rows = _visible(change, hidden, evidence, seen)
        if rows is not None and _somebody_near(change, change.first + settles, tracks, evidence):
            shown.append((change, hidden, rows))
    look.prepare(row for _, _, rows in shown for part in rows for row in part)
    for change, hidden, rows in shown:
        if any(_same(change, other, evidence) for other in known):
            continue
        cut = partial(_cut, look, _box_of(change, evidence.grid))
        views = Views(*evened(*(np.stack([cut(row) for row in part]) for part in rows)))
        thing = views.thing()
        if thing.sum() < _PIXELS_LEAST or not views.stays(thing) or not views.covers(thing):
            continue
        side = views.is_left(thing)
        stood = _without(change, followed, rows, left=side > 0)
        if not _TELLS <= abs(side) <= _TELLS_MOST or not _is_thing(
            views, thing, stood, seen & ~hidden, cut, left=side > 0
        ):
            continue
        moment = _moment(views, thing, rows, hidden, cut)
        known.append(change)
        if (side > 0) == (question.kind == "left"):
            end = max(change.last, moment)
            sure = min(1.0, 0.5 + 0.5 * abs(side))
            start_s, end_s, before_s, after_s = time_s[[moment, end, rows[0][-1], rows[1][0]]].tolist()
            found.append(Answer(start_s, end_s, sure, before_s, after_s))
    return sorted(found, key=lambda one: one.start_s)


def _cut(look: Look, box: tuple[slice, slice], row: int) -> NDArray[np.float64]:
    return look(row)[box]


def _same(change: Change, other: Change, evidence: Evidence) -> bool:
    """Whether two patches are pieces of one change: they touch, and began together."""
    near = ndimage.binary_dilation(other.cells) & change.cells
    return bool(near.any()) and abs(change.first - other.first) * evidence.usual_us < _SAME_S * 1e6


def _box_of(change: Change, grid: Grid) -> tuple[slice, slice]:
    """The rows and columns of the analysis plane around a patch."""
    rows, columns = np.nonzero(change.cells)
    side, margin = grid.cell_px, _MARGIN_CELLS
    top, bottom = max(0, rows.min() - margin) * side, (rows.max() + 1 + margin) * side
    left, right = max(0, columns.min() - margin) * side, (columns.max() + 1 + margin) * side
    return slice(top, min(bottom, grid.plane_height)), slice(left, min(right, grid.plane_width))


def _beside(sights: NDArray[np.float64], cells: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """In which of its sights a track's box touches the one round some cells, (sights,) bool."""
    down, across = np.nonzero(cells)
    return np.asarray(
        (sights[:, LEFT] <= across.max() + 1 + BODY_MARGIN_CELLS) & (sights[:, RIGHT] >= across.min() - BODY_MARGIN_CELLS)
        & (sights[:, TOP] <= down.max() + 1 + BODY_MARGIN_CELLS) & (sights[:, FOOT] >= down.min() - BODY_MARGIN_CELLS)
    )  # fmt: skip


def _hidden(change: Change, tracks: Sequence[NDArray[np.float64]], frames: int) -> NDArray[np.bool_]:
    """In which frames somebody stands before a patch."""
    hidden = np.zeros(frames, bool)
    for sights in tracks:
        hidden[sights[_beside(sights, change.cells), FRAME].astype(int)] = True
    return hidden


def _somebody_near(change: Change, last: int, tracks: Sequence[NDArray[np.float64]], evidence: Evidence) -> bool:
    """Whether anybody who comes or goes was at the patch shortly before a frame, or in it: things do not come and go by themselves."""
    around = round(_NEAR_S * 1e6 / max(1, evidence.usual_us))
    came = [sights for sights in tracks if sights[:, NET].max() >= CAME_CELLS]
    hidden = _hidden(change, came, len(evidence.frames))
    return bool(hidden[max(0, last - around) : last + 1].any())


def _without(
    change: Change, tracks: Sequence[NDArray[np.float64]], rows: tuple[list[int], list[int]], *, left: bool
) -> list[int]:
    """Frames that tell a thing from somebody who stood there: where a track stands at the patch, or beside it, in the pictures that
    show it (a shadow is no part of his box), the first frame after it went on, or of what seems taken the last before it came. A
    thing that was followed is taken over by who passes, so that only the picture itself can tell."""
    shown, found = rows[1] if left else rows[0], list[int]()
    for sights in tracks:
        there = sights[_beside(sights, change.cells) & np.isin(sights[:, FRAME], shown)]
        if len(there) < _WAITS_SHARE * len(shown):
            continue
        others = sights[sights[:, FRAME] > there[-1, FRAME]] if left else sights[sights[:, FRAME] < there[0, FRAME]]
        others = others[~_beside(others, change.cells)]
        away = others[np.hypot(others[:, X] - there[0, X], others[:, FOOT] - there[0, FOOT]) >= CAME_CELLS]
        if len(away):
            found.append(int(away[0, FRAME] if left else away[-1, FRAME]))
    return found


def _is_thing(
    views: Views, thing: NDArray[np.bool_], frames: Sequence[int], open_: NDArray[np.bool_], look: Cut, *, left: bool
) -> bool:
    """Whether the picture without whoever stood there still shows the thing; where none can be seen it is not believed."""
    was, is_ = (np.median(pictures, axis=0)[thing] for pictures in (views.before, views.after))
    for frame in frames:
        seen = np.flatnonzero(open_[frame:])[:1] + frame if left else np.flatnonzero(open_[: frame + 1])[-1:]
        if not len(seen):
            return False
        now = look(int(seen[0]))[thing]
        nearer_after = np.abs(now - is_).mean() < np.abs(now - was).mean()
        if nearer_after != left:
            return False
    return True


def _visible(
    change: Change, hidden: NDArray[np.bool_], evidence: Evidence, seen: NDArray[np.bool_]
) -> tuple[list[int], list[int]] | None:
    """Frames before and after, some of each, in which the patch is seen; None where there are too few."""
    a_second = 1e6 / max(1, evidence.usual_us)
    open_ = seen & ~hidden
    lag = round(_LAG_S * a_second)
    before = np.flatnonzero(open_[: max(0, change.first - lag)])[-round(_BEFORE_S * a_second) :]
    start = change.first + lag
    after = np.flatnonzero(open_[start : start + round(_AFTER_S * a_second)]) + start
    if len(before) < max(_LOOKS, _KNOWN_S * a_second) or len(after) < max(_LOOKS, _LASTS_S * a_second):
        return None
    picked = [part[np.linspace(0, len(part) - 1, _LOOKS).astype(int)].tolist() for part in (before, after)]
    return picked[0], picked[1]


def _moment(
    views: Views, thing: NDArray[np.bool_], rows: tuple[list[int], list[int]], hidden: NDArray[np.bool_], look: Cut
) -> int:
    """The first frame in which the place is seen as it is after, found by halving."""
    was, is_ = (np.median(pictures, axis=0)[thing] for pictures in (views.before, views.after))
    seen = [row for row in range(rows[0][-1], rows[1][0] + 1) if not hidden[row]]
    low, high = 0, len(seen) - 1
    while low < high:
        middle = (low + high) // 2
        now = look(seen[middle])[thing]
        if np.abs(now - is_).mean() < np.abs(now - was).mean():
            high = middle
        else:
            low = middle + 1
    return seen[low]
