"""Alarms and hours as iCalendar files (RFC 5545), for calendars that people have."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any

from icalendar import Calendar, Event

from north_hush.core.errors import SiteError
from north_hush.core.site.whole import write_whole
from north_hush.core.words import tr


@dataclass(frozen=True)
class Entry:
    """Something that lasts from a moment to another, both in UTC."""

    start: datetime
    end: datetime
    summary: str
    description: str = ""


def calendar_of(name: str, entries: Iterable[Entry]) -> bytes:
    """Entries as a calendar. The same entry always has the same UID, so that a file that is read again changes nothing."""
    calendar = Calendar()
    calendar.add("prodid", "-//North Hush//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", name)
    for entry in entries:
        event = Event()
        mark = hashlib.sha256(f"{name} {entry.start.isoformat()} {entry.end.isoformat()} {entry.summary}".encode())
        event.add("uid", f"{mark.hexdigest()[:32]}@north-hush")
        event.add("dtstamp", entry.start)
        event.add("dtstart", entry.start)
        event.add("dtend", max(entry.end, entry.start))
        event.add("summary", entry.summary)
        if entry.description:
            event.add("description", entry.description)
        calendar.add_component(event)
    return bytes(calendar.to_ical())


def alarm_entries(recordings: Iterable[dict[str, Any]]) -> list[Entry]:
    """Alarms of `report.site_alarms`; those of recordings of which nobody knows when they were are left out."""
    return [
        Entry(
            datetime.fromisoformat(alarm["start_utc"]),
            datetime.fromisoformat(alarm["end_utc"]),
            f"{row['view']}: {alarm['name']}",
            f"{row['path']}, {alarm.get('verdict', 'alarm')}",
        )
        for row in recordings
        for alarm in row.get("alarms", ())
        if alarm.get("start_utc")
    ]


def hours_entries(rows: Iterable[dict[str, Any]]) -> list[Entry]:
    """Hours as `hours --from --to` tells them."""
    return [
        Entry(datetime.fromisoformat(start), datetime.fromisoformat(end), f"{row['view']}{_item(row)}: {kind}")
        for row in rows
        for kind in ("armed", "recording", "notifying")
        for start, end in row[kind]
    ]


def _item(row: dict[str, Any]) -> str:
    return f", {row['item']}" if row["item"] is not None else ""


def write_calendar(target: Path, name: str, entries: Iterable[Entry]) -> None:
    """Write a calendar file.

    Raises
    ------
    SiteError : it cannot be written.
    """
    try:
        write_whole(target, calendar_of(name, entries))
    except OSError as error:
        raise SiteError(
            str(target), tr("cannot be written ({strerror}).", strerror=error.strerror), tr("Check permissions.")
        ) from error
