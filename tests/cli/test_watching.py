"""The service end to end: real processes, a stand-in camera over HTTP, a postbox."""

import json
import os
import shutil
import signal
import socket
import subprocess
import sys
import threading
import time
from pathlib import Path

import httpx
import pytest

from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.outcome import passwords
from north_hush.core.outcome.rules import Keep, Outcome, Switch, Tell, Way
from north_hush.core.outcome.ways import send
from north_hush.core.outcome.ways.message import Message
from north_hush.core.site.file import load_site
from north_hush.core.site.model import replaced
from north_hush.core.site.saving import mark_of, save_site
from north_hush.core.watch.service import Service, watch_folder
from north_hush.core.watch.store import EventStore, read_events
from north_hush.core.watch.web import web_place
from north_hush.demo.live import lay_out_live, stand_in_cameras
from north_hush.demo.standins.camera import CameraStandIn
from north_hush.demo.standins.contacts import Contacts
from north_hush.demo.standins.postbox import Postbox
from tests.cli.running import run
from tests.footage_maker import moving_square, write_video


@pytest.fixture(scope="module")
def recording(tmp_path_factory):
    return write_video(tmp_path_factory.mktemp("cam") / "slip.mkv", moving_square(60))


@pytest.fixture
def camera(recording):
    with CameraStandIn(recording) as held:
        yield held


def new_site(tmp_path, address, *more):
    path = tmp_path / "slip.hush.json"
    run("new", path, "--camera", f"Slipway={address}", "--zone", "All=0,0;1,0;1,1;0,1", *more)
    change(path, outcome=Outcome(keep=Keep(before_s=0.5, after_s=0.5)))
    return path


def change(path, ways=(), **fields):
    known, site = mark_of(path), load_site(path)
    views = (replaced(site.views[0], **fields), *site.views[1:])
    save_site(replaced(site, ways=ways or site.ways, views=views), path, known)


class Watched:
    """A service in a thread, and what it told."""

    def __init__(self, path, seconds=None, **more):
        self.events, self._stopped = [], threading.Event()
        self.service = Service(path, **more)
        self._thread = threading.Thread(target=self.service.run, args=(seconds, self.events.append, self._stopped))
        self._thread.start()

    def until(self, what, count=1, seconds=40):
        ends = time.monotonic() + seconds
        while time.monotonic() < ends:
            found = [event for event in list(self.events) if event["what"] == what]
            if len(found) >= count:
                return found
            time.sleep(0.05)
        raise AssertionError(f"no {what}: {self.events}")

    def stop(self):
        self._stopped.set()
        self._thread.join(40)
        assert not self._thread.is_alive()
        return self.events


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


def seconds(at, began):
    from datetime import datetime

    return (datetime.fromisoformat(at) - datetime.fromisoformat(began)).total_seconds()


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
    children = subprocess.run(
        ["pgrep", "-P", str(os.getpid()), "-f", "_watch"], capture_output=True, text=True, check=True
    )
    for number in children.stdout.split():
        os.kill(int(number), signal.SIGKILL)
    watched.until("picture", 2)
    events = watched.stop()
    assert "camera process ended" in [event.get("fault") for event in events]


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


def state(path):
    return json.loads(run("control", path, "state", "--json"))["views"][0]


def test_what_is_said_by_hand_counts_instead_of_hours_and_is_kept(tmp_path, camera):
    path = new_site(tmp_path, camera.url)
    run("hours", path, "--armed", "off")
    watched = Watched(path)
    watched.until("picture")
    run("control", path, "arm", "--minutes", 5)
    watched.until("alarm_start")
    assert state(path)["armed_by_hand"] is True and "levels" in state(path)
    run("control", path, "hours")
    assert state(path)["armed_by_hand"] is None
    run("control", path, "record", "--act", "start")
    time.sleep(1.5)
    run("control", path, "record", "--act", "stop")
    clips = watched.until("clip")
    run("control", path, "stop")
    events = watched.stop()
    assert "by hand" in clips[0]["items"]  # by itself, or with the alarm that ran
    assert {"arm", "hours", "record"} <= {event["what"] for event in events}
    assert all(event["who"] for event in events if event["what"] == "arm")
    assert "watched by no service" in run("control", path, "state", code=1)
    assert "cannot be 'fly'" in run("control", path, "fly", code=1)


def test_a_walk_test_shows_alarms_and_neither_records_nor_tells(tmp_path, camera):
    path = new_site(tmp_path, camera.url)
    tell = Tell(way="office", every_s=0)
    with Postbox() as box:
        way = Way(name="office", kind="mail", address=box.smtp, to="a@skerry.example", secure="none")
        change(path, (way,), outcome=Outcome(tell=(tell,), keep=Keep(before_s=0.5, after_s=0.5)))
        watched = Watched(path)
        watched.until("picture")
        run("control", path, "walk", "--minutes", 1)
        seen = len([event for event in watched.events if event["what"] == "alarm_start"])
        watched.until("alarm_start", seen + 2)
        walked = [event for event in watched.events if event["what"] == "alarm_start"][seen:]
        watched.stop()
        assert all(event["walk"] for event in walked[1:]) and len(box.arrived) <= seen + 1


