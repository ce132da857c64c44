"""Fitting the view to a device card, in the background, and the fitted shapes on the picture."""

from __future__ import annotations

import threading

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QColor, QPainter

from north_hush.core.errors import HushError
from north_hush.core.handover.card import Card
from north_hush.core.handover.device_plan import Groups
from north_hush.core.handover.fit import Fit, Fitting
from north_hush.core.site.model import View
from north_hush.core.words import tr
from north_hush.desk.judge.scores import Scores
from north_hush.desk.look.roles import Theme
from north_hush.desk.picture.canvas import Canvas
from north_hush.desk.picture.strokes import area_path, two_tone
from north_hush.desk.session import Session
from north_hush.desk.workers.background import Background
from north_hush.desk.workers.scheduler import Urgency

_DASH = (1.5, 2.0)


class FittingWork(QObject):
    """One fit at a time; a newer one takes the place of what runs."""

    progressed = Signal(float)
    changed = Signal()
    """There is another fit, or none."""
    failed = Signal(object)
    _nearest = Signal(object)

    def __init__(self, session: Session, scores: Scores, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session, self._scores = session, scores
        self._background = Background(("fit",), self, Urgency.LATER)
        self._stop, self._searching = threading.Event(), False
        self._basis: object = None
        self.fit: Fit | None = None
        self.view: View | None = None
        self._nearest.connect(self._take_nearest)
        session.changed.connect(self._forget)
        session.view_changed.connect(self._forget)

    @property
    def running(self) -> bool:
        """True while a fit is searched."""
        return self._searching

    def begin(self, card: Card, together: Groups = ()) -> None:
        """Fit the view to a card over its analysed recordings; zones that are named together become one. The nearest comes first, and
        then what the search found."""
        self.stop()
        view, stop = self._session.view, threading.Event()
        self._stop, self.view, self.fit, self._basis = stop, view, None, _basis_of(view)
        self._searching = True

        def work() -> Fit:
            cases = self._scores.cases()
            if not cases:
                raise HushError(tr("Fit"), tr("has no analysed recording to look at."), tr("Analyse one first."))
            told = self.progressed.emit, stop.is_set
            return Fitting(
                view, cases, card, report=told[0], cancelled=told[1], together=together, first=self._nearest.emit
            ).fit()

        self._background.order("fit", work, self._take, self._fail)
        self.changed.emit()

    def stop(self) -> None:
        """Stop the search; nothing comes of it."""
        self._stop.set()
        self._background.drop()
        self._searching = False

    def close(self) -> None:
        """End the thread."""
        self.stop()
        self._background.close()

    def _take_nearest(self, fit: Fit) -> None:
        if self.running and self.fit is None:
            self.fit = fit
            self.changed.emit()

    def _take(self, fit: Fit) -> None:
        self.fit, self._searching = fit, False
        self.changed.emit()

    def _fail(self, error: HushError) -> None:
        self._searching = False
        self.failed.emit(error)

    def _forget(self) -> None:
        """A fit is of one drawing and one tuning; of others it says nothing."""
        if self._basis is not None and self._basis != _basis_of(self._session.view):
            self.stop()
            self.fit, self.view, self._basis = None, None, None
            self.changed.emit()

    def paint(self, painter: QPainter, canvas: Canvas, theme: Theme) -> None:
        """What the device will watch, in dots over the drawing."""
        if self.fit is not None:
            for zone in self.fit.fitted.plan.zones:
                two_tone(painter, area_path(zone.area, canvas), QColor(theme.outline_light), _DASH, theme)


def _basis_of(view: View) -> object:
    return view.id, view.plan, view.tuning, view.recordings
