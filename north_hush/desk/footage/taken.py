"""When a recording was taken: what it says itself, which of its statements counts, or a time that is typed."""

from __future__ import annotations

from datetime import datetime

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import QComboBox, QLabel, QVBoxLayout, QWidget

from north_hush.core.errors import HushError
from north_hush.core.footage.dating import Dated, disagreeing
from north_hush.core.site import edits
from north_hush.desk.deck import Deck
from north_hush.desk.look.panel import wrapped
from north_hush.desk.session import Session

_SHOWN = "%Y-%m-%d %H:%M:%S"


class TakenBox(QWidget):
    """A list of statements to choose from, which a time of the site's clock can be typed into."""

    def __init__(self, session: Session, deck: Deck, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._deck = session, deck
        self.box = QComboBox(editable=True, insertPolicy=QComboBox.InsertPolicy.NoInsert, minimumContentsLength=12)
        self.box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.box.setAccessibleName("Taken")
        self.box.setToolTip(
            "When the first frame was taken, on the site's clock: choose a statement, or type one as 2026-06-14 15:02:07"
        )
        self.asked = wrapped(QLabel("The recording and its name tell different times: choose one."))
        self.asked.setProperty("role", "warning")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(self.box)
        column.addWidget(self.asked)
        self.box.activated.connect(self._choose)
        editor = self.box.lineEdit()
        assert editor is not None  # an editable box has one
        editor.returnPressed.connect(self._type)

    def refresh(self) -> None:
        """Show what the recording that is on says, and what counts."""
        index, on, zone = self._deck.index, self._deck.recording, self._deck.zone
        self.setVisible(index is not None and on is not None)
        if index is None or on is None:
            return
        began = on.began(index, zone)
        with QSignalBlocker(self.box):
            self.box.clear()
            for held in index.dates:
                self.box.addItem(f"{held.at(zone).astimezone(zone):{_SHOWN}}  by the {held.source}", held)
            self.box.setEditText("" if began is None else f"{began.astimezone(zone):{_SHOWN}}")
        self.asked.setVisible(on.taken_at is None and bool(disagreeing(index.dates, zone)))

    def _choose(self, place: int) -> None:
        held = self.box.itemData(place)
        if isinstance(held, Dated):
            self._put(held.at(self._deck.zone))

    def _type(self) -> None:
        text = self.box.currentText().strip()
        if not text:
            self._put(None)
            return
        try:
            moment = datetime.fromisoformat(text)
        except ValueError:
            self._session.failed.emit(
                HushError(
                    "Taken", f"'{text}' is no date and time.", "Type it as 2026-06-14 15:02:07, or leave it empty."
                )
            )
            self.refresh()
            return
        self._put(moment if moment.tzinfo else moment.replace(tzinfo=self._deck.zone))

    def _put(self, moment: datetime | None) -> None:
        on, view_id = self._deck.recording, self._session.view_id
        if on is not None:
            self._session.do(
                "Say when it was taken" if moment else "Take the time the recording says",
                lambda site: edits.change_recording(site, view_id, on.id, taken_at=moment),
            )
        self.refresh()
