"""Commands that judge: truth, scores, proposals, comparisons; and settings that make no sense."""

import json
from pathlib import Path

import pytest

from north_hush.core.site.file import load_site
from tests.cli.running import run
from tests.footage_maker import moving_square, write_video


def test_score_says_what_it_can(tmp_path, recording):
    site = tmp_path / "a.hush.json"
    run("new", site, recording, "--zone", "Slip=0,0;1,0;1,1;0,1")
    assert "no incident is marked" in run("score", site)
    held = json.loads(site.read_text())
    spans = ((1.0, 5.0, "passes"), (0.0, 0.05, "never was"))
    held["views"][0]["recordings"][0]["truth"] = {
        "complete": True,
        "incidents": [{"start_s": start_s, "end_s": end_s, "name": name} for start_s, end_s, name in spans],
    }
    site.write_text(json.dumps(held))
    row = json.loads(run("score", site, "--json"))["in_all"][0]
    assert (row["incidents"], row["met"], row["missed"], row["nuisance"]) == (2, 1, ["never was"], 0)
    assert row["delay_s"]["worst"] == pytest.approx(0.3, abs=0.3)
    assert "1 of 2 incidents met" in run("score", site)
    held["views"][0]["recordings"][0]["truth"]["incidents"][0]["end_s"] = 0.5
    site.write_text(json.dumps(held))
    assert "incidents[0]" in run("score", site, code=1)


@pytest.fixture
def judged(tmp_path, recording):
    site = tmp_path / "a.hush.json"
    run("new", site, recording, "--zone", "Slip=0,0;1,0;1,1;0,1")
    truth = tmp_path / "truth.csv"
    truth.write_text("name,start_s,end_s\npasses,1,5\n")
    run("truth", site, recording.name, truth)
    return site


def test_truth_is_taken_from_a_file(tmp_path, judged):
    row = json.loads(run("score", judged, "--json"))["in_all"][0]
    assert (row["incidents"], row["met"]) == (1, 1)
    assert row["met_interval"][1] == 1.0
    assert {"nuisance_per_hour", "time_in_alarm", "delay_s", "f", "repeats"} <= set(row)
    assert "names no recording" in run("truth", judged, "other.mkv", tmp_path / "truth.csv", code=1)


def test_propose_finds_settings_and_takes_them(judged):
    found = json.loads(run("propose", judged, "--json", "--take"))
    proposals = found["views"][0]["proposals"]
    assert proposals[0]["aim"] == "quietest"
    assert all((held["met"], held["nuisance"]) == (1, 0) for held in proposals)
    held = json.loads(judged.read_text())["views"][0]["tunings"][0]["settings"]["zone-1"]
    assert all(held[change["setting"]] == change["value"] for change in proposals[0]["changes"])
    assert "quietest: 1 of 1 incidents met" in run("propose", judged)


def test_propose_needs_some_truth(tmp_path, recording):
    site = tmp_path / "b.hush.json"
    run("new", site, recording)
    assert "has no incident and no verdict" in run("propose", site, code=1)


def test_compare_says_what_became_of_each_alarm(judged):
    held = json.loads(judged.read_text())
    view = held["views"][0]
    view["tunings"].append({"name": "deaf", "settings": {"zone-1": {"start_percent": 100, "clear_percent": 100}}})
    judged.write_text(json.dumps(held))
    found = json.loads(run("compare", judged, "factory", "deaf", "--json"))
    assert found["in_all"][0]["factory"]["met"] == 1
    assert found["in_all"][0]["deaf"]["missed"] == ["passes"]
    assert found["recordings"][0]["ledger"]["lost"] >= 1
    assert "loses passes" in run("compare", judged, "factory", "deaf")
    assert "It has deaf, factory." in run("compare", judged, "factory", "none", code=1)


def test_a_device_list_is_kept_and_compared_with(tmp_path, judged, recording):
    listed = tmp_path / "device.csv"
    listed.write_text("at;long\n2;1\n4.5;0.5\n900;1\n")
    found = json.loads(run("device", judged, recording.name, listed, "--start", "at", "--lasts", "long", "--json"))
    assert (found["outside"], found["device"]["alarms"], found["device"]["met"]) == (1, 2, 1)
    assert found["ledger"]["kept"] >= 1
    held = json.loads(judged.read_text())["views"][0]["recordings"][0]["device_alarms"]
    assert [(one["start_s"], one["end_s"]) for one in held] == [(2.0, 3.0), (4.5, 5.0)]
    assert "1 of its alarms lie outside" in run("device", judged, recording.name, listed)
    assert "has no column 'when'" in run("device", judged, recording.name, listed, "--start", "when", code=1)


def test_propose_scores_each_recording_unseen(judged):
    found = json.loads(run("propose", judged, "--json", "--unseen"))
    assert found["views"][0]["unseen"] == {"slip.mkv": None}
    assert "unseen: the others know of no truth" in run("propose", judged, "--unseen")


