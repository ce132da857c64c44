"""The command line, as a script uses it."""

import csv
import io
import json
from pathlib import Path

import pytest
from click.testing import CliRunner

from north_hush.cli import main
from north_hush.core.follow.kinds import KINDS
from north_hush.core.site.file import load_site
from tests.footage_maker import moving_square, write_video


def run(*args, code=0):
    done = CliRunner().invoke(main, [str(arg) for arg in args])
    assert done.exit_code == code, done.output
    return done.stdout if code == 0 else done.output


@pytest.fixture
def recording(tmp_path):
    return write_video(tmp_path / "slip.mkv", moving_square(60))


def test_new_then_alarms(tmp_path, recording):
    site = tmp_path / "a.hush.json"
    run(
        "new",
        site,
        recording,
        "--zone",
        "Slip=0.05,0.4;0.95,0.4;0.95,0.8;0.05,0.8",
        "--mask",
        "Sky=0,0;1,0;1,0.2",
        "--wire",
        "Gate=0.5,0.2;0.5,0.9",
    )
    held = load_site(site)
    assert [item.name for item in held.views[0].items] == ["Slip", "Gate", "Sky"]
    found = json.loads(run("alarms", site, "--json"))
    (row,) = found["recordings"]
    assert (row["view"], row["path"], row["duration_s"], row["frames"]) == ("Camera 1", "slip.mkv", 6.0, 60)
    alarm = row["alarms"][0]
    assert set(alarm) == {
        "item",
        "name",
        "kind",
        "onset_s",
        "start_s",
        "start_at",
        "end_s",
        "ended_by",
        "start_frame",
        "peak_percent",
    }
    # The square starts to move at 1.2 s and stands again at 4.8 s.
    assert alarm["onset_s"] == pytest.approx(1.2, abs=0.3)
    assert alarm["end_s"] == pytest.approx(4.8 + 1.0, abs=0.4)
    (broken,) = [item for item in row["alarms"] if item["kind"] == "wire"]
    # The square reaches the middle of the picture at 3.0 s and needs 0.4 s to pass.
    assert (broken["name"], broken["start_s"]) == ("Gate", pytest.approx(3.0, abs=0.4))
    assert "Slip" in run("alarms", site)


def test_evidence_says_what_it_is(recording):
    facts = json.loads(run("evidence", recording, "--json"))
    assert (facts["frames"], facts["duration_s"], facts["frames_per_s"], facts["oddities"]) == (60, 6.0, 10.0, [])
    assert facts["bytes"] > 0
    assert json.loads(run("evidence", recording, "--json")) == facts
    assert json.loads(run("evidence", recording, "--rotate", "90", "--json"))["width"] == 96


@pytest.mark.parametrize(
    ("args", "says"),
    [
        (("--zone", "Slip=0,0;1,1"), "points: Tuple should have at least 3 items"),
        (("--wire", "Gate=0,0"), "line: Tuple should have at least 2 items"),
        (("--zone", "Slip=0,0;1,1;a,b"), "is not NAME=x,y;x,y"),
        (("--mask", "Slip=0,0;1,1;2,2"), "less than or equal to 1"),
        (("--zone", "Slip=0,0;nan,1;1,1"), "finite number|greater than or equal"),
        (("--privacy", "Door=0,0;1,1"), "outline: Tuple should have at least 3 items"),
        (("--size-mark", "Near=0.5,0.9"), "is not NAME=x,y,height"),
        (("--size-mark", "Near=0.5,0.2,0.4"), "reaches above the picture"),
    ],
)
def test_bad_shapes_write_nothing(tmp_path, recording, args, says):
    import re

    site = tmp_path / "a.hush.json"
    assert re.search(says, run("new", site, recording, *args, code=1))
    assert not site.exists()


