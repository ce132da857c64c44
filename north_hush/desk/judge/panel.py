"""Judge stage: verdicts on alarms, incidents, quiet stretches, the score of all recordings, and proposals."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QSignalBlocker, Qt, QTimer
from PySide6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QListWidgetItem,
    QPushButton,
    QTabWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from north_hush.core.advise.quiet import Suspect
from north_hush.core.footage.stamps import US_PER_S, clock_text
from north_hush.core.judge.matching import Span
from north_hush.core.scene.plan import watcher_id
from north_hush.core.site import marking
from north_hush.core.site.marking import Judgement
from north_hush.core.site.model import Site
from north_hush.core.words import tr
from north_hush.desk.comparison import Comparison
from north_hush.desk.cuttings import Cuttings
from north_hush.desk.deck import Deck
from north_hush.desk.judge.advice import AdviceBox
from north_hush.desk.judge.alarms import AlarmTree
from north_hush.desk.judge.device import DeviceMenu
from north_hush.desk.judge.incidents import IncidentList
from north_hush.desk.judge.judged import Judged
from north_hush.desk.judge.proposals import ProposalBox
from north_hush.desk.judge.quiet import QuietList
from north_hush.desk.judge.score_box import ScoreBox
from north_hush.desk.judge.scores import Scores
from north_hush.desk.judge.sheet import AlarmSheet
from north_hush.desk.judge.verdicts import VerdictRow
from north_hush.desk.judge.walks import Walks
from north_hush.desk.look.panel import muted, rule, stage_title, wrapped
from north_hush.desk.look.roles import Theme
from north_hush.desk.session import Session

_INCIDENTS_TAB = 1
_CALM_MS = 60
"""Lists follow when the alarms have not changed for so long."""
_AROUND_S = 2.0
"""An alarm is played with so much before and after it."""


class JudgePanel(QWidget):
    """Right panel of the Judge stage."""

    def __init__(
        self, session: Session, deck: Deck, comparison: Comparison, scores: Scores, cuttings: Cuttings, theme: Theme
    ) -> None:
        super().__init__()
        self._session, self._deck, self._comparison = session, deck, comparison
        self._in_s: float | None = None
        self._calm = QTimer(self, singleShot=True, interval=_CALM_MS)  # the score goes first
        self.looked_at: dict[str, NDArray[np.bool_]] = {}
        self.scores, self.theme = scores, theme
        self.score = ScoreBox(session, deck, self.scores, theme)
        self.proposals = ProposalBox(session, self.scores, comparison)
        self.verdicts = VerdictRow()
        self.alarms = AlarmTree(session, deck, cuttings)
        self.sheet = AlarmSheet(self.alarms, cuttings, self)
        self.incidents = IncidentList(session, deck)
        self.quiet = QuietList(session, deck)
        self.advice = AdviceBox(session, self.scores, comparison)
        self.walks = Walks(session, deck, self)
        self.walk_text = wrapped(muted(""))
        self.complete = QCheckBox(tr("All incidents of this recording are marked"))
        self.mark_in, self.mark_out, self.mark_walk = (QPushButton(text) for text in (tr("In"), tr("Out"), tr("Walk")))
        self.watched = muted("")
        self.device = DeviceMenu(session, deck, comparison)
        self._lay_out()
        self._connect()

    # --- make-up ----------------------------------------------------------------------------------------------------

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 12, 12, 8)
        column.setSpacing(6)
        top = QHBoxLayout()
        top.addWidget(stage_title(tr("Judge")), 1)
        top.addWidget(self.device)
        column.addLayout(top)
        for part in (self.score, self.proposals, rule(), self.verdicts):
            column.addWidget(part)
        self.tabs = QTabWidget(usesScrollButtons=False)
        known = QWidget()
        inside = QVBoxLayout(known)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(4)
        inside.addWidget(self.incidents, 1)
        inside.addWidget(self.walk_text)
        inside.addWidget(self.complete)
        inside.addWidget(self.watched)
        for widget, title in (
            (self.alarms, tr("Alarms")),
            (known, tr("Incidents")),
            (self.quiet, tr("Quiet")),
            (self.advice, tr("Advice")),
        ):
            self.tabs.addTab(widget, title)
        for scroller in self.tabs.tabBar().findChildren(QToolButton):  # Qt makes them, shown or not
            scroller.setToolTip(tr("More lists"))
            scroller.setAccessibleName(tr("More lists"))
        self.tabs.setMinimumHeight(180)
        column.addWidget(self.tabs, 1)
        self.walk_text.hide()
        marks = QHBoxLayout()
        marks.addWidget(muted(tr("Mark:")))
        for button, tip, act in (
            (self.mark_in, tr("An incident or a walk test begins at the shown frame  (I)"), self.set_in),
            (self.mark_out, tr("The incident ends at the shown frame  (O)"), self.set_out),
            (self.mark_walk, tr("It was a walk test, and ends at the shown frame  (Shift+O)"), self.set_walk),
        ):
            button.setToolTip(tip)
            button.clicked.connect(act)
            marks.addWidget(button)
        marks.addWidget(self.incidents.placing)
        marks.addStretch(1)
        column.addLayout(marks)
        self.complete.setToolTip(tr("Then every alarm that meets none of them is a nuisance, judged or not"))

    def _connect(self) -> None:
        session, deck = self._session, self._deck
        self.verdicts.judged.connect(self.judge)
        self.verdicts.sheet_wanted.connect(self.sheet.show)
        self.sheet.judged.connect(self.judge_alarms)
        self.sheet.picked.connect(lambda row: self._play(row.span.start_s, row.span.end_s))
        self.alarms.refreshed.connect(
            lambda: self.tabs.setTabText(0, tr("Alarms {count}", count=len(self.alarms.rows)))
        )
        self.alarms.moved_to.connect(self._on_alarm)
        self.incidents.played.connect(self._play)
        self.incidents.walk_chosen.connect(self.walks.show_walk)
        self.walks.changed.connect(self._show_walk_text)
        self.quiet.itemClicked.connect(self._on_quiet)
        self.quiet.itemActivated.connect(self._on_quiet)
        self.tabs.currentChanged.connect(lambda _: self.advice.follow())
        self.quiet.counted.connect(lambda count: self.tabs.setTabText(2, tr("Quiet {count}", count=count)))
        self.complete.toggled.connect(self._on_complete)
        deck.lanes_changed.connect(self._calm.start)
        deck.frame_changed.connect(self._note_looked)
        deck.recording_changed.connect(self._on_lanes)
        self._calm.timeout.connect(self._on_lanes)
        session.changed.connect(self._show_incidents)

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self.theme = theme
        self.score.dress(theme)

    def enter(self) -> None:
        """The stage is shown."""
        self.scores.hurry(on=True)
        self._on_lanes()

    def leave(self) -> None:
        """Another stage is shown."""
        self.incidents.end_placing()
        self.scores.hurry(on=False)
        self.walks.show_walk(None)
        self.advice.follow()

    def close_workers(self) -> None:
        """End what runs in the background."""
        for part in (self.score, self.quiet, self.advice, self.alarms, self.proposals, self.walks):
            part.close_worker()

    @property
    def settled(self) -> bool:
        """True when nothing is waiting or running."""
        parts = (self.scores, self.score, self.alarms, self.quiet, self.advice, self.proposals, self.walks)
        return all(part.settled for part in parts) and not self._calm.isActive()

    # --- what is shown ----------------------------------------------------------------------------------------------

    def _on_lanes(self) -> None:
        if not self.isVisible():
            return
        self.alarms.refresh()
        self._show_incidents()
        self.quiet.follow()

    def _show_incidents(self) -> None:
        on = self._deck.recording
        truth = next((held.truth for held in self._session.view.recordings if on and held.id == on.id), None)
        self.incidents.refresh()
        self.tabs.setTabText(_INCIDENTS_TAB, tr("Incidents {count}", count=self.incidents.count()))
        with QSignalBlocker(self.complete):
            self.complete.setChecked(truth is not None and truth.complete)

    def _show_walk_text(self) -> None:
        text = self.walks.text()
        self.walk_text.setText(text)
        self.walk_text.setVisible(bool(text))

    # --- verdicts ---------------------------------------------------------------------------------------------------

    def judge(self, judgement: Judgement) -> None:
        """Judge the selected alarms, or mark the selected quiet stretch as real, and go to the next."""
        if self.tabs.currentWidget() is self.quiet:
            held = self.quiet.suspect()
            if held is not None and judgement == "real":
                self._mark(held.start_s, held.end_s)
            return
        if self.judge_alarms(judgement, self.alarms.chosen()):
            self.alarms.go_next()

    def judge_alarms(self, judgement: Judgement, rows: list[Judged]) -> bool:
        """Judge some alarms in one step; False when nothing was changed. Nuisances judged together keep each its own
        cause, one alone takes the one that is chosen."""
        recording, view_id = self._deck.recording, self._session.view_id
        if recording is None or not rows:
            return False
        chosen, note = str(self.verdicts.cause.currentData()), self.verdicts.taken_note()
        what = (
            tr("{count} alarms", count=len(rows))
            if len(rows) > 1
            else tr("alarm at {clock_text}", clock_text=clock_text(rows[0].span.start_s * 1000000.0))
        )
        by_cause: dict[str, list[Judged]] = {}
        for row in rows:
            cause = "" if judgement != "nuisance" else row.cause if len(rows) > 1 else chosen
            by_cause.setdefault(cause, []).append(row)

        def put(site: Site) -> Site:
            for cause, held in by_cause.items():
                spans = [self._with_trail(row) if judgement == "real" else row.span for row in held]
                site = marking.judge(site, view_id, recording.id, spans, judgement, cause, note)
            return site

        done = self._session.do(tr("Judge {what}: {judgement}", what=what, judgement=judgement), put)
        if done:
            self.alarms.refresh()
        return done

    def _with_trail(self, row: Judged) -> Span:
        """An alarm with where it was, which becomes the place of its incident."""
        evidence, plan = self._deck.evidence, self._session.view.plan
        if evidence is None or all(watcher_id(held) != row.lane.zone_id for held in plan.watchers):
            return row.span
        return replace(row.span, trail=self._deck.evaluator.trail(evidence, plan, row.lane, row.alarm))

    def _on_alarm(self, row: Judged | None) -> None:
        """Play the alarm, a few seconds around it, over and over."""
        if row is None or self._deck.evidence is None or not self.isVisible():
            return
        self.verdicts.show_cause(row.cause)
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
        self.mark_in.setText(
            tr("In") if self._in_s is None else tr("In {clock_text}", clock_text=clock_text(self._in_s * 1000000.0))
        )

    def set_out(self) -> None:
        """The incident that was begun ends at the shown frame."""
        self._set_end(walk=False)

    def set_walk(self) -> None:
        """What was begun was a walk test, and ends at the shown frame."""
        self._set_end(walk=True)

    def _set_end(self, *, walk: bool) -> None:
        now = self._now_s()
        if self._in_s is not None and now is not None:
            self._mark(self._in_s, now, walk=walk)
            self._in_s = None
            self.mark_in.setText(tr("In"))

    def _mark(self, start_s: float, end_s: float, *, walk: bool = False) -> None:
        recording, view_id = self._deck.recording, self._session.view_id
        if recording is None:
            return
        mark, what = (marking.mark_walk, tr("walk test")) if walk else (marking.mark_incident, "incident")
        done = self._session.do(
            tr("Mark {what} at {clock_text}", what=what, clock_text=clock_text(min(start_s, end_s) * 1000000.0)),
            lambda site: mark(site, view_id, recording.id, start_s, end_s),
        )
        if done and walk:
            self.tabs.setCurrentIndex(_INCIDENTS_TAB)
            held = self.incidents.incidents
            newest = max((place for place, one in enumerate(held) if one.walk), key=lambda place: held[place].name)
            self.incidents.setCurrentRow(newest)

    def mark_span(self, start_s: float, end_s: float) -> None:
        """Mark an incident over a stretch that was dragged on the trace."""
        self._mark(start_s, end_s)

    def _on_complete(self, checked: bool) -> None:
        recording, view_id = self._deck.recording, self._session.view_id
        if recording is not None:
            name = tr("All incidents are marked") if checked else tr("Not all incidents are marked")
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
            self.watched.setText(tr("Looked at {mean:.0f} %", mean=100 * seen.mean()))
