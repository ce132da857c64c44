"""Playing goes on from one recording into the next, where they touch on the time line."""

from __future__ import annotations

from PySide6.QtCore import QObject

from north_hush.core.site.timeline import timeline_of
from north_hush.desk.deck import Deck
from north_hush.desk.session import Session


class PlayOn(QObject):
    """Puts the next recording on when one was played to its end, and plays it."""

    def __init__(self, session: Session, deck: Deck, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session, self._deck = session, deck
        self._next = ""
        deck.playhead.ended.connect(self._on_ended)
        deck.opened.connect(self._on_opened)

    def _on_ended(self) -> None:
        on = self._deck.recording
        piece = timeline_of(self._session.view.recordings).after(on.id) if on is not None else None
        held = next(
            (one for one in self._session.view.recordings if piece is not None and one.id == piece.recording), None
        )
        self._next = held.id if held is not None else ""
        if held is not None:
            self._deck.put_on(held)

    def _on_opened(self) -> None:
        on = self._deck.recording
        if on is not None and on.id == self._next:
            self._deck.playhead.play()
        self._next = ""
