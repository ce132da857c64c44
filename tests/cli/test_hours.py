"""Hours from the command line: stated, told as instants, and obeyed by alarms, scores and proposals."""

import json
from datetime import UTC, datetime, timedelta

import pytest

from north_hush.core.site.edits import add_tuning, change_recording, set_dials, use_tuning
from north_hush.core.site.file import load_site
from north_hush.core.site.saving import save_site
from tests.cli.running import run
from tests.footage_maker import moving_square, write_video

BEGAN = datetime(2026, 11, 26, 17, 59, 57, tzinfo=UTC)
"""Three seconds before six: the square starts to move at 1.2 s and stands again at 4.8 s."""


@pytest.fixture
def site(tmp_path, recording):
    path = tmp_path / "a.hush.json"
    run("new", path, recording, "--zone", "Slip=0.05,0.4;0.95,0.4;0.95,0.8;0.05,0.8", "--wire", "Gate=0.5,0.2;0.5,0.9")
    held = load_site(path)
    save_site(change_recording(held, "view-1", held.views[0].recordings[0].id, taken_at=BEGAN), path)
    return path


def alarms(site, *options):
    return json.loads(run("alarms", site, "--json", *options))["recordings"][0]


def test_an_alarm_that_runs_at_arming_starts_then(site):
    before = {alarm["item"]: alarm for alarm in alarms(site)["alarms"]}
    run("hours", site, "--armed", "18:00-06:00")
    row = alarms(site)
    after = {alarm["item"]: alarm for alarm in row["alarms"]}
    assert row["armed_s"] == pytest.approx(3.0, abs=0.01)
    zone = after["zone-1"]
    assert zone["start_s"] == pytest.approx(3.0)
    assert zone["start_utc"] == "2026-11-26T18:00:00.000+00:00"
    assert zone["end_s"] == before["zone-1"]["end_s"]
    assert after["wire-1"]["start_s"] == before["wire-1"]["start_s"] >= 3.0
    assert alarms(site, "--all-hours")["alarms"] == list(before.values())
    run("hours", site, "--armed", "06:00-17:00")
    assert alarms(site)["alarms"] == []
    run("hours", site, "--armed", "24/7")
    assert alarms(site)["alarms"] == list(before.values())
    run("hours", site, "--armed", "")
    assert load_site(site).views[0].hours.plain


def test_the_hours_of_an_item_take_the_place_of_the_views(site):
    run("hours", site, "--armed", "off")
    run("hours", site, "--item", "Gate", "--armed", "18:00-06:00")
    assert {alarm["name"] for alarm in alarms(site)["alarms"]} == {"Gate"}
    told = json.loads(run("hours", site, "--from", "2026-11-26", "--to", "2026-11-26", "--json"))
    view, gate = told["views"]
    assert (view["view"], view["item"], view["armed"], view["notifying"]) == ("Camera 1", None, [], [])
    assert gate["item"] == "Gate"
    assert gate["armed"] == [
        ["2026-11-26T00:00:00Z", "2026-11-26T06:00:00Z"],
        ["2026-11-26T18:00:00Z", "2026-11-27T00:00:00Z"],
    ]
    assert view["recording"] == [["2026-11-26T00:00:00Z", "2026-11-27T00:00:00Z"]]
    run("hours", site, "--item", "Gate", "--armed", "")
    assert alarms(site)["alarms"] == []


def test_a_tuning_is_on_in_its_hours(site):
    held = load_site(site)
    held = set_dials(add_tuning(held, "view-1", "deaf"), "view-1", "zone-1", change_limit_grey=60, start_percent=90)
    save_site(use_tuning(held, "view-1", "factory"), site)
    loud = [alarm["item"] for alarm in alarms(site)["alarms"]]
    assert "zone-1" in loud
    run("hours", site, "--tuning", "deaf=17:00-18:00", "--time-zone", "UTC")
    (zone,) = (alarm for alarm in alarms(site)["alarms"] if alarm["item"] == "zone-1")
    assert zone["start_s"] == pytest.approx(3.0, abs=0.3)  # confirmed anew under factory, from six o'clock on
    assert [alarm["item"] for alarm in alarms(site, "--all-hours")["alarms"]] == loud
    assert [alarm["item"] for alarm in alarms(site, "--tuning", "factory")["alarms"]] == loud
    told = json.loads(run("hours", site, "--from", "2026-11-26", "--to", "2026-11-26", "--json"))
    assert [(row["tuning"], row["on"][0]) for row in told["tunings"]] == [
        ("factory", "2026-11-26T00:00:00Z"), ("deaf", "2026-11-26T17:00:00Z"), ("factory", "2026-11-26T18:00:00Z"),
    ]  # fmt: skip
    assert json.loads(run("hours", site, "--json"))["views"][0]["tunings"] == {"deaf": "17:00-18:00"}
    run("hours", site, "--tuning", "deaf=")
    assert "tunings" not in json.loads(run("hours", site, "--from", "2026-11-26", "--to", "2026-11-26", "--json"))
    assert "is none of" in run("hours", site, "--tuning", "dawn=06:00-07:00", code=1)
    assert "is not NAME=TEXT" in run("hours", site, "--tuning", "dawn", code=1)