def test_nobody_further_is_told_when_somebody_answers(tmp_path, camera):
    path = new_site(tmp_path, camera.url)
    tell = Tell(way="office", every_s=3600, unanswered_s=4, then=("home",))
    with Postbox() as box:
        ways = [
            Way(name=name, kind="mail", address=box.smtp, to=f"{name}@skerry.example", secure="none")
            for name in ("office", "home")
        ]
        change(path, tuple(ways), outcome=Outcome(tell=(tell,), keep=Keep(how="never")))
        watched = Watched(path)
        watched.until("sent")
        answer = run("control", path, "reply", "--text", "on my way")
        time.sleep(6)
        events = watched.stop()
        assert [mail.to for mail in box.arrived] == ["office@skerry.example"]
        assert box.arrived[0].pictures  # what was seen when it began
        assert "Slipway" in answer
        replied = next(event for event in events if event["what"] == "reply")
        assert (replied["text"], replied["stopped"]) == ("on my way", 1)


def test_when_nobody_answers_the_next_one_is_told(tmp_path, camera):
    path = new_site(tmp_path, camera.url)
    tell = Tell(way="office", every_s=3600, unanswered_s=2, then=("home",))
    with Postbox() as box:
        ways = [
            Way(name=name, kind="mail", address=box.smtp, to=f"{name}@skerry.example", secure="none")
            for name in ("office", "home")
        ]
        change(path, tuple(ways), outcome=Outcome(tell=(tell,), keep=Keep(how="never")))
        watched = Watched(path)
        watched.until("sent", 2)
        watched.stop()
        assert [mail.to for mail in box.arrived] == ["office@skerry.example", "home@skerry.example"]
        assert "Nobody answered for 2 s." in box.arrived[1].text


def test_a_contact_is_on_for_its_seconds_from_the_start_of_an_alarm(tmp_path, camera):
    path = new_site(tmp_path, camera.url)
    with Contacts() as contacts:
        way = Way(name="lamp", kind="http", address=contacts.url)
        switches = (Switch(contact="lamp", hold_s=2), Switch(contact="siren", hold_s=1))
        change(path, (way,), outcome=Outcome(switch=switches, keep=Keep(how="never")))
        watched = Watched(path)
        watched.until("contact", 2)
        events = watched.stop()
    assert [one.on for one in contacts.switched][:2] == [True, False]
    on, off = [event for event in events if event["what"] == "contact"][:2]
    assert seconds(off["time_utc"], on["time_utc"]) == pytest.approx(2, abs=1.0)
    missing = [event for event in events if event.get("fault") == "cannot switch"]
    assert missing and "siren" in missing[0]["said"]  # no way of that name
    assert not any(contacts.state.values())  # nothing is left on


@pytest.mark.skipif(shutil.which("mosquitto") is None, reason="mosquitto is not installed")
def test_the_contacts_stand_in_listens_at_a_broker_too(tmp_path):
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    (tmp_path / "m.conf").write_text(f"listener {port} 127.0.0.1\nallow_anonymous true\n")
    with subprocess.Popen([shutil.which("mosquitto"), "-c", tmp_path / "m.conf"], stderr=subprocess.DEVNULL) as broker:
        try:
            time.sleep(1)
            with Contacts(broker=f"127.0.0.1:{port}", topic="quay/lamp") as contacts:
                way = Way(name="lamp", kind="mqtt", address=f"127.0.0.1:{port}", to="quay/lamp", secure="none")
                send(way, Message("lamp: on", "on", facts={"contact": "lamp", "on": True}))
                for _ in range(100):
                    if contacts.state:
                        break
                    time.sleep(0.05)
                assert contacts.state == {"lamp": True} and contacts.switched[0].road == "mqtt"
        finally:
            broker.terminate()


def test_the_live_demo_has_its_cameras_for_as_long_as_it_is_open(tmp_path):
    with stand_in_cameras() as addresses:
        path = lay_out_live(addresses, tmp_path)
        told = json.loads(run("watch", path, "--check", "--json"))["streams"]
        assert [row["view"] for row in told] == ["Slipway", "Slipway in snow"] and all("width" in row for row in told)
        assert len(load_site(path).views[0].watchers) == 4
        changed = replaced(load_site(path), time_zone="Europe/Oslo")
        save_site(changed, path, mark_of(path))
    again = lay_out_live(["http://127.0.0.1:9/a", "http://127.0.0.1:9/b"], tmp_path)
    assert load_site(again).time_zone == "Europe/Oslo"  # what was done in it stays
    assert "cannot be opened" in run("watch", path, "--check", code=1)


def test_a_watched_site_is_looked_at_over_the_web(tmp_path, camera):
    path = new_site(tmp_path, camera.url)
    assert "has no users yet" in run("watch", path, "--web", "0", "--for", 1, code=1)
    assert "all cameras" in run("web-user", path, "operator", typed="lantern-42\n")
    assert "is no view" in run("web-user", path, "guest", "--view", "Nowhere", typed="lantern-42\n", code=1)
    watched = Watched(path, web=web_place("0"))
    watched.until("alarm_start")
    address, auth = f"http://127.0.0.1:{watched.service.web.port}", ("operator", "lantern-42")
    for _ in range(100):
        picture = httpx.get(f"{address}/picture/Slipway", auth=auth)
        if picture.content:
            break
        time.sleep(0.05)
    assert picture.content.startswith(b"\xff\xd8")
    events = httpx.get(f"{address}/state", auth=auth).json()["events"]
    watched.stop()
    assert "alarm_start" in [one["what"] for one in events]
    run("web-user", path, "operator", "--remove")
