"""Where to lay it: what the selected wire, or entry zone, would find and falsely raise beside where it lies, drawn on the picture."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QPointF, Qt, QTimer
from PySide6.QtGui import QColor, QPainter, QPen
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from north_hush.core.advise.aim import Case
from north_hush.core.advise.places import Laid, Placed, best_of, can_be_laid, laid, steps
from north_hush.core.errors import HushError
from north_hush.core.scene.handles import item_bounds
from north_hush.core.scene.items import Wire
from north_hush.core.scene.plan import Plan
from north_hush.core.site import drawing
from north_hush.core.words import tr
from north_hush.desk.deck import Deck
from north_hush.desk.look.panel import muted, wrapped
from north_hush.desk.look.roles import Theme
from north_hush.desk.picture.canvas import Canvas
from north_hush.desk.picture.strokes import paint_plate
from north_hush.desk.session import Session
from north_hush.desk.workers.background import Background

_CALM_MS = 400
_SNAP_PX = 7
_BAR_MOST_PX, _BAR_PX = 30.0, 3.0
_ALONG = 0.8
"""Where on a line the curve stands, of its length."""


class PlaceCurve(QWidget):
    """Says what another place would do, offers the best one, and paints the curve across the selected item."""

    def __init__(self, session: Session, deck: Deck, canvas: Canvas) -> None:
        super().__init__()
        self._session, self._deck, self._canvas = session, deck, canvas
        self._background = Background(("places",), self)
        self._basis: object = None
        self._stale = False
        self.places: list[Laid] = []
        self.cases: Callable[[], list[Case]] = list
        """The analysed recordings of the view, with what is known of them."""
        self._calm = QTimer(self, singleShot=True, interval=_CALM_MS)
        self._calm.timeout.connect(self._work)
        self.saying = wrapped(muted(""))
        self.lay = QPushButton(
            tr("Lay it there"), toolTip=tr("Moves the selected item to the place that finds most and raises least")
        )
        self.lay.clicked.connect(self.take_best)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addWidget(self.saying)
        row = QHBoxLayout()
        row.addWidget(self.lay)
        row.addStretch(1)
        column.addLayout(row)
        for signal in (session.changed, session.view_changed, deck.lanes_changed):
            signal.connect(self.follow)
        session.item_selected.connect(lambda _: self.follow())
        self.follow()

    def close_worker(self) -> None:
        """End the thread."""
        self._calm.stop()
        self._background.close()

    @property
    def settled(self) -> bool:
        """True when nothing is waiting or running."""
        return self._background.idle and not self._calm.isActive()

    @property
    def item(self) -> Placed | None:
        """The selected item, when its place has a curve."""
        held = self._session.view.item(self._session.item_id)
        return held if can_be_laid(held) and len(self._session.selection) == 1 else None  # type: ignore[return-value]

    @property
    def now(self) -> Laid | None:
        """What the item does where it lies."""
        return self.places[0] if self.places else None

    @property
    def best(self) -> Laid | None:
        """The best place that is known by now."""
        return best_of(self.places, self.places[0]) if self.places else None

    def follow(self) -> None:
        """Another item, drawing or truth: what was worked out goes, and begins anew once nothing has changed for a moment."""
        item = self.item
        self.setVisible(item is not None)
        plan, dials = self._session.view.plan, self._session.view.tuning.of(item.id) if item is not None else None
        known = tuple((held.id, held.truth) for held in self._session.view.recordings)
        if (basis := (item, plan, dials, known)) != self._basis:
            self._basis = basis
            self._background.drop()
            self._stale = True  # while it is dragged, the curve stays where it was: one drags it to there
            if item is None or self.now is None or self.now.item.id != item.id:
                self.places = []
            self._say()
            if item is not None and self.isVisible():
                self._calm.start()

    def showEvent(self, event: object) -> None:
        """Nothing is worked out while nobody looks."""
        if self.item is not None and (self._stale or not self.places):
            self._calm.start()

    def _work(self) -> None:
        item, plan, basis = self.item, self._session.view.plan, self._basis
        if item is None or not self.isVisible():
            return
        self.places, self._stale = [], False
        self._say(working=True)
        self._canvas.update()

        def then(cases: list[Case]) -> None:
            told = [case for case in cases if case.truth.incidents]
            if told:
                self._next(told, plan, item, steps(item), basis)
            else:
                self.saying.setText(tr("Mark incidents in Judge to see where it is best laid."))

        self._background.order("places", self.cases, then, self._ignore)

    def _next(
        self, cases: list[Case], plan: Plan, item: Placed, left: list[tuple[float, float]], basis: object
    ) -> None:
        if not left or basis != self._basis:
            self._say()
            return
        (shift, turn), evaluator = left[0], self._deck.evaluator
        dials = self._session.view.tuning.of(item.id)

        def then(found: Laid | None) -> None:
            if basis == self._basis:
                self.places += [found] if found is not None else []
                self._say(working=len(left) > 1)
                self._canvas.update()
                self._next(cases, plan, item, left[1:], basis)

        self._background.order(
            "places", lambda: laid(cases, plan, item, dials, shift, turn, evaluator), then, self._ignore
        )

    def _ignore(self, error: HushError) -> None:
        self.saying.setText(tr("The places beside it could not be tried: {error}", error=error))

    def _say(self, *, working: bool = False) -> None:
        now, best = self.now, self.best
        self.lay.setVisible(not self._stale and best is not now)
        if now is None or best is None or self._stale:
            self.saying.setText(tr("Trying places beside it…") if self.item is not None else "")
            return
        if not now.of:
            self.saying.setText(tr("No incident concerns it where it lies."))
            return
        text = tr("Here it meets {counted}.", counted=_counted(now))
        if best is not now:
            text += tr(" {whither} it would meet {counted}.", whither=self._whither(best), counted=_counted(best))
        elif not working:
            text += tr(" Nothing beside it is better.")
        self.saying.setText(text + (tr(" Still trying…") if working else ""))

    def _whither(self, there: Laid) -> str:
        pixels = round(abs(there.shift_frac) * self._canvas.picture_size[0])
        item, parts = there.item, []
        if pixels and isinstance(item, Wire):
            parts.append(
                tr(
                    "{pixels} px towards {value}",
                    pixels=pixels,
                    value=item.side_a if there.shift_frac > 0 else item.side_b,
                )
            )
        elif pixels:
            parts.append(
                tr(
                    "its edge {pixels} px {value}",
                    pixels=pixels,
                    value=tr("further out") if there.shift_frac > 0 else tr("further in"),
                )
            )
        if there.turn_deg:
            parts.append(tr("turned by {turn_deg:.0f}°", turn_deg=abs(there.turn_deg)))
        said = ", ".join(parts)
        return said[0].upper() + said[1:]

    def take_best(self) -> None:
        """Lay it at the best place; one step to undo."""
        best, view_id = self.best, self._session.view_id
        if best is None or self.item is None or self.item.locked:
            return
        held = best.item
        change = {"line": held.line} if isinstance(held, Wire) else {"area": held.area}
        self._session.do(
            tr("Lay {name} where it finds more", name=held.name),
            lambda site: drawing.change_item(site, view_id, held.id, **change),
        )

    # --- on the picture ---------------------------------------------------------------------------------------------

    def _axis(self) -> tuple[np.ndarray, np.ndarray] | None:
        """Where the curve stands, and the way of a shift of the picture's width, in widget coordinates."""
        now = self.now
        if now is None:
            return None
        rect = self._canvas.picture_rect()
        if not isinstance(now.item, Wire):
            _, top, right, bottom = item_bounds(now.item)
            edge = self._canvas.to_widget((right, (top + bottom) / 2))
            return np.array([edge.x(), edge.y()]), np.array([rect.width(), 0.0])
        first, last = (self._canvas.to_widget(point) for point in (now.item.line[0], now.item.line[-1]))
        along = np.array([last.x() - first.x(), last.y() - first.y()])
        length = float(np.hypot(*along)) or 1.0
        at = np.array([first.x(), first.y()]) + _ALONG * along  # the names of the sides stand at its middle
        return at, rect.width() * np.array([along[1], -along[0]]) / length

    def paint(self, painter: QPainter, theme: Theme) -> None:
        """Bars across the item: at each shift to one side what it finds, to the other what it falsely raises."""
        axis = self._axis()
        shifts = [held for held in self.places if not held.turn_deg]
        if axis is None or not self.isVisible() or len(shifts) < 2 or not shifts[0].of:
            return
        origin, way = axis
        across = np.array([way[1], -way[0]]) / (float(np.hypot(*way)) or 1.0)
        most_false = max(1, *(held.false for held in shifts))
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for held in shifts:
            at = origin + held.shift_frac * way
            for share, side, colour in (
                (held.found / held.of, 1, theme.outline_light),
                (held.false / most_false, -1, theme.alarm),
            ):
                if share:
                    tip = at + side * across * (2 + _BAR_MOST_PX * share)
                    for width, ink in ((_BAR_PX + 2, theme.outline_dark), (_BAR_PX, colour)):
                        painter.setPen(QPen(QColor(ink), width, Qt.PenStyle.SolidLine, Qt.PenCapStyle.FlatCap))
                        painter.drawLine(QPointF(*(at + side * across * 2)), QPointF(*tip))
        best, now = self.best, self.now
        if best is not None and best is not now and not best.turn_deg:
            plate = QPointF(*(origin + best.shift_frac * way + across * (_BAR_MOST_PX + 8)))
            paint_plate(painter, plate, "better", QColor(theme.outline_light), theme, bold=False)
        painter.restore()

    def snapped(self, dx: float, dy: float) -> tuple[float, float]:
        """A drag of the selected wire, put onto a place that is better when it comes near to it."""
        axis, best, now = self._axis(), self.best, self.now
        if (
            axis is None
            or best is None
            or now is None
            or best is now
            or best.turn_deg
            or not isinstance(now.item, Wire)
        ):
            return dx, dy
        rect, (_, way) = self._canvas.picture_rect(), axis
        to = best.shift_frac * way
        if np.hypot(*(np.array([dx * rect.width(), dy * rect.height()]) - to)) > _SNAP_PX:
            return dx, dy
        return float(to[0] / rect.width()), float(to[1] / rect.height())


def _counted(held: Laid) -> str:
    false = tr(", {false} false", false=held.false) if held.false else tr(", none false")
    return tr("{found} of {of}{false}", found=held.found, of=held.of, false=false)
