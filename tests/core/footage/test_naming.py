"""A pattern of names is shown by one example, and dates the others."""

from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from north_hush.core.errors import HushError
from north_hush.core.footage.naming import check_pattern, moment_of, pattern_of

THEN = datetime(2026, 6, 14, 15, 2, 7)


@pytest.mark.parametrize(
    ("name", "pattern"),
    [
        ("slip_14-06-26_150207.mkv", "{day}-{month}-{yy}_{hour}{minute}{second}"),
        ("cam3 14.06.2026 15h02m07 0001.mp4", "{day}.{month}.{year} {hour}h{minute}m{second}"),
        ("20260614/ch01_150207.avi", "{year}{month}{day}*{hour}{minute}{second}"),
        ("M150207-140626.mp4", "{hour}{minute}{second}-{day}{month}{yy}"),
        ("06142026-1502.mp4", "{month}{day}{year}-{hour}{minute}"),
        ("R2606141502_07.mkv", "{yy}{month}{day}{hour}{minute}_{second}"),
    ],
)
def test_one_example_shows_the_pattern_and_the_pattern_reads_it(name, pattern):
    assert pattern_of(name, THEN) == pattern
    whole = "{second}" in pattern
    assert moment_of(pattern, name) == (THEN if whole else THEN.replace(second=0))


def test_seconds_of_utc_are_read_whatever_the_site_s_clock_says():
    held = datetime(2026, 6, 14, 15, 2, 7, tzinfo=UTC)
    name = f"clip-{int(held.timestamp())}.mkv"
    assert pattern_of(name, held.astimezone()) == "{unix}"
    assert moment_of("{unix}", name) == moment_of("{unix}", name.replace(".mkv", "123.mkv")) == held


def test_a_day_that_could_be_its_month_is_asked_for_another():
    with pytest.raises(HushError, match=r"2 ways.*another day"):
        pattern_of("slip_06-06-2026_150207.mkv", datetime(2026, 6, 6, 15, 2, 7))


def test_a_name_that_does_not_say_it_is_told():
    with pytest.raises(HushError, match=r"slip\.mkv: does not say 2026-06-14 15:02:07"):
        pattern_of("slip.mkv", THEN)


@pytest.mark.parametrize("name", ["slip_14-06-26_150208.mkv", "15.02.08 14.06.2026.mkv", "20260614T15-02-08.mkv"])
def test_seconds_that_are_others_are_another_moment(name):
    with pytest.raises(HushError, match="does not say"):
        pattern_of(name, THEN)


def test_minutes_are_enough_where_no_seconds_follow():
    assert pattern_of("20260614-1502_01.mkv", THEN) == "{year}{month}{day}-{hour}{minute}"


@pytest.mark.parametrize(
    ("pattern", "said"),
    [
        ("{year}-{month}", "no day and time"),
        ("{when}", "is no field"),
        ("{day}{day}{month}{year}{hour}{minute}", "twice"),
    ],
)
def test_patterns_that_are_none(pattern, said):
    with pytest.raises(ValueError, match=said):
        check_pattern(pattern)


@pytest.mark.parametrize("name", ["slip_31-02-26_150207.mkv", "slip_14-06-26_996161.mkv", "other.mkv"])
def test_what_is_no_moment_dates_nothing(name):
    assert moment_of("{day}-{month}-{yy}_{hour}{minute}{second}", name) is None


@given(
    st.datetimes(datetime(2001, 1, 1), datetime(2068, 12, 31)),
    st.integers(0, 10**6),
    st.sampled_from(["", "-", "_", "."]),
)
def test_whatever_is_found_reads_its_own_example(moment, number, gap):
    name = f"c{number:02d}_{moment:%d}{gap}{moment:%m}{gap}{moment:%Y}T{moment:%H}{gap}{moment:%M}{gap}{moment:%S}.mkv"
    moment = moment.replace(microsecond=0)
    try:
        pattern = pattern_of(name, moment)
    except HushError:
        return  # more than one way to read it
    assert moment_of(check_pattern(pattern), name) == moment
    other = moment + timedelta(days=400, hours=7, minutes=13, seconds=5)
    renamed = f"c{number:02d}_{other:%d}{gap}{other:%m}{gap}{other:%Y}T{other:%H}{gap}{other:%M}{gap}{other:%S}.mkv"
    assert moment_of(pattern, renamed) in (other, None)
