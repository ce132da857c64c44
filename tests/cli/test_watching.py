"""The service end to end: real processes, a stand-in camera over HTTP, a postbox."""

import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest

from bench.soak import cameras_of
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.hours.plan import Hours
from north_hush.core.outcome import passwords
from north_hush.core.outcome.rules import Keep, Outcome, Tell, Way
from north_hush.core.sight.hearing import SoundRule
from north_hush.core.sight.sensors import Sensor
from north_hush.core.site import edits, outcomes
from north_hush.core.site.file import load_site
from north_hush.core.site.model import replaced
from north_hush.core.site.saving import mark_of, save_site
from north_hush.core.watch.store import EventStore, read_events, watch_folder
from north_hush.demo.standins.camera import CameraStandIn
from north_hush.demo.standins.onvif_device import DeviceStandIn
from north_hush.demo.standins.postbox import Postbox
from tests.cli.running import run
from tests.cli.watched import Watched, change, new_site, seconds
from tests.cli.watched import seconds as seconds_of
from tests.core.sight.test_hearing import written
from tests.footage_maker import moving_square, write_video
from tests.waiting import wait_for


def test_a_command_watches_and_prints_events_as_lines(tmp_path, camera):
    path = new_site(tmp_path, camera.url)
    done = subprocess.run(
        [sys.executable, "-m", "north_hush", "watch", path, "--for", "12", "--json"],
        capture_output=True,
        text=True,
        check=True,
    )
    assert done.stderr == ""
    events = [json.loads(line) for line in done.stdout.splitlines()]
    assert all({"time_utc", "view", "item", "what"} <= set(event) for event in events)
    whats = [event["what"] for event in events]
    assert whats[0] == "picture" and "alarm_start" in whats and "alarm_end" in whats
    assert "fault" not in whats  # nothing is wrong with this camera
    clip = next(event for event in events if event["what"] == "clip")
    assert index_recording(Footage(Path(clip["file"]))).frames == clip["frames"] > 10
    assert clip["file"].startswith(str(watch_folder(path)))
    assert [event["what"] for event in read_events(watch_folder(path) / "events.sqlite")].count("clip") == whats.count(
        "clip"
    )
    assert "alarm_start" in run("watch", path, "--events")


def test_a_recording_played_as_live_gives_the_alarms_of_replay(tmp_path, recording):
    path = new_site(tmp_path, recording)
    events = [json.loads(line) for line in run("watch", path, "--speed", 8, "--json").splitlines()]
    other = tmp_path / "replay.hush.json"
    run("new", other, recording, "--zone", "All=0,0;1,0;1,1;0,1")
    replay = json.loads(run("alarms", other, "--json"))["recordings"][0]["alarms"]
    began = next(event for event in events if event["what"] == "picture")["time_utc"]
    spans = [
        (seconds(event["start_utc"], began), seconds(event["time_utc"], began))
        for event in events
        if event["what"] == "alarm_end"
    ]
    assert spans == [pytest.approx((alarm["start_s"], alarm["end_s"]), abs=0.002) for alarm in replay]


def test_an_outage_is_told_and_the_camera_comes_back(tmp_path, recording):
    with CameraStandIn(recording, outage_s=3) as camera:
        watched = Watched(new_site(tmp_path, camera.url))
        watched.until("picture", 2)
        events = watched.stop()
    faults = [event["fault"] for event in events if event["what"] == "fault"]
    assert "picture lost" in faults
    back = [event for event in events if event["what"] == "picture"][1]
    assert back["after_s"] >= 0


def test_a_camera_that_is_not_there_is_a_fault_and_no_end(tmp_path):
    watched = Watched(new_site(tmp_path, "http://127.0.0.1:9/stream"))
    assert "cannot be opened" in watched.until("fault")[0]["said"]
    watched.stop()


def test_a_killed_camera_process_is_started_again(tmp_path, camera):
    watched = Watched(new_site(tmp_path, camera.url))
    watched.until("picture")
    for number in cameras_of(os.getpid()):
        os.kill(number, signal.SIGKILL)
    watched.until("picture", 2)
    events = watched.stop()
    assert "camera process ended" in [event.get("fault") for event in events]


def test_a_terminal_that_interrupts_all_of_a_service_leaves_its_files_closed(tmp_path, camera):
    path = new_site(tmp_path, camera.url)
    command = [sys.executable, "-m", "north_hush", "watch", str(path), "--json"]
    with subprocess.Popen(
        command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, start_new_session=True
    ) as service:
        lines = iter(service.stdout)
        events = [json.loads(next(lines))]
        while events[-1]["what"] != "alarm_start":
            events.append(json.loads(next(lines)))
        os.killpg(service.pid, signal.SIGINT)
        events += [json.loads(line) for line in lines]
        said = service.stderr.read()
    assert (service.returncode, said) == (0, "")
    whats = [event["what"] for event in events]
    faults = [event["fault"] for event in events if event["what"] == "fault"]
    assert "alarm_end" in whats and "clip" in whats and faults == []


