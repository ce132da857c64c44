"""The list of suspicious quiet stretches."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QListWidget, QListWidgetItem, QWidget

from north_hush.core.advise.quiet import Suspect, suspects
from north_hush.core.footage.stamps import clock_text
from north_hush.core.words import tr
from north_hush.desk.deck import Deck
from north_hush.desk.session import Session
from north_hush.desk.workers.background import Background
from north_hush.desk.workers.scheduler import Urgency


class QuietList(QListWidget):
    """Where something travelled and no alarm ran, the most suspicious first."""

    counted = Signal(int)

    def __init__(self, session: Session, deck: Deck, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._deck = session, deck
        self._background = Background(("quiet",), self, Urgency.LATER)
        self._basis: object = None
        self.setAccessibleName(tr("Suspicious quiet stretches"))
        self.setToolTip(
            tr("Something travelled and no alarm ran, the most suspicious first. Click: play it. Y: it was real.")
        )

    def close_worker(self) -> None:
        """End the thread."""
        self._background.close()

    @property
    def settled(self) -> bool:
        """True when nothing is waiting or running."""
        return self._background.idle

    def suspect(self) -> Suspect | None:
        """The stretch that is current."""
        item = self.currentItem()
        return item.data(Qt.ItemDataRole.UserRole) if item is not None else None

    def follow(self) -> None:
        """Rank anew when alarms or truth are other ones, in the background."""
        evidence, recording = self._deck.evidence, self._deck.recording
        if evidence is None or recording is None or not evidence.whole:
            self.clear()
            self._basis = None
            return
        spans = [(alarm.onset_s, alarm.end_s) for lane in self._deck.lanes for alarm in lane.alarms]
        truth = recording.truth
        known = [*spans, *((held.start_s, held.end_s) for held in (*truth.incidents, *truth.verdicts))]
        plan, evaluator = self._session.view.plan, self._deck.evaluator
        basis = (evidence.key, plan.privacy, tuple(known))
        if basis == self._basis:
            return
        self._basis = basis

        def work() -> list[Suspect]:
            return suspects(evaluator.tracks(evidence, plan), evaluator.kinds(evidence, plan), evidence, known)

        self._background.order("quiet", work, self._take, self._session.failed.emit)

    def _take(self, found: list[Suspect]) -> None:
        self.clear()
        for held in found:
            length_s = held.end_s - held.start_s
            item = QListWidgetItem(
                tr(
                    "{clock_text}  {length_s:.0f} s, came {travelled_percent:.0f} % of the width",
                    clock_text=clock_text(held.start_s * 1000000.0),
                    length_s=length_s,
                    travelled_percent=held.travelled_percent,
                )
            )
            item.setData(Qt.ItemDataRole.UserRole, held)
            self.addItem(item)
        self.counted.emit(len(found))
