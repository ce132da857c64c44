"""Fitting the view to a device card, in the background, and the fitted shapes on the picture."""

from __future__ import annotations

import threading

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QColor, QPainter

from north_hush.core.errors import HushError
from north_hush.core.handover.card import Card
from north_hush.core.handover.fit import Fit, Fitting
from north_hush.core.site.model import View
from north_hush.desk.judge.scores import Scores
from north_hush.desk.look.roles import Theme
from north_hush.desk.picture.canvas import Canvas
from north_hush.desk.picture.strokes import area_path, two_tone
from north_hush.desk.session import Session
from north_hush.desk.workers.background import Background

_DASH = (1.5, 2.0)


class FittingWork(QObject):
    """One fit at a time; a newer one takes the place of what runs."""

    progressed = Signal(float)
    changed = Signal()
    """There is another fit, or none."""
    failed = Signal(object)

    def __init__(self, session: Session, scores: Scores, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session, self._scores = session, scores
        self._background = Background(("fit",), self)
        self._stop = threading.Event()
        self._basis: object = None
        self.fit: Fit | None = None
        self.view: View | None = None
        session.changed.connect(self._forget)
        session.view_changed.connect(self._forget)

    @property
    def running(self) -> bool:
        """True while a fit is searched."""
        return not self._background.idle

    def begin(self, card: Card) -> None:
        """Fit the view to a card over its analysed recordings."""
        self.stop()
        view, stop = self._session.view, threading.Event()
        self._stop, self.view, self.fit, self._basis = stop, view, None, _basis_of(view)

        def work() -> Fit:
            cases = self._scores.cases()
            if not cases:
                raise HushError("Fit", "has no analysed recording to look at.", "Analyse one first.")
            return Fitting(view, cases, card, report=self.progressed.emit, cancelled=stop.is_set).fit()

        self._background.order("fit", work, self._take, self.failed.emit)
        self.changed.emit()

    def stop(self) -> None:
        """Stop the search; nothing comes of it."""
        self._stop.set()
        self._background.drop()

    def close(self) -> None:
        """End the thread."""
        self.stop()
        self._background.close()

    def _take(self, fit: Fit) -> None:
        self.fit = fit
        self.changed.emit()

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