def test_every_kind_can_be_given_and_masks_are_written(tmp_path, recording):
    site = tmp_path / "a.hush.json"
    square = "0.1,0.1;0.6,0.1;0.6,0.6;0.1,0.6"
    run(
        "new",
        site,
        recording,
        "--mask",
        f"Nets={square}",
        "--privacy",
        f"Door={square}",
        "--size-mark",
        "Near=0.5,0.9,0.3",
    )
    view = json.loads(site.read_text())["views"][0]
    assert (view["privacy"][0]["name"], view["size_marks"][0]["height_frac"]) == ("Door", 0.3)
    written = run("masks", site, "--out", tmp_path / "masks", "--format", "pgm").split()
    assert [Path(name).suffix for name in written] == [".pgm", ".pgm"]
    assert Path(written[0]).read_bytes().startswith(b"P5\n160 96\n255\n")
    assert "is not there" in run("masks", tmp_path / "gone.hush.json", "--out", tmp_path, code=1)


def test_alarms_say_why(tmp_path, recording):
    site = tmp_path / "a.hush.json"
    run("new", site, recording, "--zone", "Slip=0,0;1,0;1,1;0,1", "--wire", "Gate=0.5,0;0.5,1")
    held = json.loads(site.read_text())
    held["views"][0]["wires"][0]["watches"] = "both"
    site.write_text(json.dumps(held))
    found = json.loads(run("alarms", site, "--why", "--json"))["recordings"][0]
    alarm = found["alarms"][0]
    assert alarm["why"]["passed"] == {"limit": "start_percent", "value": 0.5, "frames": 2}
    assert alarm["why"]["peak"]["percent"] == alarm["peak_percent"]
    assert {"dial", "value", "silences", "loses"} == set(alarm["why"]["silenced_by"][0])
    crossings = [alarm for alarm in found["alarms"] if alarm["kind"] == "wire"]
    assert crossings
    assert all(alarm["direction"] in ("a_to_b", "b_to_a") and len(alarm["place"]) == 2 for alarm in crossings)
    assert [row["name"] for row in found["items"]] == ["Slip", "Gate"]
    assert found["items"][0]["blind"]["contrast_grey"] > 0
    assert "sure)" in run("alarms", site, "--why")


def test_levels_are_printed_for_those_who_tune_by_reading_values(tmp_path, recording):
    site = tmp_path / "a.hush.json"
    run("new", site, recording, "--zone", "Slip=0,0;1,0;1,1;0,1", "--wire", "Gate=0.5,0;0.5,1")
    rows = list(csv.DictReader(io.StringIO(run("levels", site, "--csv"))))
    assert list(rows[0]) == ["view", "path", "time_s", "time", "item", "name", "level_percent"]
    assert {row["item"] for row in rows} == {"zone-1", "wire-1"}
    assert len(rows) == 2 * 55  # the first half second is warm-up
    times = [float(row["time_s"]) for row in rows]
    assert times == sorted(times)
    over = list(csv.DictReader(io.StringIO(run("levels", site, "--over", "2", "--csv"))))
    assert over == [row for row in rows if float(row["level_percent"]) >= 2]
    assert 0 < len(over) < len(rows)
    assert "Slip" in run("levels", site)


@pytest.mark.parametrize("command", ["alarms", "score", "levels", "events"])
def test_an_unknown_tuning_is_refused_in_every_command_and_a_known_one_is_named(tmp_path, recording, command):
    site = tmp_path / "a.hush.json"
    run("new", site, recording, "--zone", "Slip=0,0;1,0;1,1;0,1")
    more = ("--out", tmp_path / "out") if command == "events" else ()
    said = run(command, site, "--tuning", "nihgt", *more, code=1)
    assert "tuning 'nihgt'" in said
    assert "It has factory." in said
    if command in ("alarms", "score"):
        assert json.loads(run(command, site, "--tuning", "factory", "--json"))["recordings"][0]["tuning"] == "factory"


def test_masks_of_views_with_like_names_are_files_of_their_own(tmp_path, recording):
    site = tmp_path / "a.hush.json"
    run("new", site, recording, "--mask", "Nets=0.1,0.1;0.6,0.1;0.6,0.6;0.1,0.6")
    held = json.loads(site.read_text())
    views = [
        {**held["views"][0], "id": f"view-{number}", "name": name} for number, name in enumerate(("Cam 1", "Cam-1"))
    ]
    site.write_text(json.dumps({**held, "views": views}))
    written = run("masks", site, "--out", tmp_path / "masks").split()
    assert len(set(written)) == 4
    assert len(list((tmp_path / "masks").iterdir())) == 4


