"""The Hours stage, driven from an empty plan by mouse alone and by keyboard alone."""

from datetime import UTC, datetime

import pytest
from PySide6.QtCore import QDate, QEvent, QPointF, Qt
from PySide6.QtWidgets import QFileDialog, QMenu

from north_hush.core.hours.plan import KEPT
from north_hush.core.hours.tide import Saving
from north_hush.core.judge.incidents import Incident, Truth
from north_hush.core.scene.privacy import BLANK_GREY
from north_hush.core.site import drawing, edits
from north_hush.desk.app import wait_until
from tests.desk.conftest import drag, send_mouse, settle

RIGHT = Qt.MouseButton.RightButton
SHIFT = Qt.KeyboardModifier.ShiftModifier
BEGAN = datetime(2026, 11, 23, 9, 10, tzinfo=UTC)  # a Monday


@pytest.fixture
def hours(window):
    """The panel over a recording of a Monday morning, with an incident in it."""
    truth = Truth(incidents=(Incident(name="passes", start_s=1.2, end_s=4.8),), complete=True)
    recording = window.session.view.recordings[0].id
    window.session.do(
        "Known", lambda site: edits.change_recording(site, "view-1", recording, taken_at=BEGAN, truth=truth)
    )
    settle(window)
    window.show_stage("hours")
    panel = window.stages.panel("hours")
    panel.window_ = window
    rest(panel)
    return panel


def rest(panel):
    window = panel.window_
    assert wait_until(lambda: window.deck.settled and window.scores.settled and panel.settled, 60)
    assert wait_until(lambda: panel.settled, 60)


def place(panel, day, minute, kind="armed"):
    return QPointF(panel.table.x_of(minute), panel.table.strake_y(day, kind))


def stated(panel):
    return panel._session.view.hours


def test_the_week_stands_where_the_picture_stood_and_goes_away_again(hours):
    window = hours.window_
    assert window.stages.room.currentWidget() is hours.table
    assert hours.table.isVisible()
    assert hours.monday.date().toPython().isoformat() == "2026-11-23"
    assert hours.table.tide.footage_s[0, 18] == pytest.approx(6.0, abs=0.2)
    assert hours.table.tide.incident[0, 18]
    assert "Armed 100% of this week" in hours.costs.said.text()
    window.show_stage("tune")
    assert window.stages.room.currentWidget() is window.picture


def test_by_mouse_a_piece_is_made_moved_taken_away_and_a_day_copied(hours):
    hours.draft.type("armed", "off")
    rest(hours)
    assert window_alarms(hours) == 0
    assert "Never armed" in hours.costs.said.text()
    drag(hours.table, place(hours, 0, 8 * 60 + 4), place(hours, 0, 10 * 60 - 7))
    rest(hours)
    assert stated(hours).armed == "Mo 08:00-10:00"
    assert hours._session.history.names.count("Armed hours") == 2  # the text, and one drag
    assert window_alarms(hours) == 1
    drag(hours.table, place(hours, 0, 10 * 60), place(hours, 0, 9 * 60 + 6), modifiers=SHIFT)
    assert stated(hours).armed == "Mo 08:00-09:05"
    rest(hours)
    assert window_alarms(hours) == 0
    assert "1 incident lies out of hours" in hours.costs.said.text()
    strip = hours.table._strip
    drag(hours.table, QPointF(20, strip(0).top() + 10), QPointF(20, strip(3).top() + 10))
    assert stated(hours).armed == "Mo,Th 08:00-09:05"
    send_mouse(hours.table, QEvent.Type.MouseButtonPress, place(hours, 0, 8 * 60 + 30), RIGHT)
    assert stated(hours).armed == "Th 08:00-09:05"
    for _ in range(2):
        hours._session.undo()
    assert stated(hours).armed == "Mo 08:00-09:05"


def window_alarms(hours):
    return sum(len(lane.alarms) for lane in hours.window_.deck.lanes)


def test_by_keyboard_hours_are_typed_and_what_is_none_is_told_with_its_place(hours, qtbot):
    line = hours.texts["armed"]
    line.setFocus()
    qtbot.keyClicks(line, "Mo-Fr 18:00-06:00; Sa,Su")
    qtbot.keyClick(line, Qt.Key.Key_Return)
    rest(hours)
    assert stated(hours).armed == "Mo-Fr 18:00-06:00; Sa,Su"
    assert hours.table.weeks["armed"][0] == ((1080, 1440),)
    assert hours.table.weeks["armed"][5] == ((0, 1440),)
    line.selectAll()
    qtbot.keyClicks(line, "Mo-Fr 25:00")
    qtbot.keyClick(line, Qt.Key.Key_Return)
    assert "cannot be read at '25:00' (column 7)" in hours.wrong.text()
    assert hours.wrong.isVisible()
    assert stated(hours).armed == "Mo-Fr 18:00-06:00; Sa,Su"
    line.selectAll()
    qtbot.keyClick(line, Qt.Key.Key_Delete)
    qtbot.keyClick(line, Qt.Key.Key_Return)
    assert stated(hours).armed is None
    assert not hours.wrong.isVisible()