def test_scores_are_told_by_item_and_weighed_by_hours(judged):
    row = json.loads(run("score", judged, "--json"))
    assert row["recordings"][0]["items"]["zone-1"]["met"] == 1
    assert row["in_all"][0]["items"]["zone-1"]["met"] == 1
    assert row["in_all"][0]["weighted_day"] is None
    held = json.loads(judged.read_text())
    held["views"][0]["recordings"][0]["hours_per_day"] = 12
    judged.write_text(json.dumps(held))
    day = json.loads(run("score", judged, "--json"))["in_all"][0]["weighted_day"]
    assert (day["hours"], day["nuisances"]) == (12, 0)
    assert day["alarms"] > 0


def test_events_are_written_for_other_programs(tmp_path, judged, recording):
    made = [Path(line) for line in run("events", judged, "--out", tmp_path / "out").split()]
    assert [path.name for path in made] == [
        "alarms.csv", "alarms.json", "scores.json", f"{recording.stem}.vtt", "alarms.ics",
    ]  # fmt: skip
    assert ",real" in made[0].read_text()
    assert made[3].read_text().startswith("WEBVTT")


# --- bad input of settings and drawings ---------------------------------------------------------------------------------


def changed(site, **settings):
    """Write settings of zone-1 into a site file by hand."""
    held = json.loads(site.read_text())
    held["views"][0]["tunings"][0]["settings"]["zone-1"] = settings
    site.write_text(json.dumps(held))


@pytest.mark.parametrize(
    ("settings", "said"),
    [
        ({"change_limit_grey": 64}, "change_limit_grey: Input should be less than or equal to 63.75 (it is 64)"),
        ({"confirm_frames": 0}, "confirm_frames"),
        ({"start_percent": 101}, "start_percent"),
        ({"start_percent": 1, "clear_percent": 2}, "clear_percent is 2, above start_percent 1"),
        ({"size_min_percent": 3, "size_max_percent": 2}, "size_min_percent is 3, above size_max_percent 2"),
        ({"loudness": 3}, "loudness"),
    ],
)
def test_dials_that_make_no_sense_are_refused_by_name_and_nothing_is_written(judged, settings, said):
    changed(judged, **settings)
    before = judged.read_text()
    told = run("alarms", judged, code=1)
    assert "zone-1" in told
    assert said in told
    assert judged.read_text() == before


def test_a_wire_of_one_point_is_refused(tmp_path, recording):
    told = run("new", tmp_path / "w.hush.json", recording, "--wire", "Gate=0.5,0.2", code=1)
    assert "--wire Gate=0.5,0.2: line: Tuple should have at least 2 items" in told
    assert not (tmp_path / "w.hush.json").exists()


def test_a_zone_smaller_than_a_cell_works_and_is_told_to_be_small(tmp_path):
    recording = write_video(tmp_path / "slip.mkv", moving_square(60))
    site = tmp_path / "t.hush.json"
    # The square's way leads through the middle of the picture.
    run("new", site, recording, "--zone", "Tiny=0.5,0.5;0.504,0.5;0.504,0.507;0.5,0.507")
    found = json.loads(run("alarms", site, "--why", "--json"))["recordings"][0]
    assert found["items"][0]["smaller_than_a_cell"]
    assert [alarm["peak_percent"] for alarm in found["alarms"]] == [100.0] * len(found["alarms"])
    assert found["alarms"]


def test_a_recording_of_one_frame_has_no_alarm_and_says_so(tmp_path):
    recording = write_video(tmp_path / "one.mkv", moving_square(1))
    site = tmp_path / "o.hush.json"
    run("new", site, recording)
    row = json.loads(run("alarms", site, "--json"))["recordings"][0]
    assert (row["frames"], row["alarms"]) == (1, [])
    assert any("only one frame" in said for said in row["oddities"])
    assert "0 alarms" in run("score", site)


def test_settings_of_an_item_that_is_gone_do_nothing_and_are_kept(judged):
    held = json.loads(judged.read_text())
    held["views"][0]["tunings"][0]["settings"]["zone-9"] = {"start_percent": 50}
    judged.write_text(json.dumps(held))
    found = json.loads(run("alarms", judged, "--json"))
    assert found["notes"] == [
        "Camera 1: tuning 'factory' has settings for 'zone-9', which is not drawn; they do nothing."
    ]
    assert found["recordings"][0]["alarms"]
    run("propose", judged, "--take")
    assert "zone-9" in load_site(judged).views[0].tunings[0].settings


def test_a_tuning_name_twice_is_refused(judged):
    held = json.loads(judged.read_text())
    held["views"][0]["tunings"] *= 2
    judged.write_text(json.dumps(held))
    assert "tunings must differ, but there is more than one 'factory'" in run("score", judged, code=1)
