"""The real window on a small site."""

from __future__ import annotations

import gc
import os
import shutil

import pytest
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QApplication

from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.options import EvidenceOptions
from north_hush.core.footage.passes import make_evidence
from north_hush.core.site import drawing, edits
from north_hush.core.site.saving import save_site
from north_hush.desk.app import wait_until
from north_hush.desk.session import Session
from tests.footage_maker import moving_square, write_video
from tests.seen_window import SeenWindow

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture(scope="session")
def recording(tmp_path_factory):
    return write_video(tmp_path_factory.mktemp("footage") / "slip.mkv", moving_square(60))


@pytest.fixture(scope="session")
def analysed_recording(recording, tmp_path_factory):
    """A cache folder that holds the recording's evidence, so that not every test makes it."""
    cache = tmp_path_factory.mktemp("cache")
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("NORTH_HUSH_CACHE", str(cache))
        index = index_recording(Footage(recording))
        make_evidence(index, EvidenceOptions(orientation=index.orientation))
    return cache


@pytest.fixture
def site_path(tmp_path, recording, analysed_recording):
    """A site with one recording, analysed already, and nothing drawn."""
    shutil.copytree(analysed_recording, os.environ["NORTH_HUSH_CACHE"])
    target = tmp_path / "slip.mkv"
    target.write_bytes(recording.read_bytes())
    path = tmp_path / "slip.hush.json"
    save_site(edits.add_recording(edits.new_site("Skerry Quay", "Slipway"), "view-1", "slip.mkv"), path)
    return path


_closed = []
"""Closed windows are kept: Qt owns the plots' items and Python their wrappers, and only the end of the process may
take both apart in the right order."""


@pytest.fixture
def open_window(qtbot):
    """Open windows that are closed at the end."""
    made = []

    def open_(path, *, ready=True):
        window = SeenWindow(Session(path))
        made.append(window)
        window.show()
        window.activateWindow()
        assert wait_until(window.isActiveWindow, 5)  # shortcuts go to the active window only
        if ready:
            assert wait_until(lambda: analysed(window), 60)
        return window

    yield open_
    for window in made:
        window.close()
    _closed.extend(made)
    gc.freeze()  # what is kept for ever need not be looked at by every collection


@pytest.fixture
def window(open_window, site_path):
    return open_window(site_path)


def analysed(window):
    deck = window.deck
    return deck.evidence is not None and deck.evidence.whole and bool(deck.lanes) and deck.settled


def settle(window):
    """Wait until what the last act set off has arrived."""
    assert wait_until(lambda: window.deck.settled, 60)


def send_mouse(widget, kind, at, button=LEFT, buttons=None, modifiers=Qt.KeyboardModifier.NoModifier):
    """Send one mouse event with its buttons held, as a real mouse does."""
    held = (
        buttons
        if buttons is not None
        else (Qt.MouseButton.NoButton if kind == QEvent.Type.MouseButtonRelease else button)
    )
    where = QPointF(at)
    event = QMouseEvent(kind, where, QPointF(widget.mapToGlobal(where.toPoint())), button, held, modifiers)
    QApplication.sendEvent(widget, event)
    QApplication.processEvents()


def drag(widget, start, end, steps=6, button=LEFT, modifiers=Qt.KeyboardModifier.NoModifier):
    """Press, move and release a button."""
    start, end = QPointF(start), QPointF(end)
    none = Qt.MouseButton.NoButton
    send_mouse(widget, QEvent.Type.MouseMove, start, none, none, modifiers)
    send_mouse(widget, QEvent.Type.MouseButtonPress, start, button, None, modifiers)
    for i in range(1, steps + 1):
        send_mouse(widget, QEvent.Type.MouseMove, start + (end - start) * (i / steps), none, button, modifiers)
    send_mouse(widget, QEvent.Type.MouseButtonRelease, end, button, None, modifiers)


def on_picture(window, x, y) -> QPoint:
    """Place of a point of the picture on the canvas."""
    return window.picture.canvas.to_widget((x, y)).toPoint()


def lane_point(plot, seconds, height):
    """Place of a point of a lane on the trace's viewport."""
    return QPointF(plot.getViewWidget().mapFromScene(plot.box.mapViewToScene(QPointF(seconds, height))))


# --- the Judge stage ----------------------------------------------------------------------------------------------------


@pytest.fixture
def judge_window(window):
    """The Judge stage of the small site, with one zone over the whole picture that alarms readily."""
    outline = ((0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0))
    window.session.do("Draw", lambda site: drawing.add_zone(site, "view-1", outline, "Slip"))
    window.session.do(
        "Dial", lambda site: edits.set_dials(site, "view-1", "zone-1", confirm_frames=1, release_frames=1)
    )
    window.show_stage("judge")
    rest_judging(window)
    return window


def rest_judging(window):
    """Wait until everything the Judge stage works out has arrived."""
    settle(window)
    parts = (window.judge, window.comparison, window.tune.insight)
    assert wait_until(lambda: window.deck.settled and all(part.settled for part in parts), 60)


def truth_of(window):
    """What is known of the first recording."""
    return window.session.view.recordings[0].truth
