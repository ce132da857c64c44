"""Questions that are kept with a view, to be asked again."""

from __future__ import annotations

from typing import Annotated, Literal, get_args

from pydantic import AfterValidator, BaseModel, ConfigDict, Field

from north_hush.core.hours.clock import ALWAYS, check_hours
from north_hush.core.scene.kind import KindId
from north_hush.core.scene.outline import Point

Asked = Literal["moved", "passed", "went", "stayed", "left", "taken", "nothing"]
ASKED: tuple[Asked, ...] = get_args(Asked)
Light = Literal["day", "dusk", "night"]
QUESTIONS_MOST = 100

Outline = Annotated[tuple[Point, ...], Field(max_length=500)]


class KeptQuestion(BaseModel):
    """What is asked, where, and which answers are wanted; points are fractions of the picture. See `ask.question`, `ask.limits`."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    name: Annotated[str, Field(min_length=1, max_length=200)]
    kind: Asked
    place: Annotated[Outline, Field(min_length=3)]
    to: Outline = ()
    way: tuple[Point, Point] | None = None
    seconds: Annotated[float, Field(ge=0, le=86_400)] | None = None
    kinds: tuple[KindId, ...] = ()
    hours: Annotated[str, Field(max_length=2000), AfterValidator(check_hours)] = ALWAYS
    lights: tuple[Light, ...] = ()