def test_business_hours_are_turned_round_and_an_item_keeps_its_own(hours):
    hours.draft.type("armed", "Mo-Fr 08:00-17:00; PH off")
    hours.turn.click()
    assert stated(hours).armed == "Mo-Fr 00:00-08:00,17:00-24:00; Sa,Su 00:00-24:00; PH 00:00-24:00"
    window = hours.window_
    window.session.do("Draw", lambda site: edits_zone(site))
    settle(window)
    hours.whose.setCurrentIndex(1)
    hours.refresh()
    hours.draft.type("armed", "Mo 09:00-09:30")
    rest(hours)
    assert window.session.view.item_hours["zone-1"].armed == "Mo 09:00-09:30"
    assert window_alarms(hours) >= 1
    assert "(its own)" in hours.whose.itemText(1)


def edits_zone(site):
    return drawing.add_zone(site, "view-1", ((0.05, 0.4), (0.95, 0.4), (0.95, 0.8), (0.05, 0.8)))


def test_what_holds_nuisances_alone_is_offered_and_taken_with_one_click(hours):
    window = hours.window_
    recording = window.session.view.recordings[0].id
    window.session.do(
        "Nothing", lambda site: edits.change_recording(site, "view-1", recording, truth=Truth(complete=True))
    )
    rest(hours)
    long = [
        held
        for held in (hours.costs.savings.itemAt(k).widget() for k in range(hours.costs.savings.count()))
        if held is not None
    ]
    assert long == []  # half an hour of footage is no stretch: nobody knows what the rest holds
    hours._leave_out(saving())
    assert stated(hours).notifying == "Mo-Fr 00:00-08:00,10:00-24:00; Sa,Su 00:00-24:00"
    rest(hours)
    assert "0 of them told" in hours.costs.said.text()


def saving():
    return Saving((0, 1, 2, 3, 4), "Mo-Fr", (480, 600), 3, 3)


def test_holidays_and_other_views(hours, monkeypatch, tmp_path):
    path = tmp_path / "days.ics"
    path.write_text(
        "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nBEGIN:VEVENT\r\nUID:a\r\nDTSTART;VALUE=DATE:20261123\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
    )
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(path), ""))
    hours.holidays.click()
    assert [day.isoformat() for day in hours._session.site.holidays] == ["2026-11-23"]
    hours.draft.type("armed", "24/7; PH off")
    rest(hours)
    assert hours.table.weeks["armed"][0] == ()
    assert window_alarms(hours) == 0
    hours.copy.click()
    assert "one view alone" in hours.wrong.text()
    hours._session.do("Second view", lambda site: edits.add_view(site, "North"))
    hours.copy.click()
    menu = hours.findChildren(QMenu)[-1]
    assert [action.text() for action in menu.actions()] == ["All views", "North"]
    menu.actions()[1].trigger()
    assert hours._session.site.views[1].hours.armed == "24/7; PH off"
    path.write_text("garbage")
    hours.holidays.click()
    assert "days.ics" in hours.wrong.text()


def test_a_click_that_draws_nothing_changes_nothing(hours, qtbot):
    text = "Mo-Fr 18:00-06:00; 2026 Nov 25 off"
    hours.draft.type("armed", text)
    rest(hours)
    steps = len(hours._session.history.names)
    for minute in (60, 12 * 60):
        qtbot.mouseClick(hours.table, Qt.MouseButton.LeftButton, pos=place(hours, 0, minute).toPoint())
    assert stated(hours).armed == text
    assert len(hours._session.history.names) == steps


def test_a_piece_of_recording_says_how_footage_is_kept(hours, qtbot):
    hours.draft.type("recording", "Mo 08:00-18:00")
    rest(hours)
    asked = []
    hours.table.asked_how.connect(lambda day, minute, at: asked.append((day, minute)))
    qtbot.mouseDClick(hours.table, Qt.MouseButton.LeftButton, pos=place(hours, 0, 12 * 60, "recording").toPoint())
    menu = hours.findChild(QMenu)
    assert menu.isVisible() and [action.text() for action in menu.actions()][1:] == list(KEPT)
    qtbot.keyClick(menu, Qt.Key.Key_Down)
    qtbot.keyClick(menu, Qt.Key.Key_Down)
    qtbot.keyClick(menu, Qt.Key.Key_Return)
    assert asked[0][0] == 0
    assert stated(hours).recording == 'Mo 08:00-18:00 "always"'
    rest(hours)
    drag(hours.table, place(hours, 0, 18 * 60, "recording"), place(hours, 0, 20 * 60, "recording"))
    assert stated(hours).recording == 'Mo 08:00-20:00 "always"'  # what is drawn otherwise goes on saying it
    hours.draft.copy_days(0, (2,))
    assert stated(hours).recording == 'Mo,We 08:00-20:00 "always"'
    hours.draft.say_how(2, 9 * 60, "")
    assert stated(hours).recording == 'Mo 08:00-20:00 "always"; We 08:00-20:00'


