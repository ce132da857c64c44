"""A question to footage: what, where, which way, how long."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from north_hush.core.errors import HushError
from north_hush.core.grid import Grid
from north_hush.core.scene.area import area_of, cell_shares
from north_hush.core.scene.outline import Point
from north_hush.core.site.questions import ASKED, Asked
from north_hush.core.words import tr

Kind = Asked
KINDS: tuple[Kind, ...] = ASKED
SECONDS: dict[Kind, float] = {
    "moved": 0.3,
    "passed": 0.0,
    "went": 0.0,
    "stayed": 5.0,
    "left": 4.0,
    "taken": 4.0,
    "nothing": 60.0,
}
"""How long, where a question does not say."""
_CORNERS_LEAST = 3
_WAY_LEAST_FRAC = 0.01
_INSIDE_SHARES = 8
"""Of the 16 sample points of a cell."""


@dataclass(frozen=True)
class Question:
    """What is asked. Points are fractions of the picture.

    Attributes
    ----------
    place : outline of where; of *went* where from
    to : outline of where to, for *went*
    way : tail and head of an arrow, for *passed*; None for any way
    seconds : least time of *moved*, *stayed*, *left*, *taken* and *nothing*
    """

    kind: Kind
    place: tuple[Point, ...]
    to: tuple[Point, ...] = ()
    way: tuple[Point, Point] | None = None
    seconds: float | None = None

    @property
    def least_s(self) -> float:
        """The least time."""
        return SECONDS[self.kind] if self.seconds is None else self.seconds


def checked(question: Question) -> Question:
    """The question, if it can be asked.

    Raises
    ------
    HushError : a place has too few corners or lies outside, an arrow has no length, or a time is negative.
    """
    for name, outline in (("--place", question.place), ("--to", question.to)):
        if name == "--to" and question.kind != "went":
            continue
        if len(set(outline)) < _CORNERS_LEAST:
            raise HushError(
                name, tr("has fewer than three corners."), tr("Write it as x,y;x,y;x,y in fractions of the picture.")
            )
        if not any(0 <= x <= 1 and 0 <= y <= 1 for x, y in outline):
            raise HushError(name, tr("lies outside the picture."), tr("Points run from 0,0 to 1,1."))
    if question.way is not None:
        (ax, ay), (bx, by) = question.way
        if np.hypot(bx - ax, by - ay) < _WAY_LEAST_FRAC:
            raise HushError(
                "--way", tr("is an arrow of no length."), tr("Write its tail and its head, as 0.2,0.5;0.6,0.5.")
            )
    if question.seconds is not None and question.seconds < 0:
        raise HushError("--seconds", tr("is {seconds:g}.", seconds=question.seconds), tr("Give a time from 0 on."))
    return question


def cells_of(outline: tuple[Point, ...], grid: Grid) -> NDArray[np.bool_]:
    """The cells of a place, (rows, columns) bool: those of which half lies inside, or where none does, all it touches.

    Raises
    ------
    HushError : no cell lies in it.
    """
    shares = cell_shares(area_of(outline), grid)
    inside = shares >= _INSIDE_SHARES if (shares >= _INSIDE_SHARES).any() else shares > 0
    if not inside.any():  # it falls between the points that are looked at
        cell = grid.cell_at(*np.mean(outline, axis=0).tolist())
        inside = np.arange(grid.cells) == (-1 if cell is None else cell)
    if not inside.any():
        raise HushError("--place", tr("holds no cell of the picture."), tr("Draw it larger, or inside the picture."))
    return inside.reshape(grid.rows, grid.columns)
