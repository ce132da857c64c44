"""Find quiet settings: a search in the background, and what it proposes, each with its price."""

from __future__ import annotations

import threading
from collections.abc import Callable

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QProgressBar, QPushButton, QVBoxLayout, QWidget

from north_hush.core.advise.aim import FORMULA
from north_hush.core.advise.search import Proposal, Search
from north_hush.core.detect.dials import DIALS
from north_hush.core.errors import HushError
from north_hush.core.judge.score import Score, summed
from north_hush.core.site import edits
from north_hush.core.site.model import Site
from north_hush.core.words import begun, tr
from north_hush.desk.comparison import Comparison
from north_hush.desk.judge.dials import FreeDials
from north_hush.desk.judge.scores import Scores
from north_hush.desk.look.panel import muted, wrapped
from north_hush.desk.session import Session
from north_hush.desk.workers.background import Background
from north_hush.desk.workers.scheduler import Urgency

_LABELS = {dial.field: dial for dial in DIALS}


class ProposalBox(QWidget):
    """A button, a bar while it works, and a row for each proposal."""

    progressed = Signal(float)
    found = Signal()

    def __init__(self, session: Session, scores: Scores, comparison: Comparison, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._scores, self._comparison = session, scores, comparison
        self._background = Background(("search",), self, Urgency.LATER)
        self._stop = threading.Event()
        self.proposals: list[Proposal] = []
        self.start = QPushButton(tr("Find quiet settings"))
        self.start.setToolTip(
            tr("Search the dials of all items over all analysed recordings. What is made small, for each item: ")
            + FORMULA
        )
        self.start.clicked.connect(self.begin)
        self.bar = QProgressBar(maximum=1000, textVisible=False)
        self.bar.setAccessibleName(tr("Search"))
        self.bar.setFixedHeight(6)
        self.cancel = QPushButton(tr("Cancel"))
        self.cancel.setToolTip(tr("Stop the search"))
        self.cancel.clicked.connect(self.stop)
        self.said = wrapped(muted(""))
        self.dials = FreeDials(session)
        self.map = QPushButton(tr("Map"))
        self.map.setToolTip(
            tr("Response map: unwanted alarms and missed incidents at every pair of values of two dials")
        )
        row = QHBoxLayout()
        row.addWidget(self.start, 1)
        row.addWidget(self.dials)
        row.addWidget(self.map)
        row.addWidget(self.bar, 1)
        row.addWidget(self.cancel)
        self._rows = QVBoxLayout()
        self._rows.setSpacing(8)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addLayout(row)
        column.addWidget(self.said)
        column.addLayout(self._rows)
        self.progressed.connect(lambda share: self.bar.setValue(round(1000 * share)))
        self._show_working(working=False)
        self._say("")
        session.view_changed.connect(self._clear)

    @property
    def settled(self) -> bool:
        """True when no search runs."""
        return self._background.idle

    def close_worker(self) -> None:
        """Stop a search and end the thread."""
        self.stop()
        self._background.close()

    def _show_working(self, *, working: bool) -> None:
        self.bar.setVisible(working)
        self.cancel.setVisible(working)
        for button in (self.start, self.dials, self.map):
            button.setVisible(not working)

    def begin(self) -> None:
        """Search on all analysed recordings of the view."""
        view = self._session.view
        plan, present = view.plan, dict(view.tuning.settings)
        stop, free = threading.Event(), self.dials.free()
        self._stop = stop
        report: Callable[[float], None] = self.progressed.emit

        def work() -> list[Proposal]:
            cases = self._scores.cases()
            if not cases:
                raise HushError(tr("Find quiet settings"), tr("has no analysed recording."), tr("Analyse one first."))
            if not any(case.truth.known for case in cases):
                raise HushError(
                    tr("Find quiet settings"),
                    tr("knows of no incident and no verdict."),
                    tr("Judge some alarms, or mark an incident."),
                )
            search = Search(cases, plan, present, free=free, cancelled=stop.is_set, report=report)
            return search.proposals()

        self._clear()
        self.bar.setValue(0)
        self._say(tr("Searching. Made small for each item: {formula}", formula=FORMULA))
        self._show_working(working=True)
        self._background.order("search", work, self._take, self._failed)

    def stop(self) -> None:
        """Stop the search; what was found until then is shown."""
        self._stop.set()

    def _failed(self, error: HushError) -> None:
        self._show_working(working=False)
        self._say(str(error))

    def _say(self, text: str) -> None:
        self.said.setText(text)
        self.said.setVisible(bool(text))

    def _clear(self) -> None:
        self.proposals = []
        self._say("")
        while (item := self._rows.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.setParent(None)
                widget.deleteLater()

    def _take(self, proposals: list[Proposal]) -> None:
        self._show_working(working=False)
        self._clear()
        self.proposals = proposals
        self._say("" if proposals else tr("Stopped before anything was found."))
        for proposal in proposals:
            self._rows.addWidget(self._row(proposal))
        self.found.emit()

    def _row(self, proposal: Proposal) -> QWidget:
        holder = QWidget()
        title = QLabel(f"{begun(proposal.aim.name)}: {proposal.aim.says}")
        title.setProperty("role", "title")
        held = proposal.score
        delay = sorted(held.delays_s)
        numbers = tr(
            "{met} of {incidents} met, {unwanted} unwanted, ",
            met=held.met,
            incidents=held.incidents,
            unwanted=held.unwanted,
        )
        numbers += tr("{value:.1f} % of quiet time in alarm", value=100 * (held.quiet_share or 0))
        if delay:
            numbers += tr(", delay {delay:.1f} s", delay=delay[len(delay) // 2])
        take = QPushButton(tr("Take"))
        take.setToolTip(self._tip(proposal))
        take.setAccessibleName(tr("Take {name}", name=proposal.aim.name))
        take.clicked.connect(lambda: self.take(proposal))
        top = QHBoxLayout()
        top.addWidget(wrapped(title), 1)
        top.addWidget(take)
        column = QVBoxLayout(holder)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addLayout(top)
        column.addWidget(wrapped(muted(numbers)))
        column.addWidget(
            wrapped(muted(tr("Turns {count} settings. Found on this footage; elsewhere:", count=len(proposal.changed))))
        )
        for line in check_lines(proposal):
            column.addWidget(wrapped(muted(line)))
        for warning in proposal.warnings[:4]:
            label = wrapped(QLabel(self._named(warning)))
            label.setProperty("role", "warning")
            column.addWidget(label)
        return holder

    def _tip(self, proposal: Proposal) -> str:
        lines = [
            f"{self._name(item)}: {_LABELS[name].label if name in _LABELS else name} {value:g}"
            if isinstance(value, int | float)
            else f"{self._name(item)}: {name} {value}"
            for item, name, value in proposal.changed[:16]
        ]
        return tr("The present settings are pinned first, so that the ledger tells what changed.\n") + "\n".join(lines)

    def _name(self, item: str) -> str:
        held = self._session.view.item(item)
        return held.name if held is not None else tr("Whole picture")

    def _named(self, warning: str) -> str:
        for watcher in self._session.view.watchers:
            warning = warning.replace(watcher.id, watcher.name)
        return warning[0].upper() + warning[1:] + "."

    def take(self, proposal: Proposal) -> None:
        """Pin the present settings and take the proposed ones, as one step."""
        view_id, tuning = self._session.view_id, self._session.view.tuning_in_use
        self._comparison.pin_present()

        def put(site: Site) -> Site:
            for item, settings in proposal.settings.items():
                site = edits.put_settings(site, view_id, tuning, item, settings)
            return site

        self._session.do(tr("Take {name} settings", name=proposal.aim.name), put)


def check_lines(proposal: Proposal) -> list[str]:
    """How the score stands on recordings left out of the search, together, and where the evidence is changed a little: the
    worst of these."""
    left_out = [held for held in proposal.checks if held.what.endswith("left out")]
    changed = [held for held in proposal.checks if held not in left_out]
    lines = []
    if left_out:
        lines.append(
            tr(
                "Each recording left out in turn: {check_text}",
                check_text=_check_text(summed(held.score for held in left_out)),
            )
        )
    if changed:
        worst = max(changed, key=lambda held: (len(held.score.missed_pairs), held.score.watched_s))
        lines.append(
            tr(
                "Worst where the evidence is changed a little ({what}): {check_text}",
                what=worst.what,
                check_text=_check_text(worst.score),
            )
        )
    return lines


def _check_text(held: Score) -> str:
    return tr(
        "{met} of {incidents} met, {unwanted} unwanted", met=held.met, incidents=held.incidents, unwanted=held.unwanted
    )
