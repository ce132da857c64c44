"""The quiet board: a still pane for each camera; one that alarms comes to the front, larger, with sign and word."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import UTC, datetime
from pathlib import Path

from PySide6.QtCore import QPointF, QRect, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QVBoxLayout, QWidget

from north_hush.core.words import tr
from north_hush.desk.look.roles import Theme
from north_hush.desk.look.style import text_font
from north_hush.desk.watch.levels import LevelStrip
from north_hush.desk.watch.standing import CameraStanding

_GAP_PX, _WORDS_PX = 12, 50
_FRONT_SHARE = 0.68
_PICTURE_RATIO = 9 / 16
PANES_MOST = 16


class WatchBoard(QWidget):
    """Shows how cameras stand. Needs no mouse; a click chooses a camera."""

    chosen = Signal(str)
    """A view, by id."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._cameras: dict[str, CameraStanding] = {}
        self._armed: Mapping[str, bool] = {}
        self._pictures: dict[str, QImage] = {}
        self._read_at: dict[str, float] = {}
        self.folder: Path | None = None
        self.empty = tr("No camera yet. Add one at the right.")
        self.running = False
        self.setAccessibleName(tr("Board of cameras"))
        self._clock = QTimer(self, interval=500)
        self._clock.timeout.connect(self._tick)

    def sizeHint(self) -> QSize:
        return QSize(640, 420)

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        self.update()

    def show_cameras(self, cameras: Mapping[str, CameraStanding], armed: Mapping[str, bool]) -> None:
        """Show cameras by their views' ids."""
        self._cameras, self._armed = dict(list(cameras.items())[:PANES_MOST]), armed
        now = datetime.now(UTC)
        self.setAccessibleDescription("; ".join(f"{held.view}: {held.headline(now)}" for held in cameras.values()))
        self.update()

    def showEvent(self, event: object) -> None:
        self._clock.start()

    def hideEvent(self, event: object) -> None:
        self._clock.stop()

    def _tick(self) -> None:
        """Read pictures that are new."""
        for view in self._cameras if self.folder is not None else ():
            assert self.folder is not None
            path = self.folder / f"{view}.jpg"
            try:
                written = path.stat().st_mtime
            except OSError:
                continue
            if written != self._read_at.get(view):
                image = QImage(str(path))
                if not image.isNull():
                    self._pictures[view], self._read_at[view] = image, written
        self.update()

    # --- places -----------------------------------------------------------------------------------------------------

    def front(self) -> str:
        """The view in front: one in which somebody walks, else the newest that alarms; '' when none does."""
        now = datetime.now(UTC)
        walked = next((view for view, held in self._cameras.items() if held.walking(now)), "")
        if walked:
            return walked
        alarmed = [(max(held.running.values()), view) for view, held in self._cameras.items() if held.alarmed]
        return max(alarmed)[1] if alarmed else ""

    def places(self) -> dict[str, QRect]:
        """Where each pane stands."""
        views, area = list(self._cameras), self.rect().adjusted(_GAP_PX, _GAP_PX, -_GAP_PX, -_GAP_PX)
        front = self.front()
        if not views:
            return {}
        if not front or len(views) == 1:
            return _grid(views, area)
        wide = round(area.width() * _FRONT_SHARE)
        rest = [view for view in views if view != front]
        beside = QRect(area.left() + wide + _GAP_PX, area.top(), area.width() - wide - _GAP_PX, area.height())
        return {front: QRect(area.left(), area.top(), wide, area.height()), **_grid(rest, beside, columns=1)}

    def mousePressEvent(self, event: QMouseEvent) -> None:
        for view, place in self.places().items():
            if place.contains(event.position().toPoint()):
                self.chosen.emit(view)

    # --- painting ---------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), QColor(self._theme.ground))
        if not self._cameras:
            painter.setPen(QColor(self._theme.muted))
            painter.setFont(text_font(15))
            painter.drawText(self.rect(), int(Qt.AlignmentFlag.AlignCenter), self.empty)
        now = datetime.now(UTC)
        for view, place in self.places().items():
            self._paint_pane(painter, view, self._cameras[view], place, now)
        painter.end()

    def _paint_walk(self, painter: QPainter, held: CameraStanding, shown: QRect) -> None:
        """A sign that is read from across a yard: a solid triangle while a walker is noticed, an empty ring while not."""
        side = min(shown.width(), shown.height()) * 0.34
        box = QRectF(shown.center().x() - side / 2, shown.top() + side * 0.35, side, side)
        light, dark = QColor(self._theme.outline_light), QColor(self._theme.outline_dark)
        word = "noticed" if held.alarmed else tr("not noticed")
        painter.setBrush(light if held.alarmed else QColor(0, 0, 0, 0))
        for colour, width in ((dark, side * 0.1), (light, side * 0.05)):
            pen = QPen(colour, width)
            pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
            painter.setPen(pen)
            if held.alarmed:
                top = QPointF(box.center().x(), box.top())
                painter.drawPolygon(QPolygonF([box.bottomLeft(), box.bottomRight(), top]))
            else:
                painter.drawEllipse(box)
        painter.setFont(text_font(max(16, round(side * 0.28)), bold=True))
        below = QRectF(shown.left(), box.bottom() + 6, shown.width(), side * 0.5)
        for colour, away in ((dark, 2.0), (light, 0.0)):
            painter.setPen(colour)
            painter.drawText(below.translated(away, away), int(Qt.AlignmentFlag.AlignCenter), word)

    def _paint_pane(self, painter: QPainter, view: str, held: CameraStanding, place: QRect, now: datetime) -> None:
        theme = self._theme
        room = place.adjusted(0, 0, 0, -_WORDS_PX)
        image = self._pictures.get(view)
        shown = _fitted(image.size() if image is not None else QSize(16, 9), room)
        if image is not None and self.running:
            painter.setOpacity(1.0 if held.picture else 0.35)
            painter.drawImage(QRectF(shown), image)
            painter.setOpacity(1.0)
        else:
            painter.fillRect(shown, QColor(theme.surface))
        if held.walking(now) and self.running:
            self._paint_walk(painter, held, shown)
        words = QRect(shown.left(), shown.bottom() + 4, max(shown.width(), place.width()), _WORDS_PX - 4)
        left = words.left()
        if held.alarmed:
            _paint_sign(painter, QRectF(left, words.top() + 4, 14, 13), QColor(theme.alarm))
            left += 20
        painter.setFont(text_font(15, bold=True))
        painter.setPen(QColor(theme.alarm if held.alarmed else theme.text))
        head = f"{held.view}: {held.headline(now)}" if self.running else tr("{view}: not watched", view=held.view)
        line = QRect(left, words.top(), words.right() - left, 22)
        painter.drawText(line, 0, painter.fontMetrics().elidedText(head, Qt.TextElideMode.ElideRight, line.width()))
        painter.setFont(text_font(12))
        painter.setPen(QColor(theme.muted))
        more = held.details(armed=self._armed.get(view, True), now=now) if self.running else ""
        below = QRect(words.left(), words.top() + 22, words.width(), 18)
        painter.drawText(below, 0, painter.fontMetrics().elidedText(more, Qt.TextElideMode.ElideRight, below.width()))


