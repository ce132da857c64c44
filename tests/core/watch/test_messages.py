"""What comes of a message that somebody wants to see, and of a contact that turns a camera."""

import threading

import pytest

from north_hush.core.outcome.rules import Outcome, SecondPlace, Switch, Tell, Way
from north_hush.core.site import edits
from north_hush.core.watch import messages
from north_hush.core.watch.messages import Telling
from north_hush.core.watch.sources import now_us
from north_hush.core.watch.store import EventStore
from north_hush.core.watch.switching import Switching
from north_hush.demo.standins.onvif_device import DeviceStandIn
from tests.waiting import wait_for

WAY, MAST = Way(name="desk", kind="desktop"), Way(name="mast", kind="desktop")


def site_with(way, **outcome):
    site = edits.new_site("Quay", "Slipway")
    view = site.views[0].model_copy(update={"outcome": Outcome(**outcome)})
    return site.model_copy(update={"views": (view,), "ways": (way,)})


@pytest.fixture
def store(tmp_path):
    held = EventStore(tmp_path / "events.sqlite")
    yield held
    held.close()


def test_a_press_on_a_notice_is_noted_and_opens_the_window(tmp_path, store, monkeypatch):
    noted, shown = [], []

    def press(way, message, password):
        message.opened()
        return "shown as notice 1"

    monkeypatch.setattr(messages, "send", press)
    monkeypatch.setattr(messages.subprocess, "Popen", lambda command, **_: shown.append(command[1:]))
    site = site_with(Way(name="desk", kind="desktop"), tell=(Tell(way="desk", every_s=0),))
    path = tmp_path / "quay.hush.json"
    telling = Telling(site, store, lambda view, what, facts: noted.append((view.name, what, facts)), path)
    telling.alarm(site.views[0], "wire-1", now_us())

    def done():
        telling.work()
        return ("Slipway", "opened", {"way": "desk"}) in noted

    assert wait_for(done)
    telling.close()
    assert shown[-1:] == [["-m", "north_hush", "open", str(path), "--stage", "watch"]]


def test_an_alarm_turns_a_camera_and_home_again(monkeypatch):
    with DeviceStandIn() as camera:
        way = Way(name="mast", kind="preset", address=camera.url, to="Slipway")
        site = site_with(way, switch=(Switch(contact="mast", hold_s=2),))
        noted = []
        switching = Switching(site, lambda view, what, facts: noted.append((what, facts.get("said"))))
        switching.alarm(site.views[0], "wire-1", 0)
        assert wait_for(lambda: camera.turned == ["Slipway"])
        switching.work(1_000_000)
        switching.work(2_000_000)
        assert wait_for(lambda: camera.turned == ["Slipway", "home"])
        switching.close()
    assert noted == [("contact", "turned to 'Slipway'"), ("contact", "turned home")]


def test_a_second_place_that_hangs_holds_up_no_message(tmp_path, store, monkeypatch):
    noted, free = [], threading.Event()
    monkeypatch.setattr(messages, "copy_there", lambda *_: free.wait(30) and "copied")
    monkeypatch.setattr(messages, "send", lambda *_: "250 taken")
    site = site_with(Way(name="desk", kind="desktop"), tell=(Tell(way="desk", every_s=0),))
    site = site.model_copy(update={"second_place": SecondPlace(to="/safe")})
    telling = Telling(site, store, lambda _, what, facts: noted.append((what, facts.get("said"))), tmp_path / "a.json")
    telling.copy(site.views[0], tmp_path / "clip.mkv", tmp_path, now_us())
    telling.work()
    telling.alarm(site.views[0], "wire-1", now_us())

    def said(word):
        telling.work()
        return ("sent", word) in noted

    assert wait_for(lambda: said("250 taken"), 10) and ("sent", "copied") not in noted
    free.set()
    assert wait_for(lambda: said("copied"), 10)
    telling.close()
    assert noted.count(("sent", "copied")) == noted.count(("sent", "250 taken")) == 1


def waiting(store, after_s):
    """Messages that are due by so many seconds from now: how often each was tried, and how many alarms it tells of."""
    return [len(held["facts"]["starts"]) for _, _, _, held, _ in store.due(now_us() + after_s * 1_000_000)]


def site_of(tell):
    return site_with(WAY, tell=(tell,)).model_copy(update={"ways": (WAY, MAST)})


def collecting(tmp_path, store, tell):
    telling = Telling(site_of(tell), store, lambda *_: None, tmp_path / "a.json")
    at = now_us()
    for after in range(4):
        telling.alarm(telling._site.views[0], "wire-1", at + after)
    return telling


CHAIN = Tell(way="desk", every_s=60, then=("mast",), unanswered_s=30)


def test_what_is_collected_outlasts_a_kill_with_its_chain(tmp_path, store):
    collecting(tmp_path, store, CHAIN)  # and nobody closes it
    assert waiting(store, 200) == [1, 1]  # more may come
    store.close()
    again = EventStore(tmp_path / "events.sqlite")
    assert (waiting(again, 50), waiting(again, 70), waiting(again, 200)) == ([1, 1], [1, 1, 3], [1, 1, 3, 3])
    again.close()


def test_who_answers_the_first_message_has_not_answered_what_is_collected(tmp_path, store):
    telling = collecting(tmp_path, store, CHAIN)
    assert telling.answered(telling._site.views[0]) == 1
    telling._queue(telling._site.views[0], telling._tellers["view-1", 0].finish())
    assert waiting(store, 200) == [1, 3, 3]


def test_what_is_collected_goes_out_though_the_rule_is_changed(tmp_path, store):
    telling = collecting(tmp_path, store, CHAIN)
    telling.take(site_of(Tell(way="desk", every_s=10)))
    assert waiting(store, 200) == [1, 1, 3, 3]


def test_what_is_written_together_is_there_whole_or_not_at_all(store):
    with pytest.raises(ValueError, match="in the midst"), store.together():
        store.add(1, "Slipway", "wire-1", "alarm_start", {})
        raise ValueError("in the midst")
    with store.together():
        store.add(2, "Slipway", "wire-1", "alarm_start", {})
        store.queue("k", "desk", 3, {"facts": {"starts": ["now"]}})
    assert store.alarm_starts("Slipway", 0) == [2] and waiting(store, 0) == [1]
