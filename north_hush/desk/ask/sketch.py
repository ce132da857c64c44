"""The place of a question, drawn on the picture: where, where to, and an arrow."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, QPointF, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from north_hush.core.scene.outline import Point, rectangle
from north_hush.core.words import tr
from north_hush.desk.look.roles import Theme
from north_hush.desk.look.style import text_font
from north_hush.desk.picture.board import Board
from north_hush.desk.picture.canvas import Canvas, Tool, no_tool
from north_hush.desk.picture.tools.drawing import draw_corners, draw_rectangle

WHOLE = rectangle((0.0, 0.0), (1.0, 1.0))
_HEAD_PX = 12.0


class Sketch(QObject):
    """Takes what is drawn for a question, and paints it."""

    changed = Signal()

    def __init__(self, canvas: Canvas, board: Board, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._canvas, self._board = canvas, board
        self.place: tuple[Point, ...] = WHOLE
        self.to: tuple[Point, ...] = ()
        self.way: tuple[Point, Point] | None = None
        self.shown = False

    def draw_place(self) -> None:
        """Take the next box that is dragged as the place."""
        self._draw_box(lambda outline: setattr(self, "place", outline))

    def draw_to(self) -> None:
        """Take the next box that is dragged as where to."""
        self._draw_box(lambda outline: setattr(self, "to", outline))

    def draw_way(self) -> None:
        """Take the next line that is pulled as the arrow, tail first."""

        def take(line: tuple[Point, ...]) -> None:
            self.way = line[0], line[-1]
            self._end()

        self._use(lambda: draw_corners(self._canvas, self._board.draft, take, points_min=2))

    def whole(self) -> None:
        """Ask about the whole picture again, from anywhere to anywhere."""
        self.show_question(WHOLE, (), None)

    def show_question(self, place: tuple[Point, ...], to: tuple[Point, ...], way: tuple[Point, Point] | None) -> None:
        """Show where a question was drawn."""
        self.place, self.to, self.way = place, to, way
        self._end()

    def leave(self) -> None:
        """Draw nothing more."""
        self._canvas.set_tool(no_tool)

    def _draw_box(self, keep: Callable[[tuple[Point, ...]], None]) -> None:
        def take(outline: tuple[Point, ...], _: bool) -> None:
            keep(outline)
            self._end()

        self._use(lambda: draw_rectangle(self._canvas, self._board.draft, take))

    def _use(self, maker: Callable[[], Tool | None]) -> None:
        self._canvas.set_tool(maker)

    def _end(self) -> None:
        self._canvas.set_tool(no_tool)
        self._canvas.update()
        self.changed.emit()

    # --- painting -----------------------------------------------------------------------------------------------------

    def paint(self, painter: QPainter, canvas: Canvas, theme: Theme) -> None:
        """Paint the question's places, two-tone and dashed, and its arrow."""
        if not self.shown:
            return
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.place != WHOLE:
            self._outline(painter, canvas, theme, self.place, tr("from here") if self.to else "here")
        if self.to:
            self._outline(painter, canvas, theme, self.to, tr("to here"))
        if self.way is not None:
            self._arrow(painter, theme, *(canvas.to_widget(point) for point in self.way))
        painter.restore()

    @staticmethod
    def _outline(painter: QPainter, canvas: Canvas, theme: Theme, outline: tuple[Point, ...], word: str) -> None:
        shape = QPolygonF([canvas.to_widget(point) for point in outline])
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for colour, width, style in (
            (theme.outline_dark, 4.0, Qt.PenStyle.SolidLine), (theme.accent, 2.0, Qt.PenStyle.DashLine),
        ):  # fmt: skip
            painter.setPen(QPen(QColor(colour), width, style))
            painter.drawPolygon(shape)
        at = shape.boundingRect().topLeft() + QPointF(6, 18)
        painter.setFont(text_font(13, bold=True))
        for colour, off in ((theme.outline_dark, QPointF(1, 1)), (theme.outline_light, QPointF())):
            painter.setPen(QColor(colour))
            painter.drawText(at + off, word)

    @staticmethod
    def _arrow(painter: QPainter, theme: Theme, tail: QPointF, head: QPointF) -> None:
        along = head - tail
        length = max(1.0, (along.x() ** 2 + along.y() ** 2) ** 0.5)
        step, side = along * (_HEAD_PX / length), QPointF(-along.y(), along.x()) * (_HEAD_PX / 2 / length)
        for colour, width in ((theme.outline_dark, 5.0), (theme.accent, 2.5)):
            painter.setPen(QPen(QColor(colour), width, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
            painter.drawLine(tail, head)
            painter.drawPolyline(QPolygonF([head - step + side, head, head - step - side]))
