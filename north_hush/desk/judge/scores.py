"""Scores of all recordings of the view that are analysed, kept up to date with the settings."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QObject, Signal

from north_hush.core.detect.replay import Replay
from north_hush.core.errors import HushError
from north_hush.core.footage.evidence import Evidence
from north_hush.core.judge.score import Score, score, spans_of
from north_hush.core.judge.search import Case
from north_hush.core.site.model import Recording, View
from north_hush.core.site.report import stored_evidence
from north_hush.desk.deck import Deck
from north_hush.desk.session import Session
from north_hush.desk.workers.background import Background


@dataclass(frozen=True, eq=False)
class Standing:
    """A recording and its score; None while it is not analysed."""

    recording: Recording
    score: Score | None


class Scores(QObject):
    """Evaluates every analysed recording of the view, in the background, the newest order first."""

    changed = Signal()

    def __init__(self, session: Session, deck: Deck, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session, self._deck = session, deck
        self._background = Background(("scores",), self)
        self._replay = Replay()
        self._evidence: dict[tuple[str, str], Evidence | None] = {}
        self._key: object = None
        self.standings: list[Standing] = []
        self.shown = False
        deck.lanes_changed.connect(self.follow)
        deck.evidence_changed.connect(self._on_evidence)
        session.view_changed.connect(self.follow)

    def show(self, shown: bool) -> None:
        """Work only while somebody looks."""
        self.shown = shown
        self.follow()

    def _on_evidence(self) -> None:
        """A pass has ended: what was not analysed may be now."""
        self._evidence = {key: held for key, held in self._evidence.items() if held is not None}

    def follow(self) -> None:
        """Evaluate again when settings, drawings or truth are other ones."""
        view = self._session.view
        key = (view.plan, view.tuning.settings, view.recordings, tuple(self._evidence))
        if not self.shown or key == self._key:
            return
        self._key = key
        self._background.order("scores", lambda: self._evaluate(view), self._take, self._ignore)

    def _evaluate(self, view: View) -> list[Standing]:
        found = []
        for recording in view.recordings:
            evidence = self._evidence_of(recording)
            if evidence is None:
                found.append(Standing(recording, None))
                continue
            lanes = self._replay.lanes(evidence, view.plan, view.tuning.settings)
            if self._deck.recording is None or recording.id != self._deck.recording.id:
                evidence.deflate()  # one recording's channel in memory at a time, beside the one that is on
            spans = spans_of(lanes, evidence.time_us)
            found.append(Standing(recording, score(spans, recording.truth, evidence.duration_s)))
        return found

    def _evidence_of(self, recording: Recording) -> Evidence | None:
        key = (recording.path, str(recording.orientation))
        if key not in self._evidence:
            try:
                self._evidence[key] = stored_evidence(recording, self._session.path)
            except HushError:
                self._evidence[key] = None
        return self._evidence[key]

    def cases(self) -> list[Case]:
        """Analysed recordings of the view as a search takes them; may be called in another thread."""
        view, found = self._session.view, []
        for recording in view.recordings:
            evidence = self._evidence_of(recording)
            if evidence is not None:
                found.append(Case(recording.path, evidence, recording.truth, recording.hours_per_day or 1.0))
        return found

    def close(self) -> None:
        """End the thread."""
        self._background.close()

    @property
    def settled(self) -> bool:
        """True when nothing is waiting or running."""
        return self._background.idle

    def _take(self, standings: list[Standing]) -> None:
        self.standings = standings
        self.changed.emit()

    def _ignore(self, error: HushError) -> None:
        """The deck tells of evidence that cannot be read."""
