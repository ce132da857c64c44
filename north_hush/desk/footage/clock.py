"""The clock burnt into the picture, enlarged, at the first and the last frame, beside the time that is counted: to compare them."""

from __future__ import annotations

from datetime import timedelta

from PySide6.QtCore import Qt
from PySide6.QtGui import QImage, QPixmap
from PySide6.QtWidgets import QLabel, QVBoxLayout, QWidget

from north_hush.core.explain.box import Box
from north_hush.core.explain.restless import Region, burnt_in_clock
from north_hush.core.words import tr
from north_hush.desk.deck import Deck
from north_hush.desk.look.panel import muted, wrapped
from north_hush.desk.workers.background import Background
from north_hush.desk.workers.scheduler import Urgency

_LEFT_FRAC, _RIGHT_FRAC = 0.26, 0.05
"""Only the seconds tick: hours and the date lie left of them, and tenths right."""
_WIDTH_PX = 300


class ClockBox(QWidget):
    """Not there where no clock is burnt in."""

    def __init__(self, deck: Deck, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._deck = deck
        self._work = Background(("clock",), self, Urgency.LATER)
        self._of = ""
        self._asked: dict[tuple[int, Box], int] = {}
        self.pictures = tuple(QLabel(alignment=Qt.AlignmentFlag.AlignLeft) for _ in range(2))
        self.words = tuple(wrapped(muted("")) for _ in range(2))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        for picture, words in zip(self.pictures, self.words, strict=True):
            column.addWidget(picture)
            column.addWidget(words)
        self.hide()
        deck.thumbnail.connect(self._take)

    def close_worker(self) -> None:
        """End the thread."""
        self._work.close()

    def refresh(self) -> None:
        """Look for the clock of the recording that is on, and say what is counted there."""
        evidence, index = self._deck.evidence, self._deck.index
        name = evidence.key if evidence is not None and evidence.whole and index is not None else ""
        if name != self._of:
            self._of = name
            self.hide()
            self._work.drop()
            if evidence is not None and name:
                self._work.order("clock", lambda: burnt_in_clock(evidence), self._show, lambda _: None)
        self._say()

    def _show(self, region: Region | None) -> None:
        index = self._deck.index
        self.setVisible(region is not None)
        if region is None or index is None:
            return
        across, down = zip(*region.outline, strict=True)
        box = max(0.0, min(across) - _LEFT_FRAC), min(down), min(1.0, max(across) + _RIGHT_FRAC), max(down)
        for place, frame in enumerate((0, index.frames - 1)):
            self._asked[frame, box] = place
            self._deck.pictures.ask_thumbnail_of(frame, box)
        self._say()

    def _say(self) -> None:
        index, on, zone = self._deck.index, self._deck.recording, self._deck.zone
        if index is None or on is None:
            return
        began = on.began(index, zone)
        for words, what, at_us in zip(self.words, (tr("first"), tr("last")), (0, int(index.time_us[-1])), strict=True):
            at = None if began is None else (began + timedelta(microseconds=at_us)).astimezone(zone)
            told = tr("nobody knows when") if at is None else f"{at:%Y-%m-%d %H:%M:%S}"
            words.setText(tr("{what} frame: {told} by this site", what=what, told=told))

    def _take(self, frame: int, box: Box | None, image: QImage) -> None:
        place = self._asked.pop((frame, box), None) if box is not None else None
        if place is not None:
            picture = QPixmap.fromImage(image).scaledToWidth(_WIDTH_PX, Qt.TransformationMode.SmoothTransformation)
            self.pictures[place].setPixmap(picture)
            self.pictures[place].setAccessibleName(
                tr("Burnt-in clock, {value} frame", value=(tr("first"), tr("last"))[place])
            )
