"""How tall people are, where limits in person heights need it: who walked tells, where nobody laid a size mark."""

from __future__ import annotations

from PySide6.QtWidgets import QVBoxLayout, QWidget

from north_hush.core.detect.settings import FACTORY, ZoneSettings
from north_hush.core.words import tr
from north_hush.desk.deck import Deck
from north_hush.desk.look.panel import muted, wrapped
from north_hush.desk.session import Session
from north_hush.desk.walkers import NAMES, WalkerMarks


class HeightsNote(QWidget):
    """Says where the height of a person comes from; where it comes from nowhere, measures at once, and again when asked."""

    def __init__(self, session: Session, deck: Deck, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.said = wrapped(muted(""))
        self.said.setAccessibleName(tr("Height of a person"))
        self.walkers = WalkerMarks(session, deck)
        self.walkers.told.connect(self._tell)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(self.said)
        column.addWidget(self.walkers)
        self._told, self._settings = "", FACTORY
        session.view_changed.connect(lambda: self._tell(""))

    def need(self, _field: str, unit: object) -> None:
        """Take that limits are in another unit from now on."""
        if unit == "heights" and not self._session.view.size_marks:
            self.walkers.measure()

    def show_settings(self, settings: ZoneSettings) -> None:
        """Show what these settings need."""
        self._settings = settings
        marks = self._session.view.size_marks
        of_walkers = bool(marks) and all(mark.name in NAMES for mark in marks)
        self.setVisible(settings.things_in == "heights" and (not marks or of_walkers))
        if of_walkers:
            self.said.setText(self._told or tr("A person is as tall here as those who walked on a recording."))
        else:
            nowhere = tr("Nobody said how tall a person is here: limits in person heights let everything pass.")
            self.said.setText(f"{self._told}\n{nowhere}" if self._told else nowhere)

    def _tell(self, text: str) -> None:
        self._told = text
        self.show_settings(self._settings)
