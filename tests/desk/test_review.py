"""The review of the Watch stage: marks of all cameras on one time line, played, and opened in Judge."""

from datetime import UTC, datetime, timedelta

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest

from north_hush.core.site import edits
from north_hush.core.site.cameras import camera_of
from north_hush.core.watch.store import EventStore, watch_folder
from north_hush.desk.app import wait_until
from north_hush.desk.watch.review import ReviewBoard
from tests.desk.conftest import settle
from tests.footage_maker import moving_square, write_video

S = 1_000_000


@pytest.fixture
def began():
    """Five minutes ago."""
    return datetime.now(UTC).replace(microsecond=0) - timedelta(minutes=5)


@pytest.fixture
def review(window, began):
    """Two cameras that were watched: an alarm with a clip at one, a fault at both."""
    session = window.session
    for view, name in (("view-1", "Slipway"), ("view-2", "Gate")):
        if view == "view-2":
            session.do("View", lambda site, name=name: edits.add_view(site, name))
        camera = camera_of(f"{name}=http://127.0.0.1:9/x")[1]
        session.do("Camera", lambda site, view=view, camera=camera: edits.set_camera(site, view, camera))
    folder = watch_folder(session.path)
    folder.mkdir()
    clip = write_video(folder / "clip.mkv", moving_square(100))
    start_us = round(began.timestamp() * S)
    store = EventStore(folder / "events.sqlite")
    name = session.site.views[0].name
    for at_s, what, facts in (
        (2, "alarm_start", {}), (6, "alarm_end", {"start_utc": began.isoformat()}),
        (10, "clip", {"file": str(clip), "start_utc": began.isoformat()}), (20, "fault", {"fault": "dark", "said": ""}),
    ):  # fmt: skip
        store.add(start_us + at_s * S, name, "whole-picture" if what.startswith("alarm") else "", what, facts, "0")
    store.add(start_us + 30 * S, "Gate", "", "fault", {"fault": "no picture"}, "0")
    store.close()
    window.show_stage("watch")
    settle(window)
    window.stages.panel("watch").review.click()
    found = window.findChild(ReviewBoard)
    assert found.isVisible() and not window.stages.panel("watch").room.isVisible()
    assert wait_until(lambda: found.settled and found.strip.marks, 20)
    return found


def test_all_cameras_stand_on_one_time_line(review):
    assert [mark.form for mark in review.strip.marks] == ["zone", "fault", "fault"]
    assert "3 marks" in review.nothing.text()
    mark = review.strip.marks[0]
    assert review.strip.said(mark).endswith("the whole picture (zone), 4 s")
    assert review.strip.mark_at(QPointF(review.strip.x_of(mark.start), review.strip.y_of(mark.view))) is not None
    assert review.strip.mark_at(QPointF(200, review.strip.y_of("view-2"))) is None


def test_a_mark_shows_its_footage_and_keys_go_on(review, began):
    QTest.keyClick(review, Qt.Key.Key_Right)
    assert review.on == 0 and wait_until(lambda: review.settled and review.pane.frame is not None, 20)
    assert review.pane.frame == 20  # two seconds into the clip
    QTest.keyClick(review, Qt.Key.Key_Right)
    assert review.on == 1 and review.pane.said == "no footage at this time"
    QTest.keyClick(review, Qt.Key.Key_Left)
    QTest.keyClick(review, Qt.Key.Key_Left)
    assert review.on == 0
    review.go_to("view-1", began + timedelta(seconds=4))
    assert review.on is None and wait_until(lambda: review.settled and review.pane.frame == 40, 20)


def test_marks_are_played_back_to_back(review, began):
    QTest.keyClick(review, Qt.Key.Key_Space)
    assert review.play.text() == "Stop" and review.moment == began
    assert wait_until(lambda: review.moment > began + timedelta(seconds=1), 20)
    QTest.keyClick(review, Qt.Key.Key_Space)
    stopped = review.moment
    QTest.qWait(300)
    assert review.moment == stopped and review.play.text() == "Play the marks"


def test_from_a_mark_it_goes_on_in_judge_and_back_to_the_board(window, review):
    review.choose(0)
    QTest.keyClick(review, Qt.Key.Key_Return)
    settle(window)
    assert (
        window.deck.recording.path.endswith("clip.mkv")
        and window.session.view.name == window.session.site.views[0].name
    )
    window.show_stage("watch")
    settle(window)
    assert window.stages.panel("watch").room.isVisible()
    window.stages.panel("watch").review.click()
    assert wait_until(lambda: review.settled, 20)
    QTest.keyClick(review, Qt.Key.Key_Escape)
    assert window.stages.panel("watch").room.isVisible() and review.pane is None


def test_the_mouse_chooses_marks_and_instants(review):
    strip, mark = review.strip, review.strip.marks[2]
    QTest.mouseClick(
        strip, Qt.MouseButton.LeftButton, pos=QPoint(round(strip.x_of(mark.start)), round(strip.y_of(mark.view)))
    )
    assert review.on in (2, 1) and review.strip.marks[review.on].view == "view-2"
    QTest.mouseClick(strip, Qt.MouseButton.LeftButton, pos=QPoint(300, round(strip.y_of("view-1"))))
    assert review.on is None and review.moment < mark.start
