"""Keys belong to their stage and to the widget that has the focus."""

import pytest
from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QApplication, QComboBox, QListWidget, QSlider, QTabBar, QTableWidget, QTreeWidget

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
