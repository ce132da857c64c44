"""A walk test on the picture: the walker's way, solid where an alarm ran and crossed out where none did."""

from __future__ import annotations

from PySide6.QtCore import QLineF, QObject, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen

from north_hush.core.advise.walk import NOTICE_NAMES, WalkTest, walk_test
from north_hush.core.footage.stamps import clock_text
from north_hush.core.judge.incidents import Incident
from north_hush.core.words import number, tr
from north_hush.desk.deck import Deck
from north_hush.desk.look.roles import Theme
from north_hush.desk.look.style import text_font
from north_hush.desk.picture.canvas import Canvas
from north_hush.desk.session import Session
from north_hush.desk.workers.background import Background
from north_hush.desk.workers.scheduler import Urgency

_DOT_PX, _CROSS_PX, _APART_PX = 3.0, 4.0, 9.0


class Walks(QObject):
    """Follows the chosen walk test in the background, anew when the alarms are other ones."""

    changed = Signal()

    def __init__(self, session: Session, deck: Deck, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session, self._deck = session, deck
        self._background = Background(("walk",), self, Urgency.LATER)
        self.walk: Incident | None = None
        self.found: WalkTest | None = None
        deck.lanes_changed.connect(self._follow)
        deck.recording_changed.connect(lambda: self.show_walk(None))

    def close_worker(self) -> None:
        """End the thread."""
        self._background.close()

    @property
    def settled(self) -> bool:
        """True when nothing is waiting or running."""
        return self._background.idle

    def show_walk(self, walk: Incident | None) -> None:
        """Show a walk test; None shows none."""
        if walk != self.walk:
            self.walk, self.found = walk, None
            self.changed.emit()
            self._follow()

    def _follow(self) -> None:
        walk, evidence, lanes = self.walk, self._deck.evidence, self._deck.lanes
        if walk is None or evidence is None or any(len(lane.areas) != len(evidence.frames) for lane in lanes):
            return
        plan, evaluator = self._session.view.plan, self._deck.evaluator

        def work() -> WalkTest:
            return walk_test(evidence, plan, lanes, evaluator.tracks(evidence, plan), walk.start_s, walk.end_s)

        self._background.order("walk", work, self._take, self._session.failed.emit)

    def _take(self, found: WalkTest) -> None:
        if self.walk is not None:
            self.found = found
            self.changed.emit()

    def text(self) -> str:
        """What came of the walk test in words; '' while none is shown."""
        if self.walk is None:
            return ""
        if self.found is None:
            return tr("Following {name}…", name=self.walk.name)
        percent = self.found.noticed_percent
        if percent is None:
            return tr("{name}: nobody who walks is to be seen in this stretch.", name=self.walk.name)
        lines = [tr("{name}: noticed on {percent:.0f} % of the way", name=self.walk.name, percent=percent)]
        for spot in self.found.dead[:4]:
            length_s = spot.end_s - spot.start_s
            lines.append(f"  × {clock_text(spot.start_s * 1e6)}, {number(length_s, '.1f')} s: {NOTICE_NAMES[spot.why]}")
        if len(self.found.dead) > 4:
            lines.append(tr("  and {count} more", count=len(self.found.dead) - 4))
        return "\n".join(lines)

    def paint(self, painter: QPainter, canvas: Canvas, theme: Theme) -> None:
        """Paint the way: two-tone dots where he was noticed, crosses where not, with the reason at each dead spot."""
        if self.found is None or not self.found.notices:
            return
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        last: QPointF | None = None
        noticed_before: bool | None = None
        for place, notice in zip(self.found.places.tolist(), self.found.notices, strict=True):
            at, noticed = canvas.to_widget((place[0], place[1])), notice == "alarm"
            if last is not None and noticed == noticed_before and QLineF(last, at).length() < _APART_PX:
                continue
            last, noticed_before = at, noticed
            if noticed:
                self._paint_dot(painter, at, theme)
            else:
                self._paint_cross(painter, at, theme)
        painter.setFont(text_font(12, bold=True))
        taken: list[QRectF] = []
        for spot in sorted(self.found.dead, key=lambda spot: spot.start_s - spot.end_s):  # the longest keeps its place
            box = self._reason_box(painter, canvas.to_widget(spot.place), NOTICE_NAMES[spot.why])
            if not any(box.intersects(other) for other in taken):
                taken.append(box)
                self._paint_reason(painter, box, NOTICE_NAMES[spot.why], theme)
        painter.restore()

    @staticmethod
    def _paint_dot(painter: QPainter, at: QPointF, theme: Theme) -> None:
        painter.setPen(QPen(QColor(theme.outline_dark), 1.5))
        painter.setBrush(QColor(theme.outline_light))
        painter.drawEllipse(at, _DOT_PX, _DOT_PX)

    @staticmethod
    def _paint_cross(painter: QPainter, at: QPointF, theme: Theme) -> None:
        reach = _CROSS_PX
        strokes = [
            QLineF(at + QPointF(-reach, -reach), at + QPointF(reach, reach)),
            QLineF(at + QPointF(-reach, reach), at + QPointF(reach, -reach)),
        ]
        for colour, width in ((theme.outline_dark, 4.0), (theme.outline_light, 1.6)):
            painter.setPen(QPen(QColor(colour), width, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
            painter.drawLines(strokes)

    @staticmethod
    def _reason_box(painter: QPainter, at: QPointF, text: str) -> QRectF:
        box = QRectF(painter.fontMetrics().boundingRect(text)).adjusted(-6, -3, 6, 3)
        box.moveBottomLeft(at + QPointF(10, -8))
        return box

    @staticmethod
    def _paint_reason(painter: QPainter, box: QRectF, text: str, theme: Theme) -> None:
        painter.setPen(Qt.PenStyle.NoPen)
        plate = QColor(theme.outline_dark)
        plate.setAlphaF(0.82)
        painter.setBrush(plate)
        painter.drawRoundedRect(box, 3, 3)
        painter.setPen(QColor(theme.outline_light))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