def test_settings_are_taken_up_while_it_runs(tmp_path, camera):
    path = new_site(tmp_path, camera.url)
    watched = Watched(path)
    watched.until("alarm_end")
    site = load_site(path)
    held = site.views[0].tuning
    deaf = replaced(held.of("zone-1"), start_percent=100.0, clear_percent=100.0)
    change(path, tunings=(replaced(held, settings={"zone-1": deaf}),))
    time.sleep(2.5)  # it looks every second
    count = len([event for event in watched.events if event["what"] == "alarm_start"])
    time.sleep(7)  # the square passes once more
    events = watched.stop()
    assert len([event for event in events if event["what"] == "alarm_start"]) == count


def test_messages_go_out_by_their_rules_and_survive_a_server_that_is_away(tmp_path, camera):
    path = new_site(tmp_path, camera.url)
    with Postbox() as box:
        address = box.smtp
    tell = Tell(way="office", every_s=0, instruction="Call the harbour office.")
    outcome = Outcome(tell=(tell,), keep=Keep(how="never"))
    change(
        path, (Way(name="office", kind="mail", address=address, to="a@skerry.example", secure="none"),), outcome=outcome
    )
    watched = Watched(path)
    watched.until("notice")
    assert "cannot send" in watched.until("fault")[0]["fault"]  # the server is away
    with Postbox(smtp_port=int(address.split(":")[1])) as box:
        watched.until("sent")
        watched.stop()
        assert "Call the harbour office." in box.arrived[0].text
        assert box.arrived[0].subject.startswith("Slipway: All")


def test_what_waits_is_sent_after_a_restart_and_the_same_key_once(tmp_path):
    store = EventStore(tmp_path / "events.sqlite")
    for _ in range(2):
        store.queue("k", "office", 5, {"subject": "s"})
    number = store.due(10)[0][0]
    store.failed(number, "away", 20)
    store.close()
    store = EventStore(tmp_path / "events.sqlite")
    assert store.due(10) == []
    assert [(key, tried) for _, key, _, _, tried in store.due(30)] == [("k", 1)]
    store.sent(number, "250")
    assert store.due(30) == []
    store.close()


def test_hours_hold_and_views_are_chosen(tmp_path, camera):
    path = tmp_path / "two.hush.json"
    run(
        "new",
        path,
        "--camera",
        f"Slipway={camera.url}",
        "--camera",
        f"Quay={camera.url}",
        "--zone",
        "All=0,0;1,0;1,1;0,1",
    )
    run("hours", path, "--armed", "off")
    watched = Watched(path, views=("Slipway",))
    watched.until("picture")
    time.sleep(7)
    events = watched.stop()
    assert {event["view"] for event in events} == {"Slipway"}
    assert not [event for event in events if event["what"].startswith("alarm")]


def test_what_makes_no_sense_is_told(tmp_path, camera, recording):
    path = new_site(tmp_path, camera.url)
    assert "is none of" in run("watch", path, "--views", "Nowhere", code=1)
    bare = tmp_path / "bare.hush.json"
    run("new", bare, recording)
    assert "no view with a camera" in run("watch", bare, "--for", 1, code=1)
    assert "Nothing was watched yet" in run("watch", bare, "--events", code=1)
    told = json.loads(run("watch", path, "--check", "--json"))["streams"][0]
    assert (told["width"], told["height"]) == (160, 96)
    run("new", tmp_path / "none.hush.json", code=2)


def test_a_password_in_an_address_is_moved_away_and_never_written(tmp_path, recording, monkeypatch):
    monkeypatch.setattr(passwords, "user_config_path", lambda name: tmp_path / "config")
    with CameraStandIn(recording, password="lantern") as camera:
        address = camera.url.replace("http://", "http://operator:lantern@")
        path = tmp_path / "slip.hush.json"
        run("new", path, "--camera", f"Slipway={address}", "--in-file")
        assert "lantern" not in path.read_text()
        stream = load_site(path).views[0].camera.streams[0]
        assert (stream.user, stream.address) == ("operator", camera.url)
        assert json.loads(run("watch", path, "--check", "--json"))["streams"][0]["width"] == 160


def test_old_clips_go_and_it_is_told(tmp_path, camera):
    path = new_site(tmp_path, camera.url)
    old = watch_folder(path) / "Slipway" / "old.mkv"
    old.parent.mkdir(parents=True)
    old.write_bytes(b"x")
    store = EventStore(watch_folder(path) / "events.sqlite")
    store.add(1_600_000_000_000_000, "Slipway", "zone-1", "clip", {"file": str(old)})
    store.close()
    watched = Watched(path)
    gone = watched.until("clip_gone")[0]
    watched.stop()
    assert (gone["file"], gone["why"]) == (str(old), "age") and not old.exists()


