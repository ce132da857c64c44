"""What goes wrong while the window is open, and the window lives."""

import os
import signal
import sys
import threading
import time
from dataclasses import replace
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication

from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.index import Footage
from north_hush.core.footage.options import EvidenceOptions
from north_hush.core.footage.reduce import FRAME_DTYPE
from north_hush.core.site import edits
from north_hush.core.site.file import load_site, save_site
from north_hush.core.site.marking import mark_incident, take_file
from north_hush.desk.app import wait_until
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
    return wait_until(lambda: window.deck.passing is not None, 20)


def test_partial_results_show_and_the_picture_plays_during_the_pass(qtbot, open_window, long_site):
    window = open_window(long_site, ready=False)
    assert passing(window)
    shown = []
    window.deck.shown.connect(lambda kind, image: shown.append(kind))
    window.deck.playhead.seek(40)
    assert wait_until(lambda: bool(shown), 60)
    assert wait_until(lambda: window.deck.evidence is not None, 60)
    assert wait_until(lambda: analysed(window), 120)
    assert len(window.deck.evidence.frames) == 600


def test_cancel_and_start_again(qtbot, open_window, long_site):
    window = open_window(long_site, ready=False)
    assert passing(window)
    window.footage.cancel.click()
    assert window.deck.passing is None
    assert window.footage.again.isVisibleTo(window.footage)
    window.footage.again.click()
    assert passing(window)


def test_closing_during_a_pass_leaves_no_process_and_no_half_evidence(qtbot, open_window, long_site):
    window = open_window(long_site, ready=False)
    assert passing(window)
    process = window.deck.passing.process_id
    window.close()
    with pytest.raises(ProcessLookupError):
        os.kill(process, 0)
    root = Path(os.environ["NORTH_HUSH_CACHE"])
    assert not root.exists() or list(root.iterdir()) == []


def test_a_decoder_that_crashes_the_pass_is_named_and_the_window_lives(qtbot, open_window, long_site):
    window = open_window(long_site, ready=False)
    assert passing(window)
    os.kill(window.deck.passing.process_id, signal.SIGSEGV)
    assert wait_until(lambda: window.notice.isVisible(), 60)
    assert "long.mkv" in window.notice.text.text()
    assert "the decoder crashed" in window.notice.text.text()
    window.deck.playhead.step(1)
    assert window.footage.again.isVisibleTo(window.footage)


def test_a_decoder_that_crashes_the_frame_worker_is_named(qtbot, window):
    os.kill(window.deck._client.process_id, signal.SIGSEGV)
    assert wait_until(lambda: window.notice.isVisible(), 60)
    assert "crashed the decoder (signal 11)" in window.notice.text.text()
    window.tune.dials["confirm_frames"].number.setValue(9)
    settle(window)
    assert window.deck.lanes[0].settings.confirm_frames == 9


def test_a_worker_that_cannot_start_is_told(qtbot, open_window, site_path, monkeypatch):
    monkeypatch.setattr(frames_module, "WORKER_COMMAND", (sys.executable, "-c", "import os; os.abort()"))
    window = open_window(site_path, ready=False)
    assert wait_until(lambda: window.notice.isVisible(), 60)
    assert "crashed the decoder (signal 6)" in window.notice.text.text()


def test_a_worker_that_is_gone_before_anybody_listens_is_told(qtbot, site_path, monkeypatch):
    monkeypatch.setattr(frames_module, "WORKER_COMMAND", (sys.executable, "-c", "import os; os.abort()"))
    client = frames_module.FrameClient(Footage(site_path.parent / "slip.mkv"), None)
    os.waitid(os.P_PID, client.process_id, os.WEXITED | os.WNOWAIT)  # gone, and not yet asked for its exit code
    errors = []
    client.failed.connect(errors.append)
    client.start()
    assert wait_until(lambda: bool(errors), 60)
    client.close()
    assert "crashed the decoder (signal 6)" in str(errors[0])


def test_a_recording_taken_away_is_named(qtbot, open_window, site_path):
    window = open_window(site_path)
    window.deck._client.close()
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


class Stalls:
    """Longest stretch in which the window's thread did not come back to its event loop, in ms, while an act runs."""

    def of(self, act, settle_s=0.5):
        beats = [time.perf_counter()]
        timer = QTimer(interval=0)
        timer.timeout.connect(lambda: beats.append(time.perf_counter()))
        timer.start()
        QTimer.singleShot(20, act)
        end = time.perf_counter() + settle_s
        while time.perf_counter() < end:
            QApplication.processEvents()
            time.sleep(0.0005)
        timer.stop()
        return 1000 * max(later - earlier for earlier, later in pairwise(beats))


def an_hour(window):
    """Put an hour of made-up evidence at 15 frames/s on the deck."""
    frames, deck = 54_000, window.deck
    rng = np.random.default_rng(3)
    rows = np.zeros(frames, FRAME_DTYPE)
    rows["time_us"] = np.arange(frames) * 66_667
    rows["valid"] = True
    values = rng.integers(0, 9, (deck.evidence.grid.cells, frames), np.uint8)
    values[:, ::997] = 40
    deck.index = replace(deck.index, pts=rows["time_us"], time_us=rows["time_us"], key=rows["valid"])
    deck._use(Evidence("an hour", deck.evidence.grid, EvidenceOptions(), rows, lambda name: values))
    settle(window)


def test_ordinary_acts_never_hold_the_window_for_more_than_50_ms(qtbot, window):
    an_hour(window)
    dial, acts = window.tune.dials["change_limit_grey"], {}
    acts["turn a dial"] = lambda: dial.number.setValue(2.0 if dial.number.value() != 2.0 else 5.0)
    acts["seek"] = lambda: window.deck.playhead.seek(window.deck.frame + 1000)
    acts["change stage"] = lambda: window.show_stage("draw" if window.rail.buttons["tune"].isChecked() else "tune")
    acts["undo"] = window.session.undo
    acts["next alarm"] = lambda: window.tune.alarms.go_next(1)
    acts["cells"] = lambda: window.picture.show_view("cells")
    held = {name: min(Stalls().of(act) for _ in range(5)) for name, act in acts.items()}
    assert {name: round(ms) for name, ms in held.items() if ms > 50} == {}


def test_the_stall_probe_sees_a_stall(qtbot):
    assert Stalls().of(lambda: time.sleep(0.08)) > 70


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