def test_times_are_of_the_sites_clock(site):
    run("hours", site, "--time-zone", "Europe/Berlin", "--armed", "01:00-04:00")
    told = json.loads(run("hours", site, "--from", "2026-10-25", "--to", "2026-10-25", "--json"))
    assert told["views"][0]["armed"] == [["2026-10-24T23:00:00Z", "2026-10-25T03:00:00Z"]]  # four hours
    assert told["views"][0]["recording"] == [["2026-10-24T22:00:00Z", "2026-10-25T23:00:00Z"]]  # a day of 25


def test_incidents_out_of_hours_are_not_missed_and_are_told(site, tmp_path):
    listed = tmp_path / "incidents.csv"
    listed.write_text("name,start_s,end_s\nearly,0.0,0.05\npasses,1.2,4.8\n")
    run("truth", site, "slip.mkv", listed)
    everything = json.loads(run("score", site, "--json"))["recordings"][0]
    assert (everything["incidents"], everything["met"]) == (2, 1)
    run("hours", site, "--armed", "18:00-06:00")
    found = json.loads(run("score", site, "--json"))
    row = found["recordings"][0]
    assert (row["incidents"], row["met"], row["out_of_hours"]) == (1, 1, ["early"])
    assert row["delay_s"]["worst"] == 0  # counted from arming, and it ran then
    assert "only armed alarms count" in found["notes"][0]
    loose = json.loads(run("score", site, "--json", "--all-hours"))
    assert loose["recordings"][0] == everything
    assert "left aside" in loose["notes"][0]


def test_proposals_and_events_obey_too(site, tmp_path):
    run("hours", site, "--armed", "06:00-17:00")
    run("events", site, "--out", tmp_path / "events")
    rows = (tmp_path / "events" / "alarms.csv").read_text().splitlines()
    assert len(rows) == 1  # the header alone
    listed = tmp_path / "incidents.csv"
    listed.write_text("name,start_s,end_s\npasses,1.2,4.8\n")
    run("truth", site, "slip.mkv", listed)
    found = json.loads(run("propose", site, "--json"))["views"][0]["proposals"][0]
    assert (found["incidents"], found["alarms"]) == (0, 0)
    assert any("no incident is marked" in warning for warning in found["warnings"])


@pytest.mark.parametrize(
    ("options", "what"),
    [
        (("--armed", "Mo-Fr 18:00-"), "is no hours: it cannot be read"),
        (("--item", "Nowhere", "--armed", "24/7"), "is no zone or wire"),
        (("--time-zone", "Mars/Base"), "no IANA time zone"),
        (("--place", "62"), "is not LATITUDE,LONGITUDE"),
        (("--place", "99,0"), "latitude"),
        (("--from", "2026-11-26"), "are given together"),
        (("--from", "2026-11-26", "--to", "2026-11-25"), "before 2026-11-26"),
        (("--armed", "sunset-sunrise", "--from", "2026-11-26", "--to", "2026-11-26"), "has no place"),
        (("--holidays", "gone.ics"), "cannot be read"),
    ],
)
def test_what_makes_no_sense_is_named_and_nothing_is_written(site, options, what):
    before = site.read_bytes()
    assert what in run("hours", site, *options, code=1)
    assert site.read_bytes() == before


def test_recordings_without_a_time_count_as_armed(site):
    held = load_site(site)
    recording = held.views[0].recordings[0]
    assert recording.taken_at is not None
    far = datetime(1969, 7, 20, 20, 17, tzinfo=UTC) + timedelta(0)
    save_site(change_recording(held, "view-1", recording.id, taken_at=far), site)
    run("hours", site, "--armed", "20:00-21:00")
    assert len(alarms(site)["alarms"]) == 2  # before 1970 is a time like any other


def test_a_folder_of_videos_is_one_time_line(tmp_path):
    folder = tmp_path / "week"
    folder.mkdir()
    for name in ("b 2026-11-23 08.00.00", "a 2026-11-23 07.00.00", "c"):
        write_video(folder / f"{name}.mkv", moving_square(8 + len(name)))
    (folder / "broken.mp4").write_bytes(b"nothing")
    path = tmp_path / "slip.hush.json"
    run("new", path, folder)
    (row,) = json.loads(run("timeline", path, "--json"))["views"]
    assert [piece["start_utc"] for piece in row["pieces"]] == ["2026-11-23T07:00:00Z", "2026-11-23T08:00:00Z"]
    assert len(row["gaps"]) == 1 and row["overlaps"] == [] and row["undated"] == ["week/c.mkv"]
    assert "2 recordings, 1 gaps" in run("timeline", path)


def test_hours_go_out_as_a_calendar(tmp_path, recording):
    path, target = tmp_path / "slip.hush.json", tmp_path / "hours.ics"
    run("new", path, recording)
    run("hours", path, "--armed", "Mo-Fr 18:00-06:00", "--time-zone", "Atlantic/Faroe")
    run("hours", path, "--from", "2026-11-23", "--to", "2026-11-25", "--ics", target)
    assert target.read_text().count("BEGIN:VEVENT") >= 3 and "SUMMARY:Camera 1: armed" in target.read_text()
    assert "needs the days" in run("hours", path, "--ics", target, code=1)
