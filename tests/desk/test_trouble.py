"""What goes wrong while the window is open, and the window lives."""

import os
import signal
import subprocess
import sys
import threading
import time
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from north_hush.core.errors import EvidenceError
from north_hush.core.footage.index import Footage
from north_hush.core.nursery import Nursery
from north_hush.core.scene.items import Privacy
from north_hush.core.site import edits
from north_hush.core.site.file import load_site
from north_hush.core.site.marking import mark_incident, take_file
from north_hush.core.site.saving import save_site
from north_hush.desk.app import wait_until
from north_hush.desk.workers import child as child_module
from north_hush.desk.workers import frames as frames_module
from tests.desk.conftest import analysed, settle
from tests.footage_maker import write_video


@pytest.fixture
def long_site(tmp_path):
    """A recording whose pass takes a few seconds."""
    rng = np.random.default_rng(1)
    pictures = [rng.integers(90, 130, (540, 960)).astype(np.uint8) for _ in range(12)]
    write_video(tmp_path / "long.mkv", pictures * 50, options={"qp": "30", "g": "50", "preset": "ultrafast"})
    path = tmp_path / "long.hush.json"
    save_site(edits.add_recording(edits.new_site("Skerry Quay"), "view-1", "long.mkv"), path)
    return path


def passing(window):
    return wait_until(lambda: window.deck.passes.running is not None, 20)


def test_partial_results_show_and_the_picture_plays_during_the_pass(qtbot, open_window, long_site):
    window = open_window(long_site, ready=False)
    assert passing(window)
    shown = []
    window.deck.shown.connect(lambda image, _: shown.append(image))
    window.deck.playhead.seek(40)
    assert wait_until(lambda: bool(shown), 60)
    assert wait_until(lambda: window.deck.evidence is not None, 60)
    assert wait_until(lambda: analysed(window), 120)
    assert len(window.deck.evidence.frames) == 600


def test_cancel_and_start_again(qtbot, open_window, long_site):
    window = open_window(long_site, ready=False)
    assert passing(window)
    window.footage.cancel.click()
    assert window.deck.passes.running is None
    assert window.footage.again.isVisibleTo(window.footage)
    window.footage.again.click()
    assert passing(window)


def test_closing_during_a_pass_leaves_no_process_and_no_half_evidence(qtbot, open_window, long_site):
    window = open_window(long_site, ready=False)
    assert passing(window)
    process = window.deck.passes.running.process_id
    window.close()
    with pytest.raises(ProcessLookupError):
        os.kill(process, 0)
    root = Path(os.environ["NORTH_HUSH_CACHE"])
    assert not root.exists() or list(root.iterdir()) == []


def test_a_pass_that_does_not_end_when_the_window_closes_leaves_no_half_evidence_either(qtbot, open_window, long_site):
    window = open_window(long_site, ready=False)
    root = Path(os.environ["NORTH_HUSH_CACHE"])
    assert passing(window)
    assert wait_until(lambda: bool(list(root.glob("*.part@*"))), 60)
    os.kill(window.deck.passes.running.process_id, signal.SIGSTOP)
    window.close()
    assert not list(root.glob("*.part@*"))


def test_a_decoder_that_crashes_the_pass_is_named_and_the_window_lives(qtbot, open_window, long_site):
    window = open_window(long_site, ready=False)
    assert passing(window)
    os.kill(window.deck.passes.running.process_id, signal.SIGSEGV)
    assert wait_until(lambda: window.notice.isVisible(), 60)
    assert "long.mkv" in window.notice.text.text()
    assert "the decoder crashed" in window.notice.text.text()
    window.deck.playhead.step(1)
    assert window.footage.again.isVisibleTo(window.footage)


class Instead(Nursery):
    """Starts another program for each child."""

    def __init__(self, program):
        super().__init__("")
        self.program, self.ended = program, threading.Event()

    def fork(self, *ends):
        child = subprocess.Popen([sys.executable, "-c", self.program], stdin=ends[0], stdout=ends[1])
        threading.Thread(target=self._tell, args=(child, os.dup(ends[2])), daemon=True).start()

    def _tell(self, child, life):
        os.write(life, f"{child.pid}\n".encode())
        code = child.wait()
        self.ended.set()
        os.write(life, f"{code}\n".encode())
        os.close(life)


def killed(window, number):
    client = window.deck.pictures._client
    assert wait_until(lambda: client.process_id is not None, 30)
    process = client.process_id
    os.kill(process, number)
    return lambda: client.process_id not in (None, process)


def test_a_frame_worker_that_was_ended_starts_again_by_itself_once(qtbot, window):
    assert wait_until(killed(window, signal.SIGKILL), 60)
    shown = []
    window.deck.shown.connect(lambda *_: shown.append(window.deck.frame))
    window.deck.playhead.step(3)
    assert wait_until(lambda: 3 in shown, 60)
    assert not window.notice.isVisible()
    killed(window, signal.SIGKILL)
    assert wait_until(lambda: window.notice.isVisible(), 60)
    assert "ended from outside (signal 9), twice" in window.notice.text.text()


def test_a_decoder_that_crashes_the_frame_worker_twice_is_named(qtbot, window):
    assert wait_until(killed(window, signal.SIGSEGV), 60)
    killed(window, signal.SIGSEGV)
    assert wait_until(lambda: window.notice.isVisible(), 60)
    assert "crashed the decoder (signal 11)" in window.notice.text.text()
    window.tune.dials["confirm_frames"].number.setValue(9)
    settle(window)
    assert window.deck.lanes[0].settings.confirm_frames == 9


