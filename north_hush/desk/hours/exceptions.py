"""Exceptions of the hours by date: a list, and a line that adds one."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtCore import QDate, Qt, Signal
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import (
    QComboBox,
    QDateEdit,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from north_hush.core.hours.clock import MONTHS
from north_hush.core.hours.plan import KINDS
from north_hush.core.hours.worded import dated_rules
from north_hush.core.words import tr
from north_hush.desk.look.panel import muted

_ROW_PX, _ROWS_MOST = 24, 4
_WORDS = {"armed": tr("armed"), "recording": tr("recording"), "notifying": tr("notifying")}


class ExceptionsBox(QWidget):
    """Rules of dates, holidays and seasons, whose hours they are of; Delete takes one away."""

    added = Signal(str, str)
    """Which hours, and the rule."""
    removed = Signal(str, str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.rows = QListWidget(toolTip=tr("Delete takes an exception away"), accessibleName=tr("Exceptions by date"))
        remove = QAction(tr("Take away"), self.rows, shortcut=QKeySequence(Qt.Key.Key_Delete))
        remove.setShortcutContext(Qt.ShortcutContext.WidgetShortcut)
        remove.triggered.connect(self._remove)
        self.rows.addAction(remove)
        self.rows.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)
        self.kind = QComboBox(
            accessibleName=tr("Which hours"), toolTip=tr("Which of the three hours the exception is of")
        )
        for kind in KINDS:
            self.kind.addItem(_WORDS[kind], kind)
        self.day = QDateEdit(QDate.currentDate(), calendarPopup=True, displayFormat=tr("d MMM yyyy"))
        self.day.setAccessibleName(tr("Day of the exception"))
        self.day.setToolTip(tr("The day on which other hours hold"))
        self.times = QLineEdit(placeholderText=tr("off"), accessibleName=tr("Times on that day"))
        self.times.setToolTip(tr("What holds on that day instead: 10:00-16:00, or off; empty is off"))
        self.times.returnPressed.connect(self._add)
        self.add = QPushButton(tr("Add"), toolTip=tr("These hours hold on that day, whatever the week says"))
        self.add.clicked.connect(self._add)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(muted(tr("Exceptions")))
        column.addWidget(self.rows)
        for pair in ((self.kind, self.day), (self.times, self.add)):
            line = QHBoxLayout()
            for part in pair:
                line.addWidget(part)
            column.addLayout(line)

    def show_texts(self, texts: Mapping[str, str]) -> None:
        """Show the exceptions of the three hours."""
        wanted = [(kind, rule) for kind, text in texts.items() for rule in dated_rules(text)]
        if wanted != [self._of(place) for place in range(self.rows.count())]:
            self.rows.clear()
            for kind, rule in wanted:
                item = QListWidgetItem(f"{_WORDS[kind]}: {rule}")
                item.setData(Qt.ItemDataRole.UserRole, (kind, rule))
                self.rows.addItem(item)
        self.rows.setFixedHeight(_ROW_PX * min(len(wanted), _ROWS_MOST) + 8)
        self.rows.setVisible(bool(wanted))

    def _of(self, place: int) -> tuple[str, str]:
        kind, rule = self.rows.item(place).data(Qt.ItemDataRole.UserRole)
        return str(kind), str(rule)

    def _add(self) -> None:
        day = self.day.date()
        rule = f"{day.year()} {MONTHS[day.month() - 1]} {day.day():02d} {self.times.text().strip() or 'off'}"
        self.added.emit(self.kind.currentData(), rule)

    def _remove(self) -> None:
        if self.rows.currentRow() >= 0:
            self.removed.emit(*self._of(self.rows.currentRow()))
