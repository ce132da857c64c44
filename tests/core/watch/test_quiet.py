"""A camera that is quiet for unusually long is told of once, and nothing usual is."""

import numpy as np
import pytest

from north_hush.core.watch.quiet import DAY_US, Quiet, unusual_quiet
from north_hush.core.watch.store import EventStore

HOUR_US = DAY_US // 24


def business(days, every_us=HOUR_US):
    """Alarms by day alone, 08:00 to 18:00, not at weekends; the first day is a Monday."""
    return [
        day * DAY_US + 8 * HOUR_US + at for day in range(days) if day % 7 < 5 for at in range(0, 10 * HOUR_US, every_us)
    ]


def test_nights_and_weekends_are_usual_and_a_dead_week_is_not():
    starts = business(12)  # until Friday evening of the second week
    assert all(unusual_quiet(starts, starts[-1] + hours * HOUR_US) is None for hours in range(0, 180, 5))
    quiet, longest = unusual_quiet(starts, starts[-1] + 200 * HOUR_US)
    assert (quiet, longest) == (200 * HOUR_US, 63 * HOUR_US)  # Friday 17:00 to Monday 08:00


def test_nothing_is_said_in_the_first_week_or_of_few_alarms():
    assert unusual_quiet(business(5), 60 * DAY_US) is None
    assert unusual_quiet(business(5), 5 * DAY_US + 12 * DAY_US) is None
    assert unusual_quiet([day * DAY_US for day in range(12)], 14 * DAY_US) is None
    assert unusual_quiet([], DAY_US) is None


@pytest.mark.parametrize("seed", range(20))
def test_chance_is_never_called_unusual_in_two_weeks_of_watching(seed):
    chance = np.random.default_rng(seed)
    starts = np.cumsum(chance.exponential(HOUR_US, 24 * 28)).astype(np.int64)
    told = [
        now
        for now in range(7 * DAY_US, 21 * DAY_US, HOUR_US // 6)
        if unusual_quiet(starts[starts <= now].tolist(), now)
    ]
    assert told == []


def test_it_is_said_once_until_an_alarm_comes():
    quiet, starts, late = Quiet(), business(12), business(12)[-1] + 200 * HOUR_US
    assert quiet.said("view-1", starts, late) == "no alarm for 200 h; in two weeks before never longer than 63 h"
    assert quiet.said("view-1", starts, late + HOUR_US) == ""
    quiet.alarm("view-1")
    assert quiet.said("view-1", starts, late) and not quiet.said("view-2", [], late)


def test_the_store_knows_when_alarms_of_a_view_started(tmp_path):
    store = EventStore(tmp_path / "events.sqlite")
    for at, view, what in (
        (5, "Slipway", "alarm_start"),
        (3, "Slipway", "alarm_start"),
        (4, "Gate", "alarm_start"),
        (6, "Slipway", "alarm_end"),
    ):
        store.add(at, view, "zone-1", what, {})
    assert store.alarm_starts("Slipway", 0) == [3, 5] and store.alarm_starts("Slipway", 4) == [5]
    store.close()
