"""When a camera is blind, as a level from 0 to 100 % for each way to be, with a start and a clear level and a time.

Levels compare with what the view usually is, which follows slowly while all is well: a fog bank and a dusk come over minutes, a hand in
a second.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Literal, Self, get_args

from pydantic import BaseModel, ConfigDict, Field, model_validator

from north_hush.core.words import tr

Blindness = Literal["covered", "moved", "blurred", "dark", "bright", "frozen"]
KINDS: tuple[Blindness, ...] = get_args(Blindness)
WORDS: Mapping[Blindness, str] = {
    "covered": tr("the lens is covered"),
    "moved": tr("the camera was turned"),
    "blurred": tr("the picture is out of focus"),
    "dark": tr("the picture went dark"),
    "bright": tr("the picture is dazzled"),
    "frozen": tr("the picture stands still"),
}
Percent = Annotated[float, Field(ge=0, le=100)]


class SightRule(BaseModel):
    """When one kind of blindness is told: its level at or above the start level for so long, until it is below the clear level; and in
    which hours, as those of a view are written ('': always)."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    start_percent: Percent
    clear_percent: Percent
    for_s: Annotated[float, Field(ge=0, le=3600)]
    hours: Annotated[str, Field(max_length=2000)] = ""

    @model_validator(mode="after")
    def _clears_below(self) -> Self:
        if self.clear_percent > self.start_percent:
            raise ValueError(
                tr(
                    "clear_percent ({clear_percent:g}) is above start_percent ({start_percent:g})",
                    clear_percent=self.clear_percent,
                    start_percent=self.start_percent,
                )
            )
        return self


BORN: Mapping[Blindness, SightRule] = {
    "covered": SightRule(start_percent=60, clear_percent=40, for_s=1.0),
    "moved": SightRule(start_percent=30, clear_percent=15, for_s=1.5),
    "blurred": SightRule(start_percent=50, clear_percent=30, for_s=1.0),
    "dark": SightRule(start_percent=70, clear_percent=40, for_s=1.5),
    "bright": SightRule(start_percent=70, clear_percent=40, for_s=1.5),
    "frozen": SightRule(start_percent=100, clear_percent=1, for_s=0.0),
}
"""Rules that a view is born with."""
