"""Where incidents were and when recordings were taken, driven through the window."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QListWidget

from north_hush.core.footage.dating import Dated
from north_hush.core.site import marking
from north_hush.desk.judge.incidents import IncidentDialog
from tests.desk.conftest import drag, on_picture, rest_judging, truth_of


@pytest.fixture
def slip(judge_window):
    return judge_window


def mark(window, start_s, end_s):
    recording = window.deck.recording.id
    window.session.do("Mark", lambda site: marking.mark_incident(site, "view-1", recording, start_s, end_s))
    rest_judging(window)
    window.judge.tabs.setCurrentIndex(1)
    window.judge.incidents.setCurrentRow(0)


def test_a_box_dragged_on_the_picture_says_where_an_incident_was(slip):
    """The square of the recording passes from the left to the right through the lower half between 1.2 and 4.8 s."""
    mark(slip, 1.0, 5.0)
    incidents = slip.judge.incidents
    assert "(by time alone)" in incidents.item(0).text()
    assert "have no place and count by time alone" in slip.judge.score.rates.text()
    slip.deck.playhead.seek(30)
    before = slip.picture.canvas.grab().toImage()
    incidents.placing.click()
    drag(slip.picture.canvas, on_picture(slip, 0.05, 0.02), on_picture(slip, 0.3, 0.2))
    rest_judging(slip)
    (held,) = truth_of(slip).incidents
    assert len(held.place) == 1
    assert held.place[0] == pytest.approx((3.0, 0.05, 0.02, 0.3, 0.2), abs=0.02)
    assert not incidents.placing.isChecked()
    assert slip.picture.canvas.grab().toImage() != before
    assert slip.judge.scores.total.met == 0  # nothing moves up there
    incidents.placing.click()
    drag(slip.picture.canvas, on_picture(slip, 0.0, 0.4), on_picture(slip, 0.99, 0.95))
    rest_judging(slip)
    assert truth_of(slip).incidents[0].place[0] == pytest.approx((3.0, 0.0, 0.4, 0.99, 0.95), abs=0.02)
    assert slip.judge.scores.total.met == 1
    assert "by time alone" not in incidents.item(0).text()


def test_placing_ends_with_the_stage(slip):
    mark(slip, 1.0, 5.0)
    slip.judge.incidents.placing.click()
    slip.show_stage("tune")
    drag(slip.picture.canvas, on_picture(slip, 0.1, 0.1), on_picture(slip, 0.4, 0.4))
    assert truth_of(slip).incidents[0].place == ()


def test_an_alarm_that_is_judged_real_gives_its_incident_its_place(slip, qtbot):
    alarms = slip.judge.alarms
    row = alarms.rows[0]
    assert slip.judge.judge_alarms("real", [row])
    rest_judging(slip)
    (held,) = truth_of(slip).incidents
    assert held.judged_on == ("zone-1",)
    assert held.place[0][0] == pytest.approx(row.span.onset_s, abs=0.01)
    assert alarms.rows[0].worth == "real"


def test_the_items_that_must_alarm_can_be_said(slip, qtbot):
    mark(slip, 1.0, 5.0)
    dialog = IncidentDialog(truth_of(slip).incidents[0], {"zone-1": "Slip"})
    qtbot.addWidget(dialog)
    (items,) = dialog.findChildren(QListWidget)
    assert dialog.changes()["items"] == ()
    items.item(0).setCheckState(Qt.CheckState.Checked)
    assert dialog.changes()["items"] == ("zone-1",)


def test_a_time_that_is_typed_wins_and_is_of_the_site_s_clock(window, qtbot):
    window.show_stage("footage")
    footage = window.footage
    zone = footage.zone.lineEdit()
    zone.setText("Atlantic/Faroe")
    qtbot.keyClick(zone, Qt.Key.Key_Return)
    assert window.session.site.time_zone == "Atlantic/Faroe"
    typed = footage.taken.box.lineEdit()
    typed.setText("2026-06-14 15:02:07")
    qtbot.keyClick(typed, Qt.Key.Key_Return)
    taken = window.session.view.recordings[0].taken_at
    assert taken.isoformat() == "2026-06-14T15:02:07+01:00"
    assert "14 Jun 15:02:07" in window.picture.transport.place.text()
    typed.setText("yesterday")
    qtbot.keyClick(typed, Qt.Key.Key_Return)
    assert "is no date and time" in window.notice.text.text()
    assert window.session.view.recordings[0].taken_at == taken
    zone.setText("Mars/Olympus")
    qtbot.keyClick(zone, Qt.Key.Key_Return)
    assert (window.session.site.time_zone, zone.text()) == ("Atlantic/Faroe", "Atlantic/Faroe")


def test_where_a_recording_and_its_name_disagree_the_window_asks(window):
    window.show_stage("footage")
    taken, index = window.footage.taken, window.deck.index
    assert not taken.asked.isVisibleTo(window.footage)
    first = index.dates[0].at(window.deck.zone)
    stated = (Dated("recording", first), Dated("file name", first.replace(tzinfo=None, year=first.year - 1)))
    object.__setattr__(index, "dates", (*stated, *index.dates))
    taken.refresh()
    assert taken.asked.isVisibleTo(window.footage)
    taken.box.activated.emit(1)
    assert window.session.view.recordings[0].taken_at.year == first.year - 1
    assert not taken.asked.isVisibleTo(window.footage)
