"""Size marks from walkers: one press takes the heights of those who walked on the recording."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton

from north_hush.core.follow.walkers import Perspective
from north_hush.core.site.drawing import add_size_mark, remove_items
from north_hush.core.site.model import Site
from north_hush.core.words import tr
from north_hush.desk.deck import Deck
from north_hush.desk.session import Session
from north_hush.desk.workers.background import Background
from north_hush.desk.workers.scheduler import Urgency

NAMES = (tr("Walkers far"), tr("Walkers near"))


class WalkerMarks(QPushButton):
    """Measures in the background; what it found, or why nothing, is told in a sentence."""

    told = Signal(str)

    def __init__(self, session: Session, deck: Deck) -> None:
        super().__init__(
            tr("From walkers"), toolTip=tr("Size marks from the heights of those who walked on this recording")
        )
        self._session, self._deck = session, deck
        self._background = Background(("walkers",), self, Urgency.LATER)
        self.clicked.connect(self.measure)

    def close_worker(self) -> None:
        """End the thread."""
        self._background.close()

    @property
    def settled(self) -> bool:
        """True when nothing is waiting or running."""
        return self._background.idle

    def measure(self) -> None:
        """Look who walked."""
        evidence, plan, evaluator = self._deck.evidence, self._session.view.plan, self._deck.evaluator
        if evidence is None or not evidence.whole:
            self.told.emit(tr("Who walked is known once the recording is analysed."))
            return
        view_id = self._session.view_id
        self.told.emit(tr("Following who walked…"))
        self._background.order(
            "walkers",
            lambda: evaluator.perspective(evidence, plan),
            lambda found: self._take(found, view_id),
            self._session.failed.emit,
        )

    def _take(self, found: Perspective | None, view_id: str) -> None:
        evidence = self._deck.evidence
        if evidence is None or view_id != self._session.view_id:
            return
        marks = found.marks(evidence.grid) if found is not None else ()
        if found is None or not marks:
            self.told.emit(tr("Too few walked upright and far enough on this recording to tell how tall people are."))
            return

        def edit(site: Site) -> Site:
            old = [mark.id for mark in site.view(view_id).size_marks if mark.name in NAMES]
            site = remove_items(site, view_id, old)
            for name, (foot, height) in zip(NAMES, marks, strict=False):
                site = add_size_mark(site, view_id, foot, height, name)
            return site

        self._session.do(tr("Size marks from walkers"), edit)
        self.told.emit(
            tr(
                "From {walkers} who walked; half of their heights lie within {spread:.0f} % of it. "
                "In Draw, the ghost at the mouse is as tall.",
                walkers=found.walkers,
                spread=100 * found.spread,
            )
        )
