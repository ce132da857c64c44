"""The truth of a recording: incidents that should raise an alarm, and verdicts on what should not have.

Both belong to the footage, by time span and item, never to an alarm of today's settings; alarms meet them anew each time.
"""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

DAY_S = 86_400.0
INCIDENTS_MAX = 10_000

ItemOrAny = Annotated[str, Field(max_length=40, pattern=r"^[A-Za-z0-9_-]*$")]
"""Id of a zone or wire; '' stands for any."""
Note = Annotated[str, Field(max_length=500)]


class _Spanning(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    start_s: Annotated[float, Field(ge=0, le=30 * DAY_S)]
    end_s: Annotated[float, Field(ge=0, le=30 * DAY_S)]
    item: ItemOrAny = ""
    note: Note = ""

    @model_validator(mode="after")
    def _forwards(self) -> Self:
        if self.end_s < self.start_s:
            raise ValueError(f"end_s is {self.end_s:g}, before start_s {self.start_s:g}")
        return self


class Incident(_Spanning):
    """Something real, by its span in seconds from the start of the recording. With an item, only that one must alarm."""

    name: Annotated[str, Field(min_length=1, max_length=80)]
    walk: bool = False
    """Somebody walked there to test the settings; where he was noticed can be shown on the picture."""


class Verdict(_Spanning):
    """A stretch in which an alarm of an item was looked at and is no incident, or in which nobody can tell."""

    kind: Literal["nuisance", "unsure"]
    cause: Annotated[str, Field(max_length=40)] = ""


class Truth(BaseModel):
    """All that is known of a recording. `complete` says that whatever meets no incident is a nuisance, judged or not."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    incidents: Annotated[tuple[Incident, ...], Field(max_length=INCIDENTS_MAX)] = ()
    verdicts: Annotated[tuple[Verdict, ...], Field(max_length=INCIDENTS_MAX)] = ()
    complete: bool = False

    @property
    def known(self) -> bool:
        """True when there is anything to score against."""
        return bool(self.incidents or self.verdicts or self.complete)
