"""A sheet of pictures of alarms, so that twenty are judged at a glance."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QAbstractListModel, QModelIndex, QObject, QPersistentModelIndex, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QIcon, QKeySequence, QPainter, QPen, QShortcut, QShowEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QDialog,
    QHBoxLayout,
    QListView,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from north_hush.core.footage.stamps import clock_text
from north_hush.core.words import number, tr
from north_hush.desk.cuttings import Cutting, Cuttings
from north_hush.desk.judge.alarms import AlarmTree
from north_hush.desk.judge.judged import WORTH_MARKS, Judged, said_of
from north_hush.desk.judge.verdicts import JUDGEMENTS
from north_hush.desk.look.panel import muted
from north_hush.desk.look.roles import NIGHT_WATCH

_PICTURE = QSize(160, 90)
_ROW_PX = 118
_TODO, _ALL = -2, -1
_RING_LEAST_PX = 12.0
_Index = QModelIndex | QPersistentModelIndex


class SheetModel(QAbstractListModel):
    """The alarms on the sheet, each as a picture; asked for as it comes into sight."""

    def __init__(self, cuttings: Cuttings, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._cuttings = cuttings
        self._icons: dict[int, QIcon] = {}
        self.rows: list[Judged] = []
        cuttings.changed.connect(self._icons.clear)

    def show(self, rows: list[Judged]) -> None:
        """Show other alarms."""
        self.beginResetModel()
        self.rows = rows
        self.endResetModel()

    def rowCount(self, parent: _Index | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.rows)

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        row = self.rows[index.row()]
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return f"{WORTH_MARKS[row.worth]}  {clock_text(row.span.start_s * 1e6)}  {_length(row)}"
        if role == Qt.ItemDataRole.ToolTipRole:
            return f"{row.lane.name}: {said_of(row)}"
        if role == Qt.ItemDataRole.SizeHintRole:
            return QSize(_PICTURE.width() + 12, _ROW_PX - 4)
        if role == Qt.ItemDataRole.DecorationRole:
            held = self._cuttings.of(row.lane, row.alarm)
            return None if held is None else self._icon(held)
        return None

    def _icon(self, held: Cutting) -> QIcon:
        number = held.picture.cacheKey()
        if number not in self._icons:
            self._icons[number] = _ringed(held)
        return self._icons[number]


class AlarmSheet(QDialog):
    """Pictures of the alarms of one group, of all, or of those nobody judged. Several are judged with one key."""

    judged = Signal(str, list)
    """A judgement, and the alarms (Judged) it is for."""
    picked = Signal(object)
    """An alarm (Judged) to play."""

    def __init__(self, tree: AlarmTree, cuttings: Cuttings, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Alarms at a glance"))
        self._tree = tree
        self.which = QComboBox(toolTip=tr("Which alarms the sheet shows"), accessibleName=tr("Alarms on the sheet"))
        self.model = SheetModel(cuttings, self)
        self.pictures = QListView()
        self.pictures.setModel(self.model)
        self.pictures.setViewMode(QListView.ViewMode.IconMode)
        self.pictures.setResizeMode(QListView.ResizeMode.Adjust)
        self.pictures.setMovement(QListView.Movement.Static)
        self.pictures.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.pictures.setIconSize(_PICTURE)
        self.pictures.setGridSize(QSize(_PICTURE.width() + 16, _ROW_PX))
        self.pictures.setUniformItemSizes(True)
        self.pictures.setLayoutMode(
            QListView.LayoutMode.Batched
        )  # places for thousands at once take a third of a second
        self.pictures.setAccessibleName(tr("Alarms as pictures"))
        self.pictures.setToolTip(
            tr("Click, or drag around several, then Y, X or U. Ctrl+A: all. Double click: play it.")
        )
        self.said = muted("")
        row = QHBoxLayout()
        row.addWidget(self.which, 1)
        row.addWidget(self.said)
        for judgement, label, key in JUDGEMENTS:
            button = QPushButton(f"{label}  {key}")
            button.setToolTip(tr("Judge the selected pictures: {label}  ({key})", label=label.lower(), key=key))
            button.setAutoDefault(False)
            button.clicked.connect(lambda _=False, judgement=judgement: self._judge(judgement))
            QShortcut(QKeySequence(key), self, lambda judgement=judgement: self._judge(judgement))
            row.addWidget(button)
        column = QVBoxLayout(self)
        column.addLayout(row)
        column.addWidget(self.pictures, 1)
        self.which.activated.connect(lambda _: self._fill())
        self.pictures.activated.connect(lambda at: self.picked.emit(self.model.rows[at.row()]))
        self.pictures.selectionModel().selectionChanged.connect(lambda *_: self._say())
        cuttings.changed.connect(self.pictures.viewport().update)
        tree.refreshed.connect(self.follow)
        self.resize(920, 620)

    def follow(self) -> None:
        """Show the alarms as they are now; what is chosen to be shown stays."""
        if not self.isVisible():
            return
        chosen = self.which.currentData()
        self.which.clear()
        todo = sum(row.worth == "not judged" for row in self._tree.rows)
        self.which.addItem(tr("Not judged ({todo})", todo=todo), _TODO)
        self.which.addItem(tr("All ({count})", count=len(self._tree.rows)), _ALL)
        for place, group in enumerate(self._tree.groups):
            self.which.addItem(self._tree.judged.heading(group), place)
        first = _TODO if todo else _ALL
        self.which.setCurrentIndex(max(0, self.which.findData(first if chosen is None else chosen)))
        self._fill()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.follow()

    def rows(self) -> list[Judged]:
        """The alarms the sheet is to show."""
        which, rows = self.which.currentData(), self._tree.rows
        if which == _TODO:
            return [row for row in rows if row.worth == "not judged"]
        if which is None or which == _ALL or which >= len(self._tree.groups):
            return list(rows)
        return [rows[member] for member in self._tree.groups[which].members]

    def _fill(self) -> None:
        self.model.show(self.rows())
        self._say()

    def chosen(self) -> list[Judged]:
        """The selected alarms, in their order."""
        return [self.model.rows[row] for row in sorted(at.row() for at in self.pictures.selectedIndexes())]

    def _say(self) -> None:
        chosen, shown = len(self.pictures.selectedIndexes()), self.model.rowCount()
        self.said.setText(
            tr("{chosen} of {shown} chosen", chosen=chosen, shown=shown) if chosen else tr("{shown} shown", shown=shown)
        )

    def _judge(self, judgement: str) -> None:
        rows = self.chosen()
        if rows:
            self.judged.emit(judgement, rows)


def _length(row: Judged) -> str:
    return f"{number(row.span.end_s - row.span.start_s, '.1f')} s"


def _ringed(held: Cutting) -> QIcon:
    """The picture with a ring around what raised the alarm. Selected, it keeps its colours."""
    smooth = Qt.TransformationMode.SmoothTransformation
    picture = held.picture.scaled(_PICTURE, Qt.AspectRatioMode.KeepAspectRatio, smooth)
    if held.ring is not None:
        painter = QPainter(picture)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        across, down = picture.width(), picture.height()
        ring = QRectF(
            held.ring.x() * across, held.ring.y() * down, held.ring.width() * across, held.ring.height() * down
        )
        wider = (max(0.0, _RING_LEAST_PX - ring.width()) / 2 + 3, max(0.0, _RING_LEAST_PX - ring.height()) / 2 + 3)
        ring.adjust(-wider[0], -wider[1], *wider)
        for colour, width in ((NIGHT_WATCH.outline_dark, 3.0), (NIGHT_WATCH.outline_light, 1.2)):
            painter.setPen(QPen(QColor(colour), width))
            painter.drawEllipse(ring)
        painter.end()
    icon = QIcon(picture)
    icon.addPixmap(picture, QIcon.Mode.Selected)
    return icon
