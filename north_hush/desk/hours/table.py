"""The tide table: seven days, the measured alarms of each half hour as a curve on its baseline, and below it three strakes."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QPoint, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QBrush, QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from north_hush.core.hours.plan import KINDS
from north_hush.core.hours.tide import BIN_MIN, BINS, Tide
from north_hush.core.hours.week import DAY_MIN, NEVER, Piece, Week, joined, without
from north_hush.core.hours.worded import WordedWeek
from north_hush.core.words import tr
from north_hush.desk.hours.strakes import paint_how, paint_legend, paint_piece
from north_hush.desk.look.roles import Theme, faded
from north_hush.desk.look.style import SMALL_PX, text_font

_NAMES = (tr("Monday"), tr("Tuesday"), tr("Wednesday"), tr("Thursday"), tr("Friday"), tr("Saturday"), tr("Sunday"))
_LEFT_PX, _RIGHT_PX, _TOP_PX, _BOTTOM_PX = 108, 28, 24, 28
_STRAKE_PX, _REACH_PX = 9, 6
_STEP_MIN, _FINE_MIN = 30, 5
_LINE_PX = 3.0


@dataclass(frozen=True)
class _Spot:
    """Where the mouse is: a day, which strake (-1: the curve above them), and the minute."""

    day: int
    strake: int
    minute: float


@dataclass(frozen=True)
class _Drag:
    """Where a drag began, the piece whose end is dragged (None makes a new one), and the pieces as they were."""

    spot: _Spot
    piece: Piece | None
    before: tuple[Piece, ...]


class TideTable(QWidget):
    """Draws and edits a week of hours. Dragging on an empty strake makes a piece, its ends are dragged, the other button takes it
    away; a day's name dragged onto another copies its three strakes."""

    changed = Signal(str, object, bool)
    """Which hours ("armed", …), the week as it is now, and whether the drag has ended."""
    day_copied = Signal(int, int)
    day_asked = Signal(int, QPoint)
    """Of which day a menu is wanted, and where on the screen: onto which others is it to be copied?"""
    asked_how = Signal(int, float, QPoint)
    """Of a piece of the recording strake, which day and minute, and where on the screen a menu belongs: how is it to be kept?"""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self.weeks: dict[str, Week] = dict.fromkeys(KINDS, NEVER)
        self.said: WordedWeek = ((),) * 7
        """How each piece of recording is kept, where it says so."""
        self.tide: Tide | None = None
        self._held: _Drag | None = None
        self._copied: int | None = None
        self._hover: _Spot | None = None
        self.setMouseTracking(True)
        self.setMinimumSize(420, 260)
        self.setAccessibleName(tr("Hours of the week"))
        self.setToolTip(
            tr(
                "Drag on a strake: a piece of hours. Drag its ends, Shift for five minutes; the other button takes it away.\n"
                "A double click on a piece of recording says how footage is kept in it.\n"
                "Drag a day's name onto another day to copy it, the other button copies it to several.\n"
                "Above: alarms of each half hour; hatched: no footage."
            )
        )

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        self.update()

    def show_weeks(self, weeks: dict[str, Week], said: WordedWeek) -> None:
        """Show the three hours of a week, and how each piece of recording is kept."""
        self.weeks, self.said = weeks, said
        self.update()

    def show_tide(self, tide: Tide | None) -> None:
        """Show what was measured; None while that is not known."""
        self.tide = tide
        self.update()

    # --- geometry ---------------------------------------------------------------------------------------------------

    def _strip(self, day: int) -> QRectF:
        high = (self.height() - _TOP_PX - _BOTTOM_PX) / 7
        return QRectF(_LEFT_PX, _TOP_PX + day * high, self.width() - _LEFT_PX - _RIGHT_PX, high)

    def _baseline(self, day: int) -> float:
        return self._strip(day).bottom() - 3 * _STRAKE_PX - 4

    def x_of(self, minute: float) -> float:
        """Where a minute of the day lies."""
        return _LEFT_PX + minute / DAY_MIN * (self.width() - _LEFT_PX - _RIGHT_PX)

    def strake_y(self, day: int, kind: str) -> float:
        """The middle of a strake."""
        return self._baseline(day) + 4 + (KINDS.index(kind) + 0.5) * _STRAKE_PX

    def _spot(self, at: QPointF) -> _Spot | None:
        day = int((at.y() - _TOP_PX) // max(1.0, (self.height() - _TOP_PX - _BOTTOM_PX) / 7))
        if not 0 <= day < 7:
            return None
        strake = int((at.y() - self._baseline(day) - 4) // _STRAKE_PX)
        minute = (at.x() - _LEFT_PX) / (self.width() - _LEFT_PX - _RIGHT_PX) * DAY_MIN
        return _Spot(day, strake if 0 <= strake < len(KINDS) else -1, minute)

    # --- mouse ------------------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        spot = self._spot(event.position())
        if spot is None:
            return
        if spot.minute < 0 and event.button() == Qt.MouseButton.RightButton:
            self.day_asked.emit(spot.day, event.globalPosition().toPoint())
        elif spot.minute < 0:
            self._copied = spot.day
        elif spot.strake >= 0:
            piece = self._piece_at(spot)
            if event.button() == Qt.MouseButton.RightButton:
                if piece is not None:
                    self._put(spot, without(self.weeks[KINDS[spot.strake]][spot.day], piece), ended=True)
            else:
                self._held = _Drag(spot, self._end_at(spot), self.weeks[KINDS[spot.strake]][spot.day])

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        spot = self._spot(event.position())
        if (
            spot is not None
            and spot.strake >= 0
            and KINDS[spot.strake] == "recording"
            and self._piece_at(spot) is not None
        ):
            self.asked_how.emit(spot.day, spot.minute, event.globalPosition().toPoint())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._hover = self._spot(event.position())
        if self._held is not None and self._hover is not None:
            self._drag(self._held, self._hover, event.modifiers(), ended=False)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        spot = self._spot(event.position())
        if self._copied is not None and spot is not None and spot.day != self._copied:
            self.day_copied.emit(self._copied, spot.day)
        if self._held is not None and spot is not None:
            self._drag(self._held, spot, event.modifiers(), ended=True)
        self._held = self._copied = None

    def _piece_at(self, spot: _Spot) -> Piece | None:
        reach = _REACH_PX / max(1.0, self.width() - _LEFT_PX - _RIGHT_PX) * DAY_MIN
        pieces = self.weeks[KINDS[spot.strake]][spot.day]
        return next((held for held in pieces if held[0] - reach <= spot.minute <= held[1] + reach), None)

    def _end_at(self, spot: _Spot) -> Piece | None:
        """The piece one of whose ends is near."""
        piece = self._piece_at(spot)
        if piece is None:
            return None
        reach = _REACH_PX / max(1.0, self.width() - _LEFT_PX - _RIGHT_PX) * DAY_MIN
        return piece if min(abs(spot.minute - piece[0]), abs(spot.minute - piece[1])) <= reach else None

    def _drag(self, held: _Drag, spot: _Spot, modifiers: Qt.KeyboardModifier, *, ended: bool) -> None:
        """Make a piece from where the drag began to here, or move the end that is held."""
        began, piece, pieces = held.spot, held.piece, held.before
        step = _FINE_MIN if modifiers & Qt.KeyboardModifier.ShiftModifier else _STEP_MIN
        here = min(DAY_MIN, max(0, round(spot.minute / step) * step))
        if piece is None:
            there = min(DAY_MIN, max(0, round(began.minute / step) * step))
            made = joined([*pieces, (min(here, there), max(here, there))])
        else:
            fixed = piece[1] if abs(began.minute - piece[0]) < abs(began.minute - piece[1]) else piece[0]
            made = joined([*without(pieces, piece), (min(here, fixed), max(here, fixed))])
        self._put(began, made, ended=ended)

    def _put(self, spot: _Spot, pieces: tuple[Piece, ...], *, ended: bool) -> None:
        kind = KINDS[spot.strake]
        week = (*self.weeks[kind][: spot.day], pieces, *self.weeks[kind][spot.day + 1 :])
        if week != self.weeks[kind] or ended:
            self.weeks = {**self.weeks, kind: week}
            self.changed.emit(kind, week, ended)
            self.update()

    # --- painting ---------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(self._theme.ground))
        self._paint_hours(painter)
        highest = 1 if self.tide is None else max(1, int((self.tide.real + self.tide.nuisance).max()))
        for day in range(7):
            self._paint_day(painter, day, highest)
        paint_legend(painter, self._theme, _LEFT_PX, self.height() - _BOTTOM_PX / 2)
        painter.end()

    def _paint_hours(self, painter: QPainter) -> None:
        painter.setFont(text_font(SMALL_PX))
        for hour in range(0, 25, 3):
            x = self.x_of(60 * hour)
            painter.setPen(QPen(faded(self._theme.rule, 0.7), 1))
            painter.drawLine(QPointF(x, _TOP_PX), QPointF(x, self.height() - _BOTTOM_PX))
            painter.setPen(QColor(self._theme.muted))
            painter.drawText(QRectF(x - 30, 4, 60, 16), Qt.AlignmentFlag.AlignCenter, f"{hour:02d}:00")

    def _paint_day(self, painter: QPainter, day: int, highest: int) -> None:
        theme, strip, base = self._theme, self._strip(day), self._baseline(day)
        painter.setPen(QColor(theme.text if self._copied != day else theme.accent))
        painter.setFont(text_font(13, bold=True))
        painter.drawText(
            QRectF(12, strip.top(), 90, 20), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, _NAMES[day]
        )
        if self.tide is not None:
            self._paint_tide(painter, day, highest, self.tide)
        painter.setPen(QPen(QColor(theme.muted), 1))
        painter.drawLine(QPointF(strip.left(), base), QPointF(strip.right(), base))
        painter.setFont(text_font(SMALL_PX))
        for kind in KINDS:
            y = self.strake_y(day, kind)
            painter.setPen(QPen(faded(theme.rule, 0.9), 1))
            painter.drawLine(QPointF(strip.left(), y), QPointF(strip.right(), y))
            for start, end in self.weeks[kind][day]:
                paint_piece(painter, theme, kind, self.x_of(start), self.x_of(end), y)
        for start, end, how in self.said[day]:
            paint_how(painter, theme, how, self.x_of(start), self.x_of(end), self.strake_y(day, "recording"))
        if self._hover is not None and self._hover.day == day and self._hover.strake >= 0:
            painter.setPen(QColor(theme.accent))
            y = self.strake_y(day, KINDS[self._hover.strake])
            said = f"{KINDS[self._hover.strake]} {_clock(self._hover.minute)}"
            if KINDS[self._hover.strake] == "recording":
                minute = self._hover.minute
                said = next((how for start, end, how in self.said[day] if start <= minute < end and how), said)
            painter.drawText(
                QRectF(4, y - 9, _LEFT_PX - 8, 18), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, said
            )

    def _paint_tide(self, painter: QPainter, day: int, highest: int, tide: Tide) -> None:
        theme, strip, base = self._theme, self._strip(day), self._baseline(day)
        high = base - strip.top() - 8
        width = (strip.right() - strip.left()) / BINS
        blank = QBrush(faded(theme.muted, 0.35), Qt.BrushStyle.BDiagPattern)
        for place in range(BINS):
            if tide.footage_s[day, place] == 0:
                painter.fillRect(QRectF(self.x_of(place * BIN_MIN), base - 5, width, 5), blank)
        self._paint_curve(painter, day, tide.nuisance[day].tolist(), high / highest, filled=False)
        self._paint_curve(painter, day, tide.real[day].tolist(), high / highest, filled=True)
        painter.setPen(QPen(QColor(theme.incident), 1.6))
        place = 0
        while place < BINS:
            if not tide.incident[day, place]:
                place += 1
                continue
            last = place
            while last < BINS and tide.incident[day, last]:
                last += 1
            left, right, top = self.x_of(place * BIN_MIN), self.x_of(last * BIN_MIN), strip.top() + 4
            for x, way in ((left, 1), (right, -1)):
                painter.drawPolyline([QPointF(x + 4 * way, top), QPointF(x, top), QPointF(x, base)])
            place = last

    def _paint_curve(self, painter: QPainter, day: int, counts: list[int], scale: float, *, filled: bool) -> None:
        """Alarms of each half hour as a curve on the baseline: nuisances hollow, the others filled."""
        base, place = self._baseline(day), 0
        painter.setPen(QPen(QColor(self._theme.alarm), 1.3))
        painter.setBrush(faded(self._theme.alarm, 0.55) if filled else Qt.BrushStyle.NoBrush)
        while place < BINS:
            if not counts[place]:
                place += 1
                continue
            outline = QPolygonF([QPointF(self.x_of(place * BIN_MIN), base)])
            while place < BINS and counts[place]:
                for minute in (place * BIN_MIN, (place + 1) * BIN_MIN):
                    outline.append(QPointF(self.x_of(minute), base - counts[place] * scale))
                place += 1
            outline.append(QPointF(self.x_of(place * BIN_MIN), base))
            painter.drawPolyline(outline) if not filled else painter.drawPolygon(outline)
        painter.setBrush(Qt.BrushStyle.NoBrush)


def _clock(minute: float) -> str:
    whole = min(DAY_MIN, max(0, round(minute)))
    return f"{whole // 60:02d}:{whole % 60:02d}"
