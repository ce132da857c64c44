"""The level of every zone at the shown frame, as a number beside the picture."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QAccessible, QColor, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from north_hush.core.detect.lane import Lane
from north_hush.core.words import tr
from north_hush.desk.deck import Deck
from north_hush.desk.look.roles import Theme, zone_hue
from north_hush.desk.look.style import text_font
from north_hush.desk.session import Session

WIDTH_PX = 124
_ROW_PX = 84


class LevelColumn(QWidget):
    """One block a zone: letter, name, level in percent, and a gauge with the start and clear marks."""

    def __init__(self, session: Session, deck: Deck, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._deck, self._theme = session, deck, theme
        self.setFixedWidth(WIDTH_PX)
        self.setAccessibleName(tr("Levels at the shown frame"))
        self.setToolTip(
            tr(
                "Share of each zone that changes in the shown frame, in percent of the watched zone.\nA click selects the zone."
            )
        )
        deck.frame_changed.connect(lambda _: self._on_frame())
        deck.lanes_changed.connect(self._on_lanes)
        session.item_selected.connect(lambda _: self.update())

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        self.update()

    def _on_frame(self) -> None:
        self.update()
        if QAccessible.isActive():
            said = (f"{lane.name}: {self.level_text(lane)}" for lane in self._deck.lanes)
            self.setAccessibleDescription("; ".join(said))

    def _on_lanes(self) -> None:
        self.setMinimumHeight(len(self._deck.lanes) * _ROW_PX)
        self.update()

    def level_text(self, lane: Lane) -> str:
        """The number shown for a lane."""
        row = self._deck.row
        if lane.total == 0:
            return tr("not watched")
        if row is None or self._deck.evidence is None or row >= len(lane.areas):
            return "–"
        if not self._deck.evidence.valid[row]:
            return tr("warming up")
        percent = lane.percent(int(lane.areas[row]))
        if lane.kind == "contact":
            return tr("on") if percent else tr("off")
        # Of sound all that is told is 100 %: a share of a zone it is not.
        return f"{100 * percent / lane.settings.start_percent:.0f} %" if lane.kind == "sound" else f"{percent:.2f} %"

    def mousePressEvent(self, event: QMouseEvent) -> None:
        place = int(event.position().y()) // _ROW_PX
        item = self._deck.lanes[place].zone_id if 0 <= place < len(self._deck.lanes) else ""
        if self._session.view.item(item) is not None:
            self._session.select(item)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self._theme.ground))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        shown = event.rect()
        for place, lane in enumerate(self._deck.lanes):
            if shown.top() - _ROW_PX < place * _ROW_PX <= shown.bottom():
                self._paint_lane(painter, lane, place * _ROW_PX)
        painter.end()

    def _paint_lane(self, painter: QPainter, lane: Lane, top: int) -> None:
        theme, zone = self._theme, self._session.view.item(lane.zone_id)
        letter = getattr(zone, "letter", "")
        row, percent, valid = self._deck.row, 0.0, False
        if row is not None and row < len(lane.areas) and self._deck.evidence is not None:
            percent = lane.percent(int(lane.areas[row]))
            valid = bool(self._deck.evidence.valid[row])
        if lane.zone_id == self._session.item_id:
            painter.fillRect(QRectF(0, top + 4, 3, _ROW_PX - 12), QColor(theme.accent))
        painter.setFont(text_font(12, bold=True))
        painter.setPen(zone_hue(theme, letter) if letter else QColor(theme.muted))
        painter.drawText(QRectF(10, top + 8, 22, 16), Qt.AlignmentFlag.AlignLeft, letter or "·")
        painter.setFont(text_font(12))
        painter.setPen(QColor(theme.muted))
        name = painter.fontMetrics().elidedText(lane.name, Qt.TextElideMode.ElideRight, WIDTH_PX - 38)
        painter.drawText(QRectF(26, top + 8, WIDTH_PX - 30, 18), Qt.AlignmentFlag.AlignLeft, name)
        over = valid and lane.total > 0 and percent >= lane.settings.start_percent
        text = self.level_text(lane)
        painter.setFont(text_font(20 if text.endswith("%") else 12, bold=over))
        painter.setPen(QColor(theme.alarm if over else theme.text))
        painter.drawText(
            QRectF(10, top + 26, WIDTH_PX - 14, 28), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, text
        )
        self._paint_gauge(painter, lane, percent if valid else 0.0, top + 60)

    def _paint_gauge(self, painter: QPainter, lane: Lane, percent: float, top: int) -> None:
        """A bar to three times the start level; ticks at clear (short) and start (long)."""
        theme, width = self._theme, WIDTH_PX - 22
        full = 3 * lane.settings.start_percent
        painter.fillRect(QRectF(10, top + 4, width, 2), QColor(theme.rule))
        painter.fillRect(QRectF(10, top + 3, width * min(1.0, percent / full), 4), QColor(theme.level))
        painter.setPen(QPen(QColor(theme.limit), 1.5))
        for limit, reach in ((lane.settings.clear_percent, 3), (lane.settings.start_percent, 6)):
            x = 10 + width * limit / full
            painter.drawLine(int(x), top + 5 - reach, int(x), top + 5 + reach)
