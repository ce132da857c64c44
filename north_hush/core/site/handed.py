"""What was handed over to a device: when, by whom, and every shape and number, so that the next sheet tells what changed."""

from __future__ import annotations

from typing import Annotated

from pydantic import AwareDatetime, BaseModel, ConfigDict, Field

HANDED_MOST = 200


class _Held(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class HandedItem(_Held):
    """A zone or line as it stands on the device."""

    name: Annotated[str, Field(max_length=200)]
    shape: Annotated[str, Field(max_length=100_000)]
    """Corners in thousandths of the picture, or the cells row by row, as words."""
    values: dict[str, float] = {}
    """Where its dials stand, by the names of the device's scales."""


class Handed(_Held):
    """One sheet that was handed over."""

    at: AwareDatetime
    by: Annotated[str, Field(min_length=1, max_length=200)]
    note: Annotated[str, Field(max_length=2000)] = ""
    card: Annotated[str, Field(max_length=200)]
    items: Annotated[tuple[HandedItem, ...], Field(max_length=1000)] = ()
    hours: dict[str, str] = {}
    """The texts of the view's hours, by kind."""
