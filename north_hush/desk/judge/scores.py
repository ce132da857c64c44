"""Scores of all recordings of the view that are analysed, kept up to date with the settings."""

from __future__ import annotations

import time
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from datetime import datetime

from PySide6.QtCore import QObject, QTimer, Signal

from north_hush.core.advise.aim import Case
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.errors import EvidenceError, HushError
from north_hush.core.evaluate.armed import Armed, armed_evidence, armed_over, armed_truth
from north_hush.core.evaluate.evaluation import Evaluation
from north_hush.core.evaluate.recordings import indexed_evidence
from north_hush.core.evaluate.sensed import Sensed, sensed_over
from north_hush.core.evaluate.switched import searched_over, settings_over
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.index import FrameIndex
from north_hush.core.judge.rates import day_of
from north_hush.core.judge.score import Score, summed
from north_hush.core.judge.when import Taken
from north_hush.core.scene.plan import Plan
from north_hush.core.site.model import View
from north_hush.core.site.recording import Recording
from north_hush.desk.deck import Deck
from north_hush.desk.evaluating import REST_MS
from north_hush.desk.judge.words import rates_text
from north_hush.desk.session import Session
from north_hush.desk.workers.background import Background
from north_hush.desk.workers.preparation import Preparation

_WAIT_MS = 250
_SLOW_S = 2.0
_LONGEST_AHEAD_MS = 100
"""The most that the rest of the window waits for a score that takes longer."""


@dataclass(frozen=True, eq=False)
class Standing:
    """A recording and its score; None while it is not analysed.

    Attributes
    ----------
    found : what the settings raise on it
    taken_at : when its first frame was taken, where that is known
    """

    recording: Recording
    found: Evaluation | None = None
    taken_at: datetime | None = None
    index: FrameIndex | None = None

    @property
    def score(self) -> Score | None:
        """Its score; None while it is not analysed."""
        return self.found.score if self.found is not None else None

    def items(self, items: Iterable[str]) -> dict[str, Score]:
        """The score of each of some items alone."""
        return self.found.item_scores(items) if self.found is not None else {}

    def taken(self) -> Taken | None:
        """Its alarms and when it was taken; None where that is not known."""
        found = self.found
        if self.taken_at is None or found is None:
            return None
        return Taken(self.taken_at, found.evidence.duration_s, list(zip(found.spans, found.worths, strict=True)))


