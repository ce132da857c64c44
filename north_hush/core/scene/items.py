"""Zones, tripwires, masks, privacy masks and size marks: what is drawn on the picture of a camera view."""

from __future__ import annotations

from typing import Annotated, Literal, Self, get_args

from pydantic import BaseModel, ConfigDict, Field, model_validator

from north_hush.core.errors import SiteError
from north_hush.core.scene.area import Area
from north_hush.core.scene.outline import Line, Outline, Point
from north_hush.core.scene.painted import Painted
from north_hush.core.words import tr

WIRES_MAX = 99
LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"

ItemName = Annotated[str, Field(min_length=1, max_length=60)]
ItemId = Annotated[str, Field(min_length=1, max_length=40, pattern=r"^[A-Za-z0-9_-]+$")]
SideName = Annotated[str, Field(min_length=1, max_length=20)]
Fires = Literal["motion", "entry", "loitering"]
Direction = Literal["a_to_b", "b_to_a"]
DIRECTIONS: tuple[Direction, ...] = get_args(Direction)
Watches = Literal["broken", "a_to_b", "b_to_a", "both"]


class _Item(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    id: ItemId
    name: ItemName
    locked: bool = False
    """Cannot be moved or reshaped on the picture."""
    hidden: bool = False
    """Not painted; it counts all the same."""


class Zone(_Item):
    """A region that raises alarms: on motion in it, on entry across its outline, or on loitering in it.

    `letter` is its tag on the picture, and gives it its hue and dash.
    """

    letter: Annotated[str, Field(pattern=r"^[A-Z]{1,2}$")]
    area: Area
    fires: Fires = "motion"


class Mask(_Item):
    """A region that is taken out (100 %) or weakened (less), for every zone and wire or for named ones.

    Drawn as an area of one strength, or painted as an image with a strength for each pixel.
    """

    area: Area = ()
    strength_percent: Annotated[float, Field(ge=0, le=100)] = 100.0
    painted: Painted | None = None
    only_for: tuple[ItemId, ...] | None = None

    @model_validator(mode="after")
    def _one_kind(self) -> Self:
        if self.painted is not None and self.area:
            raise ValueError(tr("a mask is either drawn (area) or painted, not both"))
        return self

    def covers(self, watcher_id: str) -> bool:
        """Tell whether the mask counts for a zone or wire."""
        return self.only_for is None or watcher_id in self.only_for


class Privacy(_Item):
    """A privacy mask: the pixels it touches are never shown, exported or saved, and its cells count in nothing.

    A polygon, or pixels painted as an image (128 and more is covered).
    """

    outline: Outline | None = None
    painted: Painted | None = None

    @model_validator(mode="after")
    def _one_kind(self) -> Self:
        if (self.outline is None) == (self.painted is None):
            raise ValueError(tr("a privacy mask has either an outline or painted pixels"))
        return self


class Wire(_Item):
    """A tripwire: a line watched for crossings from one side to the other, or one that must not be broken.

    Seen from its first point towards its last, side A lies at the left hand. `letter` is its tag on the picture: a
    number, where zones have letters.
    """

    letter: Annotated[str, Field(pattern=r"^[1-9][0-9]?$")]
    line: Line
    side_a: SideName = "A"
    side_b: SideName = "B"
    watches: Watches = "broken"

    @property
    def crossed(self) -> bool:
        """True when it is watched for crossings, False when it must not be broken."""
        return self.watches != "broken"

    def sides(self, direction: Direction) -> tuple[str, str]:
        """The side somebody comes from who crosses it that way, and the one he goes to."""
        return (self.side_a, self.side_b) if direction == "a_to_b" else (self.side_b, self.side_a)


class SizeMark(_Item):
    """A standing person at one place: where the feet are, and the height as a fraction of the picture's height."""

    foot: Point
    height_frac: Annotated[float, Field(gt=0, le=1)]

    @model_validator(mode="after")
    def _inside(self) -> Self:
        if self.height_frac > self.foot[1] + 1e-6:
            raise ValueError(
                tr(
                    "height_frac is {height_frac:g}, which reaches above the picture from a foot at {foot:g}",
                    height_frac=self.height_frac,
                    foot=self.foot[1],
                )
            )
        return self

    @property
    def head(self) -> Point:
        """The top of the mark."""
        return self.foot[0], round(max(0.0, self.foot[1] - self.height_frac), 5)


Watcher = Zone | Wire
"""What raises alarms."""

Item = Zone | Wire | Mask | Privacy | SizeMark

FIELDS: dict[type[BaseModel], str] = {
    Zone: "zones",
    Wire: "wires",
    Mask: "masks",
    Privacy: "privacy",
    SizeMark: "size_marks",
}
"""In which field of a view or sheet each kind of item is held."""


def free_number(taken: set[str]) -> str:
    """Return the first number tag not taken.

    Raises
    ------
    SiteError : all of them are.
    """
    number = next((str(number) for number in range(1, WIRES_MAX + 1) if str(number) not in taken), None)
    if number is None:
        raise SiteError(
            "tripwires",
            tr("are {wires_max} already, which is all a view holds.", wires_max=WIRES_MAX),
            tr("Delete one first."),
        )
    return number


def free_letter(taken: set[str]) -> str:
    """Return the first letter tag not taken: A to Z, then AA to ZZ.

    Raises
    ------
    SiteError : all of them are.
    """
    pairs = (f"{first}{second}" for first in LETTERS for second in LETTERS)
    free: str | None = next((letter for letter in (*LETTERS, *pairs) if letter not in taken), None)
    if free is None:
        raise SiteError("zones", tr("are 702 already, which is all a view holds."), tr("Delete one first."))
    return free
