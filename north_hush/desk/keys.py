"""Keys that belong to the widget with the focus: moving in a list or on a slider is not stepping through frames."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QAbstractSlider,
    QAbstractSpinBox,
    QComboBox,
    QTabBar,
    QTableView,
    QTreeView,
    QWidget,
)

_K = Qt.Key
_ALONG = (_K.Key_Home, _K.Key_End, _K.Key_PageUp, _K.Key_PageDown)
_DOWN, _ACROSS = (_K.Key_Up, _K.Key_Down), (_K.Key_Left, _K.Key_Right)
_BRANCHES = (_K.Key_Plus, _K.Key_Minus, _K.Key_Asterisk)
OWN_KEYS: tuple[tuple[type[QObject], tuple[Qt.Key, ...]], ...] = (
    (QTableView, (*_DOWN, *_ACROSS, *_ALONG)),
    (QTreeView, (*_DOWN, *_ACROSS, *_ALONG, *_BRANCHES)),
    (QAbstractItemView, (*_DOWN, *_ALONG)),
    (QTabBar, (*_ACROSS, _K.Key_Home, _K.Key_End)),
    (QAbstractSlider, (*_DOWN, *_ACROSS, *_ALONG)),
    (QAbstractSpinBox, (*_DOWN, *_ACROSS, *_ALONG)),
    (QComboBox, (*_DOWN, *_ALONG)),
)
"""By kind of widget, the first that fits, the keys it moves by."""


class FocusKeys(QObject):
    """Gives keys to the widget with the focus before they are looked up as shortcuts. It looks at that one alone: looking
    at every event of the program would cost more than painting."""

    def follow(self, before: QWidget | None, now: QWidget | None) -> None:
        """Another widget has the focus."""
        if before is not None:
            before.removeEventFilter(self)
        if now is not None:
            now.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Claim the widget's own keys for it."""
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent) and _owns(watched, event):
            event.accept()
        return False


def _owns(watched: QObject, event: QKeyEvent) -> bool:
    plain = event.modifiers() & ~(Qt.KeyboardModifier.KeypadModifier | Qt.KeyboardModifier.ShiftModifier)
    if plain != Qt.KeyboardModifier.NoModifier:
        return False
    if isinstance(watched, QTableView) and event.text().isprintable() and event.text():
        edits = watched.editTriggers() & QAbstractItemView.EditTrigger.AnyKeyPressed
        if edits:
            return True  # typing begins to edit a cell
    keys = next((keys for kind, keys in OWN_KEYS if isinstance(watched, kind)), ())
    return event.key() in keys
