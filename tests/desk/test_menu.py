"""The menu bar that Alt shows, the search over all actions, and the guide."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence

from north_hush.desk.app import wait_until


def test_alt_alone_shows_the_menu_and_hides_it_again(window, qtbot):
    assert not window.menu.isVisible()
    qtbot.keyClick(window, Qt.Key.Key_Alt)
    assert window.menu.isVisible()
    qtbot.keyClick(window, Qt.Key.Key_Alt)
    assert not window.menu.isVisible()
    qtbot.keyPress(window, Qt.Key.Key_Alt)
    qtbot.keyClick(window, Qt.Key.Key_F9, Qt.KeyboardModifier.AltModifier)
    qtbot.keyRelease(window, Qt.Key.Key_Alt)
    assert not window.menu.isVisible()  # it was part of another key


def test_every_key_of_the_window_stands_in_the_menu_once(window):
    held = [action for _, action in window.menu.all_actions()]
    keys = [key.toString() for action in held for key in action.shortcuts() if not key.isEmpty()]
    assert len(keys) == len(set(keys))
    bound = [key.toString() for action in window.actions() for key in action.shortcuts()]
    assert sorted(bound) == sorted(keys)
    assert {"Ctrl+Z", "F7", "Y", "Ctrl+O", "1", "Z"} <= set(keys)
    assert all(action.text() for action in window.actions())


def test_a_few_letters_find_an_action_and_return_does_it(window, qtbot):
    window.search.ask()
    qtbot.keyClicks(window.search.words, "stage judge")
    assert window.search.found.item(0).text() == "Stage: Judge    F8"
    qtbot.keyClick(window.search.words, Qt.Key.Key_Return)
    assert window.stages.now.key == "judge"
    window.search.ask()
    qtbot.keyClicks(window.search.words, "nothing of that kind")
    assert window.search.found.count() == 0
    qtbot.keyClick(window.search.words, Qt.Key.Key_Return)
    window.search.close()


def test_actions_of_other_stages_are_found_but_not_done(window, qtbot):
    window.show_stage("tune")
    window.search.ask()
    qtbot.keyClicks(window.search.words, "judge nuisance")
    item = window.search.found.item(0)
    assert "Nuisance" in item.text()
    assert not item.flags() & Qt.ItemFlag.ItemIsEnabled
    window.search.close()


def test_the_guide_is_read_with_one_key(window, qtbot):
    qtbot.keyClick(window, Qt.Key.Key_F1)
    assert wait_until(window.guide.isVisible, 5)
    assert len(window.guide.text.toPlainText()) > 2000
    first, second = window.guide.text.document().begin(), window.guide.text.document().begin().next()
    room = window.guide.text.document().documentLayout().blockBoundingRect
    assert room(second).top() - room(first).bottom() >= 8
    assert any(held.blockFormat().headingLevel() for held in (first, second))
    window.guide.close()


@pytest.mark.parametrize("key", ["Ctrl+Shift+A", "F1"])
def test_help_has_keys(window, key):
    assert any(QKeySequence(key) in action.shortcuts() for action in window.actions())
