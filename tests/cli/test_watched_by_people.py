"""A service and people: what is said by hand, answers, contacts, the live demo, and looking on over the web."""

import json
import shutil
import socket
import subprocess
import time

import httpx
import pytest

from north_hush.core.outcome.rules import Keep, Outcome, Switch, Tell, Way
from north_hush.core.outcome.ways import send
from north_hush.core.outcome.ways.message import Message
from north_hush.core.site.file import load_site
from north_hush.core.site.model import replaced
from north_hush.core.site.saving import mark_of, save_site
from north_hush.core.watch.web import web_place
from north_hush.demo.live import lay_out_live, stand_in_cameras
from north_hush.demo.standins.contacts import Contacts
from north_hush.demo.standins.postbox import Postbox
from tests.cli.running import run
from tests.cli.watched import Watched, change, new_site, seconds


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


def test_a_clip_that_runs_when_a_walk_begins_ends_all_the_same(tmp_path, camera):
    path = new_site(tmp_path, camera.url)
    watched = Watched(path)
    watched.until("clip_start")
    run("control", path, "walk", "--minutes", 1)
    clip = watched.until("clip")[0]
    events = watched.stop()
    began = next(event for event in events if event["what"] == "walk")
    assert clip["items"] == ["zone-1"] and clip["time_utc"] > began["time_utc"]


def chained(path, box, unanswered_s):
    """The office is told, and when nobody answers, home."""
    ways = tuple(
        Way(name=name, kind="mail", address=box.smtp, to=f"{name}@skerry.example", secure="none")
        for name in ("office", "home")
    )
    tell = Tell(way="office", every_s=3600, unanswered_s=unanswered_s, then=("home",))
    change(path, ways, outcome=Outcome(tell=(tell,), keep=Keep(how="never")))


def test_nobody_further_is_told_when_somebody_answers(tmp_path, camera):
    path = new_site(tmp_path, camera.url)
    with Postbox() as box:
        chained(path, box, 4)
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
    with Postbox() as box:
        chained(path, box, 2)
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
