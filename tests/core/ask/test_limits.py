"""Which answers are wanted: by kind, hours and days of the site's clock."""

from datetime import UTC, date, datetime

import pytest

from north_hush.core.ask.limits import AskLimits, checked_limits, limited
from north_hush.core.ask.moves import answer
from north_hush.core.errors import FootageError, HushError
from north_hush.core.hours.clock import Clock

BEGAN = datetime(2026, 11, 27, 16, 59, tzinfo=UTC)  # a Friday, 17:59 in Oslo
OSLO = Clock(zone="Europe/Oslo")


def answers():
    """One just before six o'clock, one over it, one well after midnight."""
    told = ((10.0, 20.0, "person"), (50.0, 70.0, "vehicle"), (7 * 3600.0, 7 * 3600.0 + 5, "unclear"))
    return [answer(start, end, 0.8, 8 * 3600.0, number, kind) for number, (start, end, kind) in enumerate(told)]


def kept(clock=OSLO, began=BEGAN, **limits):
    return [one.track for one in limited(answers(), AskLimits(**limits), clock, "slip.mkv", began)]


def test_nothing_is_left_out_without_limits_whenever_it_was_taken():
    assert kept() == [0, 1, 2] == kept(began=None)


def test_what_nobody_could_name_stays():
    assert kept(kinds=("person",)) == [0, 2] and kept(kinds=("vehicle", "boat")) == [1, 2]


def test_hours_are_of_the_sites_clock_and_one_instant_within_them_is_enough():
    assert kept(hours="Fr 18:00-24:00") == [1]
    assert kept(hours="Fr 18:00-06:00") == [1, 2]
    assert kept(Clock(zone="UTC"), hours="Fr 18:00-24:00") == [2]  # 23:59 there


def test_days_are_whole_and_both_ends_count():
    assert kept(since=date(2026, 11, 28)) == [2]
    assert kept(until=date(2026, 11, 27)) == [0, 1]
    assert kept(since=date(2026, 11, 27), until=date(2026, 11, 28)) == [0, 1, 2]
    assert kept(since=date(2026, 11, 29)) == []
    assert kept(until=date(2026, 11, 27), hours="18:00-24:00") == [1]


def test_without_a_time_hours_cannot_tell_and_the_recording_says_so():
    with pytest.raises(FootageError, match=r"slip.mkv: has no time"):
        kept(began=None, hours="18:00-24:00")
    assert limited([], AskLimits(hours="18:00-24:00"), OSLO, "slip.mkv", None) == []


@pytest.mark.parametrize(
    ("limits", "said"),
    [
        ({"hours": "Fr 25:00-xx"}, "hours: "),
        ({"since": date(2026, 11, 28), "until": date(2026, 11, 27)}, "is before 2026-11-28"),
    ],
)
def test_limits_that_make_no_sense(limits, said):
    with pytest.raises(HushError, match=said):
        checked_limits(AskLimits(**limits))
