"""The menu bar, hidden until Alt: every action with its key, and a search over all of them."""

from __future__ import annotations

from collections.abc import Iterable

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QKeyEvent
from PySide6.QtWidgets import (
    QDialog,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QMenuBar,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from north_hush.core.words import tr


class MainMenu(QMenuBar):
    """Menus by name, filled with the window's actions."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName(tr("Menu bar"))
        for button in self.findChildren(QToolButton):  # Qt makes it, for a window too narrow
            button.setAccessibleName(tr("More menus"))
            button.setToolTip(tr("More menus"))
        self.hide()

    def fill(self, name: str, actions: Iterable[QAction | None]) -> None:
        """Add a menu; None is a line between."""
        menu = self.addMenu(name)
        menu.setToolTipsVisible(True)
        for action in actions:
            if action is None:
                menu.addSeparator()
            else:
                menu.addAction(action)

    def toggle(self) -> None:
        """Show it with its first menu ready for the arrow keys, or hide it again."""
        self.setVisible(not self.isVisible())
        if self.isVisible() and self.actions():
            self.setFocus()
            self.setActiveAction(self.actions()[0])

    def all_actions(self) -> list[tuple[str, QAction]]:
        """Every action with the name of its menu."""
        found: list[tuple[str, QAction]] = []
        for top in self.actions():
            menu = top.menu()
            held = menu.actions() if isinstance(menu, QWidget) else []
            found += [(top.text().replace("&", ""), action) for action in held if action.text()]
        return found


class ActionSearch(QDialog):
    """Type a few letters of what is to be done, Return does it."""

    def __init__(self, menu: MainMenu, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Search actions"))
        self.resize(460, 380)
        self._menu = menu
        self.words = QLineEdit(placeholderText=tr("What do you want to do?"), accessibleName=tr("Words of an action"))
        self.words.setToolTip(tr("Words of an action, in any order"))
        self.found = QListWidget(accessibleName=tr("Actions found"), toolTip=tr("Return: do it"))
        column = QVBoxLayout(self)
        column.addWidget(self.words)
        column.addWidget(self.found, 1)
        self.words.textChanged.connect(lambda _: self._fill())
        self.words.returnPressed.connect(self._do)
        self.found.itemActivated.connect(lambda _: self._do())

    def ask(self) -> None:
        """Show it, empty."""
        self.words.clear()
        self._fill()
        self.show()
        self.words.setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            way = 1 if event.key() == Qt.Key.Key_Down else -1
            self.found.setCurrentRow(min(max(0, self.found.currentRow() + way), self.found.count() - 1))
        else:
            super().keyPressEvent(event)

    def _fill(self) -> None:
        wanted = self.words.text().casefold().split()
        self.found.clear()
        for menu, action in self._menu.all_actions():
            said = f"{menu}: {action.text().replace('&', '')}"
            if all(word in said.casefold() for word in wanted):
                key = action.shortcut().toString()
                item = QListWidgetItem(f"{said}    {key}" if key else said)
                item.setData(Qt.ItemDataRole.UserRole, action)
                if not action.isEnabled():
                    item.setFlags(Qt.ItemFlag.NoItemFlags)
                self.found.addItem(item)
        self.found.setCurrentRow(0)

    def _do(self) -> None:
        item = self.found.currentItem()
        if item is not None and item.flags() & Qt.ItemFlag.ItemIsEnabled:
            action: QAction = item.data(Qt.ItemDataRole.UserRole)
            self.close()
            action.trigger()
