"""A notice above the list of what is drawn: the camera was turned, and nobody has looked whether the drawing still fits."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from north_hush.core.words import begun, tr
from north_hush.desk.deck import Deck
from north_hush.desk.look.panel import wrapped
from north_hush.desk.sight_now import SightNow


class TurnedBox(QWidget):
    """Not there while the drawing lies right."""

    def __init__(self, sight: SightNow, deck: Deck, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._sight, self._deck = sight, deck
        self.said = wrapped(QLabel(""))
        self.said.setProperty("role", "warning")
        self.go = QPushButton(tr("Show"), toolTip=tr("Go to where the camera was turned"))
        self.go.clicked.connect(self._go)
        self.shift = QPushButton(
            tr("Shift it"),
            toolTip=tr("Move everything that is drawn as far as the picture went; Ctrl+Z brings it back"),
        )
        self.shift.clicked.connect(self._shift)
        self.fits = QPushButton(tr("It fits"), toolTip=tr("The drawing lies right as it is; nothing is moved"))
        self.fits.clicked.connect(self._confirm)
        buttons = QHBoxLayout()
        buttons.setSpacing(8)
        for button in (self.go, self.shift, self.fits):
            buttons.addWidget(button)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addWidget(self.said)
        column.addLayout(buttons)
        sight.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the first turn nobody looked after."""
        turn = self._sight.turn
        self.setVisible(turn is not None)
        self.said.setText(tr("{warning}: from there on the drawing may not fit.", warning=begun(self._sight.warning)))
        self.shift.setEnabled(turn is not None and any(turn.moved))

    def _go(self) -> None:
        turn = self._sight.turn
        if turn is not None:
            self._deck.playhead.seek_s(turn.start_us / 1e6)

    def _shift(self) -> None:
        if self._sight.turn is not None:
            self._sight.shift(self._sight.turn)

    def _confirm(self) -> None:
        if self._sight.turn is not None:
            self._sight.confirm(self._sight.turn)
