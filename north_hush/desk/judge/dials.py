"""Which dials of which items a search may turn: a button with a list to tick."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu, QToolButton, QWidget

from north_hush.core.advise.aim import TRIED
from north_hush.core.detect.dials import DIALS
from north_hush.core.scene.plan import watcher_id
from north_hush.core.words import tr
from north_hush.desk.session import Session

_HEIGHTS = "_heights"
"""A limit in person heights is held and freed with the one in percent: an item has but one of them."""
_LABELS = {"channel": tr("Channel"), "usual_s": tr("Steady motion"), **{dial.field: dial.label for dial in DIALS}}


class FreeDials(QToolButton):
    """All are free until some are held; what is held keeps its present value in every proposal."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.held_fields: set[str] = set()
        self.held_items: set[str] = set()
        self.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.setToolTip(tr("Dials and items the search may turn; one without a tick keeps its present value"))
        self.setAccessibleName(tr("Dials the search may turn"))
        self._menu = QMenu(self)
        self._menu.aboutToShow.connect(self.fill)
        self.setMenu(self._menu)
        session.view_changed.connect(self._free_all)
        self._say()

    def fill(self) -> None:
        """Fill the list with the items and dials of the view."""
        self._menu.clear()
        for watcher in self._session.view.plan.watchers:
            item = watcher_id(watcher)
            self._add(watcher.name if watcher is not None else tr("Whole picture"), self.held_items, item)
        self._menu.addSeparator()
        for field in (name for name in TRIED if not name.endswith(_HEIGHTS)):
            self._add(_LABELS[field], self.held_fields, field)
        self._menu.addSeparator()
        self._menu.addAction(tr("Free all"), self._free_all)

    def _add(self, name: str, held: set[str], what: str) -> None:
        action = QAction(name, self._menu, checkable=True, checked=what not in held)
        action.toggled.connect(lambda free: self._set(held, what, free=free))
        self._menu.addAction(action)

    def _set(self, held: set[str], what: str, *, free: bool) -> None:
        (held.discard if free else held.add)(what)
        self._say()

    def _free_all(self) -> None:
        self.held_fields.clear()
        self.held_items.clear()
        self._say()

    def _say(self) -> None:
        count = len(self.held_fields) + len(self.held_items)
        self.setText(tr("{count} held", count=count) if count else tr("All dials"))
        self.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextOnly)

    def free(self) -> dict[str, tuple[str, ...]]:
        """Fields that may change by item, as a search takes them; empty when all are free."""
        if not self.held_fields and not self.held_items:
            return {}
        fields = tuple(name for name in TRIED if name.replace(_HEIGHTS, "_percent") not in self.held_fields)
        items = [watcher_id(watcher) for watcher in self._session.view.plan.watchers]
        return {item: () if item in self.held_items else fields for item in items}
