"""Which clips go, and why: known answers by hand."""

import os
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from north_hush.core.errors import SiteError
from north_hush.core.outcome.rules import Disk
from north_hush.core.site import edits, outcomes
from north_hush.core.site.model import replaced
from north_hush.core.watch.retention import (
    PICTURES,
    Kept,
    Limits,
    footage_of,
    going,
    hold,
    kept_of,
    limits_of,
    remove,
    remove_pictures,
    reserve_of,
)

ROOMY = {"size_bytes": 10**15, "free_bytes": 10**15, "reserve_bytes": 0}
NO_LIMIT = {"Slipway": Limits(0, None), "Quay": Limits(0, None)}


def clip(start, size=10, view="Slipway"):
    return Kept(f"{view}-{start}.mkv", view, start, size)


def told(clips, limits=NO_LIMIT, **more):
    return [(held.end_us, why) for held, why in going(clips, limits, **{**ROOMY, **more})]


def test_age_quota_and_room_in_this_order():
    clips = [clip(5), clip(1), clip(3), clip(9)]
    assert told(clips) == []
    assert told(clips, {"Slipway": Limits(4, None)}) == [(1, "age"), (3, "age")]
    assert told(clips, {"Slipway": Limits(0, 25)}) == [(1, "quota"), (3, "quota")]
    assert told(clips, {"Slipway": Limits(2, 25)}) == [(1, "age"), (3, "quota")]
    assert told(clips, size_bytes=15) == [(1, "room"), (3, "room"), (5, "room")]
    assert told(clips, free_bytes=5, reserve_bytes=20) == [(1, "room"), (3, "room")]


def test_a_quota_binds_its_view_and_the_oldest_of_all_goes_for_room():
    clips = [clip(1, view="Quay"), clip(2), clip(3), clip(4, view="Quay")]
    assert told(clips, {"Slipway": Limits(0, 10), "Quay": Limits(0, None)}) == [(2, "quota")]
    assert told(clips, size_bytes=25) == [(1, "room"), (2, "room")]


def test_clips_of_a_view_that_is_gone_go_for_room_alone():
    clips = [clip(1, view="Old"), clip(2)]
    assert told(clips, {"Slipway": Limits(9, None)}) == [(2, "age")]
    assert told(clips, size_bytes=10) == [(1, "room")]


@given(
    st.lists(st.tuples(st.integers(0, 50), st.integers(1, 20)), max_size=20), st.integers(0, 100), st.integers(0, 60)
)
def test_what_stays_is_within_the_limits_and_nothing_goes_twice(rows, size, oldest):
    clips = [Kept(f"{number}.mkv", "Slipway", start, held) for number, (start, held) in enumerate(rows)]
    gone = [held for held, _ in going(clips, {"Slipway": Limits(oldest, None)}, size, 10**9, 0)]
    assert len(set(gone)) == len(gone)
    left = [held for held in clips if held not in gone]
    assert sum(held.size for held in left) <= size
    assert all(held.end_us >= oldest for held in left)
    if left and gone:  # nothing younger went for room while something older stayed
        assert min(held.end_us for held in left) >= max(
            (held.end_us for held in gone if held.end_us >= oldest), default=0
        )


def test_limits_come_from_the_rules_and_the_reserve_fits_the_disk():
    site = outcomes.set_keep(edits.new_site("Skerry Quay", "Slipway"), "view-1", clips_days=2, quota_gb=3)
    day = 86_400_000_000
    assert limits_of(site, 10 * day) == {"Slipway": Limits(8 * day, 3_000_000_000, -20 * day)}
    site = replaced(site, disk=Disk(size_gb=1000, reserve_gb=10))
    assert reserve_of(site, 10**12) == 10_000_000_000
    assert reserve_of(site, 8 * 10**9) == 400_000_000  # on a small disk it does not eat all clips


def test_files_that_are_gone_count_for_nothing_and_words_beside_go_along(tmp_path):
    path = tmp_path / "a.mkv"
    path.write_bytes(b"123")
    path.with_suffix(".vtt").write_text("WEBVTT")
    (held,) = kept_of([(str(path), "Slipway", 7, "clip"), (str(tmp_path / "b.mkv"), "Slipway", 8, "clip")])
    assert held == Kept(str(path), "Slipway", 7, 3)
    assert remove(held) and list(tmp_path.iterdir()) == []


def test_what_is_held_and_what_the_site_works_with_stays(tmp_path):
    rows = []
    for name in ("a", "b", "c"):
        (tmp_path / f"{name}.mkv").write_bytes(b"123")
        rows.append((str(tmp_path / f"{name}.mkv"), "Slipway", 7, "clip"))
    hold(tmp_path / "a.mkv", stays=True)
    site = edits.add_recording(edits.new_site("Skerry Quay", "Slipway"), "view-1", "b.mkv")
    held = footage_of(site, tmp_path / "quay.hush.json")
    assert [Path(one.file).name for one in kept_of(rows, held)] == ["c.mkv"]
    hold(tmp_path / "a.mkv", stays=False)
    assert [Path(one.file).name for one in kept_of(rows, held)] == ["a.mkv", "c.mkv"]
    with pytest.raises(SiteError, match="is not there"):
        hold(tmp_path / "gone.mkv", stays=True)


def test_continuous_footage_has_an_age_of_its_own():
    limits = {"Slipway": Limits(2, None, oldest_footage_us=6)}
    files = [clip(3), Kept("all-4.mkv", "Slipway", 4, 10, "footage"), Kept("all-7.mkv", "Slipway", 7, 10, "footage")]
    assert told(files, limits) == [(4, "age")]


def test_pictures_of_alarms_go_by_their_age(tmp_path):
    (tmp_path / PICTURES).mkdir()
    for name, at_s in (("old.jpg", 100), ("new.jpg", 300)):
        (tmp_path / PICTURES / name).write_bytes(b"x")
        os.utime(tmp_path / PICTURES / name, (at_s, at_s))
    remove_pictures(tmp_path, 200_000_000)
    assert [path.name for path in (tmp_path / PICTURES).iterdir()] == ["new.jpg"]
    remove_pictures(tmp_path / "nowhere", 0)
