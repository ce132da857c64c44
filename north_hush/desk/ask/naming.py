"""Names who moved in an answer: a kind of one's own, by which what is alike is called from then on."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtWidgets import QInputDialog, QMenu, QPushButton, QWidget

from north_hush.core.scene.kind import Example, Taught
from north_hush.core.site import teaching
from north_hush.core.words import tr
from north_hush.desk.ask.asking import Found
from north_hush.desk.deck import Deck
from north_hush.desk.session import Session
from north_hush.desk.workers.background import Background


class NameButton(QPushButton):
    """Gives what moved in the current answer a name, or takes names away."""

    def __init__(
        self, session: Session, deck: Deck, current: Callable[[], Found | None], parent: QWidget | None = None
    ) -> None:
        super().__init__(tr("Name it"), parent)
        self.setToolTip(
            tr(
                "Give what moved here a name of its own, as “the ferry”: what is alike is called so, and can be reported alone, or not"
            )
        )
        self._session, self._deck, self._current = session, deck, current
        self._background = Background(("example",), self)
        self.setMenu(QMenu(self))
        self.menu().aboutToShow.connect(self._fill)

    @property
    def settled(self) -> bool:
        """True when nothing is waiting or running."""
        return self._background.idle

    def close_worker(self) -> None:
        """End the thread."""
        self._background.close()

    def refresh(self) -> None:
        """There must be somebody to name, or a name to take away."""
        self.setEnabled(self._nameable() is not None or bool(self._session.view.taught))

    def _nameable(self) -> Found | None:
        """The current answer, where it is of somebody who was followed on the recording that is on."""
        held, on = self._current(), self._deck.recording
        if held is None or held.answer.track is None or on is None or on.id != held.recording.id:
            return None
        return held if self._deck.evidence is not None else None

    def _fill(self) -> None:
        menu, taught, able = self.menu(), self._session.view.taught, self._nameable() is not None
        menu.clear()
        for held in taught:
            menu.addAction(held.name, partial(self.call, held.name)).setEnabled(able)
        menu.addAction(tr("A new name…"), self._ask_name).setEnabled(able)
        if taught:
            menu.addSeparator()
            forget = menu.addMenu(tr("Forget"))
            for held in taught:
                forget.addAction(held.name, partial(self._forget, held))

    def _ask_name(self) -> None:
        name, given = QInputDialog.getText(self, tr("A new name"), tr("What is it?"))
        if given:
            self.call(name)

    def call(self, name: str) -> None:
        """Call what moved in the current answer so."""
        held, evidence = self._nameable(), self._deck.evidence
        if held is None or evidence is None or held.answer.track is None:
            return
        evaluator, plan, track, recording = (
            self._deck.evaluator,
            self._session.view.plan,
            held.answer.track,
            held.recording,
        )
        self._background.order(
            "example",
            lambda: evaluator.example(evidence, plan, track, recording.id),
            partial(self._teach, held.view_id, name),
            self._session.failed.emit,
        )

    def _teach(self, view_id: str, name: str, example: Example | None) -> None:
        if example is not None:
            self._session.do(
                tr("Name {name}", name=name.strip()), lambda site: teaching.teach(site, view_id, name, example)
            )

    def _forget(self, held: Taught) -> None:
        view_id = self._session.view_id
        self._session.do(tr("Forget {name}", name=held.name), lambda site: teaching.forget_kind(site, view_id, held.id))
