"""Processes of cameras that are forked from one that has loaded what they need."""

import os
import queue
import signal
import threading
import time
from pathlib import Path

import pytest

from north_hush.core.nursery import Nursery
from north_hush.core.scene.area import area_of
from north_hush.core.scene.items import Zone
from north_hush.core.scene.outline import rectangle
from north_hush.core.site import drawing, edits
from north_hush.core.site.cameras import camera_of
from north_hush.core.site.model import replaced
from north_hush.core.watch.child import Child
from north_hush.core.watch.nursery_worker import CAMERA
from north_hush.core.watch.process import CameraProcess, Place
from tests.footage_maker import moving_square, write_video
from tests.waiting import wait_for


@pytest.fixture(scope="module")
def nursery():
    held = Nursery("_cameras")
    yield held
    held.close()


class Heard(Child):
    """A camera's process, and what it said and how it ended."""

    def __init__(self, nursery, order=None):
        self.said, self.codes = [], []
        super().__init__(nursery, self.said.append, self.codes.append)
        if order is not None:
            self.say(order)

    def has(self, what):
        return any(event["what"] == what for event in self.said)

    @property
    def pid(self):
        return self._process.pid


@pytest.fixture
def order(tmp_path):
    """Of a recording of a minute, played as if it were live."""
    return order_of(write_video(tmp_path / "a.mkv", moving_square(600)), tmp_path)


def order_of(recording, folder):
    zone = Zone(id="zone-1", name="All", letter="A", area=area_of(rectangle((0.0, 0.0), (1.0, 1.0))))
    site = drawing.add_item(edits.new_site("Slip"), "view-1", zone)
    view = replaced(site.views[0], camera=camera_of(f"Slip={recording}")[1])
    site = replaced(site, views=(view,))
    return {
        "site": site.model_dump(mode="json"), "view": view.model_dump(mode="json"), "by_hand": {}, "password": "",
        "folder": str(folder), "speed": 1.0, "preview": str(folder / "preview.jpg"),
    }  # fmt: skip


def nursery_pid(nursery):
    return nursery._process.pid


def test_a_camera_watches_and_its_exit_code_comes_back(nursery, tmp_path):
    order = order_of(write_video(tmp_path / "short.mkv", moving_square(20)), tmp_path)
    camera = Heard(nursery, {**order, "speed": 16.0})
    assert wait_for(lambda: camera.codes)
    assert camera.codes == [0]
    assert [event["what"] for event in camera.said][:1] == ["picture"] and camera.has("alarm_start")


def test_it_is_listed_by_its_own_name_and_ends_when_it_is_closed(nursery, order):
    camera = Heard(nursery, order)
    assert wait_for(lambda: camera.has("picture"))
    assert Path(f"/proc/{camera.pid}/comm").read_text("ascii").strip() == CAMERA
    camera.close()
    assert camera.codes == [0]


def test_a_killed_camera_says_by_what_and_takes_no_other_with_it(nursery, order):
    killed, other = Heard(nursery, order), Heard(nursery, order)
    assert wait_for(lambda: killed.has("picture") and other.has("picture"))
    os.kill(killed.pid, signal.SIGKILL)
    assert wait_for(lambda: killed.codes)
    assert killed.codes == [-signal.SIGKILL]
    frames = len(other.said)
    assert wait_for(lambda: len(other.said) > frames) and other.codes == []
    other.close()


def test_cameras_go_on_without_the_nursery_and_the_next_has_another(nursery, order):
    camera = Heard(nursery, order)
    assert wait_for(lambda: camera.has("picture"))
    before = nursery_pid(nursery)
    os.kill(before, signal.SIGKILL)
    nursery._process.wait()
    later = Heard(nursery, order)
    assert wait_for(lambda: later.has("picture"))
    assert nursery_pid(nursery) != before and camera.codes == []
    camera.close()
    later.close()
    assert later.codes == [0]


def test_one_that_hangs_is_killed_when_it_is_closed(nursery, order, monkeypatch):
    monkeypatch.setattr("north_hush.core.watch.child.ENDS_S", 0.5)
    camera = Heard(nursery, order)
    assert wait_for(lambda: camera.has("picture"))
    os.kill(camera.pid, signal.SIGSTOP)
    camera.close()
    assert camera.codes == [-signal.SIGKILL]


def test_whoever_tells_a_camera_that_hangs_something_does_not_wait(nursery, order, monkeypatch):
    monkeypatch.setattr("north_hush.core.watch.child.ENDS_S", 0.5)
    camera = Heard(nursery, order)
    assert wait_for(lambda: camera.has("picture"))
    os.kill(camera.pid, signal.SIGSTOP)
    telling = threading.Thread(target=lambda: [camera.say(order) for _ in range(200)], daemon=True)  # beyond a pipe
    telling.start()
    telling.join(20)
    assert not telling.is_alive()
    camera.close()


def test_no_descriptor_is_lost(nursery, order):
    def held(process):
        return len(list(Path(f"/proc/{process}/fd").iterdir()))

    first = Heard(nursery, order)
    assert wait_for(lambda: first.has("picture"))
    ours, theirs = held("self"), held(nursery_pid(nursery))
    for _ in range(3):
        camera = Heard(nursery, order)
        assert wait_for(lambda held=camera: held.has("picture"))
        camera.close()
    assert wait_for(lambda: held(nursery_pid(nursery)) == theirs)
    assert held("self") == ours
    first.close()


class Full(Nursery):
    """Has no room for another process."""

    def __init__(self):
        super().__init__("_cameras")
        self.asked_s = []

    def fork(self, *ends):
        self.asked_s.append(time.monotonic())
        raise OSError("no room")


def test_one_that_falls_again_and_again_is_started_ever_later(tmp_path):
    full, out = Full(), queue.Queue()
    site = edits.new_site("Slip")
    camera = CameraProcess(site, site.views[0], Place(tmp_path, 1.0, tmp_path), full, out)
    for _ in range(2):
        view, event = out.get(timeout=20)
        assert (view, event["what"]) == ("view-1", "gone") and event["code"] != 0
        camera.start()
    out.get(timeout=20)
    first, second, third = full.asked_s
    assert second - first >= 0.9 and third - second > second - first
    camera._began_s -= 10  # as if it had run for so long
    camera.start()
    out.get(timeout=20)
    assert full.asked_s[3] - third < 0.9
