"""Keys belong to their stage and to the widget that has the focus."""

import pytest
from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QAccessible, QKeyEvent
from PySide6.QtWidgets import (
    QApplication,
    QButtonGroup,
    QComboBox,
    QLineEdit,
    QListWidget,
    QScrollArea,
    QSlider,
    QTabBar,
    QTableWidget,
    QTabWidget,
    QTreeWidget,
    QWidget,
)

from north_hush.core.site import drawing
from north_hush.desk.app import wait_until
from north_hush.desk.keys import FocusKeys
from north_hush.desk.stage import Stage
from north_hush.desk.stages import MAKERS
from tests.desk.conftest import settle

K = Qt.Key
NONE, CONTROL = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ControlModifier


def claimed(widget, key, text="", modifiers=NONE):
    event = QKeyEvent(QEvent.Type.ShortcutOverride, key, modifiers, text)
    event.ignore()
    FocusKeys().eventFilter(widget, event)
    return event.isAccepted()


@pytest.mark.parametrize(
    ("kind", "own", "others"),
    [
        (QListWidget, (K.Key_End, K.Key_Up), (K.Key_Left, K.Key_Y)),
        (QTreeWidget, (K.Key_Right, K.Key_Plus, K.Key_Home), (K.Key_X,)),
        (QTableWidget, (K.Key_Left, K.Key_PageDown), (K.Key_F5,)),
        (QTabBar, (K.Key_Left, K.Key_End), (K.Key_Up,)),
        (QSlider, (K.Key_Left, K.Key_Home), (K.Key_S,)),
        (QComboBox, (K.Key_Down,), (K.Key_Left,)),
    ],
)
def test_widgets_keep_the_keys_they_move_by(qtbot, kind, own, others):
    widget = kind()
    qtbot.addWidget(widget)
    assert all(claimed(widget, key) for key in own)
    assert not any(claimed(widget, key) for key in others)
    assert not claimed(widget, own[0], modifiers=CONTROL)


def test_typing_into_a_table_edits_it_and_does_not_change_the_view(qtbot):
    table = QTableWidget(1, 1)
    qtbot.addWidget(table)
    assert claimed(table, K.Key_2, "2")
    table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
    assert not claimed(table, K.Key_2, "2")


def test_end_in_a_list_goes_to_its_last_row_and_on_the_picture_to_the_last_frame(qtbot, judge_window):
    window = judge_window
    items = window.judge.incidents
    frame = window.deck.frame
    items.setFocus()
    assert QApplication.focusWidget() is items
    qtbot.keyClick(items, K.Key_End)
    assert window.deck.frame == frame
    window.picture.canvas.setFocus()
    qtbot.keyClick(window.picture.canvas, K.Key_End)
    assert window.deck.frame == window.deck.index.frames - 1


def test_a_key_of_a_stage_does_nothing_in_the_others(qtbot, window):
    assert window.stages.now.key == "tune"
    for key in (K.Key_S, K.Key_W, K.Key_Plus, K.Key_Y, K.Key_I):
        qtbot.keyClick(window, key)
    assert window.stages.now.key == "tune"
    assert window.picture.board.mode == ""
    assert window.session.history.names == []
    qtbot.keyClick(window, K.Key_F6)
    qtbot.keyClick(window, K.Key_W)
    assert window.picture.board.mode == "draw"


def test_a_held_key_gives_no_second_verdict(judge_window):
    window = judge_window
    repeats = {key: action.autoRepeat() for _, binding, action in window.stages._actions for key in binding.keys}
    assert not any(repeats[key] for key in ("Y", "X", "U", "I", "O"))
    assert repeats["]"]


def test_a_stage_is_entered_left_dressed_and_closed_as_one_value(window):
    seen = []
    held = window.stages.all[0]
    spy = Stage(
        held.key, held.label, held.icon, held.shortcut, held.tip, held.panel,
        enter=lambda: seen.append("enter"), leave=lambda: seen.append("leave"),
        dress=lambda theme: seen.append(theme.name), close=lambda: seen.append("close"),
    )  # fmt: skip
    window.stages.all = (spy, *window.stages.all[1:])
    window.stages._by_key[spy.key] = spy
    window.show_stage(spy.key)
    window.show_stage("tune")
    window.stages.dress(window.theme)
    window.stages.close()
    assert seen == ["enter", "leave", window.theme.name, "close"]
    assert len(MAKERS) == len(window.stages.all)
    settle(window)