class WatchRoom(QWidget):
    """The board, and below it the levels of one camera."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.board, self.levels = WatchBoard(theme), LevelStrip(theme)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.board, 1)
        column.addWidget(self.levels)
        self.levels.hide()

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self.board.dress(theme)
        self.levels.dress(theme)


def _grid(views: list[str], area: QRect, columns: int = 0) -> dict[str, QRect]:
    """Panes side by side, as large as they can be."""
    if not columns:
        columns = max(range(1, len(views) + 1), key=lambda count: _pane_width(area, count, -(-len(views) // count)))
    rows = -(-len(views) // columns)
    across = (area.width() - (columns - 1) * _GAP_PX) // columns
    down = (area.height() - (rows - 1) * _GAP_PX) // rows
    places: dict[str, QRect] = {}
    for number, view in enumerate(views):
        row, column = divmod(number, columns)
        left, top = area.left() + column * (across + _GAP_PX), area.top() + row * (down + _GAP_PX)
        places[view] = QRect(left, top, across, down)
    return places


def _pane_width(area: QRect, columns: int, rows: int) -> float:
    """How wide the pictures become."""
    across, down = area.width() / columns - _GAP_PX, area.height() / rows - _GAP_PX - _WORDS_PX
    return min(across, down / _PICTURE_RATIO)


def _fitted(size: QSize, room: QRect) -> QRect:
    """The largest place of a picture's shape in a room, at its upper left."""
    held = size.scaled(room.size(), Qt.AspectRatioMode.KeepAspectRatio)
    return QRect(room.topLeft(), held)


def _paint_sign(painter: QPainter, box: QRectF, colour: QColor) -> None:
    """A solid triangle with its point up: the sign of an alarm, whatever its colour."""
    painter.setPen(QPen(colour, 1))
    painter.setBrush(colour)
    painter.drawPolygon(QPolygonF([box.bottomLeft(), box.bottomRight(), (box.topLeft() + box.topRight()) / 2]))
