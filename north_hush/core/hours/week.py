"""A week of hours as it is drawn: for each day its pieces in minutes, and the text that says the same."""

from __future__ import annotations

import re
from collections.abc import Iterable
from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

from north_hush.core.errors import HushError
from north_hush.core.hours.clock import ALWAYS, EPOCH, SUN, US, Clock, hours_spans

DAYS = ("Mo", "Tu", "We", "Th", "Fr", "Sa", "Su")
DAY_MIN = 24 * 60
Piece = tuple[int, int]
"""Start and end in minutes after midnight; the end is no longer inside, and 1440 is the end of the day."""
Week = tuple[tuple[Piece, ...], ...]
"""Monday to Sunday."""

_DATED = re.compile(r"\b(?:Jan|Feb|Mar|Apr|May|Jun|Jul|Aug|Sep|Oct|Nov|Dec|PH|SH|easter|week|\d{4})\b")
_RULE = re.compile(r"^(?P<days>.*?)(?P<times>(?:\d\d:\d\d-\d\d:\d\d)(?:,\d\d:\d\d-\d\d:\d\d)*|off|closed)?$")
NEVER: Week = ((),) * 7
WHOLE: Week = (((0, DAY_MIN),),) * 7


def joined(pieces: Iterable[Piece]) -> tuple[Piece, ...]:
    """Pieces of a day in order, those that overlap or touch made one."""
    found: list[Piece] = []
    for start, end in sorted((max(0, start), min(DAY_MIN, end)) for start, end in pieces):
        if end <= start:
            continue
        if found and start <= found[-1][1]:
            found[-1] = (found[-1][0], max(found[-1][1], end))
        else:
            found.append((start, end))
    return tuple(found)


def without(pieces: Iterable[Piece], cut: Piece) -> tuple[Piece, ...]:
    """Pieces of a day with a stretch taken out."""
    left = ((start, min(end, cut[0])) for start, end in pieces)
    right = ((max(start, cut[1]), end) for start, end in pieces)
    return joined([*left, *right])


def with_day(week: Week, day: int, pieces: Iterable[Piece]) -> Week:
    """The week with other pieces on a day, 0 for Monday."""
    return (*week[:day], joined(pieces), *week[day + 1 :])


def turned(week: Week) -> Week:
    """The week turned round: what was not in it. Opening hours become armed when closed."""
    turned_days = []
    for pieces in week:
        left: tuple[Piece, ...] = ((0, DAY_MIN),)
        for piece in pieces:
            left = without(left, piece)
        turned_days.append(left)
    return tuple(turned_days)


def week_of(text: str, clock: Clock, monday: date) -> Week:
    """What hours say of the week that begins on a Monday, on the site's clock. An hour that is there twice is drawn once.

    Raises
    ------
    HushError : the text cannot be turned into instants.
    """
    zone = ZoneInfo(clock.zone)
    days: list[list[Piece]] = [[] for _ in DAYS]
    for number in range(7):
        start, end = (midnight_us(monday + timedelta(days=number + more), zone) for more in (0, 1))
        for first, last in hours_spans(text, clock, start, end).tolist():
            days[number].append((minute_of(first, zone), minute_of(last, zone) if last < end else DAY_MIN))
    return tuple(joined(pieces) for pieces in days)


def midnight_us(day: date, zone: ZoneInfo) -> int:
    """When a day begins there."""
    return (datetime(day.year, day.month, day.day, tzinfo=zone).astimezone(UTC) - EPOCH) // US


def minute_of(us: int, zone: ZoneInfo) -> int:
    """The minute of its day on the clock of a zone."""
    at = (EPOCH + us * US).astimezone(zone)
    return at.hour * 60 + at.minute


def text_of(week: Week) -> str:
    """The week as text: days that are alike together, each with its pieces."""
    if week == WHOLE:
        return ALWAYS
    groups: dict[tuple[Piece, ...], list[int]] = {}
    for day, pieces in enumerate(week):
        groups.setdefault(pieces, []).append(day)
    rules = [f"{days_text(days)} {times_text(pieces)}" for pieces, days in groups.items() if pieces]
    return "; ".join(rules) or "off"


def days_text(days: list[int]) -> str:
    """Days of the week as a rule names them."""
    runs: list[list[int]] = []
    for day in days:
        if runs and day == runs[-1][-1] + 1:
            runs[-1].append(day)
        else:
            runs.append([day])
    return ",".join(
        DAYS[run[0]] if len(run) == 1 else f"{DAYS[run[0]]}{'-' if len(run) > 2 else ','}{DAYS[run[-1]]}"
        for run in runs
    )


def _clock(minute: int) -> str:
    return f"{minute // 60:02d}:{minute % 60:02d}"


def exceptions_of(text: str) -> str:
    """The rules of a text that are of dates, holidays or seasons; no week that is drawn touches them."""
    return "; ".join(rule.strip() for rule in text.split(";") if _DATED.search(rule))


def weekly_of(text: str) -> str:
    """The rules of a text that hold every week."""
    return "; ".join(rule.strip() for rule in text.split(";") if rule.strip() and not _DATED.search(rule)) or "off"


def together(*parts: str) -> str:
    """Rules one after the other; empty ones left out."""
    return "; ".join(part for part in parts if part)


def times_text(pieces: Iterable[Piece]) -> str:
    """Pieces of a day as a rule names them."""
    return ",".join(f"{_clock(start)}-{_clock(end)}" for start, end in pieces)


def turned_round(text: str, clock: Clock, monday: date) -> str:
    """A text turned round, rules of dates too: closed on holidays becomes armed on them.

    Raises
    ------
    HushError : a rule of dates has times that cannot be turned, over midnight or by the sun.
    """
    rules = [_turned_rule(rule) for rule in exceptions_of(text).split("; ") if rule]
    return together(text_of(turned(week_of(weekly_of(text), clock, monday))), *rules)


def _turned_rule(rule: str) -> str:
    found = _RULE.match(rule)
    assert found is not None  # it matches everything
    days, said = found["days"].strip(), found["times"] or ""
    if said in ("off", "closed"):
        return f"{days} 00:00-24:00"
    if not said:
        if ":" in days or SUN.search(days):
            raise HushError(f"rule '{rule}'", "cannot be turned round.", "Write it by hand.")
        return f"{days} off"
    pieces = [tuple(int(at[:2]) * 60 + int(at[3:]) for at in part.split("-")) for part in said.split(",")]
    if any(end <= start for start, end in pieces):
        raise HushError(f"rule '{rule}'", "goes over midnight, and cannot be turned round.", "Write it by hand.")
    left: tuple[Piece, ...] = ((0, DAY_MIN),)
    for start, end in pieces:
        left = without(left, (start, end))
    return f"{days} {times_text(left) or 'off'}"
