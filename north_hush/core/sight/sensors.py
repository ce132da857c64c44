"""Sensors beside the picture: sound, and input contacts. Each starts alarms by itself, is needed beside motion, or silences it.

A contact is known by its name, as its table or its topic says it. What sound does is a rule of `hearing`.
"""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

from north_hush.core.scene.items import ItemId, ItemName
from north_hush.core.sight.hearing import SoundRule
from north_hush.core.words import tr

Role = Literal["start", "need", "veto"]
ROLES: tuple[Role, ...] = ("start", "need", "veto")
ROLE_WORDS: dict[Role, str] = {
    "start": tr("raises alarms by itself"),
    "need": tr("is needed beside motion"),
    "veto": tr("silences motion"),
}
SENSORS_MOST = 50


class Sensor(BaseModel):
    """What is listened to, and what it does. `within_s` is how near it has to be to motion; `items` are those it concerns, none of
    them named: all."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    id: ItemId
    name: ItemName
    contact: Annotated[str, Field(max_length=200)] = ""
    """Name of an input contact; empty: it listens to sound."""
    sound: SoundRule | None = None
    role: Role = "start"
    within_s: Annotated[float, Field(ge=0, le=3600)] = 5.0
    items: tuple[ItemId, ...] = ()

    @model_validator(mode="after")
    def _is_one_thing(self) -> Self:
        if bool(self.contact) == (self.sound is not None):
            raise ValueError(
                tr("sensor '{name}' is either a contact or a rule of sound: state one of both", name=self.name)
            )
        return self
