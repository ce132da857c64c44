"""The commands about what alarms lead to."""

import json
from datetime import datetime

import pytest

from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.outcome.rules import Keep, Outcome, Tell, Way
from north_hush.core.site import outcomes
from north_hush.core.site.file import load_site
from north_hush.core.site.model import replaced
from north_hush.core.site.saving import mark_of, save_site
from tests.cli.running import run
from tests.footage_maker import moving_square, write_video

WHOLE, STILL = "All=0,0;1,0;1,1;0,1", "Corner=0,0.9;0.1,0.9;0.1,1;0,1"


@pytest.fixture
def site(tmp_path):
    recording = write_video(tmp_path / "2026-03-01_14-05-00.mkv", moving_square(200))
    path = tmp_path / "slip.hush.json"
    run("new", path, recording, "--zone", WHOLE)
    change(path, Outcome(keep=Keep(before_s=1, after_s=2), tell=(Tell(way="office", every_s=0),)))
    return path


def change(path, outcome):
    known, site = mark_of(path), load_site(path)
    ways = (Way(name="office", kind="mail", address="localhost:25", to="office@skerry.example"),)
    views = (replaced(site.views[0], outcome=outcome),)
    save_site(replaced(site, ways=ways, views=views), path, known)


def test_the_outcome_of_a_site_is_told(site):
    held = json.loads(run("outcome", site, "--json"))
    row, day = held["recordings"][0], held["views"][0]
    alarms = json.loads(run("alarms", site, "--json"))["recordings"][0]["alarms"]
    assert row["alarms"] == len(alarms) > 0
    clip = next(clip for clip in row["clips"] if clip["kept"])
    assert clip["start_s"] == pytest.approx(alarms[0]["start_s"] - 1, abs=0.01)
    assert clip["bytes"] > 0
    assert [notice["at_s"] for notice in row["notices"]] == [alarm["start_s"] for alarm in alarms]
    assert day["messages"]["a_day"] == pytest.approx(len(alarms) * 86400 / 20, rel=0.01)
    assert held["disk"]["full_after_days"] is None
    assert "messages" in run("outcome", site)


def test_clips_are_cut_and_hold_what_they_say(site, tmp_path):
    out = tmp_path / "out"
    planned = json.loads(run("clips", site, "--out", out, "--dry-run", "--json"))
    assert not out.exists()
    rows = json.loads(run("clips", site, "--out", out, "--json"))
    assert [row["start_s"] for row in planned] == [row["start_s"] for row in rows]
    for row in rows:
        assert set(row) >= {"file", "view", "item", "recording", "start_s", "end_s", "file_start_s", "frames", "why"}
        clip = index_recording(Footage(out / row["file"]))
        assert clip.frames == row["frames"] > 0
        assert row["file_start_s"] <= row["start_s"] + 0.1
        assert row["why"] == "alarm"
        assert "2026-03-01" in row["file"]
        assert "14:05" in (out / row["file"]).with_suffix(".vtt").read_text()


def test_brief_clips_are_dropped_and_have_no_file(site, tmp_path):
    change(site, Outcome(keep=Keep(drop_under_frames=1000)))
    rows = json.loads(run("clips", site, "--out", tmp_path / "out", "--json"))
    assert rows and all(row["file"] is None and "dropped" in row["why"] for row in rows)
    assert not (tmp_path / "out").exists()


def test_a_stamped_clip_begins_with_the_very_frame(site, tmp_path):
    row = json.loads(run("clips", site, "--out", tmp_path / "out", "--stamp", "--json"))[0]
    assert row["file_start_s"] == pytest.approx(row["start_s"], abs=0.11)
    assert index_recording(Footage(tmp_path / "out" / row["file"])).frames == row["frames"]


def test_snapshots_carry_their_time(site, tmp_path):
    from PIL import Image

    change(site, Outcome(keep=Keep(snapshot_every_s=1, snapshots_most=3)))
    run("clips", site, "--out", tmp_path / "out")
    shots = sorted((tmp_path / "out").rglob("*.jpg"))
    assert len(shots) == 3
    with Image.open(shots[0]) as held:
        assert held.getexif().get_ifd(0x8769)[0x9003].startswith("2026:03:01 14:05:")


def test_only_names_what_is_wanted(site, tmp_path):
    assert json.loads(run("clips", site, "--out", tmp_path, "--only", "All", "--dry-run", "--json"))
    assert "names no view, zone or wire" in run("clips", site, "--out", tmp_path, "--only", "Nobody", code=1)


def test_hours_hold_back(site):
    run("hours", site, "--armed", "24/7", "--notifying", "Mo-Su 20:00-22:00", "--recording", "Mo-Su 20:00-22:00")
    row = json.loads(run("outcome", site, "--json"))["recordings"][0]
    assert {clip["why"] for clip in row["clips"]} == {"not kept in these hours"}
    assert {notice["why"] for notice in row["notices"]} == {"hours"}
    free = json.loads(run("outcome", site, "--all-hours", "--json"))["recordings"][0]
    assert all(clip["kept"] for clip in free["clips"])


