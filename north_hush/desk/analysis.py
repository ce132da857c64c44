"""All recordings of the view are analysed: the one that is on first, the others one behind the other."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal

from north_hush.core.errors import HushError
from north_hush.core.evaluate.recordings import indexed_evidence, options_of
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.index import FrameIndex
from north_hush.core.site.recording import Recording
from north_hush.core.words import tr
from north_hush.desk.deck import Deck
from north_hush.desk.session import Session
from north_hush.desk.workers.background import Background
from north_hush.desk.workers.passes import EvidencePass

_CALM_MS = 300

_Key = tuple[object, ...]


class Analysis(QObject):
    """Makes the passes that are missing, and tells how far the one that runs is."""

    progressed = Signal(str, float, float)
    """Which recording, by its name and its place among all, the share that is done, and seconds left (below 0: not known)."""
    ended = Signal()
    """No pass runs any more."""
    analysed = Signal()
    """Another recording than the one that is on has been analysed."""

    def __init__(self, session: Session, deck: Deck, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session, self._deck = session, deck
        self._background = Background(("look",), self)
        self._known: set[_Key] = set()
        """Recordings that are analysed, or cannot be."""
        self._pass: EvidencePass | None = None
        self._stopped: tuple[_Key, ...] | None = None
        """The recordings of the view when somebody said stop; others start it again."""
        self._calm = QTimer(self, singleShot=True, interval=_CALM_MS)
        self._calm.timeout.connect(self._go_on)
        for changed in (session.changed, session.view_changed, deck.pass_ended, deck.evidence_changed):
            changed.connect(self._calm.start)
        self._deck_failed = False
        deck.recording_changed.connect(self._give_way)
        deck.failed.connect(self._on_deck_failed)
        deck.pass_progressed.connect(self._tell_deck)
        deck.pass_ended.connect(self._tell_end)

    @property
    def settled(self) -> bool:
        """True when nothing is left to be done."""
        return self._background.idle and self._pass is None and not self._calm.isActive()

    def stop(self) -> None:
        """Analyse nothing more until the view has other recordings."""
        self._stopped = tuple(self._session.evidence_name(held) for held in self._session.view.recordings)
        self._deck.passes.cancel()
        self._cancel()

    def close(self) -> None:
        """End what runs."""
        self._cancel(wait=True)
        self._background.close()

    # --- work -------------------------------------------------------------------------------------------------------

    def _give_way(self) -> None:
        """The recording that was put on goes first: what runs for another is begun anew later."""
        self._deck_failed = False
        self._cancel()
        self._calm.start()

    def _on_deck_failed(self, _: HushError) -> None:
        self._deck_failed = True
        self._calm.start()

    def _cancel(self, *, wait: bool = False) -> None:
        self._background.drop()
        if self._pass is not None:
            running, self._pass = self._pass, None
            running.cancel()
            if wait:
                running.wait_for_end()
            self._tell_end()

    def _go_on(self) -> None:
        """Begin with the next recording that is not analysed, unless another pass runs."""
        view, on = self._session.view, self._deck.recording
        recordings = view.recordings
        if self._stopped is not None and self._stopped != tuple(
            self._session.evidence_name(held) for held in recordings
        ):
            self._stopped = None
        evidence = self._deck.evidence
        busy = self._pass is not None or self._deck.passes.running is not None or not self._background.idle
        at_rest = on is None or self._deck_failed or (evidence is not None and evidence.whole)
        if busy or self._stopped is not None or not at_rest:
            return
        named = self._session.evidence_name
        todo = (held for held in recordings if named(held) not in self._known and (on is None or held.id != on.id))
        found = next(todo, None)
        if found is not None:
            path = self._session.path
            self._background.order(
                "look",
                lambda: indexed_evidence(view, found, path, lean=True),
                lambda looked: self._begin(found, *looked),
                lambda error: self._failed(found, error),
            )

    def _begin(self, recording: Recording, index: FrameIndex, evidence: Evidence | None) -> None:
        if evidence is not None:
            self._known.add(self._session.evidence_name(recording))
            self._go_on()
            return
        options = options_of(self._session.view, recording, index, self._session.path)
        self._pass = EvidencePass(index.footage, options, self)
        self._pass.progressed.connect(lambda share, left_s: self._tell(recording, share, left_s))
        self._pass.done.connect(lambda *_: self._done(recording))
        self._pass.failed.connect(lambda error: self._failed(recording, error))
        self._tell(recording, 0.0, -1.0)

    def _done(self, recording: Recording) -> None:
        self._end(recording)
        self.analysed.emit()

    def _failed(self, recording: Recording, error: HushError) -> None:
        """Say which one it is, and go on with the rest."""
        self._end(recording)
        self._session.failed.emit(error)

    def _end(self, recording: Recording) -> None:
        self._known.add(self._session.evidence_name(recording))
        self._pass = None
        self._tell_end()
        self._calm.start()

    # --- telling ----------------------------------------------------------------------------------------------------

    def _tell_deck(self, share: float, left_s: float) -> None:
        if self._deck.recording is not None:
            self._tell(self._deck.recording, share, left_s)

    def _tell(self, recording: Recording, share: float, left_s: float) -> None:
        recordings = self._session.view.recordings
        place = next((place for place, held in enumerate(recordings, 1) if held.id == recording.id), 0)
        name = Path(recording.path).stem
        self.progressed.emit(
            tr("{name}, {place} of {count}", name=name, place=place, count=len(recordings))
            if len(recordings) > 1
            else name,
            share,
            left_s,
        )

    def _tell_end(self) -> None:
        if self._pass is None and self._deck.passes.running is None:
            self.ended.emit()
