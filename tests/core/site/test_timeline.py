"""Recordings on one time line: order, gaps, overlaps, days with 23 and 25 hours; and folders that are looked at."""

from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from north_hush.core.footage.dating import undated_name
from north_hush.core.footage.gathering import gathered, stream_words, videos_in
from north_hush.core.site import edits
from north_hush.core.site.recording import Recording
from north_hush.core.site.timeline import TOUCH_S, timeline_of
from tests.footage_maker import moving_square, write_video

MONDAY = datetime(2026, 11, 23, 6, 0, tzinfo=UTC)


def recording(name, after_s, length_s=600.0, **more):
    return Recording(
        id=name, path=f"{name}.mkv", stated_at=MONDAY + timedelta(seconds=after_s), length_s=length_s, **more
    )


def test_pieces_come_in_order_with_the_gaps_between_them():
    line = timeline_of([recording("b", 600), recording("a", 0), recording("c", 4000), Recording(id="d", path="d.mkv")])
    assert [piece.recording for piece in line.pieces] == ["a", "b", "c"]
    assert line.gaps == ((MONDAY + timedelta(seconds=1200), MONDAY + timedelta(seconds=4000)),)
    assert line.undated == ("d",) and line.overlaps == ()
    assert line.after("a").recording == "b" and line.after("b") is None and line.after("c") is None
    assert line.at(MONDAY + timedelta(seconds=2000)).recording == "c"
    assert line.at(MONDAY + timedelta(days=1)).recording == "c"


def test_overlaps_are_told_and_what_is_inside_another_hides_no_gap():
    line = timeline_of([recording("long", 0, 3600), recording("inside", 600, 60), recording("late", 3000, 1200)])
    assert line.overlaps == (("long", "inside", 60.0), ("long", "late", 600.0))
    assert line.gaps == ()


def test_what_was_typed_and_the_clock_correction_count():
    typed = recording("typed", 0, taken_at=MONDAY + timedelta(hours=2))
    set_right = recording("set", 0, clock_offset_s=60.0)
    assert [(piece.recording, piece.start) for piece in timeline_of([typed, set_right]).pieces] == [
        ("set", MONDAY + timedelta(seconds=60)),
        ("typed", MONDAY + timedelta(hours=2)),
    ]


def test_days_are_local_and_those_between_are_there():
    zone = ZoneInfo("Europe/Oslo")
    line = timeline_of([recording("a", 16.9 * 3600), recording("b", 4 * 86_400)])  # 23:54 local, over midnight by 4 min
    days = line.days(zone)
    assert (str(days[0]), str(days[1]), len(days)) == ("2026-11-23", "2026-11-24", 5)
    assert timeline_of([]).days(zone) == []


@given(st.lists(st.tuples(st.floats(0, 1e6), st.floats(0, 5000)), min_size=1, max_size=12))
def test_gaps_and_pieces_together_cover_from_first_to_last(rows):
    line = timeline_of([recording(f"r{number}", after, length) for number, (after, length) in enumerate(rows)])
    assert [piece.start for piece in line.pieces] == sorted(piece.start for piece in line.pieces)
    for start, end in line.gaps:
        assert (end - start).total_seconds() > TOUCH_S
        assert all(piece.end <= start or piece.start >= end for piece in line.pieces)


def test_a_folder_is_looked_at_with_all_below_it_and_comes_in_order_of_time(tmp_path):
    (tmp_path / "later").mkdir()
    write_video(tmp_path / "later" / "slip 2026-11-23 07.00.00.mkv", moving_square(10))
    write_video(tmp_path / "slip 2026-11-23 08.00.00.mkv", moving_square(12))
    write_video(tmp_path / "slip.mkv", moving_square(14))
    (tmp_path / "broken.mp4").write_bytes(b"no video")
    (tmp_path / "notes.txt").write_text("not footage")
    paths = videos_in([tmp_path])
    assert len(paths) == 4
    done = []
    found = gathered(paths, ZoneInfo("UTC"), lambda *told: done.append(told))
    assert [held.path.stem[-8:] for held in found.recordings] == ["07.00.00", "08.00.00", "slip"]
    assert found.recordings[0].began == datetime(2026, 11, 23, 7, tzinfo=UTC) and found.recordings[2].began is None
    assert found.recordings[0].length_s == pytest.approx(1.0, abs=0.11)
    assert "broken.mp4" in str(found.errors[0]) and done[-1] == (4, 4)
    assert found.streams == (((160, 96), "slip"), ((160, 96), ""))
    assert videos_in([tmp_path / "later", tmp_path / "notes.txt"])[1].name == "notes.txt"


def test_many_are_added_in_one_act_and_none_twice(tmp_path):
    for number in range(3):
        write_video(tmp_path / f"slip 2026-11-23 0{number}.00.00.mkv", moving_square(5 + number))
    found = gathered(videos_in([tmp_path]), ZoneInfo("UTC"))
    rows = [(str(held.path), held) for held in found.recordings]
    site = edits.add_recording(edits.new_site("Skerry Quay"), "view-1", "other.mkv")
    site = edits.add_gathered(site, "view-1", [*rows, rows[0]])
    held = site.views[0].recordings
    assert len(held) == 4 and len({one.id for one in held}) == 4
    assert edits.add_gathered(site, "view-1", rows) == site
    assert len(timeline_of(held).pieces) == 3 and len(timeline_of(held).undated) == 1


def test_a_look_that_is_cancelled_gives_what_it_found():
    assert gathered([], ZoneInfo("UTC")).recordings == ()


@pytest.mark.parametrize(
    ("stem", "label"),
    [
        ("cam1_20260614_150207", "cam1"), ("20260614_150207_cam2", "cam2"), ("cam1_2026-06-14T15-02-07_000123_sub", "cam1 sub"),
        ("20260614_150207", ""), ("GX010023", ""), ("slip 12", ""),
    ],
)  # fmt: skip
def test_what_a_name_says_besides_its_moment_tells_cameras_apart(stem, label):
    assert undated_name(stem) == label


def test_two_cameras_of_one_size_are_told_apart_and_either_taken_alone(tmp_path):
    for number in range(3):
        write_video(tmp_path / f"cam{1 + number % 2}_20261123_0{number}0000.mkv", moving_square(5 + number))
    found = gathered(videos_in([tmp_path]), ZoneInfo("UTC"))
    assert [stream_words(stream) for stream in found.streams] == ["160 × 96 cam1", "160 × 96 cam2"]
    assert [held.path.stem for held in found.of(found.streams[0]).recordings] == [
        "cam1_20261123_000000",
        "cam1_20261123_020000",
    ]