def test_a_rule_that_makes_no_sense_names_its_field(site):
    held = json.loads(site.read_text())
    held["views"][0]["outcome"]["naming"]["pattern"] = "../{start}"
    site.write_text(json.dumps(held))
    told = run("outcome", site, code=1)
    assert "views[0].outcome.naming.pattern" in told and "leads out" in told
    held["views"][0]["outcome"]["naming"]["pattern"] = "{start}"
    held["views"][0]["outcome"]["tell"][0]["way"] = "nobody"
    site.write_text(json.dumps(held))
    assert "no way of this site" in run("outcome", site, code=1)


def use_ways(path, *ways, tell):
    known, site = mark_of(path), load_site(path)
    views = (replaced(site.views[0], outcome=Outcome(tell=tell)),)
    save_site(replaced(site, ways=ways, views=views), path, known)


def test_a_notice_looks_as_it_will_and_arrives(site):
    from north_hush.demo.standins.postbox import Postbox

    with Postbox() as box:
        tell = Tell(way="office", instruction="Call the harbour office.", subject="{site}, {view}: {items}")
        office = Way(name="office", kind="mail", address=box.smtp, to="office@skerry.example", secure="none")
        hook = Way(name="hook", kind="http", address=box.url)
        use_ways(site, office, hook, tell=(tell,))
        shown = json.loads(run("notify", site, "--json"))["notices"][0]
        assert shown["subject"] == "slip, Camera 1: All"
        assert "14:05" in shown["text"] and shown["text"].endswith("Call the harbour office.")
        said = json.loads(run("notify", site, "--test", "office", "--json"))
        assert said["said"] == "250 taken as 1"
        mail = box.arrived[0]
        assert (mail.subject, mail.to) == ("Test: slip, Camera 1: All", "office@skerry.example")
        assert mail.text.replace("\r\n", "\n") == shown["text"]
        assert sorted(mail.pictures) == ["crop.jpg", "view.jpg"]
        assert all(data.startswith(b"\xff\xd8") for data in mail.pictures.values())
        run("notify", site, "--test", "hook")  # nothing is told by it: a plain test
        assert "No alarm is meant" in box.arrived[1].text
    assert "failed at" in run("notify", site, "--test", "office", code=1)
    assert "is none of" in run("notify", site, "--test", "nobody", code=1)


def test_a_password_is_kept_where_nobody_else_reads_it(site, tmp_path, monkeypatch):
    from click.testing import CliRunner

    from north_hush.cli import main
    from north_hush.core.outcome import passwords

    monkeypatch.setattr(passwords, "user_config_path", lambda name: tmp_path / "config")
    monkeypatch.setenv("PYTHON_KEYRING_BACKEND", "keyring.backends.fail.Keyring")
    asked = ["notify", str(site), "--password", "office"]
    import keyring
    from keyring.backends import fail

    before = keyring.get_keyring()
    keyring.set_keyring(fail.Keyring())
    try:
        refused = CliRunner().invoke(main, asked, input="lantern\n")
        assert refused.exit_code == 1 and "no keyring" in refused.output and "--in-file" in refused.output
        kept = CliRunner().invoke(main, [*asked, "--in-file"], input="lantern\n")
        assert kept.exit_code == 0, kept.output
        assert passwords.passwords_path().stat().st_mode & 0o777 == 0o600
        assert passwords.password_of("slip", "office") == "lantern"
        assert "lantern" not in site.read_text() + kept.output
        passwords.passwords_path().chmod(0o644)
        with pytest.raises(Exception, match="read by others"):
            passwords.password_of("slip", "office")
    finally:
        keyring.set_keyring(before)


def test_what_is_kept_always_counts_by_the_hours_of_recording(site):
    change(site, Outcome(keep=Keep(how="always")))
    whole = json.loads(run("outcome", site, "--json"))["views"][0]["gb_a_day"]
    run("hours", site, "--recording", "Mo-Su 12:00-18:00")  # the footage lies in it
    held = json.loads(run("outcome", site, "--json"))
    assert held["views"][0]["gb_a_day"] == pytest.approx(whole / 4, rel=0.02)
    assert held["recordings"][0]["figures"]["kept_s"] == pytest.approx(20, abs=0.2)
    assert json.loads(run("outcome", site, "--all-hours", "--json"))["views"][0]["gb_a_day"] == pytest.approx(
        whole, rel=0.01
    )


