"""A small part of what `bench.faults` does in numbers, and the files that once did harm, one by one."""

import json
import time

import pytest

from bench import faults
from north_hush.core.errors import SiteError
from north_hush.core.handover.events import alarms_csv, read_truth
from north_hush.core.judge.device import device_alarms, guess_choice, read_alarm_table
from north_hush.core.scene.mask_image import read_mask_image


def test_what_was_told_to_be_saved_survives_a_kill(tmp_path):
    assert faults.kills(3, tmp_path)["lost"] == 0


def test_mutated_files_are_refused_in_our_words(tmp_path):
    found = faults.mutants(400, tmp_path)
    assert found["tracebacks"] == 0, found
    assert found["slow"] == 0
    assert found["refused"] > 200


def test_flipped_evidence_is_found_out(tmp_path, monkeypatch):
    monkeypatch.setenv("NORTH_HUSH_CACHE", str(tmp_path / "cache"))
    found = faults.flips(120, tmp_path)
    assert (found["tracebacks"], found["wrong"]) == (0, 0), found
    assert found["refused"] > 100


def test_mutated_videos_end_in_pictures_or_errors(tmp_path):
    found = faults.videos(4, tmp_path)
    assert (found["crashed"], found["tracebacks"]) == (0, 0), found


@pytest.mark.parametrize(
    ("name", "text"),
    [
        ("a.json", "[" * 100_000),
        ("a.json", '[{"name": "x", "start_s": ' + "9" * 6000 + ', "end_s": 2}]'),
        ("a.csv", "name,start_s,end_s\nx,1,2\x00\n"),
        ("a.csv", 'name,start_s,end_s\n"' + "x" * 200_000 + '",1,2\n'),
    ],
    ids=["deep", "digits", "zero byte", "endless cell"],
)
def test_truth_that_is_none_is_an_error_with_its_file(tmp_path, name, text):
    path = tmp_path / name
    path.write_text(text)
    with pytest.raises(SiteError, match=name):
        read_truth(path, 60.0, [])


@pytest.mark.parametrize("moment", ["0001-01-01 00:00:00+14:00", "9999-12-31 23:59:59-14:00"])
def test_a_device_date_at_the_end_of_time_is_an_error_with_its_row(tmp_path, moment):
    from datetime import UTC, datetime

    path = tmp_path / "list.csv"
    path.write_text(f"time,zone\n{moment},Slip\n")
    table = read_alarm_table(path)
    try:
        found = device_alarms(table, guess_choice(table), 60.0, datetime(2026, 11, 23, tzinfo=UTC))
    except SiteError as error:
        assert "row 2" in error.subject
    else:
        assert (found.alarms, found.outside) == ((), 1)


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"P2\n0 0\n255\n", "has no pixels"),
        (b"P2\n6 4\n255\n" + b"1" * 2_000_000, "far longer"),
        (b"P2\n6 4\n255\n" + b"1 " * 23 + b"1" * 200, "beyond 0 to 255"),
    ],
)
def test_a_plain_image_that_lies_about_its_size_costs_nothing(tmp_path, data, says):
    path = tmp_path / "mask.pgm"
    path.write_bytes(data)
    began = time.monotonic()
    with pytest.raises(SiteError, match=says):
        read_mask_image(path, 6, 4)
    assert time.monotonic() - began < 2


def test_no_cell_of_a_table_is_a_formula():
    alarm = {"item": "zone-1", "name": '=HYPERLINK("x")', "kind": "zone", "start_s": -1.5}
    text = alarms_csv([{"view": "+view", "path": "@path.mp4", "tuning": "-t", "alarms": [alarm]}])
    row = text.splitlines()[1]
    assert row.startswith("'+view,'@path.mp4,'-t,zone-1,\"'=HYPERLINK(")
    assert ",-1.5," in row  # a number stays one
    assert json.dumps(alarm)  # and JSON is as it was
