"""The list of what is drawn: marks, names, locks and hiding."""

from __future__ import annotations

from PySide6.QtCore import QItemSelectionModel, QPointF, QSignalBlocker, Qt
from PySide6.QtGui import QBrush, QColor, QIcon, QKeyEvent, QPainter, QPen, QPixmap
from PySide6.QtWidgets import QAbstractItemView, QListWidget, QListWidgetItem

from north_hush.core.scene.items import Item, Mask, Privacy, SizeMark, Wire, Zone
from north_hush.core.site import drawing
from north_hush.core.words import begun, tr
from north_hush.desk.look.roles import PATTERN_MASK, Theme, zone_dash, zone_hue
from north_hush.desk.picture.tools.arrange import remove_selected
from north_hush.desk.session import Session
from north_hush.desk.sight_now import SightNow

_MARK_W, _MARK_H = 28, 16
_ROWS_MIN_PX = 120


class ItemList(QListWidget):
    """Zones, tripwires, masks, privacy masks and size marks; several can be selected."""

    def __init__(self, session: Session, sight: SightNow, theme: Theme) -> None:
        super().__init__(
            toolTip=tr("What is drawn. Double click or F2 renames, Delete removes, Ctrl or Shift selects several."),
            accessibleName=tr("Items drawn"),
        )
        self._session, self._sight, self._theme = session, sight, theme
        sight.changed.connect(self.refresh)
        self._shown: list[tuple[object, ...]] = []
        self.setEditTriggers(QListWidget.EditTrigger.DoubleClicked | QListWidget.EditTrigger.EditKeyPressed)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setMinimumHeight(_ROWS_MIN_PX)
        self.itemSelectionChanged.connect(self._on_chosen)
        self.itemChanged.connect(self._on_renamed)

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        self._shown = []
        self.refresh()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Delete:
            remove_selected(self._session)
        else:
            super().keyPressEvent(event)

    def refresh(self) -> None:
        """Show the session's items; rows are made again only when what they say is another thing."""
        items = self._session.view.items
        shows = [(*_shows(item), self._sight.warning) for item in items]
        with QSignalBlocker(self):
            if shows != self._shown:
                self._shown = shows
                self.clear()
                for item in items:
                    self.addItem(self._row(item))
            chosen = set(self._session.selection)
            model = self.selectionModel()
            for place, item in enumerate(items):
                row = self.item(place)
                if row.isSelected() != (item.id in chosen):
                    row.setSelected(item.id in chosen)
                if item.id == self._session.item_id:
                    model.setCurrentIndex(self.model().index(place, 0), QItemSelectionModel.SelectionFlag.NoUpdate)

    def _row(self, item: Item) -> QListWidgetItem:
        row = QListWidgetItem(_mark(item, self._theme, doubted=bool(self._sight.warning)), item.name)
        row.setFlags(row.flags() | Qt.ItemFlag.ItemIsEditable)
        row.setData(Qt.ItemDataRole.UserRole, item.id)
        states = [word for word, holds in ((tr("locked"), item.locked), (tr("hidden"), item.hidden)) if holds]
        if _is_empty(item):
            states.append(tr("empty: watches nothing") if isinstance(item, Zone) else tr("empty"))
        if self._sight.warning:
            states.append(self._sight.warning)
        if states:
            row.setToolTip(begun(", ".join(states)))
            row.setForeground(QColor(self._theme.warning if self._sight.warning else self._theme.muted))
        return row

    def _on_chosen(self) -> None:
        rows = [self.item(place) for place in range(self.count())]
        chosen = [row.data(Qt.ItemDataRole.UserRole) for row in rows if row.isSelected()]
        current = self.currentItem()
        last = current.data(Qt.ItemDataRole.UserRole) if current is not None and current.isSelected() else None
        self._session.select_many(tuple(sorted(chosen, key=lambda item_id: item_id == last)))

    def _on_renamed(self, row: QListWidgetItem) -> None:
        view_id, item_id, name = self._session.view_id, row.data(Qt.ItemDataRole.UserRole), row.text().strip()
        held = self._session.view.item(item_id)
        if held is None or not self._session.do(
            tr("Rename {name}", name=held.name), lambda site: drawing.change_item(site, view_id, item_id, name=name)
        ):
            self._shown = []
            self.refresh()


def _is_empty(item: Item) -> bool:
    return (isinstance(item, Zone) and not item.area) or (
        isinstance(item, Mask) and not item.area and item.painted is None
    )


def _shows(item: Item) -> tuple[object, ...]:
    letter = item.letter if isinstance(item, Zone | Wire) else ""
    return item.id, item.name, letter, item.locked, item.hidden, _is_empty(item)


def _mark(item: Item, theme: Theme, *, doubted: bool) -> QIcon:
    """A stroke of a zone's or wire's hue and dash with its letter; hatching, a blank, or a figure for the others. With an
    exclamation mark where it may not lie right."""
    pixmap = QPixmap(_MARK_W, _MARK_H)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    if isinstance(item, Zone | Wire):
        pen = QPen(zone_hue(theme, item.letter), 3)
        if zone_dash(item.letter):
            pen.setDashPattern(list(zone_dash(item.letter)))
        painter.setPen(pen)
        painter.drawLine(1, 13, 27, 13)
        painter.drawText(0, 0, 28, 12, Qt.AlignmentFlag.AlignCenter, item.letter)
    elif isinstance(item, SizeMark):
        painter.setPen(QPen(QColor(theme.muted), 1.5))
        painter.drawEllipse(QPointF(14, 3.5), 2, 2)
        for x0, y0, x1, y1 in ((14, 6, 14, 14), (10, 15, 18, 15), (10, 1, 18, 1)):
            painter.drawLine(x0, y0, x1, y1)
    else:
        painter.setPen(QPen(QColor(theme.muted), 1))
        blank = isinstance(item, Privacy)
        painter.setBrush(QBrush(QColor(theme.muted), Qt.BrushStyle.SolidPattern if blank else PATTERN_MASK))
        painter.drawRect(4, 1, 20, 13)
    if doubted:
        painter.setPen(QColor(theme.warning))
        painter.drawText(0, 0, _MARK_W, 12, Qt.AlignmentFlag.AlignRight, "!")
    painter.end()
    return QIcon(pixmap)