def test_a_contact_starts_an_alarm_with_a_clip_and_is_kept(tmp_path, camera):
    path = new_site(tmp_path, camera.url)
    run("sensors", path, "--add", "Door", "--contact", "door")
    watched = Watched(path, inputs=("0", ""))
    try:
        watched.until("picture")
        run("control", path, "contact", "--text", "door", "--act", "start")
        assert wait_for(lambda: of_door(watched, "alarm_start"))
        run("control", path, "contact", "--text", "door", "--act", "stop")
        assert wait_for(lambda: of_door(watched, "alarm_end"))
        run("control", path, "contact", "--text", "window", "--act", "start")  # nobody listens to it
        told = [(event["contact"], event["on"], event["road"]) for event in watched.until("input", 2)]
        assert told == [("door", True, "by hand"), ("door", False, "by hand")]
        assert wait_for(lambda: any("Door" in event["file"] for event in watched.until("clip")))
    finally:
        watched.stop()


def of_door(watched, what):
    return [event for event in list(watched.events) if event["what"] == what and event["item"] == "sensor-1"]


def test_clips_are_copied_to_a_second_place_once_it_can_be_reached(tmp_path, camera):
    path = new_site(tmp_path, camera.url)
    disk = tmp_path / "disk"
    assert json.loads(run("second-place", path, "--to", str(disk), "--json"))["to"] == str(disk)
    assert "is not there" in run("second-place", path, "--test", code=1)
    watched = Watched(path)
    try:
        watched.until("clip")
        assert wait_for(lambda: any(event.get("fault") == "cannot send" for event in list(watched.events)))
        disk.mkdir()  # it is mounted; what waited comes, and what follows
        assert wait_for(lambda: any(disk.rglob("*.mkv")))
        copied = next(disk.rglob("*.mkv"))
        assert any(event["file"].endswith(copied.name) for event in watched.until("clip"))
    finally:
        watched.stop()
    assert "test" in json.loads(run("second-place", path, "--test", "--json"))["said"]
    assert "whole path" in run("second-place", path, "--to", "disk", code=1)


def test_another_camera_records_along_while_an_alarm_runs(tmp_path, camera):
    path = new_site(tmp_path, camera.url, "--camera", f"Quay={camera.url}")
    known, site = mark_of(path), load_site(path)
    quay = next(view for view in site.views if view.name == "Quay")
    quiet = replaced(quay, hours=Hours(armed="off"), outcome=site.views[0].outcome)
    views = tuple(quiet if view.id == quay.id else view for view in site.views)
    site = outcomes.record_along(replaced(site, views=views), site.views[0].id, [quay.id])
    save_site(site, path, known)
    watched = Watched(path)
    wait_for(lambda: any((one["view"], one["what"]) == ("Quay", "clip") for one in list(watched.events)), 40)
    watched.stop()
    along = next(event for event in watched.events if (event["view"], event["what"]) == ("Quay", "clip"))
    assert along["items"] == ["with Slipway"] and index_recording(Footage(Path(along["file"]))).frames > 0
    assert not [event for event in watched.events if event["what"] == "alarm_start" and event["view"] == "Quay"]


def test_the_larger_stream_is_recorded_while_the_smaller_one_is_analysed(tmp_path, camera, large):
    with CameraStandIn(large) as second:
        path = new_site(tmp_path, f"{camera.url} {second.url}")
        (view,) = load_site(path).views
        assert [held.use for held in view.camera.streams] == ["analyse", "record"]
        watched = Watched(path)
        clip = watched.until("clip")[0]
        second.__exit__(None, None, None)  # what is analysed goes on without it
        lost = next(event for event in watched.until("fault") if event["fault"] == "recorded stream lost")
        alarms = len([event for event in watched.events if event["what"] == "alarm_start"])
        watched.until("alarm_start", alarms + 1)
        watched.stop()
    index = index_recording(Footage(Path(clip["file"])))
    assert (index.grid().width, index.grid().height) == (320, 192) and index.frames == clip["frames"] > 5
    assert lost["view"] == "Slipway"


@pytest.fixture
def large(tmp_path):
    return write_video(tmp_path / "large.mkv", moving_square(60, width=320, height=192, side=32))


