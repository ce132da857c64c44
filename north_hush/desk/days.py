"""The strip of days in the header, where a view has more recordings than there is room for chips: what lies on each day, and where we
are."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import UTC, date, datetime, time, timedelta
from functools import lru_cache
from zoneinfo import ZoneInfo

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from north_hush.core.judge.score import Score
from north_hush.core.site.timeline import Timeline
from north_hush.core.words import number, tr, trn
from north_hush.desk.judge.words import head_text
from north_hush.desk.look.roles import Theme
from north_hush.desk.look.style import text_font

_LEAST_PX, _DAY_MOST_PX = 160, 360
_LABEL_EVERY_PX = 46
_HEIGHT_PX = 34
_HIGH_PX, _STROKE_MOST_PX = {"day": 3.0, "dusk": 5.0, "night": 8.0}, 8.0
NO_LIGHTS: Mapping[str, str] = {}
NONE = Timeline((), (), (), ())


class DayStrip(QWidget):
    """Chooses recordings by time. Left and Right go to the recording before and after, Home and End to the first and last."""

    chosen = Signal(str)
    """A recording, by id."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self.timeline, self._zone = NONE, ZoneInfo("UTC")
        self._names: dict[str, str] = {}
        self._lights: Mapping[str, str] = {}
        self._scores: Mapping[str, Score] = {}
        self._told: Sequence[tuple[str, float]] = ()
        self._answers: list[float] = []
        """Answers to a question, and where they lie in days after the first one's midnight."""
        self.on = ""
        """The recording that is on."""
        self._days: list[date] = []
        self._places: list[tuple[float, float]] = []
        """From where to where each piece lies, in days after the first one's midnight."""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName(tr("Days"))

    def sizeHint(self) -> QSize:
        return QSize(max(_LEAST_PX, min(len(self._days), 31) * 24), _HEIGHT_PX)

    def minimumSizeHint(self) -> QSize:
        return QSize(_LEAST_PX, _HEIGHT_PX)

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        self.update()

    def show_scores(self, scores: Mapping[str, Score]) -> None:
        """Show what recordings score, by their ids."""
        if scores != self._scores:
            self._scores = dict(scores)
            self.update()

    def show_answers(self, answers: Sequence[tuple[str, float]]) -> None:
        """Mark moments: each a recording, by id, and the seconds into it."""
        self._told = answers
        self._place_answers()
        self.update()

    def _place_answers(self) -> None:
        begins = {piece.recording: piece.start for piece in reversed(self.timeline.pieces)}
        known = [(begins[held], seconds) for held, seconds in self._told if held in begins]
        self._answers = [self._day_of(start + timedelta(seconds=seconds)) for start, seconds in known]

    def show_line(
        self, timeline: Timeline, zone: ZoneInfo, names: dict[str, str], on: str, lights: Mapping[str, str] = NO_LIGHTS
    ) -> None:
        """Show a time line; `names` are those of recordings, by id, and `lights` whether each is of day, dusk or night."""
        if timeline != self.timeline or zone != self._zone:
            self.timeline, self._zone, self._days = timeline, zone, timeline.days(zone)
            self._places = [(self._day_of(piece.start), self._day_of(piece.end)) for piece in timeline.pieces]
            self._place_answers()
            self.updateGeometry()
        self._names, self.on, self._lights = names, on, lights
        self.setAccessibleDescription(self.words())
        self.update()

    def words(self) -> str:
        """What the strip shows, in words."""
        held = self.timeline
        said = [
            trn(
                "{count} recordings on {count2} day",
                "{count} recordings on {count2} days",
                len(self._days),
                count=len(held.pieces),
                count2=len(self._days),
            )
        ]
        if held.gaps:
            longest = max((end - start).total_seconds() for start, end in held.gaps)
            said.append(
                trn(
                    "{count} gap, the longest {span}",
                    "{count} gaps, the longest {span}",
                    len(held.gaps),
                    count=len(held.gaps),
                    span=_span(longest),
                )
            )
        if held.overlaps:
            said.append(tr("{count} overlap", count=len(held.overlaps)))
        if held.undated:
            said.append(tr("{count} without a date, under Footage", count=len(held.undated)))
        return ", ".join(said) + "."

    # --- places -----------------------------------------------------------------------------------------------------

    def _day_px(self) -> float:
        return min(_DAY_MOST_PX, self.width() / max(1, len(self._days)))

    def x_of(self, moment: datetime) -> float:
        """Where a moment lies, in pixels. A day with 23 or 25 hours is as wide as any other."""
        return self._day_of(moment) * self._day_px()

    def _day_of(self, moment: datetime) -> float:
        local = moment.astimezone(self._zone)
        number = (local.date() - self._days[0]).days
        return number + _share_of_day(local, self._zone)

    def moment_of(self, x: float) -> datetime | None:
        """The moment at a place, in UTC; None beyond the days."""
        if not self._days:
            return None
        number, share = divmod(x / self._day_px(), 1)
        if not 0 <= number < len(self._days):
            return None
        start, end = _bounds(self._days[int(number)], self._zone)
        return start + (end - start) * share

    # --- events -----------------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        moment = self.moment_of(event.position().x())
        piece = self.timeline.at(moment) if moment is not None else None
        if piece is not None:
            self.chosen.emit(piece.recording)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Home: -(10**9), Qt.Key.Key_End: 10**9}
        step = steps.get(Qt.Key(event.key()))
        if step is None or not self.timeline.pieces:
            super().keyPressEvent(event)
            return
        places = [piece.recording for piece in self.timeline.pieces]
        now = places.index(self.on) if self.on in places else -1 if step > 0 else len(places)
        self.chosen.emit(places[min(max(0, now + step), len(places) - 1)])

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ToolTip and isinstance(event, QHelpEvent):
            moment = self.moment_of(event.pos().x())
            QToolTip.showText(event.globalPos(), self._tip(moment) if moment is not None else self.words(), self)
            return True
        return super().event(event)

    def _tip(self, moment: datetime) -> str:
        piece = next((held for held in self.timeline.pieces if held.start <= moment < held.end), None)
        local = moment.astimezone(self._zone)
        if piece is None:
            return tr("{local:%a %d %b %H:%M}: no footage. {words}", local=local, words=self.words())
        start = piece.start.astimezone(self._zone)
        score, light = self._scores.get(piece.recording), self._lights.get(piece.recording, "")
        said = f"{light}, " * bool(light) + (f"{head_text(score)}. " if score is not None else "")
        return tr(
            "{get}, from {start:%a %d %b %H:%M:%S}, {said}{words}",
            get=self._names.get(piece.recording, ""),
            start=start,
            said=said,
            words=self.words(),
        )

    # --- painting ---------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme, day_px = self._theme, self._day_px()
        base = self.height() - 8.0
        painter.setFont(text_font(11))
        every = max(1, -(-_LABEL_EVERY_PX // max(1, int(day_px))))
        for count, day in enumerate(self._days):
            left = count * day_px
            painter.setPen(QPen(QColor(theme.rule), 1))
            painter.drawLine(QPointF(left + 0.5, 4), QPointF(left + 0.5, base + 3))
            if count % every == 0:
                painter.setPen(QColor(theme.muted))
                place = QRectF(left + 4, 0, max(day_px * every - 6, 30), 16)
                painter.drawText(
                    place,
                    int(Qt.AlignmentFlag.AlignVCenter),
                    tr("{day:%a %d}", day=day) if day_px * every > 40 else f"{day:%d}",
                )
        painter.setPen(QPen(QColor(theme.rule), 1))
        painter.drawLine(QPointF(0, base), QPointF(day_px * len(self._days), base))
        for piece, (first, last) in zip(self.timeline.pieces, self._places, strict=True):
            self._paint_piece(painter, piece.recording, first * day_px, last * day_px, base)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.accent))
        for at in self._answers:
            x = at * day_px
            painter.drawPolygon(QPolygonF([QPointF(x - 3.5, 17), QPointF(x + 3.5, 17), QPointF(x, 23)]))
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(theme.accent), 1))
            painter.drawRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5))
        painter.end()

    def _paint_piece(self, painter: QPainter, recording: str, left: float, right: float, base: float) -> None:
        """Low by day, high by night, at dusk between; the one that is on is light. Above it a stroke for nuisances, as high
        as there are many, and a ring for incidents that were missed."""
        theme, right, on = self._theme, max(left + 1.5, right), recording == self.on
        high = _HIGH_PX.get(self._lights.get(recording, ""), 6.0)
        painter.fillRect(QRectF(left, base - high, right - left, high), QColor(theme.text if on else theme.muted))
        score, middle = self._scores.get(recording), (left + right) / 2
        if score is not None and score.nuisances:
            painter.setPen(QPen(QColor(theme.alarm), 1.4))
            stroke = min(_STROKE_MOST_PX, 2.0 + score.nuisances)
            painter.drawLine(QPointF(middle, base - high - 1), QPointF(middle, base - high - 1 - stroke))
        if score is not None and score.incidents > score.met:
            painter.setPen(QPen(QColor(theme.incident), 1.4))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(QPointF(middle, base + 4), 2.4, 2.4)
        if on:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(theme.accent))
            points = (QPointF(middle - 4, base + 7), QPointF(middle + 4, base + 7), QPointF(middle, base + 1))
            painter.drawPolygon(QPolygonF(list(points)))


@lru_cache(maxsize=512)
def _bounds(day: date, zone: ZoneInfo) -> tuple[datetime, datetime]:
    """When a local day begins and ends, in UTC."""
    begins = [datetime.combine(one, time(0), zone).astimezone(UTC) for one in (day, day + timedelta(days=1))]
    return begins[0], begins[1]


def _share_of_day(local: datetime, zone: ZoneInfo) -> float:
    start, end = _bounds(local.date(), zone)
    return (local.astimezone(UTC) - start) / (end - start)


def _span(seconds: float) -> str:
    """A length of time in its largest unit."""
    for unit, word in ((86_400, tr("days")), (3600, "h"), (60, "min")):
        if seconds >= unit:
            return f"{number(seconds / unit, '.1f')} {word}"
    return f"{seconds:.0f} s"
