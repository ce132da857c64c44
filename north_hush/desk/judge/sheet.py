"""A sheet of pictures of alarms, so that twenty are judged at a glance."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QIcon, QImage, QKeySequence, QPainter, QPen, QPixmap, QShortcut, QShowEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QDialog,
    QHBoxLayout,
    QListView,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from north_hush.core.footage.index import clock_text
from north_hush.desk.deck import Deck
from north_hush.desk.judge.alarms import WORTH_MARKS, AlarmTree, Judged, said_of
from north_hush.desk.judge.verdicts import JUDGEMENTS
from north_hush.desk.look.panel import muted
from north_hush.desk.look.roles import NIGHT_WATCH

_PICTURE = QSize(160, 90)
_ROW_PX = 118
_TODO, _ALL = -2, -1
_RING_LEAST_PX = 12.0


class AlarmSheet(QDialog):
    """Pictures of the alarms of one group, of all, or of those nobody judged. Several are judged with one key."""

    judged = Signal(str, list)
    """A judgement, and the alarms (Judged) it is for."""
    picked = Signal(object)
    """An alarm (Judged) to play."""

    def __init__(self, deck: Deck, tree: AlarmTree, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Alarms at a glance")
        self._deck, self._tree = deck, tree
        self._pictures: dict[int, QPixmap] = {}
        self._asked: set[int] = set()
        self.which = QComboBox(toolTip="Which alarms the sheet shows", accessibleName="Alarms on the sheet")
        self.pictures = QListWidget()
        self.pictures.setViewMode(QListView.ViewMode.IconMode)
        self.pictures.setResizeMode(QListView.ResizeMode.Adjust)
        self.pictures.setMovement(QListView.Movement.Static)
        self.pictures.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.pictures.setIconSize(_PICTURE)
        self.pictures.setGridSize(QSize(_PICTURE.width() + 16, _ROW_PX))
        self.pictures.setUniformItemSizes(True)
        self.pictures.setAccessibleName("Alarms as pictures")
        self.pictures.setToolTip("Click, or drag around several, then Y, X or U. Ctrl+A: all. Double click: play it.")
        self.said = muted("")
        row = QHBoxLayout()
        row.addWidget(self.which, 1)
        row.addWidget(self.said)
        for judgement, label, key in JUDGEMENTS:
            button = QPushButton(f"{label}  {key}")
            button.setToolTip(f"Judge the selected pictures: {label.lower()}  ({key})")
            button.setAutoDefault(False)
            button.clicked.connect(lambda _=False, judgement=judgement: self._judge(judgement))
            QShortcut(QKeySequence(key), self, lambda judgement=judgement: self._judge(judgement))
            row.addWidget(button)
        column = QVBoxLayout(self)
        column.addLayout(row)
        column.addWidget(self.pictures, 1)
        self.which.activated.connect(lambda _: self._fill())
        self.pictures.itemDoubleClicked.connect(lambda item: self.picked.emit(item.data(Qt.ItemDataRole.UserRole)))
        self.pictures.itemSelectionChanged.connect(self._say)
        self.pictures.verticalScrollBar().valueChanged.connect(lambda _: self._ask_pictures())
        tree.refreshed.connect(self.follow)
        deck.thumbnail.connect(self._on_picture)
        deck.recording_changed.connect(self._forget)
        deck.privacy_changed.connect(self._forget)
        self.resize(920, 620)

    def _forget(self) -> None:
        self._pictures.clear()
        self._asked.clear()

    def follow(self) -> None:
        """Show the alarms as they are now; what is chosen to be shown stays."""
        if not self.isVisible():
            return
        chosen = self.which.currentData()
        self.which.clear()
        todo = sum(row.worth == "not judged" for row in self._tree.rows)
        self.which.addItem(f"Not judged ({todo})", _TODO)
        self.which.addItem(f"All ({len(self._tree.rows)})", _ALL)
        for place, group in enumerate(self._tree.groups):
            self.which.addItem(self._tree.heading(group), place)
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

    def frame_of(self, row: Judged) -> int:
        """The frame of an alarm's picture: its peak, which the ring belongs to; its start until that is known."""
        return self._deck.frame_of(row.alarm.start_frame if row.reasons is None else row.reasons.peak_frame)

    def _fill(self) -> None:
        self.pictures.clear()
        for row in self.rows():
            item = QListWidgetItem(f"{WORTH_MARKS[row.worth]}  {clock_text(row.span.start_s * 1e6)}  {_length(row)}")
            item.setData(Qt.ItemDataRole.UserRole, row)
            item.setToolTip(f"{row.lane.name}: {said_of(row)}")
            frame = self.frame_of(row)
            if frame in self._pictures:
                item.setIcon(_icon(self._pictures[frame], row))
            item.setSizeHint(QSize(_PICTURE.width() + 12, _ROW_PX - 4))
            self.pictures.addItem(item)
        self._say()
        self._ask_pictures()

    def _say(self) -> None:
        chosen = len(self.pictures.selectedItems())
        self.said.setText(f"{chosen} of {self.pictures.count()} chosen" if chosen else f"{self.pictures.count()} shown")

    def _ask_pictures(self) -> None:
        """Ask for the pictures on show, and for a screen more."""
        reach = self.pictures.viewport().rect().adjusted(0, 0, 0, self.pictures.viewport().height())
        for place in reversed(range(self.pictures.count())):  # what is asked for last comes first: the upper rows
            item = self.pictures.item(place)
            row: Judged = item.data(Qt.ItemDataRole.UserRole)
            frame = self.frame_of(row)
            if frame not in self._asked and self.pictures.visualItemRect(item).intersects(reach):
                self._asked.add(frame)
                self._deck.ask_thumbnail_of(frame)

    def _on_picture(self, frame: int, image: QImage) -> None:
        if frame not in self._asked:
            return
        kept = image.scaled(_PICTURE, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation)
        self._pictures[frame] = QPixmap.fromImage(kept)
        for place in range(self.pictures.count()):
            item = self.pictures.item(place)
            row: Judged = item.data(Qt.ItemDataRole.UserRole)
            if self.frame_of(row) == frame:
                item.setIcon(_icon(self._pictures[frame], row))

    def _judge(self, judgement: str) -> None:
        rows = [item.data(Qt.ItemDataRole.UserRole) for item in self.pictures.selectedItems()]
        if rows:
            self.judged.emit(judgement, rows)


def _length(row: Judged) -> str:
    return f"{row.span.end_s - row.span.start_s:.1f} s"


def _icon(picture: QPixmap, row: Judged) -> QIcon:
    """The picture with a ring around what raised the alarm, once that is known. Selected, it keeps its colours."""
    patch = row.reasons.patch if row.reasons is not None else None
    if patch is not None:
        picture = QPixmap(picture)
        painter = QPainter(picture)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        across, down = picture.width(), picture.height()
        ring = QRectF(patch.left * across, patch.top * down, 0, 0)
        ring.setBottomRight(QPointF(patch.right * across, patch.bottom * down))
        wider = (max(0.0, _RING_LEAST_PX - ring.width()) / 2 + 3, max(0.0, _RING_LEAST_PX - ring.height()) / 2 + 3)
        ring.adjust(-wider[0], -wider[1], *wider)
        for colour, width in ((NIGHT_WATCH.outline_dark, 3.0), (NIGHT_WATCH.outline_light, 1.2)):
            painter.setPen(QPen(QColor(colour), width))
            painter.drawEllipse(ring)
        painter.end()
    icon = QIcon(picture)
    icon.addPixmap(picture, QIcon.Mode.Selected)
    return icon
