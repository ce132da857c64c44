"""The alarm list of the device itself, read from a CSV file whose columns are chosen, as times in a recording."""

from __future__ import annotations

import csv
import math
import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta, tzinfo
from pathlib import Path
from typing import Annotated, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

from north_hush.core.errors import SiteError
from north_hush.core.judge.incidents import DAY_S, INCIDENTS_MAX
from north_hush.core.judge.matching import Span
from north_hush.core.judge.table_file import table_rows, table_text
from north_hush.core.words import tr

ROWS_MAX = 100_000
_FILE_BYTES_MAX = 50_000_000
_SNIFFED_CHARS = 8_192
_DATES = ("%d.%m.%Y", "%d/%m/%Y", "%Y/%m/%d", "%Y%m%d")
_CLOCK = re.compile(r"(?:(\d{1,2}):)?(\d{1,2}):(\d{1,2}(?:[.,]\d+)?)")

ClockMeaning = Literal["start", "day"]
"""What a clock time without a date counts from: the start of the recording, or midnight of the day it was taken."""


class DeviceAlarm(BaseModel):
    """An alarm the device raised, in seconds from the start of the recording."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    start_s: Annotated[float, Field(ge=0, le=30 * DAY_S)]
    end_s: Annotated[float, Field(ge=0, le=30 * DAY_S)]
    label: Annotated[str, Field(max_length=80)] = ""

    @model_validator(mode="after")
    def _forwards(self) -> Self:
        if self.end_s < self.start_s:
            raise ValueError(
                tr("end_s is {end_s:g}, before start_s {start_s:g}", end_s=self.end_s, start_s=self.start_s)
            )
        return self


@dataclass(frozen=True)
class AlarmTable:
    """A CSV file as text: its column names and its rows."""

    path: Path
    columns: tuple[str, ...]
    rows: tuple[dict[str, str], ...]


@dataclass(frozen=True)
class Choice:
    """Which columns hold what; an empty name for none. Without an end an alarm has no length.

    Attributes
    ----------
    lasts : column of the length in seconds, used where there is no end
    shift_s : added to every time, for a device whose clock is off
    """

    start: str
    end: str = ""
    lasts: str = ""
    label: str = ""
    clock: ClockMeaning = "start"
    shift_s: float = 0.0


@dataclass(frozen=True)
class Imported:
    """What was read: alarms within the recording, by time, and how many lay outside of it."""

    alarms: tuple[DeviceAlarm, ...]
    outside: int


def read_alarm_table(path: Path) -> AlarmTable:
    """Read a CSV file with a header, whatever its separator.

    Raises
    ------
    SiteError : the file cannot be read, is no text, or has no rows.
    """
    text = table_text(path, _FILE_BYTES_MAX, tr("Cut it to the days of this recording."))
    names, held = table_rows(text, path, _dialect(text))
    columns = tuple(name.strip() for name in names if name and name.strip())
    rows = tuple(
        {name.strip(): (value or "").strip() for name, value in row.items() if name and not isinstance(value, list)}
        for row in held
    )
    if not columns or not rows:
        raise SiteError(str(path), tr("has no header with rows below it."), tr("The first line must name the columns."))
    if len(rows) > ROWS_MAX:
        raise SiteError(
            str(path),
            tr("has {count:,} rows, more than {rows_max:,}.", count=len(rows), rows_max=ROWS_MAX),
            tr("Cut it to fewer days."),
        )
    return AlarmTable(path, columns, rows)


def _dialect(text: str) -> type[csv.Dialect]:
    try:
        return csv.Sniffer().sniff(text[:_SNIFFED_CHARS], delimiters=",;\t|")
    except csv.Error:
        return csv.excel


def guess_choice(table: AlarmTable) -> Choice:
    """Columns by their names, as far as names tell; the first column for the start when none does."""
    found = {
        part: next((name for name in table.columns if any(word in name.lower() for word in words)), "")
        for part, words in (
            ("start", ("start", "begin", "time", "date")),
            ("end", ("end", "stop", "until")),
            ("lasts", ("duration", "length", "seconds", "lasts")),
            ("label", ("name", "zone", "rule", "type", "label", "input")),
        )
    }
    start = found["start"] or table.columns[0]
    others = {part: name for part, name in found.items() if part != "start" and name != start}
    return Choice(start, others.get("end", ""), others.get("lasts", ""), others.get("label", ""))


def device_alarms(
    table: AlarmTable, choice: Choice, duration_s: float, taken_at: datetime | None, zone: tzinfo = UTC
) -> Imported:
    """Alarms of a table as times in a recording; what lies outside of it is counted and left out.

    Parameters
    ----------
    duration_s : length of the recording
    taken_at : when its first frame was taken, for times of a clock; None while that is not known
    zone : of the device's clock, for times that name no offset

    Raises
    ------
    SiteError : a chosen column is not there, a row's time makes no sense (it names file and row), or there are too many.
    """
    for name in (choice.start, choice.end, choice.lasts, choice.label):
        if name and name not in table.columns:
            raise SiteError(
                str(table.path),
                tr("has no column '{name}'.", name=name),
                tr("It has {join}.", join=", ".join(table.columns)),
            )
    found, outside = [], 0
    for number, row in enumerate(table.rows, start=2):  # as a spreadsheet counts, with the header as row 1
        if not row.get(choice.start):
            continue
        where = tr("{path}, row {number}", path=table.path, number=number)
        start_s = _seconds(row[choice.start], choice, taken_at, where, zone) + choice.shift_s
        end_s = start_s
        if choice.end and row.get(choice.end):
            end_s = _seconds(row[choice.end], choice, taken_at, where, zone) + choice.shift_s
        elif choice.lasts and row.get(choice.lasts):
            end_s = start_s + _number(row[choice.lasts], where)
        if end_s < start_s:
            raise SiteError(
                where,
                tr("ends at {get}, before it starts at {row}.", get=row.get(choice.end), row=row[choice.start]),
                tr("Mend it."),
            )
        if end_s < 0 or start_s > duration_s:
            outside += 1
            continue
        label = row.get(choice.label, "")[:80] if choice.label else ""
        found.append(
            DeviceAlarm(start_s=round(max(0.0, start_s), 3), end_s=round(min(duration_s, end_s), 3), label=label)
        )
    if len(found) > INCIDENTS_MAX:
        raise SiteError(
            str(table.path),
            tr(
                "has {count:,} alarms in this recording, more than {incidents_max:,}.",
                count=len(found),
                incidents_max=INCIDENTS_MAX,
            ),
            tr("Choose another column, or cut it."),
        )
    return Imported(tuple(sorted(found, key=lambda held: (held.start_s, held.end_s, held.label))), outside)


def device_spans(alarms: Sequence[DeviceAlarm]) -> list[Span]:
    """The device's alarms as a score takes them."""
    return [Span(held.start_s, held.start_s, held.end_s, "device") for held in alarms]