def test_exceptions_are_added_listed_and_taken_away_by_keyboard(hours, qtbot):
    box = hours.exceptions
    assert not box.rows.isVisible()
    hours.draft.type("armed", "Mo-Fr 08:00-17:00")
    box.day.setDate(QDate(2026, 12, 24))
    box.times.setFocus()
    qtbot.keyClicks(box.times, "10:00-12:00")
    qtbot.keyClick(box.times, Qt.Key.Key_Return)
    assert stated(hours).armed == "Mo-Fr 08:00-17:00; 2026 Dec 24 10:00-12:00"
    assert [box.rows.item(row).text() for row in range(box.rows.count())] == ["armed: 2026 Dec 24 10:00-12:00"]
    qtbot.keyClicks(box.times, "x")
    qtbot.keyClick(box.times, Qt.Key.Key_Return)
    assert "cannot be read" in hours.wrong.text()
    box.rows.setCurrentRow(0)
    box.rows.setFocus()
    qtbot.keyClick(box.rows, Qt.Key.Key_Delete)
    assert stated(hours).armed == "Mo-Fr 08:00-17:00" and not box.rows.isVisible()


def test_a_day_that_is_copied_states_only_what_it_changes(hours):
    hours.draft.type("armed", "Mo 08:00-10:00")
    rest(hours)
    hours.draft.copy_days(0, (3,))
    assert (stated(hours).armed, stated(hours).recording, stated(hours).notifying) == ("Mo,Th 08:00-10:00", None, None)


def test_a_day_goes_onto_several_with_the_other_button(hours):
    hours.draft.type("armed", "Mo 08:00-10:00")
    rest(hours)
    asked = []
    hours.table.day_asked.connect(lambda day, at: asked.append(day))
    name = QPointF(20, hours.table._strip(0).top() + 10)
    send_mouse(hours.table, QEvent.Type.MouseButtonPress, name, RIGHT)
    menu = hours.findChildren(QMenu)[-1]
    assert asked == [0] and [action.text() for action in menu.actions()][:3] == [
        "Copy to weekdays",
        "Copy to weekend",
        "Copy to all days",
    ]
    menu.actions()[0].trigger()
    assert stated(hours).armed == "Mo-Fr 08:00-10:00"


def test_hours_are_held_against_the_pin_and_never_armed_is_said_on_every_stage(hours):
    window = hours.window_
    assert not window.header.never.isVisible()
    hours.pin.click()
    hours.draft.type("armed", "off")
    rest(hours)
    assert "Against the pin: 1 alarm fewer, 1 notice fewer, 1 incident fewer." in hours.costs.said.text()
    assert wait_until(lambda: window.comparison.ledger is not None and window.comparison.settled, 20)
    assert window.comparison.ledger.lost_incidents == ("passes",)
    assert window.comparison.ledger.count("lost") == 1
    for stage in ("tune", "judge", "footage"):
        window.show_stage(stage)
        assert window.header.never.isVisible() and "never armed" in window.header.never.text()
    window.show_stage("hours")
    hours.pin.click()
    assert wait_until(lambda: window.comparison.settled, 20)
    hours.draft.type("armed", "Tu 09:00-10:00")
    rest(hours)
    assert window.comparison.ledger is None
    hours.pin.click()  # nothing is armed now; then all is, and what was not known to count does
    hours.draft.type("armed", "")
    rest(hours)
    assert wait_until(lambda: window.comparison.ledger is not None and window.comparison.settled, 20)
    assert window.comparison.ledger.count("new") == 1 and window.comparison.ledger.lost_incidents == ()
    hours.pin.click()
    assert "Against the pin" not in hours.costs.said.text()
    hours.draft.type("armed", "Mo 09:00-10:00")
    assert not window.header.never.isVisible()


def test_the_small_picture_never_shows_what_was_uncovered(hours):
    window = hours.window_
    window.session.do(
        "Cover", lambda site: drawing.add_privacy(site, "view-1", ((0, 0), (1, 0), (1, 1), (0, 1)), "All")
    )
    settle(window)
    window.show_stage("draw")
    window.deck.uncover(True)
    assert wait_until(lambda: window.picture.image is not None and not blank(window.picture.image), 60)
    window.show_stage("hours")
    assert hours.inset.pixmap().isNull() or blank(hours.inset.pixmap().toImage())
    assert wait_until(lambda: not hours.inset.pixmap().isNull(), 60)
    assert blank(hours.inset.pixmap().toImage())


def blank(image):
    return {image.pixelColor(x, image.height() // 2).red() for x in range(2, image.width() - 2)} == {BLANK_GREY}