def test_wire_prints_are_written_as_png(tmp_path, recording):
    site = tmp_path / "a.hush.json"
    run("new", site, recording, "--wire", "Gate=0.5,0;0.5,1")
    (made,) = run("print", site, "--out", tmp_path / "prints").split()
    assert Path(made).read_bytes().startswith(b"\x89PNG")
    assert run("print", site, "--out", tmp_path / "prints").split() == [made]
    bare = tmp_path / "bare.hush.json"
    run("new", bare, recording)
    assert "has no tripwire" in run("print", bare, "--out", tmp_path / "prints", code=1)


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
    assert [path.name for path in made] == ["alarms.csv", "alarms.json", "scores.json", f"{recording.stem}.vtt"]
    assert ",real" in made[0].read_text()
    assert made[3].read_text().startswith("WEBVTT")


def test_missing_things_are_named(tmp_path, recording):
    assert "gone.mkv: is not there." in run("evidence", tmp_path / "gone.mkv", code=1).replace(str(tmp_path) + "/", "")
    assert "is not there" in run("alarms", tmp_path / "gone.hush.json", code=1)
    site = tmp_path / "a.hush.json"
    run("new", site, recording)
    assert "is there already" in run("new", site, recording, code=1)


def test_a_recording_that_is_gone_does_not_hide_the_others(tmp_path, recording):
    other = write_video(tmp_path / "other.mkv", moving_square(40))
    site = tmp_path / "a.hush.json"
    run("new", site, recording, other)
    recording.unlink()
    rows = json.loads(run("alarms", site, "--json"))["recordings"]
    assert "is not there" in rows[0]["error"]
    assert rows[1]["alarms"]


def test_schema_is_json(tmp_path):
    assert json.loads(run("schema"))["title"] == "Site"


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


def test_a_crossing_wire_tells_its_way_and_tracks_are_printed(tmp_path, recording):
    site = tmp_path / "a.hush.json"
    run(
        "new",
        site,
        recording,
        "--crossing",
        "Gate=0.5,0.1;0.5,0.9",
        "--way",
        "b_to_a",
        "--crossing",
        "Far=0.9,0.1;0.9,0.9",
    )
    assert [wire["watches"] for wire in json.loads(site.read_text())["views"][0]["wires"]] == ["b_to_a", "b_to_a"]
    (row,) = json.loads(run("alarms", site, "--json"))["recordings"]
    (crossed,) = [held for held in row["alarms"] if held["name"] == "Gate"]
    assert (crossed["direction"], crossed["onset_s"]) == ("b_to_a", pytest.approx(3.0, abs=0.4))
    assert 0.5 <= crossed["sure"] <= 1.0
    assert crossed["kind_of"] in KINDS
    (row,) = json.loads(run("tracks", site, "--json"))["recordings"]
    (track,) = row["tracks"]
    assert {"id", "kind", "sure", "start_s", "end_s", "points"} == set(track)
    at_s, x, y, height = track["points"][len(track["points"]) // 2]
    assert track["start_s"] < at_s < track["end_s"]
    assert 0 < x < 1
    assert 0 < height < y
    assert f"{track['id']}" in run("tracks", site)
    back = tmp_path / "b.hush.json"
    run("new", back, recording, "--crossing", "Gate=0.5,0.1;0.5,0.9", "--way", "a_to_b")
    assert not [
        held for held in json.loads(run("alarms", back, "--json"))["recordings"][0]["alarms"] if "direction" in held
    ]


def test_tracks_of_a_recording_that_is_gone_are_an_error_beside_the_others(tmp_path, recording):
    site = tmp_path / "a.hush.json"
    gone = tmp_path / "gone.mp4"
    gone.write_bytes(recording.read_bytes())
    run("new", site, recording, gone)
    gone.unlink()
    found = json.loads(run("tracks", site, "--json"))["recordings"]
    assert [set(row) - {"view", "path"} for row in found] == [{"tracks"}, {"error"}]
    assert "gone.mp4" in run("tracks", site)
