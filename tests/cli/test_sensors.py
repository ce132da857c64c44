"""Sound and contacts from the command line: stated, taken from a table, obeyed by alarms, scores and outcome."""

import json

import pytest

from tests.cli.running import run


@pytest.fixture
def site(tmp_path, recording):
    """The square moves from 1.2 s to 4.8 s."""
    path = tmp_path / "a.hush.json"
    run("new", path, recording, "--zone", "Slip=0.05,0.4;0.95,0.4;0.95,0.8;0.05,0.8", "--wire", "Gate=0.5,0.2;0.5,0.9")
    (tmp_path / "doors.csv").write_text("start,end,name\n0.5,1.0,door\n3.0,3.5,key\n")
    return path


def alarms(site):
    rows = json.loads(run("alarms", site, "--json"))["recordings"][0]["alarms"]
    return [(row["name"], row["kind"], row["start_s"]) for row in rows]


def test_a_contact_raises_alarms_is_needed_and_silences(site, recording):
    before = alarms(site)
    assert [name for name, *_ in before] == ["Slip", "Gate"]
    told = json.loads(run("contacts", site, recording.name, site.parent / "doors.csv", "--json"))
    assert told == {"recording": recording.name, "times": 2, "contacts": ["door", "key"], "outside": 0}
    assert alarms(site) == before  # nobody listens
    run("sensors", site, "--add", "Door", "--contact", "door")
    assert ("Door", "contact", 0.5) in alarms(site)
    run("sensors", site, "--remove", "Door")
    run("sensors", site, "--add", "Key", "--contact", "key", "--role", "need", "--within", "2", "--item", "Slip")
    assert {name: start for name, _, start in alarms(site)}["Slip"] == 3.0
    run("sensors", site, "--add", "Quiet", "--contact", "door", "--role", "veto", "--within", "30")
    assert alarms(site) == []
    listed = json.loads(run("sensors", site, "--json"))["sensors"]
    assert [(row["name"], row["role"], row["items"]) for row in listed] == [
        ("Key", "need", ["zone-1"]),
        ("Quiet", "veto", []),
    ]


def test_an_alarm_of_a_contact_leads_to_a_clip_in_the_hours(site, recording):
    run("contacts", site, recording.name, site.parent / "doors.csv")
    run("sensors", site, "--add", "Door", "--contact", "door")
    found = json.loads(run("outcome", site, "--json"))["recordings"][0]
    assert any("sensor-1" in clip["items"] for clip in found["clips"])
    run("hours", site, "--armed", "off")
    assert alarms(site) == []


@pytest.mark.parametrize(
    ("options", "said"),
    [
        (("--add", "Both", "--contact", "door", "--sound", "jump"), "either a contact or a rule of sound"),
        (("--add", "None"), "either a contact or a rule of sound"),
        (("--add", "Far", "--contact", "door", "--item", "Yard"), "is no zone or wire"),
        (("--remove", "Nobody"), "is none of"),
    ],
)
def test_what_makes_no_sense_is_told_and_writes_nothing(site, options, said):
    before = site.read_bytes()
    assert said in run("sensors", site, *options, code=1)
    assert site.read_bytes() == before


def test_a_table_that_does_not_say_of_which_contact(site, recording):
    (site.parent / "bare.csv").write_text("start,end\n0.5,1.0\n")
    assert "--contact NAME" in run("contacts", site, recording.name, site.parent / "bare.csv", code=1)
    told = json.loads(run("contacts", site, recording.name, site.parent / "bare.csv", "--contact", "gate", "--json"))
    assert told["contacts"] == ["gate"]


def test_horn_and_glass_of_the_gale_are_alarms_of_sound_and_the_wind_is_none(tmp_path):
    """The shipped gale, with its truth: seen while this was made."""
    from north_hush.demo.site import demo_recording

    gale = demo_recording("gale")
    sounds = json.loads(gale.with_suffix(".truth.json").read_text())["sounds"]
    path = tmp_path / "gale.hush.json"
    run("new", path, gale)
    run("sensors", path, "--add", "Glass", "--sound", "jump")
    run("sensors", path, "--add", "Loud", "--sound", "louder", "--level", "-25")
    rows = json.loads(run("alarms", path, "--json"))["recordings"][0]["alarms"]
    heard = {name: [row["start_s"] for row in rows if row["name"] == name] for name in ("Glass", "Loud")}
    at = {one["kind"]: one["start_s"] for one in sounds}
    assert heard["Glass"] == [pytest.approx(at["glass"], abs=0.3)]
    assert heard["Loud"] == [pytest.approx(at["horn"], abs=0.3), pytest.approx(at["glass"], abs=0.3)]
    assert {row["kind"] for row in rows if row["name"] in heard} == {"sound"}
