from itertools import pairwise

from hypothesis import given
from hypothesis import strategies as st

from north_hush.core.footage.stamps import StampRepair, gap_us

MS = 1000


def times(raw_ms, usual_ms=100):
    repair = StampRepair(usual_ms * MS)
    return [repair.time_us(None if raw is None else raw * MS) // MS for raw in raw_ms], repair.repaired


def test_good_stamps_stay_and_start_at_nought():
    assert times([500, 600, 700, 2700]) == ([0, 100, 200, 2200], 0)


def test_missing_and_repeated_stamps_get_one_usual_interval():
    assert times([0, 100, None, 300, 300, 500]) == ([0, 100, 200, 300, 400, 500], 2)


def test_a_clock_set_back_goes_on_from_there():
    assert times([10_000, 10_100, 3_000, 3_100, 3_250]) == ([0, 100, 200, 300, 450], 3)


def test_one_glitch_returns_to_the_old_times():
    assert times([0, 100, 20, 300, 400]) == ([0, 100, 200, 300, 400], 1)


def test_no_stamps_at_all():
    assert times([None, None, None]) == ([0, 100, 200], 3)


@given(st.lists(st.one_of(st.none(), st.integers(-(10**9), 10**9)), min_size=1, max_size=60), st.integers(1, 10**6))
def test_times_always_move_on(raw, usual):
    repair = StampRepair(usual)
    made = [repair.time_us(stamp) for stamp in raw]
    assert made[0] == 0
    assert all(later > earlier for earlier, later in pairwise(made))


def test_slow_recordings_are_not_all_gaps():
    assert gap_us(100 * MS) == 1_000_000
    assert gap_us(2_000 * MS) == 6_000_000
