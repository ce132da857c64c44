"""The because card: why the chosen alarm was raised, and the smallest turns that would silence it, each one click away."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPainterPath
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QToolButton, QVBoxLayout, QWidget

from north_hush.core.advise.curves import Turn
from north_hush.core.detect.dials import dial_of
from north_hush.core.explain.causes import CAUSE_NAMES
from north_hush.core.explain.reasons import Reasons
from north_hush.core.footage.stamps import clock_text
from north_hush.core.site import edits
from north_hush.core.words import tr
from north_hush.desk.deck import Deck
from north_hush.desk.look.panel import muted, wrapped
from north_hush.desk.look.roles import Theme
from north_hush.desk.look.style import icon
from north_hush.desk.picture.canvas import Canvas
from north_hush.desk.picture.strokes import corners, two_tone
from north_hush.desk.session import Session
from north_hush.desk.tune.insight import Because, Insight

_WIDTH_PX, _EDGE_PX, _TURNS_SHOWN = 312, 12, 3


class BecauseCard(QFrame):
    """Lies in a lower corner of the picture while an alarm is chosen."""

    turn_wanted = Signal(str, str, float)
    """Item, dial and value."""

    def __init__(self, session: Session, deck: Deck, insight: Insight, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("card")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setAccessibleName(tr("Because card"))
        self.setFixedWidth(_WIDTH_PX)
        self.setCursor(Qt.CursorShape.ArrowCursor)
        self._session, self._deck, self._insight = session, deck, insight
        self._holder = parent
        self.cause = QLabel("")
        self.cause.setProperty("role", "title")
        self.shut = QToolButton(toolTip=tr("Put the card away"), accessibleName=tr("Put the card away"))
        self.shut.setProperty("flat", "true")
        self.shut.clicked.connect(lambda: insight.explain(None, None))
        self.facts = wrapped(muted(""))
        self.turns_label = wrapped(muted(""))
        self.turns = [QPushButton("") for _ in range(_TURNS_SHOWN)]
        top = QHBoxLayout()
        top.addWidget(self.cause, 1)
        top.addWidget(self.shut)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 6, 8, 8)
        column.setSpacing(4)
        column.addLayout(top)
        column.addWidget(self.facts)
        column.addWidget(self.turns_label)
        for place, button in enumerate(self.turns):
            button.setProperty("role", "turn")
            button.setToolTip(tr("Set the dial so that this alarm is silent"))
            button.setAccessibleName(tr("Silencing turn {place}", place=place + 1))
            button.clicked.connect(lambda _=False, place=place: self._take(place))
            column.addWidget(button)
        insight.because_changed.connect(self.refresh)
        parent.installEventFilter(self)
        self.dress(theme)
        self.refresh()

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self.shut.setIcon(icon("x", theme))

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Resize:
            self._place()
        return super().eventFilter(watched, event)

    def _place(self) -> None:
        self.adjustSize()
        because = self._insight.because
        path = because.reasons.path if because is not None else ()
        at_left = bool(path) and sum(x for x, _ in path) > 0.5 * len(path)  # the corner that covers less of the way
        x = _EDGE_PX if at_left else self._holder.width() - self.width() - _EDGE_PX
        self.move(x, max(0, self._holder.height() - self.height() - _EDGE_PX))

    def refresh(self) -> None:
        """Show the chosen alarm's reasons, as far as they are known."""
        because = self._insight.because
        evidence = self._deck.evidence
        self.setVisible(because is not None and evidence is not None)
        if because is None or evidence is None:
            return
        reasons = because.reasons
        name = CAUSE_NAMES[reasons.cause]
        unclear = reasons.cause == "unclear"
        self.cause.setText(name[0].upper() + name[1:] + ("" if unclear else tr(", {sure:.0%} sure", sure=reasons.sure)))
        start = clock_text(int(evidence.time_us[because.alarm.start_frame]))
        self.facts.setText(tr("{name} at {start}\n", name=because.lane.name, start=start) + facts_of(because))
        self._show_turns(because)
        self._place()
        self.raise_()

    def _show_turns(self, because: Because) -> None:
        turns = because.turns
        if turns is None:
            self.turns_label.setText(tr("Working out what would silence it…"))
        else:
            self.turns_label.setText(
                tr("The least turn that silences it:") if turns else tr("No single dial silences it.")
            )
        for button, turn in zip(self.turns, [*(turns or ()), *[None] * _TURNS_SHOWN], strict=False):
            button.setVisible(turn is not None)
            if turn is not None:
                button.setText(said_of(turn))
                lost = tr(" Loses: {join}.", join=", ".join(turn.lost)) if turn.lost else tr(" Loses no incident.")
                button.setToolTip(
                    tr("Set it. Silences {silenced} unwanted alarms.{lost}", silenced=turn.silenced, lost=lost)
                )

    def _take(self, place: int) -> None:
        because = self._insight.because
        if because is None or not because.turns or place >= len(because.turns):
            return
        turn, view_id, item_id = because.turns[place], self._session.view_id, because.lane.zone_id
        dial = dial_of(turn.field)
        self._session.do(
            tr("{label} of {name}", label=dial.label, name=because.lane.name),
            lambda site: edits.set_dials(site, view_id, item_id, **{turn.field: dial.number(turn.value)}),
        )


def facts_of(because: Because) -> str:
    """Limit passed, peak, size and way of an alarm, in words."""
    reasons, settings = because.reasons, because.lane.settings
    if because.alarm.direction is not None:
        text = tr("Followed across the line")
        if because.alarm.sure is not None:
            text += tr(", {sure:.0f} % sure", sure=100 * because.alarm.sure)
    else:
        frames = tr("frame") if reasons.confirmed == 1 else tr("frames")
        text = tr(
            "Passed {start_percent:g} % for {confirmed} {frames}, peak {peak_percent:.1f} %",
            start_percent=settings.start_percent,
            confirmed=reasons.confirmed,
            frames=frames,
            peak_percent=reasons.peak_percent,
        )
    if reasons.patch is not None:
        text += tr("\nLargest patch {size_percent:.2f} % of the view", size_percent=reasons.patch.size_percent)
    if reasons.path:
        text += tr(", came {travelled_percent:.0f} % of the width", travelled_percent=reasons.travelled_percent)
    return text


def said_of(turn: Turn) -> str:
    """A turn and its cost, in words."""
    dial = dial_of(turn.field)
    cost = tr("loses {count}", count=len(turn.lost)) if turn.lost else tr("loses nothing")
    return f"{dial.label} {turn.value:g} {dial.unit}: {cost}"


def paint_reasons(painter: QPainter, canvas: Canvas, reasons: Reasons, theme: Theme) -> None:
    """Where it was: the corners of the largest patch, and the way of what came farthest, ending in a ring."""
    light = QColor(theme.outline_light)
    if reasons.patch is not None:
        left_top = canvas.to_widget((reasons.patch.left, reasons.patch.top))
        right_bottom = canvas.to_widget((reasons.patch.right, reasons.patch.bottom))
        two_tone(painter, corners(QRectF(left_top, right_bottom).adjusted(-4, -4, 4, 4)), light, (), theme)
    if len(reasons.path) > 1:
        way = QPainterPath(canvas.to_widget(reasons.path[0]))
        for point in reasons.path[1:]:
            way.lineTo(canvas.to_widget(point))
        two_tone(painter, way, light, (1, 2.5), theme)
        ring = QPainterPath()
        ring.addEllipse(canvas.to_widget(reasons.path[-1]), 5, 5)
        two_tone(painter, ring, light, (), theme)
