"""Zones, masks and tripwires: what is drawn on the picture of a camera view."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from north_hush.core.scene.outline import Line, Outline

LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"

ItemName = Annotated[str, Field(min_length=1, max_length=60)]
ItemId = Annotated[str, Field(min_length=1, max_length=40, pattern=r"^[A-Za-z0-9_-]+$")]


class Zone(BaseModel):
    """A region that raises alarms. `letter` is its tag on the picture, and gives it its hue and dash."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    id: ItemId
    name: ItemName
    letter: Annotated[str, Field(pattern=r"^[A-Z]{1,2}$")]
    outline: Outline


class Mask(BaseModel):
    """A region that is taken out (100 %) or weakened (less) for every zone."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    id: ItemId
    name: ItemName
    outline: Outline
    strength_percent: Annotated[float, Field(ge=0, le=100)] = 100.0


class Wire(BaseModel):
    """A tripwire: a line that must not be broken. It alarms on change along the line itself, whoever causes it.

    `letter` is its tag on the picture: a number, where zones have letters.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    id: ItemId
    name: ItemName
    letter: Annotated[str, Field(pattern=r"^[1-9][0-9]?$")]
    outline: Line


Watcher = Zone | Wire
"""What raises alarms."""

Item = Zone | Wire | Mask


def free_number(taken: set[str]) -> str:
    """Return the first number tag not taken."""
    return next(str(number) for number in range(1, 100) if str(number) not in taken)


def free_letter(taken: set[str]) -> str:
    """Return the first letter tag not taken: A to Z, then AA to ZZ."""
    pairs = (f"{first}{second}" for first in LETTERS for second in LETTERS)
    free: str = next(letter for letter in (*LETTERS, *pairs) if letter not in taken)
    return free
