"""Device cards: what a device can take, by capability. JSON of our own, with a published schema; a maker is named nowhere."""

from __future__ import annotations

import json
from importlib import resources
from pathlib import Path
from typing import Annotated, Literal, Self

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from north_hush.core.detect.dials import DIALS
from north_hush.core.errors import SiteError
from north_hush.core.scene.items import Fires, ItemName
from north_hush.core.site.file import describe_invalid
from north_hush.core.words import tr

OURS = (*(dial.field for dial in DIALS), "loiter_s", "usual_s")
"""Our dials that a scale of a device may stand for."""
_CARD_BYTES_MAX = 1_000_000
_STEPS_MAX = 10_000


class _Held(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class Scale(_Held):
    """A dial of the device: its name as it is shown there, its range, and what each value is in our unit.

    `table` holds pairs of a device's value and ours; between them it is linear. Empty: the values are ours already.
    """

    name: ItemName
    ours: str
    unit: Annotated[str, Field(max_length=20)] = ""
    low: float
    high: float
    step: Annotated[float, Field(gt=0)] = 1.0
    each: bool = True
    """True: every item has its own; False: one serves all."""
    table: Annotated[tuple[tuple[float, float], ...], Field(max_length=500)] = ()
    sure: Literal["measured", "stated", "guessed"] = "stated"

    @model_validator(mode="after")
    def _makes_sense(self) -> Self:
        if self.ours not in OURS:
            raise ValueError(
                tr(
                    "scale '{name}' stands for '{ours}', which is no dial; dials are {join}",
                    name=self.name,
                    ours=self.ours,
                    join=", ".join(OURS),
                )
            )
        if self.high < self.low:
            raise ValueError(
                tr(
                    "scale '{name}' runs from {low:g} to {high:g}: low is above high",
                    name=self.name,
                    low=self.low,
                    high=self.high,
                )
            )
        if (self.high - self.low) / self.step > _STEPS_MAX:
            raise ValueError(
                tr(
                    "scale '{name}' has more than {STEPS_MAX:,} steps; a larger step will do",
                    name=self.name,
                    STEPS_MAX=_STEPS_MAX,
                )
            )
        if len(self.table) == 1:
            raise ValueError(tr("scale '{name}' has a table of one row; give two at least, or none", name=self.name))
        values = np.array(self.table, np.float64).reshape(-1, 2)
        if len(values) and (np.diff(values[:, 0]) <= 0).any():
            raise ValueError(tr("the table of scale '{name}' does not ascend in the device's values", name=self.name))
        turns = np.sign(np.diff(values[:, 1]))
        if len(turns) and len(set(turns[turns != 0].tolist())) > 1:
            raise ValueError(
                tr("the table of scale '{name}' goes up and down; a scale has one direction", name=self.name)
            )
        return self

    @property
    def values(self) -> list[float]:
        """Every value that can be set, ascending."""
        count = int((self.high - self.low) / self.step + 1e-9) + 1
        return [round(self.low + place * self.step, 6) for place in range(count)]

    def ours_at(self, value: float) -> float:
        """What a value of the device is in our unit."""
        if not self.table:
            return value
        theirs, ours = np.array(self.table, np.float64).T
        return float(np.interp(value, theirs, ours))

    def nearest(self, ours: float) -> float:
        """The device's value that comes nearest to one of ours; by ratio where both are above 0."""

        def away(value: float) -> float:
            at = self.ours_at(value)
            return abs(float(np.log(at / ours))) if at > 0 and ours > 0 else abs(at - ours)

        return min(self.values, key=away)


class DeviceHours(_Held):
    """How fine its hours are."""

    step_min: Annotated[int, Field(ge=1, le=1440)] = 30
    periods_a_day: Annotated[int, Field(ge=1, le=96)] = 6
    holidays: bool = False


class Card(_Held):
    """What a device can take."""

    format: Literal["north-hush-card"] = "north-hush-card"
    version: Literal[1] = 1
    name: ItemName
    says: Annotated[str, Field(max_length=500)] = ""
    zones_most: Annotated[int, Field(ge=0, le=702)] = 1
    shape: Literal["polygon", "rectangle", "cells", "picture"] = "rectangle"
    corners_most: Annotated[int, Field(ge=3, le=500)] = 8
    columns: Annotated[int, Field(ge=1, le=1000)] = 22
    rows: Annotated[int, Field(ge=1, le=1000)] = 18
    wires_most: Annotated[int, Field(ge=0, le=99)] = 0
    directed: bool = True
    """Whether a line tells which way it was crossed."""
    fires: tuple[Fires, ...] = ("motion",)
    """What its zones can fire on."""
    masks: Literal["none", "cells", "image"] = "none"
    own_choices: bool = False
    """It compares as North Hush does: channels, analysis rate, things in person heights. Else frame with frame before."""
    scales: Annotated[tuple[Scale, ...], Field(max_length=20)] = ()
    excludes: tuple[tuple[str, str], ...] = ()
    """Pairs of what cannot be used together: zones, wires, masks, or names of scales."""
    width_px: Annotated[int, Field(ge=1, le=100_000)] | None = None
    height_px: Annotated[int, Field(ge=1, le=100_000)] | None = None
    """The pixels in which corners are given; None: those of the recording."""
    hours: DeviceHours | None = None
    before_s: tuple[float, ...] = ()
    after_s: tuple[float, ...] = ()
    steps: tuple[Annotated[str, Field(max_length=200)], ...] = ()
    """What to switch on, save, apply and restart, in its order."""

    @model_validator(mode="after")
    def _can_something(self) -> Self:
        if not self.zones_most and not self.wires_most:
            raise ValueError(tr("zones_most and wires_most are both 0: such a device raises no alarm"))
        if self.zones_most and not self.fires:
            raise ValueError(tr("fires is empty: its zones would never fire"))
        twice = {scale.ours for scale in self.scales if sum(other.ours == scale.ours for other in self.scales) > 1}
        if twice:
            raise ValueError(tr("two scales stand for {twice}; one dial has one scale", twice=min(twice)))
        known = {"zones", "wires", "masks", *(scale.name for scale in self.scales)}
        for pair in self.excludes:
            strange = [name for name in pair if name not in known]
            if strange:
                raise ValueError(
                    tr("excludes names '{strange}', which is no zones, wires, masks or scale", strange=strange[0])
                )
        return self


def shipped_cards() -> dict[str, Card]:
    """The generic cards that come with North Hush, by the names of their files."""
    folder = resources.files("north_hush.core.handover") / "cards"
    files = sorted((held for held in folder.iterdir() if held.name.endswith(".json")), key=lambda held: held.name)
    return {held.name.removesuffix(".json"): Card.model_validate_json(held.read_text("utf-8")) for held in files}


def find_card(text: str) -> Card:
    """A card by the path of its file, or by the name of one that is shipped.

    Raises
    ------
    SiteError : there is none, or it makes no sense; the field is named.
    """
    shipped, path = shipped_cards(), Path(text)
    if text in shipped and not path.exists():
        return shipped[text]
    try:
        if path.stat().st_size > _CARD_BYTES_MAX:
            raise SiteError(text, tr("is larger than 1 MB, which no card is."), tr("Choose another file."))
        return Card.model_validate_json(path.read_text("utf-8"))
    except ValidationError as error:
        raise SiteError(text, describe_invalid(error), tr("See docs/device-cards.md.")) from error
    except (OSError, ValueError) as error:
        raise SiteError(
            text,
            tr("is no card and no file that can be read ({error}).", error=error),
            tr("Shipped are {join}.", join=", ".join(shipped)),
        ) from error


def card_text(card: Card) -> str:
    """A card as JSON."""
    return json.dumps(card.model_dump(mode="json"), indent=1) + "\n"
