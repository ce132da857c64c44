"""The disk, day by day: known answers by hand."""

from north_hush.core.outcome.disk import GB, Daily, lasting
from north_hush.core.outcome.rules import Disk


def test_a_disk_that_is_large_enough_never_fills():
    found = lasting([Daily(GB, 0, 30, 30)], Disk(size_gb=100, reserve_gb=0))
    assert (found.full_after_days, found.clips_days, found.used_bytes) == (None, (30,), 30 * GB)


def test_a_full_disk_goes_round():
    found = lasting([Daily(2 * GB, 0, 90, 90)], Disk(size_gb=21, reserve_gb=1))
    assert (found.full_after_days, found.clips_days, found.used_bytes) == (11, (10,), 20 * GB)


def test_continuous_footage_goes_before_clips_of_the_same_day():
    found = lasting([Daily(GB, 9 * GB, 1000, 1000)], Disk(size_gb=100, reserve_gb=0))
    # Day by day the oldest continuous footage goes first; then the clip of that day, before anything younger.
    assert found.full_after_days == 11
    assert found.continuous_days[0] <= found.clips_days[0] <= found.continuous_days[0] + 1


def test_a_quota_binds_its_view_alone():
    found = lasting([Daily(GB, 0, 90, 90, 5 * GB), Daily(GB, 0, 90, 90)], Disk(size_gb=1000, reserve_gb=0))
    assert (found.clips_days, found.full_after_days) == ((5, 90), 6)


def test_a_disk_too_small_for_one_day_keeps_nothing_of_it():
    found = lasting([Daily(20 * GB, 0, 90, 90)], Disk(size_gb=10, reserve_gb=1))
    assert (found.full_after_days, found.clips_days, found.used_bytes) == (1, (0,), 0)
