"""Exact numbers of the selected item's corners, in pixels of the picture."""

from __future__ import annotations

from math import isfinite, nan

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem

from north_hush.core.scene.handles import rings, with_ring
from north_hush.core.scene.outline import Point, inside_picture
from north_hush.core.site import drawing
from north_hush.core.words import tr
from north_hush.desk.picture.canvas import Canvas
from north_hush.desk.session import Session

_HEIGHT_PX = 132
_EDITABLE = Qt.ItemFlag.ItemIsEditable


class CornerTable(QTableWidget):
    """One row a corner; a number typed moves it there."""

    def __init__(self, session: Session, canvas: Canvas) -> None:
        super().__init__(0, 3, toolTip=tr("Corners in pixels from the upper left. Type a number to move one."))
        self.setAccessibleName(tr("Corners"))
        self._session, self._canvas = session, canvas
        self._places: list[tuple[int, int]] = []
        self.setHorizontalHeaderLabels([tr("Corner"), tr("x, px"), tr("y, px")])
        self.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.verticalHeader().hide()
        self.setTabKeyNavigation(False)
        self.setFixedHeight(_HEIGHT_PX)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.cellChanged.connect(self._on_typed)

    def refresh(self) -> None:
        """Show the corners of the selected item."""
        item = self._session.view.item(self._session.item_id)
        held = rings(item) if item is not None else ()
        places = [(number, place) for number, ring in enumerate(held) for place in range(len(ring.points))]
        with QSignalBlocker(self):
            if len(places) != self.rowCount():
                self.setRowCount(len(places))
            self._places = places
            for row, (number, place) in enumerate(places):
                x, y = self._pixels(held[number].points[place])
                name = f"{place + 1}" if len(held) == 1 else f"{number + 1}.{place + 1}"
                for column, text in enumerate((name, f"{x:g}", f"{y:g}")):
                    cell = self.item(row, column)
                    if cell is None:
                        cell = QTableWidgetItem()
                        if column == 0:
                            cell.setFlags(cell.flags() & ~_EDITABLE)
                        self.setItem(row, column, cell)
                    if cell.text() != text:
                        cell.setText(text)

    def _pixels(self, point: Point) -> tuple[float, float]:
        width, height = self._canvas.picture_size
        return round(point[0] * width, 1), round(point[1] * height, 1)

    def _on_typed(self, row: int, _: int) -> None:
        item, view_id = self._session.view.item(self._session.item_id), self._session.view_id
        if item is None or row >= len(self._places):
            return
        number, place = self._places[row]
        points = rings(item)[number].points
        width, height = self._canvas.picture_size
        cells = [self.item(row, column) for column in (1, 2)]
        try:
            x, y = (float(cell.text().replace(",", ".")) if cell else nan for cell in cells)
        except ValueError:
            self.refresh()
            return
        if self._pixels(points[place]) != (x, y) and isfinite(x) and isfinite(y):
            moved = (*points[:place], inside_picture((x / width, y / height)), *points[place + 1 :])
            self._session.do(
                tr("Place corner of {name}", name=item.name),
                lambda site: drawing.change_item(site, view_id, item.id, **with_ring(item, number, moved)),
            )
        self.refresh()
