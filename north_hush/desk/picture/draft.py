"""What the Draw stage draws with, and what is being drawn."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Literal

from north_hush.core.scene.outline import Point

Kind = Literal["zone", "wire", "mask", "privacy", "size"]
Form = Literal["corners", "rectangle", "brush"]
Onto = Literal["new", "add", "cut"]

FORMS_OF: dict[Kind, tuple[Form, ...]] = {
    "zone": ("corners", "rectangle", "brush"),
    "mask": ("corners", "rectangle", "brush"),
    "privacy": ("corners", "rectangle"),
    "wire": ("corners",),
    "size": (),
}

BRUSH_CELLS_MAX = 12


@dataclass(frozen=True)
class Pencil:
    """What is drawn, in which form, and whether it makes a new item or changes the selected one."""

    kind: Kind = "zone"
    form: Form = "corners"
    onto: Onto = "new"
    brush_cells: int = 2
    """Width of the brush in cells."""

    def of_kind(self, kind: Kind) -> Pencil:
        """The pencil for a new item of a kind, in the nearest form the kind has."""
        forms = FORMS_OF[kind]
        form = self.form if self.form in forms or not forms else forms[0]
        return replace(self, kind=kind, form=form, onto="new")


@dataclass
class Draft:
    """What is being drawn right now, for the picture to show."""

    points: list[Point] = field(default_factory=list)
    closed: bool = False
    """Painted as a closed outline while it is drawn."""
    closes: bool = True
    """A click on the first corner would close it."""
    cuts: bool = False
    at: Point | None = None
    brush_radius_frac: tuple[float, float] | None = None
    figure: tuple[Point, float] | None = None
    """A size mark: foot and height."""

    def clear(self) -> None:
        """Nothing is being drawn."""
        self.points, self.closed, self.closes, self.cuts = [], False, True, False
        self.figure = None
