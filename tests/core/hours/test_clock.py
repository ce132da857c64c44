"""Hours as text become instants: known answers by hand, days of 23 and 25 hours, holidays, sun, and what cannot be read."""

from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st
from opening_hours import OpeningHours
from pydantic import ValidationError

from north_hush.core.errors import HushError
from north_hush.core.hours.clock import EPOCH, US, Clock, Place, hours_spans, read_holidays, with_holidays
from north_hush.core.hours.plan import Hours

BERLIN = Clock(zone="Europe/Berlin")


def us(*at, zone="UTC"):
    return (datetime(*at, tzinfo=ZoneInfo(zone)).astimezone(UTC) - EPOCH) // US


def said(spans):
    return [[f"{EPOCH + at * US:%d %H:%M}" for at in span] for span in spans.tolist()]


def test_a_night_over_midnight_and_a_weekend():
    found = hours_spans(
        "Mo-Fr 18:00-06:00; Sa,Su", Clock(), us(2026, 11, 26), us(2026, 11, 30, 12)
    )  # Thursday to Monday
    assert said(found) == [["26 00:00", "26 06:00"], ["26 18:00", "27 06:00"], ["27 18:00", "30 00:00"]]


def test_days_of_23_and_25_hours():
    spring = hours_spans("01:00-04:00", BERLIN, us(2026, 3, 29), us(2026, 3, 29, 20))
    assert said(spring) == [["29 00:00", "29 02:00"]]  # two hours: 02:00 to 03:00 is not there
    autumn = hours_spans("01:00-04:00", BERLIN, us(2026, 10, 24, 12), us(2026, 10, 25, 20))
    assert said(autumn) == [["24 23:00", "25 03:00"]]  # four hours: one is there twice
    within = hours_spans("01:00-04:00", BERLIN, us(2026, 10, 25), us(2026, 10, 25, 20))
    assert said(within) == [["25 00:00", "25 03:00"]]  # also when asked from within the hour that is there twice


def test_a_day_without_half_past_two_and_one_with_it_twice():
    gone = hours_spans("02:30-02:45", BERLIN, us(2026, 3, 29), us(2026, 3, 30))
    assert sum(int(end - start) for start, end in gone.tolist()) <= 15 * 60_000_000
    twice = hours_spans("02:30-02:45", BERLIN, us(2026, 10, 25), us(2026, 10, 26))
    assert len(twice) >= 1


def test_the_29th_of_february_and_the_end_of_a_month():
    leap = hours_spans("Feb 29 10:00-12:00", Clock(), us(2028, 2, 28), us(2028, 3, 2))
    assert said(leap) == [["29 10:00", "29 12:00"]]
    over = hours_spans("2026 Jan 31 22:00-02:00", Clock(), us(2026, 1, 31), us(2026, 2, 2))
    assert said(over) == [["31 22:00", "01 02:00"]]


def test_the_sun_needs_a_place_and_may_not_set_there():
    with pytest.raises(HushError, match="has no place"):
        hours_spans("sunset-sunrise", Clock(), us(2026, 11, 26), us(2026, 11, 27))
    quay = Clock(zone="Atlantic/Faroe", place=Place(latitude=62.0, longitude=-6.8))
    found = hours_spans("sunset-sunrise", quay, us(2026, 11, 26, 12), us(2026, 11, 27, 12))
    assert len(found) == 1
    assert 14 <= (found[0, 1] - found[0, 0]) / 3_600_000_000 <= 19  # a November night there
    pole = Clock(place=Place(latitude=89.9, longitude=0.0))
    hours_spans("sunset-sunrise", pole, us(2026, 6, 21), us(2026, 6, 22))  # no sunset, no crash


