"""The place of an answer before and after, side by side."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QImage, QPixmap
from PySide6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from north_hush.core.ask.moves import Answer
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.scene.outline import Point, bounds
from north_hush.core.words import tr
from north_hush.desk.deck import Deck
from north_hush.desk.look.panel import muted

_SIZE = QSize(138, 80)
_WIDER = 0.35
"""So much more than the place is shown of the picture around it."""
Box = tuple[float, ...]


class AnswerPictures(QWidget):
    """Asks the deck for the two pictures, and shows them when they come."""

    def __init__(self, deck: Deck, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._deck = deck
        self.before, self.after = QLabel(), QLabel()
        self.waited: dict[tuple[int, Box], QLabel] = {}
        """What is waited for: of which frame, and which part of it. Others ask the same deck."""
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        for label, word in ((self.before, tr("before")), (self.after, tr("after"))):
            label.setFixedSize(_SIZE)
            label.setAlignment(Qt.AlignmentFlag.AlignCenter)
            label.setAccessibleName(tr("Picture {word}", word=word))
            beside = QVBoxLayout()
            beside.addWidget(label)
            beside.addWidget(muted(word))
            row.addLayout(beside)
        deck.thumbnail.connect(self._take)

    def show_answer(self, answer: Answer, place: tuple[Point, ...]) -> None:
        """Show an answer of the recording that is on."""
        index, around = self._deck.index, _around(place)
        self.waited = {}
        for label, at_s in ((self.before, answer.before_s), (self.after, answer.after_s)):
            label.clear()
            if index is not None:
                frame = min(int(np.searchsorted(index.time_us, at_s * US_PER_S)), index.frames - 1)
                self.waited[frame, around] = label
                self._deck.pictures.ask_thumbnail_of(frame, around)

    def _take(self, frame: int, box: Box | None, image: QImage) -> None:
        label = None if box is None else self.waited.get((frame, box))
        if label is not None and self.isVisible():
            keep, smooth = Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
            label.setPixmap(QPixmap.fromImage(image).scaled(_SIZE, keep, smooth))


def _around(place: tuple[Point, ...]) -> Box:
    """A place with some of the picture around it."""
    left, top, right, bottom = bounds(place)
    wide, high = _WIDER * (right - left), _WIDER * (bottom - top)
    return max(0.0, left - wide), max(0.0, top - high), min(1.0, right + wide), min(1.0, bottom + high)
