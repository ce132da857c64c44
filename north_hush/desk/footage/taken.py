"""When a recording was taken: what it says itself, which of its statements counts, or a time that is typed."""

from __future__ import annotations

from datetime import datetime

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import QComboBox, QLabel, QPushButton, QVBoxLayout, QWidget

from north_hush.core.errors import HushError
from north_hush.core.footage.dating import Dated, disagreeing
from north_hush.core.footage.naming import pattern_of
from north_hush.core.site import edits
from north_hush.core.site.recording import Recording
from north_hush.core.site.taken import named_taken
from north_hush.core.words import tr, trn
from north_hush.desk.deck import Deck
from north_hush.desk.look.panel import wrapped
from north_hush.desk.session import Session

_SHOWN = "%Y-%m-%d %H:%M:%S"
_SOURCES = {
    "recording": tr("by the recording"), "file name": tr("by the file name"), "file date": tr("by the file date"),
}  # fmt: skip


class TakenBox(QWidget):
    """A list of statements to choose from, which a time of the site's clock can be typed into."""

    def __init__(self, session: Session, deck: Deck, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._deck = session, deck
        self.box = QComboBox(editable=True, insertPolicy=QComboBox.InsertPolicy.NoInsert, minimumContentsLength=12)
        self.box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.box.setAccessibleName(tr("Taken"))
        self.box.setToolTip(
            tr(
                "When the first frame was taken, on the site's clock: choose a statement, or type one as 2026-06-14 15:02:07"
            )
        )
        self.asked = wrapped(QLabel(tr("The recording and its name tell different times: choose one.")))
        self.asked.setProperty("role", "warning")
        self.names = wrapped(QLabel(""))
        self.by_names = QPushButton(
            tr("Date all by their names"), toolTip=tr("Read the time of every recording of the view from its name")
        )
        self.by_names.clicked.connect(self._date_all)
        self._pattern = ""
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(self.box)
        column.addWidget(self.asked)
        column.addWidget(self.names)
        column.addWidget(self.by_names)
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
                self.box.addItem(f"{held.at(zone).astimezone(zone):{_SHOWN}}  {_SOURCES[held.source]}", held)
            self.box.setEditText("" if began is None else f"{began.astimezone(zone):{_SHOWN}}")
        self.asked.setVisible(on.taken_at is None and bool(disagreeing(index.dates, zone)))
        self._offer_names(on)

    def _offer_names(self, on: Recording) -> None:
        """Where a time was typed that the name says too, offer to date the other recordings by theirs."""
        view, zone, said = self._session.view, self._deck.zone, ""
        self._pattern = ""
        if on.taken_at is not None:
            try:
                self._pattern = pattern_of(on.path, on.taken_at.astimezone(zone))
            except HushError as error:
                said = error.what if "ways" in error.what else ""
        by_pattern = (named_taken(held, self._pattern, zone).taken_at != held.taken_at for held in view.recordings)
        others = sum(by_pattern) if self._pattern else 0
        if others:
            said = trn(
                "Its name says so: {pattern}. {others} other name says a time this way.",
                "Its name says so: {pattern}. {others} other names say a time this way.",
                others,
                pattern=self._pattern,
                others=others,
            )
        elif said:
            said = tr("The name {said} Type the time of another.", said=said)
        self.names.setText(said)
        self.names.setVisible(bool(said))
        self.by_names.setVisible(others > 0)

    def _date_all(self) -> None:
        view_id, pattern = self._session.view_id, self._pattern
        self._session.do(tr("Date recordings by their names"), lambda site: edits.date_by_names(site, view_id, pattern))
        self.refresh()

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
                    tr("Taken"),
                    tr("'{value}' is no date and time.", value=text),
                    tr("Type it as 2026-06-14 15:02:07, or leave it empty."),
                )
            )
            self.refresh()
            return
        self._put(moment if moment.tzinfo else moment.replace(tzinfo=self._deck.zone))

    def _put(self, moment: datetime | None) -> None:
        on, view_id = self._deck.recording, self._session.view_id
        if on is not None:
            self._session.do(
                tr("Say when it was taken") if moment else tr("Take the time the recording says"),
                lambda site: edits.change_recording(site, view_id, on.id, taken_at=moment),
            )
        self.refresh()
