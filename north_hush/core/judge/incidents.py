"""Incidents: what really happened in a recording and should raise an alarm."""

from __future__ import annotations

from typing import Annotated, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

DAY_S = 86_400.0
INCIDENTS_MAX = 10_000


class Incident(BaseModel):
    """Something real, by its span in seconds from the start of the recording."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    name: Annotated[str, Field(min_length=1, max_length=80)]
    start_s: Annotated[float, Field(ge=0, le=30 * DAY_S)]
    end_s: Annotated[float, Field(ge=0, le=30 * DAY_S)]

    @model_validator(mode="after")
    def _forwards(self) -> Self:
        if self.end_s < self.start_s:
            raise ValueError(f"end_s is {self.end_s:g}, before start_s {self.start_s:g}")
        return self
