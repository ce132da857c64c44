"""A week whose pieces say something of their own, in quotes behind the times: how footage is kept in each.

The open grammar has room for it: `Mo-Fr 18:00-24:00 "always", Mo-Fr 06:00-18:00 "on alarm"`; a comma adds a rule, a semicolon takes the
place of what stood before on the days it names.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from datetime import date, timedelta
from zoneinfo import ZoneInfo

from north_hush.core.hours.clock import ALWAYS, MONTHS, Clock, worded_pieces
from north_hush.core.hours.week import (
    DAY_MIN,
    Piece,
    Week,
    days_text,
    exceptions_of,
    joined,
    midnight_us,
    minute_of,
    times_text,
    together,
    weekly_of,
)

Worded = tuple[int, int, str]
"""Start and end in minutes after midnight, and what the piece says; empty where it says nothing."""
WordedWeek = tuple[tuple[Worded, ...], ...]

_SAID = re.compile(r'"([^"]*)"')


def said_in(text: str) -> list[str]:
    """Everything that a text says in quotes."""
    return _SAID.findall(text)


def worded_week(text: str, clock: Clock, monday: date) -> WordedWeek:
    """What hours say of the week that begins on a Monday, piece by piece.

    Raises
    ------
    HushError : the text cannot be turned into instants.
    """
    zone, days = ZoneInfo(clock.zone), []
    for number in range(7):
        start, end = (midnight_us(monday + timedelta(days=number + more), zone) for more in (0, 1))
        pieces = [
            (minute_of(first, zone), minute_of(last, zone) if last < end else DAY_MIN, word)
            for first, last, word in worded_pieces(text, clock, start, end)
        ]
        days.append(_joined(pieces))
    return tuple(days)


def _joined(pieces: Iterable[Worded]) -> tuple[Worded, ...]:
    """Pieces in order; those that touch and say the same made one."""
    found: list[Worded] = []
    for start, end, word in sorted(pieces):
        if end <= start:
            continue
        if found and start <= found[-1][1] and word == found[-1][2]:
            found[-1] = (found[-1][0], max(found[-1][1], end), word)
        else:
            found.append((start, end, word))
    return tuple(found)


def _plain(pieces: Iterable[Worded]) -> tuple[Piece, ...]:
    return joined((start, end) for start, end, _ in pieces)


def reworded(before: tuple[Worded, ...], pieces: tuple[Piece, ...]) -> tuple[Worded, ...]:
    """Pieces of a day after they were drawn otherwise: where one was before it says what it said; what was added says what the part of
    its piece that stands next to it says."""
    found: list[Worded] = []
    for first, last in pieces:
        inside = [
            (max(first, start), min(last, end), word) for start, end, word in before if start < last and end > first
        ]
        if not inside:
            found.append((first, last, ""))
            continue
        edges = [first, *(start for start, _, _ in inside[1:]), last]
        found += [(start, end, word) for start, end, (_, _, word) in zip(edges[:-1], edges[1:], inside, strict=True)]
    return _joined(found)


def worded_text(week: WordedWeek) -> str:
    """The week as text: days that are alike together, each with its pieces and what they say."""
    whole = {day[0][2] for day in week if len(day) == 1 and day[0][:2] == (0, DAY_MIN)}
    if len(whole) == 1 and all(len(day) == 1 and day[0][:2] == (0, DAY_MIN) for day in week):
        return _quoted(ALWAYS, whole.pop())
    groups: dict[tuple[Worded, ...], list[int]] = {}
    for day, pieces in enumerate(week):
        groups.setdefault(pieces, []).append(day)
    rules = [_rules(days_text(days), pieces) for pieces, days in groups.items() if pieces]
    return "; ".join(rules) or "off"


def _rules(days: str, pieces: tuple[Worded, ...]) -> str:
    """The rules of some days, each word with its times."""
    words = list(dict.fromkeys(word for _, _, word in pieces))
    times = {word: times_text((start, end) for start, end, said in pieces if said == word) for word in words}
    return ", ".join(_quoted(f"{days} {times[word]}", word) for word in words)


def _quoted(rule: str, word: str) -> str:
    return f'{rule} "{word}"' if word else rule


def drawn(text: str, clock: Clock, monday: date, week: Week) -> str:
    """A text after one week of it was drawn otherwise. A day that only the weekly rules decide changes them; one that a rule of dates
    decides in that week becomes a dated exception. Nothing drawn otherwise leaves the text as it is.

    Raises
    ------
    HushError : the text cannot be turned into instants.
    """
    shown = worded_week(text, clock, monday)
    days = (old if _plain(old) == pieces else reworded(old, pieces) for old, pieces in zip(shown, week, strict=True))
    return _written(text, clock, monday, tuple(days))


def with_word(text: str, clock: Clock, monday: date, day: int, minute: float, word: str) -> str:
    """A text after the piece that runs on a day at a minute says something else; as `drawn`.

    Raises
    ------
    HushError : the text cannot be turned into instants.
    """
    shown = worded_week(text, clock, monday)
    said = _joined((start, end, word if start <= minute < end else old) for start, end, old in shown[day])
    return _written(text, clock, monday, (*shown[:day], said, *shown[day + 1 :]))


def day_copied(text: str, clock: Clock, monday: date, source: int, target: int) -> str:
    """A text after a day of the shown week took the pieces of another, and what they say; as `drawn`.

    Raises
    ------
    HushError : the text cannot be turned into instants.
    """
    shown = worded_week(text, clock, monday)
    return _written(text, clock, monday, (*shown[:target], shown[source], *shown[target + 1 :]))


def dated_rules(text: str) -> list[str]:
    """The rules of a text that are of dates, holidays or seasons, one by one."""
    return [rule for rule in exceptions_of(text).split("; ") if rule]


def without_rule(text: str, rule: str) -> str:
    """A text without the last rule that says just this."""
    rules = [held.strip() for held in text.split(";") if held.strip()]
    for place in range(len(rules) - 1, -1, -1):
        if rules[place] == rule:
            return "; ".join((*rules[:place], *rules[place + 1 :])) or "off"
    return text


def _written(text: str, clock: Clock, monday: date, week: WordedWeek) -> str:
    shown, weekly = worded_week(text, clock, monday), worded_week(weekly_of(text), clock, monday)
    turned = {day for day in range(7) if week[day] != shown[day]}
    decided = {day for day in turned if shown[day] != weekly[day]}
    written = _turned(text, monday, weekly, week, turned - decided, decided)
    # A rule of dates that says just what the weekly ones say decides its day all the same.
    now = worded_week(written, clock, monday)
    hidden = {day for day in turned if now[day] == shown[day]}
    return _turned(text, monday, weekly, week, turned - decided - hidden, decided | hidden) if hidden else written


def _turned(text: str, monday: date, weekly: WordedWeek, week: WordedWeek, every_week: set[int], once: set[int]) -> str:
    """A text after some days of the weekly rules, and some of one week alone, are those of a week."""
    base = tuple(week[day] if day in every_week else weekly[day] for day in range(7))
    dated = [_dated_rules(monday + timedelta(days=day), week[day]) for day in sorted(once)]
    if base == weekly:  # its own words stay, by the sun or not
        return text if not dated else together(text, *dated)
    return together(worded_text(base), exceptions_of(text), *dated)


def _dated_rules(day: date, pieces: tuple[Worded, ...]) -> str:
    on = f"{day.year} {MONTHS[day.month - 1]} {day.day:02d}"
    return _rules(on, pieces) if pieces else f"{on} off"
