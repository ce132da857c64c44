"""Where an incident was, on the picture: shown for the one that is current, and drawn by hand."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QObject, QPointF, QRectF
from PySide6.QtGui import QColor, QPainter, QPen

from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.judge.place import TOLERANCE_S, boxes_at
from north_hush.core.scene.outline import Point, bounds
from north_hush.core.site import marking
from north_hush.core.words import tr
from north_hush.desk.deck import Deck
from north_hush.desk.judge.incidents import IncidentList
from north_hush.desk.look.roles import Theme
from north_hush.desk.picture.board import Board
from north_hush.desk.picture.canvas import Canvas, no_tool
from north_hush.desk.picture.tools.drawing import draw_rectangle
from north_hush.desk.session import Session

_CORNER_PX = 12.0


class Placing(QObject):
    """Shows the place of the current incident at the shown frame, and takes a box that is dragged on the picture."""

    def __init__(
        self,
        session: Session,
        deck: Deck,
        canvas: Canvas,
        board: Board,
        incidents: IncidentList,
        parent: QObject | None = None,
    ) -> None:
        super().__init__(parent)
        self._session, self._deck, self._canvas, self._board = session, deck, canvas, board
        self._incidents = incidents
        incidents.place_wanted.connect(self.draw)
        incidents.currentRowChanged.connect(lambda _: canvas.update())

    def draw(self, on: bool) -> None:
        """Take the next box that is dragged, or let it be."""
        if on and self._incidents.current() is not None:
            self._canvas.set_tool(lambda: draw_rectangle(self._canvas, self._board.draft, self._take))
        else:
            self._canvas.set_tool(no_tool)

    def _take(self, outline: tuple[Point, ...], _: bool) -> None:
        recording, view_id, index = self._deck.recording, self._session.view_id, self._deck.index
        held, place = self._incidents.current(), self._incidents.currentRow()
        self._incidents.end_placing()
        if recording is None or held is None or index is None:
            return
        at_s = int(index.time_us[self._deck.frame]) / US_PER_S
        at_s = min(max(at_s, held.start_s), held.end_s)
        left, top, right, bottom = (round(edge, 4) for edge in bounds(outline))
        self._session.do(
            tr("Say where {name} was", name=held.name),
            lambda site: marking.place_incident(site, view_id, recording.id, place, at_s, (left, top, right, bottom)),
        )

    def paint(self, painter: QPainter, canvas: Canvas, theme: Theme) -> None:
        """Paint the corners of its box at the shown frame, two-tone; nothing while it does not run."""
        held, index = self._incidents.current(), self._deck.index
        if held is None or index is None or not held.place or not self._incidents.isVisible():
            return
        at_s = int(index.time_us[min(self._deck.frame, index.frames - 1)]) / US_PER_S
        if not held.start_s - TOLERANCE_S <= at_s <= held.end_s + TOLERANCE_S:
            return
        left, top, right, bottom = boxes_at(held.place, np.array([at_s]))[0].tolist()
        box = QRectF(canvas.to_widget((left, top)), canvas.to_widget((right, bottom)))
        painter.save()
        for colour, width in ((theme.outline_dark, 4.0), (theme.incident, 2.0)):
            painter.setPen(QPen(QColor(colour), width))
            for corner, across, down in (
                (box.topLeft(), 1, 1), (box.topRight(), -1, 1), (box.bottomLeft(), 1, -1), (box.bottomRight(), -1, -1),
            ):  # fmt: skip
                painter.drawLine(corner, corner + QPointF(across * _CORNER_PX, 0))
                painter.drawLine(corner, corner + QPointF(0, down * _CORNER_PX))
        painter.restore()
