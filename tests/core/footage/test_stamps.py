from itertools import pairwise

from hypothesis import given
from hypothesis import strategies as st

from north_hush.core.footage.stamps import gap_us, repaired_times

MS = 1000


def times(raw_ms, usual_ms=100):
    held = repaired_times([None if raw is None else raw * MS for raw in raw_ms], usual_ms * MS)
    return (held.time_us // MS).tolist(), held.repaired, held.restarts


def test_good_stamps_stay_and_start_at_nought():
    assert times([500, 600, 700, 2700, 2800]) == ([0, 100, 200, 2200, 2300], 0, ())


def test_missing_and_repeated_stamps_get_one_usual_interval():
    assert times([0, 100, None, 300, 300, 500]) == ([0, 100, 200, 300, 400, 500], 2, ())


def test_a_clock_set_back_is_an_outage_of_unknown_length():
    """A gap of the least length that is one: more than a second."""
    assert times([10_000, 10_100, 3_000, 3_100, 3_250]) == ([0, 100, 1200, 1300, 1450], 1, (2,))


def test_a_stream_that_starts_again_at_nought_is_one_too():
    assert times([0, 100, 200, 0, 100, 200, 300]) == ([0, 100, 200, 1300, 1400, 1500, 1600], 1, (3,))


def test_a_clock_put_back_a_little_goes_on_from_there():
    assert times([5_000, 5_100, 5_200, 5_050, 5_150, 5_250]) == ([0, 100, 200, 300, 400, 500], 1, ())


def test_one_glitch_returns_to_the_old_times():
    assert times([0, 100, 20, 300, 400]) == ([0, 100, 200, 300, 400], 1, ())


def test_one_wild_stamp_shifts_nothing_that_follows():
    assert times([0, 100, 999_999, 300, 400]) == ([0, 100, 200, 300, 400], 1, ())


def test_no_stamps_at_all():
    assert times([None, None, None]) == ([0, 100, 200], 3, ())


@given(st.lists(st.one_of(st.none(), st.integers(-(10**9), 10**9)), min_size=1, max_size=60), st.integers(1, 10**6))
def test_times_always_move_on(raw, usual):
    made = repaired_times(raw, usual).time_us.tolist()
    assert made[0] == 0
    assert all(later > earlier for earlier, later in pairwise(made))


@given(st.lists(st.integers(1, 200), min_size=3, max_size=40), st.integers(0, 38), st.integers(10**6, 10**9))
def test_a_wild_stamp_anywhere_leaves_the_others(steps, place, wild):
    raw = [sum(steps[:i]) * MS for i in range(len(steps) + 1)]
    place = 1 + place % (len(raw) - 2)
    broken = [*raw[:place], raw[-1] + 2_000_000 + wild, *raw[place + 1 :]]
    whole, held = repaired_times(raw, 100 * MS), repaired_times(broken, 100 * MS)
    after = slice(place + 2, None)  # the one put in its place may reach over the next
    assert held.time_us[:place].tolist() == whole.time_us[:place].tolist()
    if held.repaired == 1:
        assert held.time_us[after].tolist() == whole.time_us[after].tolist()


def test_slow_recordings_are_not_all_gaps():
    assert gap_us(100 * MS) == 1_000_000
    assert gap_us(2_000 * MS) == 6_000_000
