"""Alarms by hour and by day."""

from datetime import UTC, datetime

from hypothesis import given
from hypothesis import strategies as st

from north_hush.core.judge.matching import Span
from north_hush.core.judge.when import Taken, by_day, by_hour

LATE = datetime(2026, 11, 2, 22, 30, tzinfo=UTC)


def alarm(start_s, worth="nuisance"):
    return Span(start_s, start_s, start_s + 1, "z"), worth


def test_two_hours_over_midnight_by_hand():
    held = Taken(LATE, 7200, [alarm(60), alarm(1900, "real"), alarm(5500, "not judged"), alarm(5600, "unsure")])
    hours = by_hour([held])
    assert len(hours) == 24
    assert [(bar.label, bar.real, bar.nuisance, bar.unjudged, bar.footage_s) for bar in hours if bar.footage_s] == [
        ("00", 0, 0, 1, 1800),
        ("22", 0, 1, 0, 1800),
        ("23", 1, 0, 0, 3600),
    ]
    days = by_day([held])
    assert [(bar.label, bar.alarms, bar.footage_s) for bar in days] == [
        ("2026-11-02", 2, 5400),
        ("2026-11-03", 1, 1800),
    ]


def test_the_same_hour_of_two_days_is_one_bar():
    next_day = LATE.replace(day=3)
    assert sum(bar.nuisance for bar in by_hour([Taken(LATE, 60, [alarm(1)]), Taken(next_day, 60, [alarm(1)])])) == 2
    assert [bar.nuisance for bar in by_day([Taken(LATE, 60, [alarm(1)]), Taken(next_day, 60, [alarm(1)])])] == [1, 1]


@given(st.floats(1, 200_000), st.integers(0, 10**6))
def test_no_footage_and_no_alarm_is_lost(duration_s, offset_s):
    at = datetime.fromtimestamp(1_790_000_000 + offset_s, UTC)
    held = [Taken(at, duration_s, [alarm(share * duration_s) for share in (0, 0.3, 0.9)])]
    for bars in (by_hour(held), by_day(held)):
        assert sum(bar.alarms for bar in bars) == 3
        assert abs(sum(bar.footage_s for bar in bars) - duration_s) < 0.01
