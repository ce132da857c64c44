"""The truth of a recording: incidents that should raise an alarm, and verdicts on what should not have.

Both belong to the footage, by time span, place and item, never to an alarm of today's settings; alarms meet them anew each
time.
"""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

from north_hush.core.words import tr

DAY_S = 86_400.0
INCIDENTS_MAX = 10_000
PLACE_ROWS_MAX = 20_000

ItemOrAny = Annotated[str, Field(max_length=40, pattern=r"^[A-Za-z0-9_-]*$")]
"""Id of a zone or wire; '' stands for any."""
_Item = Annotated[str, Field(min_length=1, max_length=40, pattern=r"^[A-Za-z0-9_-]+$")]
Note = Annotated[str, Field(max_length=500)]
_Seconds = Annotated[float, Field(ge=0, le=30 * DAY_S)]
_Frac = Annotated[float, Field(ge=0, le=1)]
PlaceRow = tuple[_Seconds, _Frac, _Frac, _Frac, _Frac]
"""When, in seconds from the start of the recording, and the left, top, right and bottom of a box as fractions."""


class _Spanning(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    start_s: _Seconds
    end_s: _Seconds
    note: Note = ""

    @model_validator(mode="after")
    def _forwards(self) -> Self:
        if self.end_s < self.start_s:
            raise ValueError(
                tr("end_s is {end_s:g}, before start_s {start_s:g}", end_s=self.end_s, start_s=self.start_s)
            )
        return self


class Incident(_Spanning):
    """Something real, by its span in seconds from the start of the recording, and by its place where that is known."""

    name: Annotated[str, Field(min_length=1, max_length=80)]
    walk: bool = False
    """Somebody walked there to test the settings; where he was noticed can be shown on the picture."""
    items: tuple[_Item, ...] = ()
    """Zones and wires that must alarm. None named: those it was judged on, else those it enters by its place, or any where
    that is not known."""
    place: Annotated[tuple[PlaceRow, ...], Field(max_length=PLACE_ROWS_MAX)] = ()
    """Where it was: boxes in the order of time, moved on a straight line between them. Empty: not known, and it counts by
    time alone."""
    judged_on: tuple[_Item, ...] = ()
    """Items whose alarms were judged real and so made it; an incident that was marked or read from a file has none.
    They are the ones it concerns, for of the others' alarms nobody said so."""

    @model_validator(mode="after")
    def _place_makes_sense(self) -> Self:
        for at_s, left, top, right, bottom in self.place:
            if right < left or bottom < top:
                raise ValueError(
                    tr("place holds a box at {at_s:g} s whose right or lower edge lies before the other", at_s=at_s)
                )
        for first, second in pairwise(self.place):
            if second[0] < first[0]:
                raise ValueError(tr("place goes back in time at {second:g} s", second=second[0]))
        return self


class Verdict(_Spanning):
    """A stretch in which an alarm of an item was looked at and is no incident, or in which nobody can tell."""

    item: ItemOrAny = ""
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
