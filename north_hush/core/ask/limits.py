"""Which answers are wanted: of whom, at what hours, on which days, in what light."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np

from north_hush.core.ask.moves import Answer
from north_hush.core.errors import FootageError, HushError
from north_hush.core.evaluate.armed import us_of
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.hours.clock import ALWAYS, Clock, check_hours, hours_spans
from north_hush.core.hours.spans import Spans, common, first_running, spans_of
from north_hush.core.hours.week import midnight_us
from north_hush.core.outcome.rules import Limits as Named
from north_hush.core.site.questions import Light
from north_hush.core.words import tr


@dataclass(frozen=True)
class AskLimits:
    """Limits of answers; empty and None leave nothing out.

    Attributes
    ----------
    kinds : of whom. What nobody could name is never left out; questions without a who (things, nothing) are not limited by it
    hours : as the hours of a site are written
    since, until : first and last day, of the site's clock
    lights : of the recordings
    """

    kinds: tuple[str, ...] = ()
    hours: str = ALWAYS
    since: date | None = None
    until: date | None = None
    lights: tuple[Light, ...] = ()

    @property
    def by_time(self) -> bool:
        """Whether it must be known when a recording was taken."""
        return self.hours != ALWAYS or self.since is not None or self.until is not None


NO_LIMITS = AskLimits()


def checked_limits(limits: AskLimits) -> AskLimits:
    """The limits, if they make sense.

    Raises
    ------
    HushError : the hours cannot be read, or the last day is before the first.
    """
    try:
        check_hours(limits.hours)
    except ValueError as error:
        raise HushError("hours", f"{error}.") from error
    if limits.since is not None and limits.until is not None and limits.until < limits.since:
        raise HushError(
            "--until",
            tr("{until} is before {since}.", until=limits.until, since=limits.since),
            tr("Give the later day last."),
        )
    return limits


def limited(
    answers: Sequence[Answer], limits: AskLimits, clock: Clock, path: str, began: datetime | None
) -> list[Answer]:
    """The answers that are wanted of a recording at a path that began then: of a kind that is, and running at an instant that is.

    Raises
    ------
    FootageError : nobody knows when it was taken, and that decides.
    HushError : the hours need a place for the sun.
    """
    named = Named(kinds=limits.kinds)
    kept = [one for one in answers if named.hold(one.kind, None)]
    if not limits.by_time or not kept:
        return kept
    if began is None:
        raise FootageError(
            path, tr("has no time, so hours and days leave it aside."), tr("State in Footage when it was taken.")
        )
    times = np.array([(one.start_s, one.end_s) for one in kept])
    began_us = us_of(began)
    spans = _wanted(limits, clock, began_us, began_us + round(float(times.max()) * US_PER_S) + 1)
    starts, ends = (began_us + np.round(times * US_PER_S).astype(np.int64)).T
    return [one for one, at in zip(kept, first_running(spans, starts, ends).tolist(), strict=True) if at >= 0]


def _wanted(limits: AskLimits, clock: Clock, start_us: int, end_us: int) -> Spans:
    zone = ZoneInfo(clock.zone)
    first = start_us if limits.since is None else midnight_us(limits.since, zone)
    after = end_us if limits.until is None else midnight_us(limits.until + timedelta(days=1), zone)
    days = spans_of([(first, after)] if after > first else [])
    return common(hours_spans(limits.hours, clock, start_us, end_us), days)
