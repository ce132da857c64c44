"""How well the camera sees in the recording that is on: when it was blind, and whether what is drawn still lies right."""

from __future__ import annotations

from datetime import datetime
from functools import partial

from PySide6.QtCore import QObject, Signal

from north_hush.core.evaluate.blind import blind_told
from north_hush.core.footage.stamps import clock_text
from north_hush.core.sight.sight import Blind
from north_hush.core.sight.turns import turns_left
from north_hush.core.site import drawing, seeing
from north_hush.core.words import tr
from north_hush.desk.deck import Deck
from north_hush.desk.session import Session
from north_hush.desk.workers.background import Background
from north_hush.desk.workers.scheduler import Urgency


class SightNow(QObject):
    """Looks once the evidence is whole, and again when rules change."""

    changed = Signal()

    def __init__(self, session: Session, deck: Deck, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session, self._deck = session, deck
        self._work = Background(("blind",), self, Urgency.LATER)
        self._wanted: tuple[object, ...] = ()
        self._turn: Blind | None = None
        self.blinds: list[Blind] = []
        """In order of time."""
        for told in (deck.evidence_changed, deck.recording_changed, deck.opened, session.changed, session.view_changed):
            told.connect(self.refresh)

    def close(self) -> None:
        """End the thread."""
        self._work.close()

    @property
    def turn(self) -> Blind | None:
        """The first turn of the camera after which nobody has confirmed or shifted what is drawn; None without any drawing."""
        recording = self._deck.recording
        if recording is None or not self._session.view.items:
            return None
        held = next((one for one in self._session.view.recordings if one.id == recording.id), recording)
        return next(iter(turns_left(self.blinds, held.settled_turns_us)), None)

    @property
    def warning(self) -> str:
        """What every zone says while that is so; '' while all lies right."""
        turn = self.turn
        return "" if turn is None else tr("camera turned at {time}", time=clock_text(turn.start_us))

    def refresh(self) -> None:
        """Look at the recording that is on."""
        evidence, view, clock, began = self._deck.evidence, self._session.view, self._session.site.clock, self._began
        whole = evidence is not None and evidence.whole
        rules = view.sight_rules
        hours = (clock, began) if any(rule.hours for rule in rules.values()) else None
        wanted = (evidence.key if evidence is not None and whole else "", tuple(sorted(rules.items())), hours)
        if wanted != self._wanted:
            self._wanted = wanted
            self._work.drop()
            self._take([])
            if evidence is not None and whole:
                work = partial(blind_told, evidence, rules, clock, began)
                self._work.order("blind", work, self._take, self._session.failed.emit)
        elif self.turn != self._turn:
            self._take(self.blinds)

    @property
    def _began(self) -> datetime | None:
        recording, index = self._deck.recording, self._deck.index
        return None if recording is None or index is None else recording.began(index, self._session.site.zone)

    def _take(self, found: list[Blind]) -> None:
        self.blinds = found
        self._turn = self.turn
        self.changed.emit()

    # --- what is done about a turn ----------------------------------------------------------------------------------

    def shift(self, turn: Blind) -> None:
        """Move the drawing as the picture moved; locked items stay, and what would leave the picture goes as far as its edge."""
        recording, view_id = self._deck.recording, self._session.view_id
        if recording is not None:
            ids = [item.id for item in self._session.view.items]
            self._session.do(
                tr("Shift the drawing"),
                lambda site: drawing.move_items(
                    seeing.settle_turn(site, view_id, recording.id, turn.start_us), view_id, ids, *turn.moved
                ),
            )

    def confirm(self, turn: Blind) -> None:
        """What is drawn fits as it is."""
        recording, view_id = self._deck.recording, self._session.view_id
        if recording is not None:
            self._session.do(
                tr("The drawing fits"), lambda site: seeing.settle_turn(site, view_id, recording.id, turn.start_us)
            )
