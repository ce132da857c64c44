"""A week that is drawn and the text that says it are one value; and the tide that is laid over it."""

from datetime import date
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from north_hush.core.errors import HushError
from north_hush.core.hours import week as w
from north_hush.core.hours.clock import EPOCH, US, Clock, Place
from north_hush.core.hours.spans import spans_of
from north_hush.core.hours.tide import Measured, out_of_hours, savings, tide_of
from north_hush.core.hours.worded import drawn as drawn_text

MONDAY = date(2026, 11, 23)
MINUTES = st.integers(0, 48).map(lambda half: 30 * half)
PIECES = st.lists(st.tuples(MINUTES, MINUTES), max_size=3).map(w.joined)
WEEKS = st.tuples(*[PIECES] * 7)


@given(WEEKS)
def test_a_week_and_its_text_say_the_same(week):
    assert w.week_of(w.text_of(week), Clock(), MONDAY) == week


@given(WEEKS, st.integers(0, 6), st.integers(0, 6))
def test_copying_a_day_twice_changes_nothing_more_and_turning_twice_nothing_at_all(week, day, other):
    once = w.with_day(week, other, week[day])
    assert w.with_day(once, other, once[day]) == once
    assert w.turned(w.turned(week)) == week


@given(PIECES, st.tuples(MINUTES, MINUTES), st.integers(0, 1439))
def test_what_is_taken_out_is_gone_and_the_rest_stays(pieces, cut, at):
    held = w.without(pieces, cut)
    inside = any(start <= at < end for start, end in pieces) and not cut[0] <= at < cut[1]
    assert any(start <= at < end for start, end in held) == (
        inside or (cut[1] <= cut[0] and any(s <= at < e for s, e in pieces))
    )


def test_texts_are_short_and_rules_of_dates_stay():
    night = ((0, 360), (1080, 1440))
    week = (*[night] * 5, ((0, 1440),), ((0, 1440),))
    assert w.text_of(week) == "Mo-Fr 00:00-06:00,18:00-24:00; Sa,Su 00:00-24:00"
    assert (w.text_of(w.NEVER), w.text_of(w.WHOLE)) == ("off", "24/7")
    text = "Mo-Fr 18:00-06:00; PH off; 2026 Dec 24-26 off"
    assert w.exceptions_of(text) == "PH off; 2026 Dec 24-26 off"
    assert w.weekly_of(text) == "Mo-Fr 18:00-06:00"
    assert drawn_text(text, Clock(), MONDAY, w.WHOLE) == "24/7; PH off; 2026 Dec 24-26 off"
    assert w.week_of(text, Clock(), MONDAY)[1] == night
    assert w.week_of("24/7; PH off; 2026 Dec 24-26 off", Clock(), date(2026, 12, 21))[3] == ()


@given(WEEKS, WEEKS)
def test_a_week_that_is_drawn_is_the_week_that_is_shown_whatever_stood_before(before, week):
    text = f"{w.text_of(before)}; 2026 Nov 25 10:00-11:00"
    after = drawn_text(text, Clock(), MONDAY, week)
    assert w.week_of(after, Clock(), MONDAY) == week
    assert drawn_text(text, Clock(), MONDAY, w.week_of(text, Clock(), MONDAY)) == text


def test_a_date_that_says_what_its_weekday_says_decides_it_all_the_same():
    text, later = "We 10:00-11:00; 2026 Nov 25 10:00-11:00", date(2026, 11, 30)
    drawn = drawn_text(text, Clock(), MONDAY, w.NEVER)
    assert w.week_of(drawn, Clock(), MONDAY) == w.NEVER
    assert w.week_of(drawn, Clock(), later)[2] == ((600, 660),)  # no other week changes


