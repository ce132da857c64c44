"""The list of alarms: thumbnail, time, zone, length and peak."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from PySide6.QtCore import (
    QAbstractListModel,
    QModelIndex,
    QPersistentModelIndex,
    QPointF,
    QRect,
    QSize,
    Qt,
    QTimer,
    Signal,
)
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from north_hush.core.detect.alarms import Alarm
from north_hush.core.detect.lane import Lane
from north_hush.core.footage.stamps import US_PER_S, clock_text
from north_hush.core.judge.ledger import Ledger, State
from north_hush.core.scene.items import Item, Wire
from north_hush.core.words import number, tr
from north_hush.desk.comparison import Comparison
from north_hush.desk.cuttings import Cuttings
from north_hush.desk.deck import Deck
from north_hush.desk.look.roles import Theme, zone_hue
from north_hush.desk.look.style import text_font
from north_hush.desk.session import Session

_ROW_PX, _THUMB_W, _THUMB_H = 52, 80, 45

_ENDINGS = {"gap": tr(", until a gap"), "open": tr(", still running"), "next": tr(", until another came")}
_GONE: tuple[State, ...] = ("silenced", "lost")
_Index = QModelIndex | QPersistentModelIndex


@dataclass(frozen=True, eq=False)
class AlarmRow:
    """An alarm with the lane it belongs to."""

    lane: Lane
    alarm: Alarm
    start_s: float
    length_s: float
    state: State | None = None
    """What became of it against what it is compared with; None while nothing is."""


_AT_ONCE, _LATER_MS = 1000, 30


class AlarmModel(QAbstractListModel):
    """Alarms of all lanes in order of time."""

    def __init__(self, deck: Deck, cuttings: Cuttings) -> None:
        super().__init__()
        self._deck, self._cuttings = deck, cuttings
        self.rows: list[AlarmRow] = []
        deck.recording_changed.connect(lambda: self.show_lanes([]))

    def show_lanes(self, lanes: list[Lane], pinned: list[Lane] | None = None, held: Ledger | None = None) -> None:
        """Show the alarms of these lanes, and with a ledger those that are gone against the pinned lanes."""
        rows = self._rows(lanes)
        if held is not None:
            states = {
                (entry.span.item, entry.span.start_s, entry.state in _GONE): entry.state for entry in held.entries
            }
            marked = [(row, states.get((row.lane.zone_id, row.start_s, False))) for row in rows]
            gone = [(row, states.get((row.lane.zone_id, row.start_s, True))) for row in self._rows(pinned or [])]
            rows = [replace(row, state=state) for row, state in (*marked, *gone) if state is not None]
        rows.sort(key=lambda row: (row.start_s, row.lane.zone_id))
        self.beginResetModel()
        self.rows = rows
        self.endResetModel()

    def _rows(self, lanes: list[Lane]) -> list[AlarmRow]:
        evidence = self._deck.evidence
        if evidence is None:
            return []
        held = [(lane, alarm) for lane in lanes for alarm in lane.alarms]
        frames = np.array([(alarm.start_frame, alarm.end_frame) for _, alarm in held], np.int64).reshape(-1, 2)
        seconds = evidence.seconds[frames]
        spans = zip(seconds[:, 0].tolist(), (seconds[:, 1] - seconds[:, 0]).tolist(), strict=True)
        return [AlarmRow(*one, *span) for one, span in zip(held, spans, strict=True)]

    def rowCount(self, parent: _Index | None = None) -> int:
        return len(self.rows)

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        row = self.rows[index.row()]
        if role == Qt.ItemDataRole.UserRole:
            return row
        if role == Qt.ItemDataRole.DecorationRole:
            held = self._cuttings.of(row.lane, row.alarm)
            return None if held is None else held.picture
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            state = f"{row.state}, " if row.state else ""
            return tr(
                "{state}{clock_text}, {name}, {length_s:.1f} s, peak {peak_percent:.1f} %",
                state=state,
                clock_text=clock_text(row.start_s * US_PER_S),
                name=row.lane.name,
                length_s=row.length_s,
                peak_percent=peak_percent(row),
            )
        return None


def peak_percent(row: AlarmRow) -> float:
    """Highest level of an alarm in percent of its zone."""
    return row.lane.percent(row.alarm.peak_area)


def said(row: AlarmRow, watcher: Item | None) -> str:
    """How long and how strong an alarm was; of a crossing, which way it went."""
    if row.alarm.direction is not None and isinstance(watcher, Wire):
        start, end = watcher.sides(row.alarm.direction)
        return tr("crossed, {start} to {end}", start=start, end=end)
    ending = _ENDINGS.get(row.alarm.ended_by, "")
    peak = (
        tr(", peak {peak_percent:.1f} %", peak_percent=peak_percent(row)) if row.lane.total else ""
    )  # a device tells no level
    return f"{number(row.length_s, '.1f')} s{peak}{ending}"


class AlarmDelegate(QStyledItemDelegate):
    """Draws a row: thumbnail at the left, two lines of text."""

    def __init__(self, session: Session, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.theme = theme

    def sizeHint(self, option: QStyleOptionViewItem, index: _Index) -> QSize:
        return QSize(200, _ROW_PX)

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: _Index) -> None:
        row: AlarmRow = index.data(Qt.ItemDataRole.UserRole)
        theme, rect = self.theme, option.rect
        selected = bool(option.state & QStyle.StateFlag.State_Selected)
        painter.save()
        if selected:
            painter.fillRect(rect, QColor(theme.raised))
            painter.fillRect(QRect(rect.left(), rect.top(), 3, rect.height()), QColor(theme.accent))
        thumb = QRect(rect.left() + 8, rect.top() + (_ROW_PX - _THUMB_H) // 2, _THUMB_W, _THUMB_H)
        image = index.data(Qt.ItemDataRole.DecorationRole)
        if image is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawPixmap(thumb, image)
        else:
            painter.fillRect(thumb, QColor(theme.raised))
        left, right = thumb.right() + 10, rect.right() - 8
        first = QRect(left, rect.top() + 7, right - left, 18)
        second = first.translated(0, 19)
        painter.setFont(text_font(13, bold=True))
        painter.setPen(QColor(theme.text))
        painter.drawText(first, Qt.AlignmentFlag.AlignLeft, clock_text(row.start_s * US_PER_S))
        painter.setFont(text_font(12))
        self._paint_zone(painter, row, first)
        painter.setPen(QColor(theme.muted))
        text = said(row, self._session.view.item(row.lane.zone_id))
        if row.state is not None:
            paint_state(painter, QPointF(second.left() + 5, second.center().y() + 1), row.state, theme)
            second = second.adjusted(16, 0, 0, 0)
            painter.setPen(QColor(theme.text if row.state in ("lost", "new") else theme.muted))
            text = f"{row.state}   {text}"
        shown = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, second.width())
        painter.drawText(second, Qt.AlignmentFlag.AlignLeft, shown)
        painter.restore()

    def _paint_zone(self, painter: QPainter, row: AlarmRow, where: QRect) -> None:
        letter = getattr(self._session.view.item(row.lane.zone_id), "letter", "")
        painter.setPen(zone_hue(self.theme, letter) if letter else QColor(self.theme.muted))
        text = f"{letter}  {row.lane.name}" if letter else row.lane.name
        shown = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, where.width() - 74)
        painter.drawText(where, Qt.AlignmentFlag.AlignRight, shown)


def paint_state(painter: QPainter, middle: QPointF, state: State, theme: Theme) -> None:
    """The mark of a ledger state: kept solid, new a solid diamond, silenced hollow, lost a cross."""
    colour = QColor(theme.alarm if state in ("kept", "new") else theme.incident if state == "lost" else theme.muted)
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(colour, 1.6))
    painter.setBrush(colour if state in ("kept", "new") else Qt.BrushStyle.NoBrush)
    if state == "new":
        painter.drawPolygon(QPolygonF([middle + QPointF(*at) for at in ((0, -5), (5, 0), (0, 5), (-5, 0))]))
    elif state == "lost":
        painter.drawLine(middle + QPointF(-4, -4), middle + QPointF(4, 4))
        painter.drawLine(middle + QPointF(-4, 4), middle + QPointF(4, -4))
    else:
        painter.drawEllipse(middle, 4, 4)
    painter.restore()


class AlarmList(QListView):
    """The list itself. Choosing a row goes to the alarm's start."""

    chosen = Signal(object, object)
    """Lane and alarm."""

    def __init__(
        self,
        session: Session,
        deck: Deck,
        comparison: Comparison,
        cuttings: Cuttings,
        theme: Theme,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self._deck, self._comparison = deck, comparison
        self.alarms = AlarmModel(deck, cuttings)
        cuttings.changed.connect(self.viewport().update)
        self._painter = AlarmDelegate(session, theme, self)
        self.setModel(self.alarms)
        self.setItemDelegate(self._painter)
        self.setUniformItemSizes(True)
        self.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.setAccessibleName(tr("Alarms"))
        self.setToolTip(tr("Alarms under the present settings. Click: go to its start. Next  ]  and previous  ["))
        self.clicked.connect(lambda index: self._go(index.row()))
        self.activated.connect(lambda index: self._go(index.row()))
        self._later = QTimer(self, singleShot=True, interval=_LATER_MS)
        self._later.timeout.connect(self._show_now)
        comparison.changed.connect(self._on_lanes)
        deck.frame_changed.connect(lambda _: self._mark_present())

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._painter.theme = theme
        self.viewport().update()

    @property
    def current(self) -> AlarmRow | None:
        """The row that is current."""
        place = self.currentIndex().row()
        return self.alarms.rows[place] if 0 <= place < len(self.alarms.rows) else None

    def go_next(self, way: int) -> None:
        """Go to the start of the next alarm (way 1) or of the one before (way -1)."""
        index = self._deck.index
        if index is None or not self.alarms.rows:
            return
        frames = [self._deck.frame_of(row.alarm.start_frame) for row in self.alarms.rows]
        if way > 0:
            place = next((place for place, frame in enumerate(frames) if frame > self._deck.frame), None)
        else:
            place = next((place for place in reversed(range(len(frames))) if frames[place] < self._deck.frame), None)
        if place is not None:
            self._go(place)

    def _go(self, place: int) -> None:
        self._deck.playhead.pause()
        self._deck.playhead.seek(self._deck.frame_of(self.alarms.rows[place].alarm.start_frame))
        self.setCurrentIndex(self.alarms.index(place))
        self.scrollTo(self.currentIndex())
        row = self.alarms.rows[place]
        if row.state not in _GONE:
            self.chosen.emit(row.lane, row.alarm)

    def _on_lanes(self) -> None:
        """Show the alarms of now; many once the trace is painted, which is looked at while a dial turns."""
        if sum(len(lane.alarms) for lane in self._comparison.now_lanes) > _AT_ONCE:
            self._later.start()
        else:
            self._later.stop()
            self._show_now()

    def _show_now(self) -> None:
        held = self._comparison
        self.alarms.show_lanes(held.now_lanes, held.base_lanes, held.ledger)
        self._mark_present()

    def _mark_present(self) -> None:
        """Keep the row of an alarm that runs at the shown frame current."""
        row = self._deck.row
        if row is None:
            return
        at = self.currentIndex().row()
        running = [
            place
            for place, held in enumerate(self.alarms.rows)
            if held.alarm.start_frame <= row <= held.alarm.end_frame
        ]
        if running and at not in running:
            self.setCurrentIndex(self.alarms.index(running[-1]))
            self.scrollTo(self.currentIndex())