def test_pieces_of_the_hours_say_how_footage_is_kept(site):
    """The footage begins at noon, and lasts twenty seconds; the square moves in the middle of it."""
    change(site, Outcome(keep=Keep(how="never", before_s=0, after_s=0)))
    assert not any(json.loads(run("outcome", site, "--json"))["recordings"][0]["clips"])
    run("hours", site, "--recording", 'Mo-Su 06:00-18:00 "on alarm", Mo-Su 18:00-06:00 "always"')
    held = json.loads(run("outcome", site, "--json"))
    clips = held["recordings"][0]["clips"]
    assert clips and all(clip["kept"] for clip in clips)
    figures = held["recordings"][0]["figures"]
    assert figures["continuous_bytes"] == 0 and figures["clip_bytes"] > 0
    run("hours", site, "--recording", 'Mo-Su 06:00-18:00 "always"')
    always = json.loads(run("outcome", site, "--json"))["recordings"][0]["figures"]
    assert always["continuous_bytes"] > figures["clip_bytes"] and always["clip_bytes"] == 0
    run("hours", site, "--recording", 'Mo-Su 06:00-18:00 "on contact"')
    told = json.loads(run("outcome", site, "--json"))
    assert not any(clip["kept"] for clip in told["recordings"][0]["clips"])
    assert any("has no sensors" in note for note in told["notes"])
    assert "no way to keep footage" in run("hours", site, "--recording", 'Mo-Su "sometimes"', code=1)


def test_a_crossing_is_never_brief(tmp_path):
    recording = write_video(tmp_path / "slip.mkv", moving_square(100))
    path = tmp_path / "wire.hush.json"
    run("new", path, recording, "--crossing", "Gate=0.5,0.2;0.5,0.95")
    change(path, Outcome(keep=Keep(drop_under_frames=500)))
    clips = json.loads(run("outcome", path, "--json"))["recordings"][0]["clips"]
    assert clips and all(clip["kept"] for clip in clips)


@pytest.fixture
def two_views(tmp_path):
    """Two cameras over one stretch of time, the second one five seconds later; the first has the second record along, which has
    nothing drawn on it."""
    first = write_video(tmp_path / "2026-03-01_14-05-00.mkv", moving_square(200))
    second = write_video(tmp_path / "quay.mkv", moving_square(200))
    path, other = tmp_path / "slip.hush.json", tmp_path / "other.hush.json"
    run("new", path, first, "--zone", WHOLE)
    run("new", other, second, "--zone", STILL)
    known, site, beside = mark_of(path), load_site(path), load_site(other).views[0]
    dated = replaced(beside.recordings[0], taken_at=datetime(2026, 3, 1, 14, 5, 5, tzinfo=site.zone))
    quay = replaced(
        beside,
        id="view-2",
        name="Quay",
        recordings=(dated,),
        outcome=Outcome(keep=Keep(before_s=2, after_s=1, join_s=0)),
    )
    site = replaced(site, views=(site.views[0], quay))
    save_site(outcomes.record_along(site, site.views[0].id, ["view-2"]), path, known)
    return path


def test_another_view_records_along_by_its_own_rule(two_views, tmp_path):
    alarms = json.loads(run("alarms", two_views, "--json"))["recordings"][0]["alarms"]
    held = json.loads(run("outcome", two_views, "--json"))
    quay = next(row for row in held["recordings"] if row["view"] == "Quay")
    assert quay["alarms"] == 0 and not quay["notices"]
    began = [max(alarm["start_s"] - 5 - 2, 0) for alarm in alarms if alarm["end_s"] >= 5]
    assert quay["clips"][0]["items"] == [f"with {held['recordings'][0]['view']}"]
    assert quay["clips"][0]["start_s"] == pytest.approx(min(began), abs=0.01)
    beside = held["views"][0]["along"]["Quay"]
    assert 0 < beside <= sum(alarm["end_s"] - alarm["start_s"] + 3 for alarm in alarms) + 0.01
    assert "Quay records along" in run("outcome", two_views)
    rows = json.loads(run("clips", two_views, "--out", tmp_path / "out", "--only", "Quay", "--json"))
    assert rows and all(index_recording(Footage(tmp_path / "out" / row["file"])).frames > 0 for row in rows)


def test_a_view_that_is_not_there_cannot_record_along(two_views):
    held = json.loads(two_views.read_text())
    held["views"][0]["outcome"]["along"] = [{"view": "view-9"}]
    two_views.write_text(json.dumps(held))
    assert "view-9" in run("outcome", two_views, code=1)


def test_where_nobody_knows_when_it_was_nothing_is_recorded_along(two_views):
    known, site = mark_of(two_views), load_site(two_views)
    quay = site.views[1]
    undated = replaced(quay.recordings[0], taken_at=None)
    save_site(replaced(site, views=(site.views[0], replaced(quay, recordings=(undated,)))), two_views, known)
    row = json.loads(run("outcome", two_views, "--json"))["recordings"][1]
    assert not row["clips"]