def test_a_tuning_in_the_shade_is_counted_as_its_replay_says_and_told_to_nobody(tmp_path, recording):
    path = new_site(tmp_path, recording)
    known, site = mark_of(path), load_site(path)
    view = site.views[0]
    site = edits.add_tuning(site, view.id, "deaf", None)
    site = edits.put_settings(site, view.id, "deaf", "zone-1", ZoneSettings(start_percent=90, clear_percent=90))
    site = edits.add_tuning(site, view.id, "keen", None)
    save_site(edits.run_in_shade(site, view.id, "keen"), path, known)
    events = [json.loads(line) for line in run("watch", path, "--speed", 8, "--json").splitlines()]
    assert [event["tuning"] for event in events if event["what"] == "shade_on"] == ["keen"]
    shaded = [(event["start_utc"], event["time_utc"]) for event in events if event["what"] == "shade"]
    told = [(event["start_utc"], event["time_utc"]) for event in events if event["what"] == "alarm_end"]
    assert shaded == told and told  # the same dials, so the same alarms
    (week,) = json.loads(run("shade", path, "--json"))["views"]
    assert week["tuning"] == "keen" and week["items"][0]["both"] == week["items"][0]["told"] == len(told)
    known = mark_of(path)
    save_site(edits.run_in_shade(load_site(path), view.id, "deaf"), path, known)
    run("watch", path, "--speed", 8, "--json")
    (week,) = json.loads(run("shade", path, "--view", "Slipway", "--json"))["views"]
    assert week["tuning"] == "deaf" and week["items"][0]["shade"] == 0 < week["items"][0]["told"]
    assert "has no camera" in run("shade", path, "--view", "Gate", code=1)


def test_sound_beside_a_live_picture_raises_the_alarms_of_replay(tmp_path):
    seconds = np.arange(48_000 * 8) / 48_000
    horn = 0.001 + 0.5 * ((seconds > 3) & (seconds < 4.5)) * np.sin(2 * np.pi * 440 * seconds)
    loud = written(tmp_path / "loud.mkv", horn, seconds=8)
    path = new_site(tmp_path, loud)
    known, site = mark_of(path), load_site(path)
    rule = SoundRule(hears="louder", level_db=-20, windows=2)
    sensors = (Sensor(id="sensor-1", name="Horn", sound=rule),)
    view = replaced(site.views[0], sensors=sensors, hours=Hours())
    save_site(replaced(site, views=(view,)), path, known)
    events = [json.loads(line) for line in run("watch", path, "--speed", 4, "--json").splitlines()]
    began = next(event for event in events if event["what"] == "picture")["time_utc"]
    live = [
        (seconds_of(event["start_utc"], began), seconds_of(event["time_utc"], began))
        for event in events
        if event["what"] == "alarm_end" and event["item"] == "sensor-1"
    ]
    other = tmp_path / "replay.hush.json"
    run("new", other, loud, "--zone", "All=0,0;1,0;1,1;0,1")
    known, site = mark_of(other), load_site(other)
    save_site(replaced(site, views=(replaced(site.views[0], sensors=sensors),)), other, known)
    alarms = json.loads(run("alarms", other, "--json"))["recordings"][0]["alarms"]
    heard = [(alarm["start_s"], alarm["end_s"]) for alarm in alarms if alarm["kind"] == "sound"]
    assert len(heard) == 1 and live == [pytest.approx(heard[0], abs=0.11)]


def test_what_the_camera_itself_raises_is_heard_in_its_own_view_alone(tmp_path, camera):
    path = new_site(tmp_path, camera.url, "--camera", f"Quay={camera.url}")
    sensor = Sensor(id="sensor-1", name="Its own", contact="CellMotionDetector/Motion")
    known, site = mark_of(path), load_site(path)
    views = tuple(replaced(view, sensors=(sensor,), hours=Hours()) for view in site.views)
    save_site(replaced(site, views=views), path, known)
    with DeviceStandIn() as device:
        assert device.url in run("own-alarms", path, "--view", "Slipway", "--at", device.url)
        assert "has no camera" in run("own-alarms", path, "--view", "Gate", "--at", device.url, code=1)
        watched = Watched(path)
        watched.until("picture", 2)
        device.say("RuleEngine/CellMotionDetector/Motion", on=True)
        device.say("RuleEngine/CellMotionDetector/Motion", on=False)
        heard = watched.until("input", 2)
        own_alarm = {"what": "alarm_end", "item": "sensor-1"}
        assert wait_for(lambda: any(own_alarm.items() <= event.items() for event in list(watched.events)), 20)
        device.__exit__(None, None, None)
        lost = next(event for event in watched.until("fault") if event["fault"] == "camera events lost")
        watched.stop()
    assert [(event["view"], event["on"], event["road"]) for event in heard] == [
        ("Slipway", True, "onvif"), ("Slipway", False, "onvif"),
    ]  # fmt: skip
    own = [event["view"] for event in watched.events if event["what"] == "alarm_start" and event["item"] == "sensor-1"]
    assert own == ["Slipway"] and lost["view"] == "Slipway"
