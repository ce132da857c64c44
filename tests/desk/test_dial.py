"""Dials: right is always quieter, and every place of the track has a value."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QColor, QWheelEvent
from PySide6.QtWidgets import QApplication

from north_hush.core.detect.dials import DIALS, share_of, stepped, value_at
from north_hush.core.detect.settings import FACTORY, ZoneSettings
from north_hush.core.site.model import replaced
from north_hush.desk.look.roles import NIGHT_WATCH
from north_hush.desk.tune.dial import DialTrack, HushDial

ALL = DIALS
dials = st.sampled_from(ALL)
shares = st.floats(0, 1)


@given(dials, shares)
def test_every_place_of_a_track_is_a_valid_value(dial, share):
    value = value_at(dial, share)
    assert dial.low <= value <= dial.high
    number = int(value) if dial.decimals == 0 else value
    if dial.field in ("start_percent", "clear_percent"):
        ZoneSettings(start_percent=number, clear_percent=number)
    else:
        ZoneSettings(**{dial.field: number})


@given(dials, shares, shares)
def test_further_right_never_means_louder(dial, first, second):
    left, right = sorted((first, second))
    low, high = value_at(dial, left), value_at(dial, right)
    assert (low <= high) if dial.right_is_up else (low >= high)


@given(dials, shares)
def test_a_value_lies_where_it_was_taken_from(dial, share):
    value = value_at(dial, share)
    assert value_at(dial, share_of(dial, value)) == pytest.approx(value, rel=0.02, abs=2 * dial.step)


@given(dials, shares, st.integers(1, 5))
def test_steps_to_the_right_and_back(dial, share, steps):
    value = value_at(dial, share)
    further = stepped(dial, value, steps)
    assert dial.low <= further <= dial.high
    assert share_of(dial, further) >= share_of(dial, value) - 1e-9


def test_the_ends_are_the_ends():
    for dial in ALL:
        ends = (value_at(dial, 0.0), value_at(dial, 1.0))
        assert ends == ((dial.low, dial.high) if dial.right_is_up else (dial.high, dial.low))
        assert share_of(dial, max(dial.low, 1e-9) * 1e-6) == pytest.approx(0.0 if dial.right_is_up else 1.0, abs=1e-3)


def track(qtbot, field="confirm_frames"):
    dial = next(dial for dial in DIALS if dial.field == field)
    made = DialTrack(dial, float(getattr(FACTORY, field)), NIGHT_WATCH)
    made.resize(216, 36)
    qtbot.addWidget(made)
    made.show()
    heard = []
    made.moved.connect(lambda value, ended: heard.append((value, ended)))
    return made, heard


def test_a_drag_tells_every_move_and_its_end(qtbot):
    made, heard = track(qtbot)
    made.show_value(1.0)
    qtbot.mousePress(made, Qt.MouseButton.LeftButton, pos=QPoint(8, 10))
    for x in (40, 108):
        qtbot.mouseMove(made, QPoint(x, 10))
    qtbot.mouseRelease(made, Qt.MouseButton.LeftButton, pos=QPoint(108, 10))
    values = [value for value, _ in heard]
    assert len(set(values)) == 2
    assert values[-1] == pytest.approx(600**0.5, abs=1)
    assert [ended for _, ended in heard][-1] is True
    assert True not in [ended for _, ended in heard][:-1]


@pytest.mark.parametrize(("field", "sign"), [("confirm_frames", 1), ("release_frames", -1)])
def test_a_click_on_the_track_goes_a_page_to_its_side_and_never_beyond(qtbot, field, sign):
    made, heard = track(qtbot, field)
    start = made.at
    qtbot.mouseClick(made, Qt.MouseButton.LeftButton, pos=QPoint(207, 10))
    assert heard[-1] == (stepped(made._dial, start, 10), True)
    assert sign * (made.at - start) > 0
    made.show_value(300.0)
    just_left = QPoint(round(made._x_of(300.0)) - 10, 10)
    qtbot.mouseClick(made, Qt.MouseButton.LeftButton, pos=just_left)
    assert 0 < made._x_of(300.0) - made._x_of(made.at) <= 12  # less than a page: no further than the click


def test_a_drag_from_beside_the_handle_is_one_turn(qtbot):
    made, heard = track(qtbot)
    qtbot.mousePress(made, Qt.MouseButton.LeftButton, pos=QPoint(180, 10))
    for x in (150, 108):
        qtbot.mouseMove(made, QPoint(x, 10))
    qtbot.mouseRelease(made, Qt.MouseButton.LeftButton, pos=QPoint(108, 10))
    assert [ended for _, ended in heard].count(True) == 1
    assert made.at == pytest.approx(600**0.5, abs=1)


def test_the_other_button_turns_nothing(qtbot):
    made, heard = track(qtbot)
    qtbot.mouseClick(made, Qt.MouseButton.RightButton, pos=QPoint(150, 10))
    assert heard == []


def wheel(widget, steps):
    event = QWheelEvent(
        QPointF(50, 10), QPointF(50, 10), QPoint(), QPoint(0, 120 * steps), Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(widget, event)


def test_the_wheel_turns_only_a_dial_with_the_focus(qtbot):
    made, heard = track(qtbot)
    made.clearFocus()
    wheel(made, 1)
    assert heard == []
    made.activateWindow()
    made.setFocus()
    qtbot.waitUntil(made.hasFocus, timeout=3000)
    wheel(made, 1)
    assert heard == [(3.0, True)]


def test_the_handle_stands_at_the_value(qtbot):
    made, _ = track(qtbot)
    made.clearFocus()
    handle = {QColor(NIGHT_WATCH.text).rgb(), QColor(NIGHT_WATCH.accent).rgb()}
    for value, x in ((1.0, 8), (600.0, 208)):
        made.show_value(value)
        shot = made.grab().toImage()
        assert {place for place in range(216) if shot.pixelColor(place, 30).rgb() in handle} <= set(range(x - 5, x + 6))
        assert shot.pixelColor(x, 30).rgb() in handle


def test_a_typed_number_is_told_once_and_on_its_grain(qtbot):
    dial = next(dial for dial in DIALS if dial.field == "change_limit_grey")
    made = HushDial(dial, 3.0, NIGHT_WATCH)
    qtbot.addWidget(made)
    heard = []
    made.turned.connect(lambda *turn: heard.append(turn))
    made.number.setValue(4.6)
    assert heard == [("change_limit_grey", 4.5, True)]
    made.show_value(7.0, "a note")
    assert len(heard) == 1
    assert (made.number.value(), made.track.at, made.note.text()) == (7.0, 7.0, "a note")


def test_what_a_dial_gives_is_taken_by_the_settings():
    for dial in DIALS:
        for share in (0.0, 0.33, 0.66, 1.0):
            value = value_at(dial, share)
            number = int(value) if dial.decimals == 0 else value
            wide = ZoneSettings(start_percent=100, clear_percent=0.01)
            assert getattr(replaced(wide, **{dial.field: number}), dial.field) == number