def test_holidays_of_ones_own_stand_for_ph():
    days = (date(2026, 12, 24), date(2026, 12, 28))
    assert with_holidays("Mo-Fr 18:00-06:00; PH off", days) == (
        "Mo-Fr 18:00-06:00; PH off; 2026 Dec 24,2026 Dec 28 off"
    )
    clock = Clock(holidays=days)
    found = hours_spans("Mo-Fr 08:00-10:00; PH 12:00-13:00", clock, us(2026, 12, 23), us(2026, 12, 26))
    assert said(found) == [["23 08:00", "23 10:00"], ["24 12:00", "24 13:00"], ["25 08:00", "25 10:00"]]
    assert with_holidays("Mo-Fr 08:00-10:00", days) == "Mo-Fr 08:00-10:00"


ICS = """BEGIN:VCALENDAR
VERSION:2.0
PRODID:-//Skerry Quay//EN
BEGIN:VEVENT
UID:a
DTSTART;VALUE=DATE:20261224
DTEND;VALUE=DATE:20261227
END:VEVENT
BEGIN:VEVENT
UID:b
DTSTART;VALUE=DATE:20260101
RRULE:FREQ=YEARLY
END:VEVENT
END:VCALENDAR
"""


def test_holidays_come_from_a_calendar_with_their_recurrences(tmp_path):
    path = tmp_path / "days.ics"
    path.write_text(ICS.replace("\n", "\r\n"))
    days = read_holidays(path)
    assert {date(2026, 12, 24), date(2026, 12, 25), date(2026, 12, 26), date(2030, 1, 1)} <= set(days)
    assert date(2026, 12, 27) not in days
    for text, what in (("garbage", "iCalendar|no event"), ("BEGIN:VCALENDAR\r\nEND:VCALENDAR\r\n", "no event")):
        path.write_text(text)
        with pytest.raises(HushError, match=what):
            read_holidays(path)
    with pytest.raises(HushError, match="cannot be read"):
        read_holidays(tmp_path / "gone.ics")


@pytest.mark.parametrize(
    ("text", "column"),
    [("Mo-Fr 25:00-26:00", 7), ("gibberish", 1), ("Mo-Fr 18:00-", 12), ("Mo-Fr 10:00-12:00; Xx", 20)],
)
def test_a_text_that_cannot_be_read_is_told_with_its_place(text, column):
    with pytest.raises(ValidationError, match="is no hours"):
        Hours(armed=text)


def test_notices_need_arming_and_what_is_not_stated_is_always():
    hours = Hours(armed="08:00-12:00", notifying="10:00-14:00")
    start, end = us(2026, 11, 26), us(2026, 11, 27)
    assert said(hours.spans("notifying", Clock(), start, end)) == [["26 10:00", "26 12:00"]]
    assert said(hours.spans("recording", Clock(), start, end)) == [["26 00:00", "27 00:00"]]
    own = Hours(armed="09:00-10:00").over(hours)
    assert (own.armed, own.notifying) == ("09:00-10:00", "10:00-14:00")
    assert Hours().plain
    assert said(Hours(armed="off").spans("armed", Clock(), start, end)) == []


TEXTS = st.sampled_from(
    [
        "Mo-Fr 18:00-06:00; Sa,Su",
        "24/7",
        "off",
        "08:00-09:30,22:00-23:15",
        "Mo 00:00-24:00; Tu off",
        "Dec 24-26 off; Mo-Su 20:00-04:00",
    ]
)


@given(TEXTS, st.integers(0, 14 * 24 * 60), st.sampled_from(["UTC", "Atlantic/Faroe", "Asia/Kathmandu"]))
def test_at_any_instant_the_spans_say_what_the_text_says(text, minutes, zone):
    """The library asked point by point; the hour that is there twice is left out, where it differs from itself."""
    start = us(2026, 12, 15)
    at = start + minutes * 60_000_000 + 30_000_000
    found = hours_spans(text, Clock(zone=zone), start, start + 15 * 86_400_000_000)
    moment = (EPOCH + timedelta(microseconds=at)).astimezone(ZoneInfo(zone))
    held = OpeningHours(text, timezone=ZoneInfo(zone)).is_open(moment)
    assert any(first <= at < after for first, after in found.tolist()) == held
