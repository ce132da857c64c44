"""Puts a question to recordings, one after the other, and gathers the answers."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime

from PySide6.QtCore import QObject, Signal

from north_hush.core.ask.footage import ask_in_parts
from north_hush.core.ask.limits import NO_LIMITS, AskLimits, limited
from north_hush.core.ask.moves import Answer
from north_hush.core.ask.question import Question, checked
from north_hush.core.errors import HushError
from north_hush.core.evaluate.recordings import indexed_evidence
from north_hush.core.footage.index import FrameIndex
from north_hush.core.site.model import View
from north_hush.core.site.recording import Recording
from north_hush.desk.deck import Deck
from north_hush.desk.session import Session
from north_hush.desk.workers.asks import AskWork
from north_hush.desk.workers.background import Background

_BY_PICTURE = ("left", "taken")
_Told = tuple[datetime | None, list[Answer]]
"""When a recording began, and its answers."""


@dataclass(frozen=True)
class Found:
    """An answer, of which view and recording it is, and when that began, where it is known."""

    view_id: str
    recording: Recording
    answer: Answer
    began: datetime | None = None


class Asking(QObject):
    """Answers what moves from tracks in a thread; about things, whose pictures are looked at, in a child process."""

    changed = Signal()
    ended = Signal()

    def __init__(self, session: Session, deck: Deck, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session, self._deck = session, deck
        self._background = Background(("ask",), self)
        self._child: AskWork | None = None
        self._told: list[Answer] = []
        """What a child found and nobody has taken yet."""
        self._question: Question | None = None
        self._limits = NO_LIMITS
        self._todo: list[tuple[View, Recording]] = []
        self.found: list[Found] = []
        self.asked, self.of, self.passed_over = 0, 0, 0

    @property
    def running(self) -> bool:
        """Whether an answer is waited for."""
        return self._question is not None

    @property
    def settled(self) -> bool:
        """True when nothing is waited for."""
        return not self.running and self._background.idle

    def ask(
        self, question: Question, recordings: Sequence[tuple[View, Recording]], limits: AskLimits = NO_LIMITS
    ) -> None:
        """Put a question to recordings; one that is asked already is left. Those of another light are not asked.

        Raises
        ------
        HushError : the question makes no sense.
        """
        checked(question)
        self.stop()
        self._question, self._limits = question, limits
        self._todo = [pair for pair in recordings if not limits.lights or pair[1].light in limits.lights]
        self.found, self.asked, self.of, self.passed_over = [], 0, len(self._todo), 0
        self._next()

    def stop(self) -> None:
        """Ask no further; the answers there are stay."""
        self._question, self._todo = None, []
        self._background.drop()
        self._told = []
        if self._child is not None:
            child, self._child = self._child, None
            child.cancel()

    def close(self) -> None:
        """End what runs."""
        child = self._child
        self.stop()
        if child is not None:
            child.wait_for_end()
        self._background.close()

    def _next(self) -> None:
        question = self._question
        if question is None:
            return
        if not self._todo:
            self._question = None
            self.changed.emit()
            self.ended.emit()
            return
        view, recording = self._todo.pop(0)
        if question.kind in _BY_PICTURE:
            self._child = AskWork(self._session.path, view, recording, question, self)
            self._child.part.connect(lambda answers: self._limit(view, recording, answers))
            self._child.done.connect(lambda: self._end_child(view, recording))
            self._child.failed.connect(self._fail)
            return
        self._background.order(
            "ask",
            lambda: self._parts(question, recording, view),
            lambda parts: self._go_on(view, recording, parts),
            self._fail,
        )

    def _limit(self, view: View, recording: Recording, answers: list[Answer]) -> None:
        """Leave out what is not wanted of what a child found by now; when the recording began is read in the thread."""
        self._told = told = [*self._told, *answers]

        def kept() -> _Told:
            index, _ = indexed_evidence(view, recording, self._session.path)
            return self._wanted(told, recording, index)

        def take(held: _Told) -> None:
            self._told = self._told[len(told) :]
            self._add(view, recording, held)
            if self._child is None:
                self._end_of_one()

        self._background.order("ask", kept, take, self._fail)

    def _end_child(self, view: View, recording: Recording) -> None:
        """Nothing more comes of a child: once what it told is taken, the next recording is asked."""
        self._child = None
        self._limit(view, recording, [])

    def _wanted(self, answers: list[Answer], recording: Recording, index: FrameIndex) -> _Told:
        site = self._session.site
        began = recording.began(index, site.zone)
        return began, limited(answers, self._limits, site.clock, recording.path, began)

    def _parts(self, question: Question, recording: Recording, view: View) -> Iterator[_Told] | None:
        """In the thread: answers from tracks, a few first; None while the recording is not analysed."""
        known = self._deck.known
        if known is not None and known[0] == recording.id:
            index, evidence = known[1:]
        else:
            index, stored = indexed_evidence(view, recording, self._session.path, lean=True)
            if stored is None:
                return None
            evidence = stored
        parts = ask_in_parts(question, index, evidence, view, self._deck.evaluator)
        return (self._wanted(found, recording, index) for found in parts)

    def _go_on(self, view: View, recording: Recording, parts: Iterator[_Told] | None) -> None:
        """Have the next part looked for, until there is none."""
        if parts is None:
            self.passed_over += 1
            self._end_of_one()
            return

        def gather(told: _Told | None) -> None:
            if told is None:
                self._end_of_one()
            else:
                self._add(view, recording, told)
                self._go_on(view, recording, parts)

        self._background.order("ask", lambda: next(parts, None), gather, self._fail)

    def _add(self, view: View, recording: Recording, told: _Told) -> None:
        began, answers = told
        self.found += [Found(view.id, recording, answer, began) for answer in answers]
        self.changed.emit()

    def _end_of_one(self) -> None:
        self.asked += 1
        self.changed.emit()
        self._next()

    def _fail(self, error: HushError) -> None:
        """Say which one it is, and go on with the rest."""
        self._child, self._told = None, []
        self.asked += 1
        self.passed_over += 1
        self._session.failed.emit(error)
        self._next()
