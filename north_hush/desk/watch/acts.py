"""What is done by hand while cameras are watched: a reply, armed or not for a while, a clip, a walk test."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QMenu, QPushButton, QToolButton, QVBoxLayout, QWidget

from north_hush.core.site.model import View
from north_hush.core.watch.control import Order, order_of
from north_hush.core.words import tr
from north_hush.desk.look.panel import form_row

_SPANS = ((10, tr("10 minutes")), (30, tr("half an hour")), (60, tr("an hour")), (8 * 60, tr("8 hours")))
WALK_MINUTES = 5


class HandActs(QWidget):
    """Sends orders; shows nothing of what comes of them."""

    wanted = Signal(Order)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.which = QComboBox(accessibleName=tr("Camera"), toolTip=tr("Which camera this is about"))
        self.reply = QLineEdit(
            placeholderText=tr("On my way"),
            accessibleName=tr("Reply"),
            toolTip=tr("Return sends it: it is kept with your name, and nobody further is told"),
        )
        self.reply.returnPressed.connect(self._on_reply)
        self.armed = QToolButton(
            text=tr("Arm…"),
            accessibleName=tr("Arm or disarm"),
            toolTip=tr("Armed or not for a while, whatever the hours say"),
        )
        self.armed.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.armed.setMenu(self._menu())
        self.record = QPushButton(tr("Record"), checkable=True, toolTip=tr("Record now, until this is pressed again"))
        self.record.clicked.connect(lambda on: self._want("record", act="start" if on else "stop"))
        self.walk = QPushButton(
            tr("Walk test"),
            checkable=True,
            toolTip=tr(
                "For {walk_minutes} minutes: each alarm is shown large and heard, and neither recorded nor told",
                walk_minutes=WALK_MINUTES,
            ),
        )
        self.walk.clicked.connect(lambda on: self._want("walk" if on else "hours", minutes=WALK_MINUTES))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addLayout(form_row(tr("Camera"), self.which))
        column.addLayout(form_row(tr("Reply"), self.reply))
        row = QHBoxLayout()
        for button in (self.armed, self.record, self.walk):
            row.addWidget(button)
        row.addStretch(1)
        column.addLayout(row)

    def _menu(self) -> QMenu:
        menu = QMenu(self)
        for do, words in (("disarm", tr("Not armed")), ("arm", tr("Armed"))):
            part = menu.addMenu(tr("{words} for", words=words))
            for minutes, text in _SPANS:
                part.addAction(text, self._spoken(do, minutes))
        menu.addAction(tr("As the hours say"), lambda: self._want("hours"))
        return menu

    def _spoken(self, do: str, minutes: int) -> Callable[[], None]:
        return lambda: self._want(do, minutes=minutes)

    def show_views(self, views: list[View]) -> None:
        """Offer cameras; the chosen one stays."""
        chosen = self.which.currentData()
        if [self.which.itemData(row) for row in range(1, self.which.count())] != [view.id for view in views]:
            self.which.clear()
            self.which.addItem(tr("All cameras"), "")
            for view in views:
                self.which.addItem(view.name, view.id)
            self.choose(chosen or "")

    def choose(self, view_id: str) -> None:
        """Be about a camera; '' is all of them."""
        self.which.setCurrentIndex(max(0, self.which.findData(view_id)))

    def _on_reply(self) -> None:
        if self.reply.text().strip():
            self._want("reply", text=self.reply.text().strip())
            self.reply.clear()

    def _want(self, do: str, **more: object) -> None:
        self.wanted.emit(order_of({"do": do, "view": self.which.currentData() or "", **more}))
