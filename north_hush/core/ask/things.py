"""What was left and taken, kept beside the evidence: pictures are decoded once for a place, and asked again it is there at once."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from north_hush.core.ask.bodies import beside, bodies_of, box_means, hide
from north_hush.core.ask.look import Look
from north_hush.core.ask.moves import Answer
from north_hush.core.ask.question import Question
from north_hush.core.ask.settled import Thing
from north_hush.core.ask.settling import joined_runs, steadily
from north_hush.core.ask.views import Views, evened
from north_hush.core.ask.visits import tread, usual_open
from north_hush.core.ask.windows import things_in_windows
from north_hush.core.follow.apart import Apart
from north_hush.core.follow.tracks import SIGHT_FIELDS
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.kept import Keeping, find_kept
from north_hush.core.footage.luma import compile_planes
from north_hush.core.grid import Grid
from north_hush.core.scene.items import Privacy

_RULES = 4
"""Raise when a rule changes that things are told by."""
_COLUMNS = 7
_NOBODY = -1
_FLOAT = np.dtype(np.float64)


def left_or_taken(
    question: Question,
    evidence: Evidence,
    privacy: tuple[Privacy, ...],
    tracks: Callable[[], Apart],
    kinds: Callable[[], Mapping[int, tuple[str, float]]],
    look: Callable[[], Look],
) -> Iterator[list[Answer]]:
    """Answers of a question about things, stretch by stretch, with who was there then; tracks and pictures are asked for where it was
    not asked before."""
    what = f"things {_RULES} {question.place} {question.least_s} {privacy}"
    kept = find_kept(evidence.folder, what, (None, _COLUMNS), _FLOAT)
    if kept is not None:
        yield _of_kind(question, _read(kept), kinds)
        return
    found: list[Thing] = []
    for things in things_in_windows(question, evidence, tracks(), look):
        found += things
        yield _of_kind(question, things, kinds)
    if evidence.whole:
        keeping = Keeping(evidence.folder, what, (len(found), _COLUMNS), _FLOAT)
        for row, thing in enumerate(found):
            held = thing.answer
            who = _NOBODY if held.track is None else held.track
            keeping.array[row] = thing.left, held.start_s, held.end_s, held.sure, held.before_s, held.after_s, who
        keeping.finish()


def _read(kept: NDArray[np.float64]) -> list[Thing]:
    return [
        Thing(bool(left), Answer(start_s, end_s, sure, before_s, after_s, None if who == _NOBODY else int(who)))
        for left, start_s, end_s, sure, before_s, after_s, who in kept.tolist()
    ]


def _of_kind(
    question: Question, things: list[Thing], kinds: Callable[[], Mapping[int, tuple[str, float]]]
) -> list[Answer]:
    """Those that were left, or taken, each with what it was that was there."""
    wanted = [thing.answer for thing in things if thing.left == (question.kind == "left")]
    names = kinds() if any(one.track is not None for one in wanted) else {}
    told = ((one, names.get(_NOBODY if one.track is None else one.track)) for one in wanted)
    return [one if known is None else replace(one, kind=known[0]) for one, known in told]


def compile_things() -> None:
    """Look at a few tiny pictures and cells: a process that is confined afterwards has the compiled code by then."""
    compile_planes()
    pictures = np.full((3, 8, 8), 90.0)
    Views(*evened(pictures, pictures + 1)).thing()
    steady = steadily(np.zeros((2, 4), np.uint8), 1, 2, 1)
    joined_runs(steady, np.arange(2), 1, 2)
    grid, sights, values = Grid(32, 16), np.zeros((1, SIGHT_FIELDS)), np.zeros((1, 2), np.uint8)
    beside(sights, np.ones((1, 1), bool))
    hide(np.zeros(2, np.bool_), sights, 0.0, 1.0, 0.0, 1.0)
    box_means(values[None], sights, 0)
    usual_open(values, bodies_of([sights], grid, 2), np.ones(2, np.bool_), np.arange(1), 0)
    tread(np.zeros((grid.rows, grid.columns), np.bool_), sights)