def test_a_worker_that_cannot_start_is_told(qtbot, open_window, site_path, monkeypatch):
    monkeypatch.setattr(frames_module, "NURSERY", Instead("import os; os.abort()"))
    window = open_window(site_path, ready=False)
    assert wait_until(lambda: window.notice.isVisible(), 60)
    assert "crashed the decoder (signal 6)" in window.notice.text.text()


def test_a_worker_that_is_gone_before_anybody_listens_is_told(qtbot, site_path, monkeypatch):
    monkeypatch.setattr(frames_module, "NURSERY", Instead("import os; os.abort()"))
    client = frames_module.FrameClient(Footage(site_path.parent / "slip.mkv"), None)
    frames_module.NURSERY.ended.wait(60)
    errors = []
    client.failed.connect(errors.append)
    client.start()
    assert wait_until(lambda: bool(errors), 60)
    client.close()
    assert "crashed the decoder (signal 6)" in str(errors[0])


def test_a_recording_taken_away_is_named(qtbot, open_window, site_path):
    window = open_window(site_path)
    window.deck.pictures._client.close()
    (site_path.parent / "slip.mkv").unlink()
    window.deck.put_on(window.session.view.recordings[0])
    assert "is not there" in window.notice.text.text()
    assert "Locate" in window.notice.text.text() or "locate" in window.notice.text.text()


def test_evidence_lasts_for_the_session_when_the_cache_cannot_be_written(
    qtbot, open_window, site_path, tmp_path, monkeypatch
):
    (tmp_path / "in the way").write_text("")
    monkeypatch.setenv("NORTH_HUSH_CACHE", str(tmp_path / "in the way" / "cache"))
    window = open_window(site_path)
    assert not window.deck.stored
    assert "lasts until you close the window" in window.footage.pass_text.text()


def test_background_drops_results_that_were_overtaken(qtbot):
    from north_hush.desk.workers.background import Background

    worker, seen, gate = Background(("lanes",)), [], threading.Event()
    worker.order("lanes", lambda: gate.wait(5) and 1, seen.append, seen.append)
    time.sleep(0.05)
    worker.order("lanes", lambda: 2, seen.append, seen.append)
    worker.order("lanes", lambda: 3, seen.append, seen.append)
    gate.set()
    assert wait_until(lambda: worker.idle, 60)
    assert seen == [3]
    worker.close()


@pytest.mark.parametrize("answer", ["Same footage", "Other footage"])
def test_verdicts_of_a_recording_that_was_replaced_are_asked_about_and_kept(open_window, site_path, answer):
    site = load_site(site_path)
    old = "0" * 32
    site = edits.change_recording(site, "view-1", "recording-1", fingerprint=old)
    known = mark_incident(site, "view-1", "recording-1", 1.0, 2.0)
    save_site(known, site_path)
    window = open_window(site_path)
    assert wait_until(lambda: window.notice.isVisible(), 60)
    assert "another file than the one its 1 incidents" in window.notice.text.text()
    next(button for button in window.notice.answers if button.text() == answer).click()
    held = window.session.view.recordings[0]
    assert held.fingerprint != old
    assert not window.notice.isVisible()
    if answer == "Same footage":
        assert len(held.truth.incidents) == 1
        return
    assert held.truth.incidents == ()
    back = take_file(window.session.site, "view-1", "recording-1", old, same=False).views[0].recordings[0]
    assert len(back.truth.incidents) == 1
    assert back.set_aside == ()


def test_a_worker_that_says_nothing_is_ended_and_named(qtbot, monkeypatch):
    monkeypatch.setattr(child_module, "STILL_MS", 300)
    child = child_module.Child("_pass", b"", "silent.mp4")  # it waits for its request
    errors = []
    child.failed.connect(errors.append)
    assert wait_until(lambda: bool(errors), 30)
    assert "silent.mp4: could not be analysed: nothing came of it" in str(errors[0])


def test_an_answer_that_is_on_its_way_when_the_worker_is_closed_never_arrives(qtbot, site_path):
    client = frames_module.FrameClient(Footage(site_path.parent / "slip.mkv"), None)
    seen = []
    client.opened.connect(lambda *held: seen.append(held))
    client.start()
    time.sleep(3)  # the answer waits in the window's queue, which nobody serves
    client.close()
    assert not wait_until(lambda: bool(seen), 0.5)
    again = frames_module.FrameClient(Footage(site_path.parent / "slip.mkv"), None)
    again.opened.connect(lambda *held: seen.append(held))
    again.start()
    assert wait_until(lambda: bool(seen), 30)
    again.close()


def test_the_window_never_waits_for_a_worker_that_does_not_read(qtbot, site_path, monkeypatch):
    monkeypatch.setattr(frames_module, "NURSERY", Instead("import time; time.sleep(60)"))
    client = frames_module.FrameClient(Footage(site_path.parent / "slip.mkv"), None)
    client.start()
    corners = [((x % 90) / 100, (x % 70) / 100) for x in range(400)]
    large = tuple(Privacy(id=f"p{number}", name=f"p{number}", outline=corners) for number in range(60))
    began = time.monotonic()
    client.cover(large)  # some hundred kilobytes, more than a pipe holds
    assert time.monotonic() - began < 1.0
    client.close()
    assert time.monotonic() - began < 5.0


def test_parts_of_a_pass_that_are_gone_by_now_are_no_trouble(window):
    """They move when the pass ends, and the whole comes."""
    told = []
    window.deck.failed.connect(told.append)
    error = EvidenceError("step-0000.zst", "is gone.", "Open it again.")
    whole = window.deck.evidence
    window.deck.fail_over(replace(whole, whole=False))(error)
    assert told == []
    window.deck.fail_over(whole)(error)
    assert told == [error]
