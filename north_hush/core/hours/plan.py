"""The hours of a view and of items that differ: when alarms count, when footage is kept, when people are told."""

from __future__ import annotations

from typing import Annotated

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, field_validator

from north_hush.core.hours.clock import ALWAYS, Clock, check_hours, hours_spans, worded_pieces
from north_hush.core.hours.spans import Spans, common, spans_of
from north_hush.core.hours.worded import said_in
from north_hush.core.words import tr

KINDS = ("armed", "recording", "notifying")
_STEP_US, _STEPS = 28 * 86_400_000_000, 14
"""A year is asked four weeks at a time: most hours hold in the first."""
KEPT = ("always", "on alarm", "on contact", "on both", "low and full")
"""What a piece of the hours of recording may say in quotes: how footage is kept in it. One that says nothing is kept as the outcome
says."""
HoursText = Annotated[str, Field(min_length=1, max_length=4000), AfterValidator(check_hours)]


class Hours(BaseModel):
    """Hours as text. None is what stands above: of an item those of its view, of a view always."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    armed: HoursText | None = None
    recording: HoursText | None = None
    notifying: HoursText | None = None

    def over(self, above: Hours) -> Hours:
        """These hours, and where they say nothing those above."""
        return Hours(**{kind: getattr(self, kind) or getattr(above, kind) for kind in KINDS})

    @field_validator("recording")
    @classmethod
    def _says_how(cls, text: str | None) -> str | None:
        gone = next((said for said in said_in(text or "") if said not in KEPT), None)
        if gone is not None:
            raise ValueError(
                tr("'{gone}' is no way to keep footage; a piece may say {join}", gone=gone, join=", ".join(KEPT))
            )
        return text

    def kept_by(self, clock: Clock, start_us: int, end_us: int) -> dict[str, Spans]:
        """When footage is kept, by what is said of how; '' where nothing is said.

        Raises
        ------
        HushError : the text cannot be turned into instants.
        """
        found: dict[str, list[tuple[int, int]]] = {}
        for start, end, said in worded_pieces(self.recording or ALWAYS, clock, start_us, end_us):
            found.setdefault(said, []).append((start, end))
        return {said: spans_of(pairs) for said, pairs in found.items()}

    def ever_armed(self, clock: Clock, start_us: int) -> bool:
        """Whether it is armed at any instant of the year that begins then.

        Raises
        ------
        HushError : the text cannot be turned into instants.
        """
        text = self.armed or ALWAYS
        weeks = ((start_us + place * _STEP_US, start_us + (place + 1) * _STEP_US) for place in range(_STEPS))
        return any(len(hours_spans(text, clock, start, end)) for start, end in weeks)

    @property
    def plain(self) -> bool:
        """True when they say nothing."""
        return all(getattr(self, kind) is None for kind in KINDS)

    def spans(self, kind: str, clock: Clock, start_us: int, end_us: int) -> Spans:
        """When one of the three holds, between two instants of UTC. People are told only while it is armed too.

        Raises
        ------
        HushError : a text cannot be turned into instants.
        """
        own = hours_spans(getattr(self, kind) or ALWAYS, clock, start_us, end_us)
        if kind != "notifying":
            return own
        return common(own, hours_spans(self.armed or ALWAYS, clock, start_us, end_us))
