"""Who an answer means, on the picture: the way they went, and the corners of where they are in the frame that is shown."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, QRectF
from PySide6.QtGui import QColor, QPainter, QPainterPath

from north_hush.core.follow.tracks import FOOT, FRAME, LEFT, RIGHT, TOP, X
from north_hush.desk.ask.asking import Found
from north_hush.desk.deck import Deck
from north_hush.desk.look.roles import Theme
from north_hush.desk.picture.canvas import Canvas
from north_hush.desk.picture.strokes import corners, two_tone
from north_hush.desk.session import Session
from north_hush.desk.workers.background import Background

_POINTS_MOST = 120
Boxes = NDArray[np.float64]
"""(frames, 6): frame, where the feet are across, left, top, right and foot, in fractions of the picture."""


class AnswerCourse(QObject):
    """Looks up who was followed, and paints them."""

    def __init__(self, session: Session, deck: Deck, canvas: Canvas, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session, self._deck, self._canvas = session, deck, canvas
        self._background = Background(("course",), self)
        self.boxes: Boxes | None = None

    @property
    def settled(self) -> bool:
        """True when nothing is waiting or running."""
        return self._background.idle

    def close_worker(self) -> None:
        """End the thread."""
        self._background.close()

    def show_answer(self, held: Found | None) -> None:
        """Show who an answer on the recording that is on means; nobody, where it is of nobody who was followed."""
        self._background.drop()
        self.boxes = None
        self._canvas.update()
        evidence = self._deck.evidence
        if held is None or held.answer.track is None or evidence is None:
            return
        evaluator, plan, track, grid = self._deck.evaluator, self._session.view.plan, held.answer.track, evidence.grid

        def work() -> Boxes | None:
            sights = evaluator.apart(evidence, plan).of(track)
            if sights is None:
                return None
            across, down = grid.cell_size_frac
            scale = np.array([1.0, across, across, down, across, down])
            return np.asarray(sights[:, [FRAME, X, LEFT, TOP, RIGHT, FOOT]] * scale)

        self._background.order("course", work, self._take, self._session.failed.emit)

    def _take(self, boxes: Boxes | None) -> None:
        self.boxes = boxes
        self._canvas.update()

    def paint(self, painter: QPainter, canvas: Canvas, theme: Theme) -> None:
        """Paint who is meant."""
        boxes = self.boxes
        if boxes is None or len(boxes) == 0:
            return
        light = QColor(theme.outline_light)
        some = boxes[np.unique(np.linspace(0, len(boxes) - 1, _POINTS_MOST).astype(int))]
        way = QPainterPath(canvas.to_widget((some[0, 1], some[0, 5])))
        for x, foot in some[1:, [1, 5]].tolist():
            way.lineTo(canvas.to_widget((x, foot)))
        two_tone(painter, way, light, (1, 2.5), theme)
        row = self._deck.row  # of the evidence, which lacks frames that could not be decoded
        at = len(boxes) if row is None else int(np.searchsorted(boxes[:, 0], row))
        if at < len(boxes) and boxes[at, 0] == row:
            left, top, right, foot = boxes[at, 2:].tolist()
            around = QRectF(canvas.to_widget((left, top)), canvas.to_widget((right, foot)))
            two_tone(painter, corners(around.adjusted(-4, -4, 4, 4)), light, (), theme)
