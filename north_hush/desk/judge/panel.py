"""Judge stage: verdicts on alarms, incidents, quiet stretches, the score of all recordings, and proposals."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QTabWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from north_hush.core.detect.causes import CAUSE_NAMES, CAUSES
from north_hush.core.footage.index import clock_text
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.judge.quiet import Suspect
from north_hush.core.judge.score import summed
from north_hush.core.site import edits, marking
from north_hush.core.site.marking import Judgement
from north_hush.desk.comparison import Comparison
from north_hush.desk.deck import Deck
from north_hush.desk.judge.advice import AdviceList
from north_hush.desk.judge.alarms import AlarmTree, Judged
from north_hush.desk.judge.proposals import ProposalBox
from north_hush.desk.judge.quiet import QuietList
from north_hush.desk.judge.scores import Scores
from north_hush.desk.judge.standing import HOURS_COLUMN, ScoreTable, head_text, rates_text
from north_hush.desk.look.panel import muted, rule, stage_title, wrapped
from north_hush.desk.session import Session

_AROUND_S = 2.0
"""An alarm is played with so much before and after it."""
_JUDGEMENTS: tuple[tuple[Judgement, str, str], ...] = (
    ("real", "Real", "Y"),
    ("nuisance", "Nuisance", "X"),
    ("unsure", "Unsure", "U"),
)


class JudgePanel(QWidget):
    """Right panel of the Judge stage."""

    map_wanted = Signal()

    def __init__(self, session: Session, deck: Deck, comparison: Comparison, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._deck = session, deck
        self._in_s: float | None = None
        self.looked_at: dict[str, NDArray[np.bool_]] = {}
        self.scores = Scores(session, deck, self)
        self.head = QLabel("")
        self.head.setProperty("role", "title")
        self.head.setWordWrap(True)
        self.rates = wrapped(muted(""))
        self.table = ScoreTable()
        self.alarms = AlarmTree(session, deck)
        self.incidents = QListWidget()
        self.quiet = QuietList(deck)
        self.advice = AdviceList(session, self.scores, comparison)
        self.cause = QComboBox(
            toolTip="Cause of a nuisance, prefilled from the evidence", accessibleName="Cause of a nuisance"
        )
        self.complete = QCheckBox("All incidents of this recording are marked")
        self.map = QPushButton("Response map")
        self.mark_in = QPushButton("In")
        self.mark_out = QPushButton("Out")
        self.watched = muted("")
        self.proposals = ProposalBox(session, self.scores, comparison)
        self.buttons: dict[Judgement, QPushButton] = {}
        self._lay_out()
        self._connect()

    # --- make-up ----------------------------------------------------------------------------------------------------

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 8)
        column.setSpacing(6)
        column.addWidget(stage_title("Judge"))
        column.addWidget(self.head)
        column.addWidget(self.rates)
        column.addWidget(self.table)
        column.addWidget(self.proposals)
        self.map.setToolTip("Two dials across: unwanted alarms and missed incidents at every pair of values")
        self.map.clicked.connect(self.map_wanted)
        column.addWidget(self.map)
        column.addWidget(rule())
        verdicts = QHBoxLayout()
        for judgement, label, key in _JUDGEMENTS:
            button = QPushButton(f"{label}  {key}")
            button.setToolTip(f"Judge what is selected: {label.lower()}  ({key})")
            button.clicked.connect(lambda _=False, judgement=judgement: self.judge(judgement))
            self.buttons[judgement] = button
            verdicts.addWidget(button, 1)
        for cause in CAUSES:
            self.cause.addItem(CAUSE_NAMES[cause], cause)
        column.addLayout(verdicts)
        column.addWidget(self.cause)
        self.tabs = QTabWidget(usesScrollButtons=False)
        for widget, title in (
            (self.alarms, "Alarms"),
            (self.incidents, "Incidents"),
            (self.quiet, "Quiet"),
            (self.advice, "Advice"),
        ):
            self.tabs.addTab(widget, title)
        for scroller in self.tabs.tabBar().findChildren(QToolButton):  # Qt makes them, shown or not
            scroller.setToolTip("More lists")
            scroller.setAccessibleName("More lists")
        self.tabs.setMinimumHeight(180)
        self.incidents.setAccessibleName("Incidents")
        self.incidents.setToolTip("Click: play it. Double click: name it. Delete: take it off.")
        self.quiet.setAccessibleName("Suspicious quiet stretches")
        self.quiet.setToolTip(
            "Something travelled and no alarm ran, the most suspicious first. Click: play it. Y: it was real."
        )
        column.addWidget(self.tabs, 1)
        marks = QHBoxLayout()
        marks.addWidget(muted("Mark an incident:"))
        for button, tip, act in (
            (self.mark_in, "It begins at the shown frame  (I)", self.set_in),
            (self.mark_out, "It ends at the shown frame  (O)", self.set_out),
        ):
            button.setToolTip(tip)
            button.clicked.connect(act)
            marks.addWidget(button)
        marks.addStretch(1)
        marks.addWidget(self.watched)
        column.addLayout(marks)
        self.complete.setToolTip("Then every alarm that meets none of them is a nuisance, judged or not")
        column.addWidget(self.complete)

    def _connect(self) -> None:
        session, deck = self._session, self._deck
        self.scores.changed.connect(self._show_scores)
        self.table.cellClicked.connect(self._on_cell)
        self.table.cellDoubleClicked.connect(self._ask_hours)
        self.alarms.moved_to.connect(self._on_alarm)
        self.incidents.itemClicked.connect(self._on_incident)
        self.incidents.itemDoubleClicked.connect(self._ask_name)
        self.quiet.itemClicked.connect(self._on_quiet)
        self.tabs.currentChanged.connect(lambda _: self.advice.follow())
        self.quiet.counted.connect(lambda count: self.tabs.setTabText(2, f"Quiet {count}"))
        self.complete.toggled.connect(self._on_complete)
        deck.lanes_changed.connect(self._on_lanes)
        deck.frame_changed.connect(self._note_looked)
        deck.recording_changed.connect(self._on_lanes)
        session.changed.connect(self._show_incidents)

    def enter(self) -> None:
        """The stage is shown."""
        self.scores.show(True)
        self._on_lanes()

    def leave(self) -> None:
        """Another stage is shown."""
        self.scores.show(False)

    def close_workers(self) -> None:
        """End what runs in the background."""
        self.scores.close()
        self.quiet.close_worker()
        self.advice.close_worker()
        self.alarms.close_worker()
        self.proposals.close_worker()

    @property
    def settled(self) -> bool:
        """True when nothing is waiting or running."""
        return (
            self.scores.settled
            and self.alarms.settled
            and self.quiet.settled
            and self.advice.settled
            and self.proposals.settled
        )

    # --- what is shown ----------------------------------------------------------------------------------------------

    def _on_lanes(self) -> None:
        if not self.isVisible():
            return
        self.alarms.refresh()
        self._show_incidents()
        self.quiet.follow()
        self.scores.follow()

    def _show_scores(self) -> None:
        standings = self.scores.standings
        total = summed(held.score for held in standings if held.score is not None)
        self.head.setText(head_text(total))
        self.rates.setText(rates_text(total))
        self.table.show_standings(standings, total)

    def _show_incidents(self) -> None:
        recording = self._deck.recording
        truth = next(
            (held.truth for held in self._session.view.recordings if recording and held.id == recording.id), None
        )
        at = self.incidents.currentRow()
        self.incidents.clear()
        for held in truth.incidents if truth is not None else ():
            text = f"{clock_text(held.start_s * 1e6)}–{clock_text(held.end_s * 1e6)}  {held.name}"
            item = QListWidgetItem(text)
            item.setToolTip(held.note)
            self.incidents.addItem(item)
        self.incidents.setCurrentRow(min(at, self.incidents.count() - 1))
        self.tabs.setTabText(1, f"Incidents {self.incidents.count()}")
        self.tabs.setTabText(0, f"Alarms {len(self.alarms.rows)}")
        with QSignalBlocker(self.complete):
            self.complete.setChecked(truth is not None and truth.complete)

    # --- verdicts ---------------------------------------------------------------------------------------------------

    def judge(self, judgement: Judgement) -> None:
        """Judge the selected alarms, or mark the selected quiet stretch as real, and go to the next."""
        recording = self._deck.recording
        if recording is None:
            return
        if self.tabs.currentWidget() is self.quiet:
            held = self.quiet.suspect()
            if held is not None and judgement == "real":
                self._mark(held.start_s, held.end_s)
            return
        chosen = self.alarms.chosen()
        if not chosen:
            return
        view_id, causes = self._session.view_id, self.cause.currentData() if judgement == "nuisance" else ""
        spans = [row.span for row in chosen]
        what = f"{len(chosen)} alarms" if len(chosen) > 1 else f"alarm at {clock_text(chosen[0].span.start_s * 1e6)}"
        done = self._session.do(
            f"Judge {what}: {judgement}",
            lambda site: marking.judge(site, view_id, recording.id, spans, judgement, causes),
        )
        if done:
            self.alarms.refresh()
            self.alarms.go_next()

    def _on_alarm(self, row: Judged | None) -> None:
        """Play the alarm, a few seconds around it, over and over."""
        evidence = self._deck.evidence
        if row is None or evidence is None or not self.isVisible():
            return
        with QSignalBlocker(self.cause):
            self.cause.setCurrentIndex(self.cause.findData(row.cause))
        self._play(row.span.start_s, row.span.end_s)

    def _play(self, start_s: float, end_s: float) -> None:
        index = self._deck.index
        if index is not None:
            times = np.array([start_s - _AROUND_S, end_s + _AROUND_S]) * US_PER_S
            first, last = np.searchsorted(index.time_us, times).tolist()
            self._deck.playhead.play_loop(first, max(first, last - 1))

    # --- incidents --------------------------------------------------------------------------------------------------

    def _now_s(self) -> float | None:
        index = self._deck.index
        return float(index.time_us[self._deck.frame]) / US_PER_S if index is not None else None

    def set_in(self) -> None:
        """An incident begins at the shown frame."""
        self._in_s = self._now_s()
        self.mark_in.setText("In" if self._in_s is None else f"In {clock_text(self._in_s * 1e6)}")

    def set_out(self) -> None:
        """The incident that was begun ends at the shown frame."""
        now = self._now_s()
        if self._in_s is not None and now is not None:
            self._mark(self._in_s, now)
            self._in_s = None
            self.mark_in.setText("In")

    def _mark(self, start_s: float, end_s: float) -> None:
        recording, view_id = self._deck.recording, self._session.view_id
        if recording is not None:
            self._session.do(
                f"Mark incident at {clock_text(min(start_s, end_s) * 1e6)}",
                lambda site: marking.mark_incident(site, view_id, recording.id, start_s, end_s),
            )

    def mark_span(self, start_s: float, end_s: float) -> None:
        """Mark an incident over a stretch that was dragged on the trace."""
        self._mark(start_s, end_s)

    def _on_incident(self, item: QListWidgetItem) -> None:
        recording, place = self._deck.recording, self.incidents.row(item)
        if recording is not None and place < len(recording.truth.incidents):
            held = recording.truth.incidents[place]
            self._play(held.start_s, held.end_s)

    def _ask_name(self, item: QListWidgetItem) -> None:
        recording, place, view_id = self._deck.recording, self.incidents.row(item), self._session.view_id
        if recording is None or place >= len(recording.truth.incidents):
            return
        before = recording.truth.incidents[place].name
        name, given = QInputDialog.getText(self, "Name the incident", "Name:", text=before)
        if given and name.strip():
            self._session.do(
                f"Name incident {name.strip()}",
                lambda site: marking.change_incident(site, view_id, recording.id, place, name=name.strip()),
            )

    def remove_incident(self) -> None:
        """Take the current incident off."""
        recording, place, view_id = self._deck.recording, self.incidents.currentRow(), self._session.view_id
        if recording is not None and 0 <= place < len(recording.truth.incidents):
            self._session.do(
                f"Take off {recording.truth.incidents[place].name}",
                lambda site: marking.remove_incident(site, view_id, recording.id, place),
            )

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Delete and self.incidents.hasFocus():
            self.remove_incident()
        else:
            super().keyPressEvent(event)

    def _on_complete(self, checked: bool) -> None:
        recording, view_id = self._deck.recording, self._session.view_id
        if recording is not None:
            name = "All incidents are marked" if checked else "Not all incidents are marked"
            self._session.do(name, lambda site: marking.set_complete(site, view_id, recording.id, checked))

    # --- quiet stretches --------------------------------------------------------------------------------------------

    def _on_quiet(self, item: QListWidgetItem) -> None:
        held: Suspect = item.data(Qt.ItemDataRole.UserRole)
        self._play(held.start_s, held.end_s)

    def _note_looked(self, frame: int) -> None:
        """Keep which frames were on show, so that it can be said how much was looked at."""
        index, recording = self._deck.index, self._deck.recording
        if index is None or recording is None:
            return
        seen = self.looked_at.get(recording.id)
        if seen is None or len(seen) != index.frames:
            seen = self.looked_at[recording.id] = np.zeros(index.frames, bool)
        seen[frame] = True
        if self.isVisible():
            self.watched.setText(f"looked at {100 * seen.mean():.0f} %")

    # --- recordings -------------------------------------------------------------------------------------------------

    def _on_cell(self, row: int, column: int) -> None:
        recordings = self._session.view.recordings
        if row < len(recordings) and column < HOURS_COLUMN:
            self._deck.put_on(recordings[row])

    def _ask_hours(self, row: int, column: int) -> None:
        recordings = self._session.view.recordings
        if row >= len(recordings) or column != HOURS_COLUMN:
            return
        held, view_id = recordings[row], self._session.view_id
        hours, given = QInputDialog.getDouble(
            self,
            "Hours a day",
            f"For how many hours of a day does {held.path} stand?",
            held.hours_per_day or 6.0,
            0.1,
            24.0,
            1,
        )
        if given:
            self._session.do(
                f"{held.path} stands for {hours:g} h a day",
                lambda site: edits.change_recording(site, view_id, held.id, hours_per_day=hours),
            )
