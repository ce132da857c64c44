"""The clock that hours are read on: a time zone, a place for the sun, and holidays of one's own."""

from __future__ import annotations

import re
from datetime import UTC, date, datetime, timedelta
from functools import lru_cache
from pathlib import Path
from zoneinfo import ZoneInfo

import numpy as np
import opening_hours
from opening_hours import OpeningHours, validate
from pydantic import BaseModel, ConfigDict, Field

from north_hush.core.errors import HushError
from north_hush.core.hours.spans import Spans, spans_of
from north_hush.core.words import tr

ParserError: type[Exception] = opening_hours.ParserError  # type: ignore[attr-defined]
ALWAYS = "24/7"
EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
US = timedelta(microseconds=1)
MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
SUN = re.compile(r"\b(sunrise|sunset|dawn|dusk)\b")
_HOLIDAY_RULE = re.compile(r"^(?P<days>[A-Za-z,\-\[\]0-9 ]*?\bPH\b[A-Za-z,\-\[\]0-9]*)(?P<rest>.*)$")
_HOLIDAY_FILE_BYTES_MAX = 8 * 1024**2
_YEARS_AHEAD = 10


class Place(BaseModel):
    """Where the sun rises and sets."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    latitude: float = Field(ge=-90, le=90)
    longitude: float = Field(ge=-180, le=180)


class Clock(BaseModel):
    """What text is turned into instants by."""

    model_config = ConfigDict(frozen=True)

    zone: str = "UTC"
    place: Place | None = None
    holidays: tuple[date, ...] = ()


def check_hours(text: str) -> str:
    """The text, if it is one.

    Raises
    ------
    ValueError : it is not; with the place of what cannot be read.
    """
    if not validate(text):
        try:
            OpeningHours(text)
        except ParserError as error:
            raise ValueError(_said(text, error)) from error
    return text


def _said(text: str, error: Exception) -> str:
    """Where a text cannot be read, in words."""
    found = re.search(r"--> \d+:(\d+)", str(error))
    column = int(found.group(1)) if found else 1
    rest = text[column - 1 :].strip()
    at = tr("at '{rest}'", rest=rest) if rest else tr("at its end")
    return f"'{text}' is no hours: it cannot be read {at} (column {column}); write them as Mo-Fr 18:00-06:00; Sa,Su"


def hours_spans(text: str, clock: Clock, start_us: int, end_us: int) -> Spans:
    """When hours hold, between two instants of UTC in microseconds.

    Raises
    ------
    HushError : the text cannot be read, or needs a place for the sun that is not stated.
    """
    if text == ALWAYS and end_us > start_us:
        return np.array([[start_us, end_us]], np.int64)
    return spans_of((start, end) for start, end, _ in worded_pieces(text, clock, start_us, end_us))


def worded_pieces(text: str, clock: Clock, start_us: int, end_us: int) -> list[tuple[int, int, str]]:
    """The same, in order and each piece with what its rule says in quotes.

    Raises
    ------
    HushError : as `hours_spans`.
    """
    if end_us <= start_us:
        return []
    if SUN.search(text) and clock.place is None:
        raise HushError(
            tr("hours '{value}'", value=text),
            tr("tell time by the sun, and the site has no place."),
            tr("State its latitude and longitude."),
        )
    zone = ZoneInfo(clock.zone)
    # From midnight to midnight around it: asked from within an hour that is there twice, the library takes either.
    first, last = (_midnight(EPOCH + us * US, zone, days) for us, days in ((start_us, -1), (end_us, 2)))
    found = _read(text, clock).intervals(first, last)
    pieces = ((_us(start), _us(end), words) for start, end, state, words in found if str(state) == "open")
    cut = ((max(start_us, start), min(end_us, end), str(words)) for start, end, words in pieces)
    return [piece for piece in cut if piece[1] > piece[0]]


def _midnight(at: datetime, zone: ZoneInfo, days: int) -> datetime:
    day = at.astimezone(zone).date() + timedelta(days=days)
    return datetime(day.year, day.month, day.day, tzinfo=zone)


def _us(at: datetime) -> int:
    return (at.astimezone(UTC) - EPOCH) // US


@lru_cache(maxsize=256)
def _read(text: str, clock: Clock) -> OpeningHours:
    place = clock.place
    try:
        return OpeningHours(
            with_holidays(text, clock.holidays),
            timezone=ZoneInfo(clock.zone),
            coords=None if place is None else (place.latitude, place.longitude),
        )
    except ParserError as error:
        raise HushError("hours", f"{_said(text, error)}.", tr("Nothing was changed.")) from error


def with_holidays(text: str, holidays: tuple[date, ...]) -> str:
    """Hours with the holidays of one's own written out as dates: where a rule names PH, it holds on each of them."""
    if "PH" not in text or not holidays:
        return text
    dates = ",".join(f"{day.year} {MONTHS[day.month - 1]} {day.day:02d}" for day in sorted(set(holidays)))
    rules: list[str] = []
    for rule in text.split(";"):
        rules.append(rule.strip())
        named = _HOLIDAY_RULE.match(rule.strip())
        if named is not None:
            rules.append(f"{dates} {named['rest'].strip()}".strip())
    return "; ".join(rules)


def read_holidays(path: Path) -> tuple[date, ...]:
    """The days of an iCalendar file, of each event every day it covers; rules of recurrence are followed for some years.

    Raises
    ------
    HushError : it cannot be read, or holds no event.
    """
    from dateutil.rrule import rrulestr
    from icalendar import Calendar

    try:
        if path.stat().st_size > _HOLIDAY_FILE_BYTES_MAX:
            raise HushError(
                str(path), tr("is larger than 8 MB, which no list of holidays is."), tr("Choose another file.")
            )
        calendar = Calendar.from_ical(path.read_bytes())
    except OSError as error:
        raise HushError(
            str(path),
            tr("cannot be read ({strerror}).", strerror=error.strerror),
            tr("Check the path and permissions."),
        ) from error
    except ValueError as error:
        raise HushError(
            str(path), tr("is no iCalendar file ({error}).", error=error), tr("Export the holidays as .ics.")
        ) from error
    days: set[date] = set()
    for event in calendar.walk("VEVENT"):
        if "DTSTART" not in event:
            continue
        first = _day(event.decoded("DTSTART"))
        last = _day(event.decoded("DTEND")) if "DTEND" in event else first + timedelta(days=1)
        length = max(1, min((last - first).days, 366))
        starts = [first]
        if "RRULE" in event:
            text = bytes(event["RRULE"].to_ical()).decode()  # type: ignore[arg-type]
            rule = rrulestr(text, dtstart=datetime(first.year, first.month, first.day))
            until = datetime(max(first.year, date.today().year) + _YEARS_AHEAD, 12, 31)
            starts = [at.date() for at in rule.between(datetime(first.year, first.month, first.day), until, inc=True)]
        days |= {start + timedelta(days=number) for start in starts for number in range(length)}
    if not days:
        raise HushError(str(path), tr("holds no event with a day."), tr("Export the holidays as .ics."))
    return tuple(sorted(days))


def _day(at: date | datetime) -> date:
    return at.date() if isinstance(at, datetime) else at