def tab_stops(window):
    return [
        held
        for held in window.findChildren(QWidget)
        if held.isVisible()
        and held.isEnabled()
        and held.focusPolicy() & Qt.FocusPolicy.TabFocus
        and held.window() is window
    ]


@pytest.mark.parametrize("stage", ["footage", "draw", "tune", "judge"])
def test_tab_goes_round_and_leaves_nothing_out(window, qtbot, stage):
    """Editors inside of boxes, and the others of a group that arrows go through, are no stops of their own."""
    window.show_stage(stage)
    wait_until(lambda: False, 0.2)
    stops = tab_stops(window)
    window.picture.canvas.setFocus()
    seen, held = [], QApplication.focusWidget()
    while held not in seen and len(seen) < 150:
        seen.append(held)
        qtbot.keyClick(held, Qt.Key.Key_Tab)
        held = QApplication.focusWidget()
    assert held is window.picture.canvas
    grouped = {button for group in window.findChildren(QButtonGroup) if group.exclusive() for button in group.buttons()}
    inner = [held for held in stops if isinstance(held, QLineEdit) or type(held) in (QWidget, QTabWidget)]
    assert [
        type(held).__name__ for held in stops if held not in seen and held not in grouped and held not in inner
    ] == []
    assert len(seen) > 20


@pytest.mark.parametrize("stage", ["footage", "draw", "tune", "judge"])
def test_a_screen_reader_is_told_name_and_role_of_every_stop(window, stage):
    window.show_stage(stage)
    wait_until(lambda: False, 0.1)
    roles = QAccessible.Role
    for held in tab_stops(window):
        if type(held) in (QWidget, QTabWidget) or isinstance(held, QLineEdit | QScrollArea):
            continue
        told = QAccessible.queryAccessibleInterface(held)
        assert told is not None, held
        assert told.text(QAccessible.Text.Name), (type(held).__name__, held.toolTip())
        assert told.role() not in (roles.NoRole,), type(held).__name__


def test_dials_are_sliders_and_the_levels_are_said(window):
    window.show_stage("tune")
    track = window.tune.dials["start_percent"].track
    told = QAccessible.queryAccessibleInterface(track)
    assert told.role() == QAccessible.Role.Slider
    assert "% of" in told.text(QAccessible.Text.Description)
    track.setValue(900)  # as a screen reader sets it
    assert window.session.view.tuning.of("whole-picture").start_percent == pytest.approx(track.at)
    assert track.at > 20
    settle(window)
    QAccessible.setActive(True)
    window.deck.playhead.seek(30)
    assert "Whole picture: " in window.picture.levels.accessibleDescription()
    assert "Whole picture: " in window.trace.accessibleDescription()
    QAccessible.setActive(False)


def test_focus_is_seen_and_is_not_checked(window):
    window.show_stage("tune")
    button = window.tune.pin
    plain = button.grab().toImage()
    button.setFocus()
    focused = button.grab().toImage()
    window.picture.canvas.setFocus()
    button.setChecked(True)
    assert len({image.bits().tobytes() for image in (plain, focused, button.grab().toImage())}) == 3
    button.setChecked(False)


def test_delete_and_return_work_in_the_lists(window, qtbot):
    window.show_stage("draw")
    outline = ((0.1, 0.1), (0.9, 0.1), (0.9, 0.9))
    window.session.do("Draw", lambda site: drawing.add_zone(site, "view-1", outline))
    settle(window)
    window.session.select("zone-1")
    qtbot.keyClick(window.draw.items, Qt.Key.Key_Delete)
    assert window.session.view.zones == ()
    window.session.undo()
    settle(window)
    window.show_stage("tune")
    alarms = window.tune.alarms
    assert wait_until(lambda: len(alarms.alarms.rows) > 0, 30)
    window.deck.playhead.seek(0)
    alarms.setFocus()
    alarms.setCurrentIndex(alarms.alarms.index(0))
    qtbot.keyClick(alarms, Qt.Key.Key_Return)
    assert window.deck.frame == window.deck.frame_of(alarms.alarms.rows[0].alarm.start_frame)