class Scores(QObject):
    """Evaluates every analysed recording of the view, in the background, the newest order first."""

    changed = Signal()

    def __init__(self, session: Session, deck: Deck, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session, self._deck = session, deck
        self._background = Background(("scores", "tables", "let go", "keep"), self)
        self._preparation = Preparation(self._background, "tables", self._session.failed.emit, self)
        self._known: dict[tuple[object, ...], tuple[FrameIndex, Evidence | None] | None] = {}
        self._key: object = None
        self._slow = self._hurried = False
        self.standings: list[Standing] = []
        self.total, self.rates = Score(), ""
        self._rest = QTimer(self, singleShot=True, interval=REST_MS)
        self._rest.timeout.connect(self._keep)
        self._wait = QTimer(self, singleShot=True, interval=_WAIT_MS)
        self._wait.timeout.connect(self.follow)
        deck.lanes_changed.connect(self.follow_soon)
        deck.evidence_changed.connect(self._forget_unknown)
        session.view_changed.connect(self.follow_soon)
        session.changed.connect(self.follow_soon)

    def look_again(self) -> None:
        """Another recording has been analysed: score it too."""
        self._forget_unknown()
        self._key = None
        self.follow_soon()

    def _forget_unknown(self) -> None:
        """A pass has ended: what was not analysed may be now, and what was let go may be there again."""
        self._known = {
            key: held for key, held in self._known.items() if held is not None and held[1] is not None and held[1].whole
        }

    def hurry(self, *, on: bool) -> None:
        """Follow at once, as long as the score is what is looked at; else when nothing has changed for a moment."""
        self._hurried = on
        self.follow_soon()

    def follow_soon(self) -> None:
        """Evaluate again, at once or in a moment."""
        if self._hurried:
            self._wait.stop()
            self.follow()
        else:
            self._wait.start()

    def follow(self) -> None:
        """Evaluate again when settings, drawings or truth are other ones."""
        view, on = self._session.view, self._deck.evidence
        switched = (view.by_hours, view.tunings) if view.by_hours else None
        hours = (view.hours, view.item_hours, self._session.site.clock, switched)
        key = (
            view.plan,
            view.tuning.settings,
            view.recordings,
            view.sensors,
            hours,
            tuple(self._known),
            on.key if on is not None else "",
        )
        if key == self._key:
            return
        self._key = key
        if (
            self._slow and not self._hurried
        ):  # hours of footage are scored where the score is looked at, not at every turn
            before, self.standings = self.standings, []
            self._key, self.total, self.rates = None, Score(), ""
            self.changed.emit()
            self._let_go(before)
            return
        self._background.order("scores", lambda: self._evaluate(view), self._take, self._session.failed.emit)

    def _evaluate(self, view: View) -> tuple[list[Standing], Score, str]:
        """Standings of all recordings, the score of them together, and its rates in words."""
        for recording in view.recordings:
            self._known_of(recording)  # read once; only what every turn costs counts as slow
        began = time.monotonic()
        found = list(self._standings(view))
        self._slow = time.monotonic() - began > _SLOW_S
        scored = [(held.score, held.recording.hours_per_day) for held in found if held.score is not None]
        parts = [score for score, _ in scored]
        return found, summed(parts), rates_text(parts, day_of(scored))

    def _standings(self, view: View) -> Iterator[Standing]:
        for recording in view.recordings:
            index, evidence = self._known_of(recording) or (None, None)
            if index is None or evidence is None:
                yield Standing(recording)
                continue
            site = self._session.site
            began = recording.began(index, site.zone)
            at = None if began is None else began.astimezone(site.zone)
            armed = armed_over(site, view, recording, index)
            settings = settings_over(site, view, recording, index)
            sensed = sensed_over(view, recording, index, evidence)
            try:
                found = self._evaluated(recording, evidence, view.plan, settings, armed, sensed)
            except EvidenceError:
                if evidence.whole:
                    raise
                found = None  # what is left of it does not tell
            yield Standing(recording, found, at, index)

    def _evaluated(
        self,
        recording: Recording,
        evidence: Evidence,
        plan: Plan,
        settings: Mapping[str, ZoneSettings],
        armed: Armed | None,
        sensed: Sensed | None,
    ) -> Evaluation:
        """What the settings raise on a recording. The deck holds the one that is on; of the others no channel is held on to
        beyond what the memo keeps."""
        on = self._deck.evidence
        held = on if on is not None and on.whole and on.key == evidence.key else evidence
        found = self._deck.evaluator.evaluate(held, plan, settings, recording.truth, armed, sensed)
        _ = found.score, found.worths  # worked out here, not in the window's thread
        return found

    def _prepare(self) -> None:
        """Prepare the next turn for the recordings that are not on, while nothing else is asked."""
        view, on = self._session.view, self._deck.evidence
        known = [self._known.get(self._session.evidence_name(recording)) for recording in view.recordings]
        evidences = [held[1] for held in known if held is not None and held[1] is not None and held[1].whole]
        others = [evidence for evidence in evidences if on is None or on.key != evidence.key]
        self._preparation.begin(self._deck.evaluator, others, view.plan, view.tuning.settings, deflate=True)

    def _known_of(self, recording: Recording) -> tuple[FrameIndex, Evidence | None] | None:
        on = self._deck.recording
        if (
            on is not None and on.id == recording.id
        ):  # it is indexed already, or is just being: that of a day takes seconds
            held = self._deck.known
            return held[1:] if held is not None and held[0] == recording.id else None
        key = self._session.evidence_name(recording)
        if key not in self._known:
            try:
                self._known[key] = indexed_evidence(self._session.view, recording, self._session.path, lean=True)
            except HushError:
                self._known[key] = None
        return self._known[key]

    def cases(self) -> list[Case]:
        """Analysed recordings of the view as a search takes them; may be called in another thread."""
        view, found = self._session.view, []
        for recording in view.recordings:
            index, evidence = self._known_of(recording) or (None, None)
            if index is None or evidence is None or not evidence.whole:
                continue
            truth, armed = recording.truth, searched_over(self._session.site, view, recording, index)
            if armed is not None:
                evidence, truth = armed_evidence(evidence, armed), armed_truth(truth, armed)[0]
            found.append(Case(recording.path, evidence, truth, recording.hours_per_day, recording.light))
        return found

    def close(self) -> None:
        """End the thread."""
        self._rest.stop()
        self._background.close()

    def ahead_ms(self) -> int:
        """For how long at most what takes long to paint should let the score go first; 0 where none is on its way, or it is
        not what is looked at."""
        return 0 if not self._hurried or self._background.idle else _LONGEST_AHEAD_MS

    @property
    def settled(self) -> bool:
        """True when nothing is waiting or running."""
        return self._background.idle and not self._wait.isActive() and not self._preparation.waiting

    def _take(self, found: tuple[list[Standing], Score, str]) -> None:
        before = self.standings
        self.standings, self.total, self.rates = found
        self.changed.emit()
        self._prepare()
        self._rest.start()
        self._let_go(before)

    def _keep(self) -> None:
        """What is found is kept beside the evidence of each recording."""
        evaluator, found = self._deck.evaluator, [held.found for held in self.standings if held.found is not None]

        def work() -> None:
            for one in found:
                evaluator.keep(one)

        self._background.order("keep", work, lambda _: None, self._session.failed.emit)

    def _let_go(self, standings: list[Standing]) -> None:
        """Take standings apart in the background: those of many recordings hold thousands of lanes."""
        if standings:
            self._background.order("let go", standings.clear, lambda _: None, self._session.failed.emit)
