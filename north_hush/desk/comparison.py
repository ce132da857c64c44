"""What the present settings are compared with: pinned settings, whose ledger is kept, and a second tuning beside them."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QObject, Signal

from north_hush.core.detect.replay import Lane
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.errors import HushError
from north_hush.core.judge.ledger import Ledger, ledger
from north_hush.core.judge.score import Score, score, spans_of
from north_hush.core.scene.plan import Plan
from north_hush.desk.deck import Deck
from north_hush.desk.session import Session
from north_hush.desk.workers.background import Background


@dataclass(frozen=True)
class Pin:
    """What was drawn and set when it was pinned."""

    view_id: str
    plan: Plan
    settings: dict[str, ZoneSettings]
    tuning: str


class Comparison(QObject):
    """Keeps the pin and the second tuning, and evaluates both on the recording that is on."""

    changed = Signal()

    def __init__(self, session: Session, deck: Deck, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session, self._deck = session, deck
        self._background = Background(("pinned", "beside"), self)
        self._bases: dict[str, object] = {"pinned": None, "beside": None}
        self._lanes: dict[str, list[Lane]] = {"pinned": [], "beside": []}
        self.pin: Pin | None = None
        self.beside = ""
        """Name of the tuning shown beside the one in use; '' for none."""
        self.ledger: Ledger | None = None
        deck.lanes_changed.connect(self._follow)
        deck.recording_changed.connect(self._drop)
        session.view_changed.connect(self.unpin)

    def pin_present(self) -> None:
        """Pin what is drawn and set now."""
        view = self._session.view
        self.pin = Pin(view.id, view.plan, dict(view.tuning.settings), view.tuning_in_use)
        self._follow()

    def unpin(self) -> None:
        """Let the pin go."""
        self.pin = None
        self._follow()

    def show_beside(self, tuning: str) -> None:
        """Show another tuning beside the one in use; '' shows none."""
        self.beside = tuning
        self._follow()

    def close(self) -> None:
        """End the thread."""
        self._background.close()

    @property
    def pinned_lanes(self) -> list[Lane]:
        """Lanes under the pinned settings; empty while nothing is pinned."""
        return self._lanes["pinned"]

    @property
    def beside_lanes(self) -> list[Lane]:
        """Lanes under the second tuning; empty while none is shown."""
        return self._lanes["beside"]

    def score_of(self, lanes: list[Lane]) -> Score | None:
        """Score of some lanes on the recording that is on, None without evidence."""
        evidence, recording = self._deck.evidence, self._deck.recording
        if evidence is None or recording is None:
            return None
        return score(spans_of(lanes, evidence.time_us), recording.truth, evidence.duration_s)

    def _drop(self) -> None:
        self._background.drop()
        for kind in self._bases:
            self._bases[kind], self._lanes[kind] = None, []
        self.ledger = None

    def _follow(self) -> None:
        """Evaluate what is out of date; the rest is only compared anew."""
        view = self._session.view
        names = [tuning.name for tuning in view.tunings]
        if self.beside not in names or self.beside == view.tuning_in_use:
            self.beside = ""
        pin = self.pin
        self._order("pinned", (pin.plan, pin.settings) if pin is not None else None)
        self._order("beside", (view.plan, view.tuning_named(self.beside).settings) if self.beside else None)
        self._compare()

    def _order(self, kind: str, what: tuple[Plan, dict[str, ZoneSettings]] | None) -> None:
        evidence = self._deck.evidence
        if what is None or evidence is None:
            self._bases[kind], self._lanes[kind] = None, []
            return
        plan, settings = what
        basis = (evidence.key, len(evidence.frames), plan, settings)
        if basis != self._bases[kind]:
            self._bases[kind] = basis
            self._background.order(
                kind,
                lambda: self._deck.replay.lanes(evidence, plan, settings),
                lambda lanes: self._take(kind, lanes),
                self._ignore,
            )

    def _take(self, kind: str, lanes: list[Lane]) -> None:
        if self._bases[kind] is not None:
            self._lanes[kind] = lanes
            self._compare()

    def _compare(self) -> None:
        evidence, recording = self._deck.evidence, self._deck.recording
        self.ledger = None
        if self.pin is not None and self.pinned_lanes and evidence is not None and recording is not None:
            pinned, now = (spans_of(lanes, evidence.time_us) for lanes in (self.pinned_lanes, self._deck.lanes))
            self.ledger = ledger(pinned, now, recording.truth)
        self.changed.emit()

    @property
    def settled(self) -> bool:
        """True when nothing is waiting or running."""
        return self._background.idle

    def _ignore(self, error: HushError) -> None:
        """The deck tells of evidence that cannot be read."""