def test_a_day_that_a_date_decides_becomes_an_exception_and_no_other_week_changes():
    text, christmas, later = "Mo-Su 20:00-24:00; 2026 Dec 24-26 off", date(2026, 12, 21), date(2027, 1, 4)
    shown = w.week_of(text, Clock(), christmas)
    assert shown[3] == ()
    drawn = drawn_text(text, Clock(), christmas, w.with_day(shown, 3, [(600, 720)]))
    assert drawn == "Mo-Su 20:00-24:00; 2026 Dec 24-26 off; 2026 Dec 24 10:00-12:00"
    assert w.week_of(drawn, Clock(), later) == w.week_of(text, Clock(), later)
    weekly = drawn_text(text, Clock(), christmas, w.with_day(shown, 0, []))  # a Monday no date decides
    assert weekly == "Tu-Su 20:00-24:00; 2026 Dec 24-26 off"
    assert w.week_of(weekly, Clock(), later)[3] == ((1200, 1440),)  # every Thursday but that one


def test_hours_by_the_sun_stay_until_their_week_is_drawn():
    quay = Clock(place=Place(latitude=62.0, longitude=-6.8))
    shown = w.week_of("sunset-sunrise", quay, MONDAY)
    assert drawn_text("sunset-sunrise", quay, MONDAY, shown) == "sunset-sunrise"
    assert "sunset" not in drawn_text("sunset-sunrise", quay, MONDAY, w.with_day(shown, 0, []))


@pytest.mark.parametrize(
    ("text", "turned"),
    [
        ("Mo-Fr 08:00-17:00; PH off", "Mo-Fr 00:00-08:00,17:00-24:00; Sa,Su 00:00-24:00; PH 00:00-24:00"),
        ("24/7; 2026 Dec 24 10:00-12:00", "off; 2026 Dec 24 00:00-10:00,12:00-24:00"),
        ("off; PH", "24/7; PH off"),
    ],
)
def test_opening_hours_are_turned_round_with_their_exceptions(text, turned):
    assert w.turned_round(text, Clock(), MONDAY) == turned


@pytest.mark.parametrize("text", ["24/7; PH 22:00-06:00", "24/7; PH sunset-sunrise"])
def test_what_cannot_be_turned_is_said(text):
    with pytest.raises(HushError, match="cannot be turned round"):
        w.turned_round(text, Clock(), MONDAY)


def at(*when):
    from datetime import datetime

    return (datetime(*when, tzinfo=ZoneInfo("Atlantic/Faroe")) - EPOCH) // US


def measured(footage, alarms, nuisance, incidents=()):
    return Measured(
        spans_of(footage),
        np.array([(start, start + 1_000_000) for start in alarms], np.int64).reshape(-1, 2),
        np.array(nuisance, bool),
        np.array(incidents, np.int64).reshape(-1, 2),
    )


def test_the_tide_counts_by_day_and_half_hour_of_the_sites_clock():
    start, end = at(2026, 11, 23, 8, 50), at(2026, 11, 23, 12, 10)  # a Monday
    part = measured(
        [(start, end)], [at(2026, 11, 23, 9, 5), at(2026, 11, 23, 9, 29), at(2026, 11, 23, 11, 40)], [True, True, False],
        [(at(2026, 11, 23, 11, 30), at(2026, 11, 23, 11, 50))],
    )  # fmt: skip
    tide = tide_of([part], ZoneInfo("Atlantic/Faroe"))
    assert tide.nuisance[0, 18] == 2
    assert tide.real[0, 23] == 1
    assert tide.nuisance.sum() == 2
    assert tide.footage_s[0, 17] == 600
    assert tide.footage_s[0, 18] == 1800
    assert tide.footage_s.sum() == 12_000
    assert np.argwhere(tide.incident).tolist() == [[0, 23]]
    found = savings(tide, w.WHOLE)
    assert [(held.days_text, held.piece, held.nuisances, held.of) for held in found] == [("Mo", (510, 690), 2, 2)]
    assert savings(tide, w.NEVER) == []
    assert out_of_hours([part], spans_of([(start, at(2026, 11, 23, 11, 0))])) == 1
    assert out_of_hours([part], spans_of([(start, end)])) == 0
