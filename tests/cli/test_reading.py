"""Commands that make and read sites and recordings, as a script uses them."""

import csv
import io
import json
from pathlib import Path

import pytest

from north_hush.core.scene.kind import KINDS
from north_hush.core.site.file import load_site
from tests.cli.running import run
from tests.footage_maker import moving_square, write_video


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
        "start_utc",
        "end_utc",
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
