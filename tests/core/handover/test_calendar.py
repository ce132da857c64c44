"""Alarms and hours as calendars, read back by the library."""

from datetime import UTC, datetime, timedelta

import pytest
from icalendar import Calendar

from north_hush.core.errors import SiteError
from north_hush.core.handover.calendar import Entry, alarm_entries, calendar_of, hours_entries, write_calendar

MONDAY = datetime(2026, 11, 23, 9, 0, tzinfo=UTC)


def read(data):
    return list(Calendar.from_ical(data).walk("VEVENT"))


def test_entries_come_back_with_times_in_utc_and_marks_that_stay():
    entry = Entry(MONDAY, MONDAY + timedelta(seconds=12), 'Slipway: Slip; gate, "A"\nline', "day.mkv, nuisance")
    (event,) = read(calendar_of("Skerry Quay", [entry]))
    assert event.decoded("DTSTART") == MONDAY and event.decoded("DTEND") == entry.end
    assert str(event["SUMMARY"]) == entry.summary and str(event["DESCRIPTION"]) == entry.description
    (again,) = read(calendar_of("Skerry Quay", [entry]))
    (other,) = read(calendar_of("Skerry Quay", [Entry(MONDAY, entry.end, "another")]))
    assert event["UID"] == again["UID"] != other["UID"]


def test_alarms_of_which_nobody_knows_when_they_were_are_left_out():
    dated = {"name": "Slip", "start_utc": "2026-11-23T09:00:00Z", "end_utc": "2026-11-23T09:00:05Z", "verdict": "real"}
    rows = [
        {"view": "Slipway", "path": "a.mkv", "alarms": [dated, {"name": "Slip", "start_utc": None}]},
        {"error": "gone"},
    ]
    (entry,) = alarm_entries(rows)
    assert (entry.start, entry.summary, entry.description) == (MONDAY, "Slipway: Slip", "a.mkv, real")


def test_hours_are_named_by_what_they_are_of():
    span = [["2026-11-23T18:00:00+00:00", "2026-11-24T06:00:00+00:00"]]
    rows = [{"view": "Slipway", "item": None, "armed": span, "recording": [], "notifying": []},
            {"view": "Slipway", "item": "Gate", "armed": [], "recording": [], "notifying": span}]  # fmt: skip
    assert [entry.summary for entry in hours_entries(rows)] == ["Slipway: armed", "Slipway, Gate: notifying"]


def test_where_nothing_can_be_written_it_is_said(tmp_path):
    with pytest.raises(SiteError, match="cannot be written"):
        write_calendar(tmp_path / "no" / "such" / "a.ics", "x", [])