def _number(text: str, where: str) -> float:
    try:
        value = float(text.replace(",", "."))
    except ValueError as error:
        raise SiteError(
            where, tr("'{value}' is no number of seconds.", value=text), tr("Choose another column, or none.")
        ) from error
    if not (math.isfinite(value) and 0 <= value < 30 * DAY_S):
        raise SiteError(
            where, tr("{value} s is no length of an alarm.", value=text), tr("Choose another column, or none.")
        )
    return value


def _seconds(text: str, choice: Choice, taken_at: datetime | None, where: str, zone: tzinfo) -> float:
    """A time as seconds from the start of the recording: a plain number, a clock time, or a date with a clock time."""
    try:
        value = float(text.replace(",", "."))
    except ValueError:
        pass
    else:
        if not math.isfinite(value) or abs(value) > 30 * DAY_S:
            raise SiteError(
                where, tr("'{value}' is no time in a recording.", value=text), tr("Correct the row, or take it out.")
            )
        return value
    clock = _CLOCK.fullmatch(text)
    if clock is not None:
        of_day_s = _of_day_s(clock, text, where, day=choice.clock == "day")
        if choice.clock == "start":
            return of_day_s
        began = _known(taken_at, where).astimezone(zone)
        midnight = began.replace(hour=0, minute=0, second=0, microsecond=0)
        since_s = (midnight - began).total_seconds() + of_day_s
        return since_s + DAY_S if since_s < -DAY_S / 2 else since_s  # a recording over midnight
    moment = _moment(text, zone)
    try:
        if moment is not None:
            return (moment - _known(taken_at, where)).total_seconds()
    except OverflowError as error:
        raise SiteError(
            where, tr("'{value}' is no date of a recording.", value=text), tr("Correct the row, or take it out.")
        ) from error
    raise SiteError(
        where,
        tr("'{value}' is no time.", value=text),
        tr("Seconds, hh:mm:ss, or a date as 2026-11-23 or 23.11.2026 followed by hh:mm:ss are read."),
    )


def _of_day_s(clock: re.Match[str], text: str, where: str, *, day: bool) -> float:
    """Seconds of a clock time; from the start of a recording there may be more hours than a day has."""
    hours, minutes, seconds = clock.groups()
    held = int(hours or 0), int(minutes), float(seconds.replace(",", "."))
    if held[0] > (23 if day else 719) or held[1] > 59 or held[2] >= 61:
        raise SiteError(
            where, tr("'{value}' is no time of a clock.", value=text), tr("Hours go to 23, minutes and seconds to 59.")
        )
    return held[0] * 3600 + held[1] * 60 + held[2]


def _moment(text: str, zone: tzinfo) -> datetime | None:
    try:
        moment = datetime.fromisoformat(text.replace("Z", "+00:00"))
        return moment if moment.tzinfo else moment.replace(tzinfo=zone)
    except ValueError:
        pass
    day, _, clock = text.partition(" ")
    held = _CLOCK.fullmatch(clock.strip())
    for pattern in _DATES if held is not None else ():
        try:
            start = datetime.strptime(day, pattern).replace(tzinfo=zone)
        except ValueError:
            continue
        hours, minutes, seconds = held.groups() if held is not None else ("0", "0", "0")
        if int(hours or 0) > 23 or int(minutes) > 59 or float(seconds.replace(",", ".")) >= 61:
            return None
        return start + timedelta(hours=int(hours or 0), minutes=int(minutes), seconds=float(seconds.replace(",", ".")))
    return None


def _known(taken_at: datetime | None, where: str) -> datetime:
    if taken_at is None:
        raise SiteError(
            where,
            tr("is a time of the clock, but when the recording was taken is not known."),
            tr("Use seconds from its start."),
        )
    return taken_at
