"""The panel of the Ask stage: the question, where, how long, and its answers."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from north_hush.core.ask.limits import AskLimits
from north_hush.core.ask.question import KINDS, SECONDS, Kind, Question, checked
from north_hush.core.errors import HushError
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.site import drawing, marking
from north_hush.core.site.model import View
from north_hush.core.site.questions import KeptQuestion
from north_hush.core.site.recording import Recording
from north_hush.core.words import tr
from north_hush.desk.ask.asking import Asking, Found
from north_hush.desk.ask.course import AnswerCourse
from north_hush.desk.ask.kept import KeptButton
from north_hush.desk.ask.limits import LimitsBox
from north_hush.desk.ask.naming import NameButton
from north_hush.desk.ask.pictures import AnswerPictures
from north_hush.desk.ask.sketch import WHOLE, Sketch
from north_hush.desk.ask.words import answer_words, standing_words
from north_hush.desk.deck import Deck
from north_hush.desk.look.number import NumberBox
from north_hush.desk.look.panel import form_row, muted, rule, stage_title, wrapped
from north_hush.desk.session import Session

_QUESTIONS: dict[Kind, str] = {
    "moved": tr("Did anything move here?"),
    "passed": tr("Who passed here?"),
    "went": tr("Who went from here to there?"),
    "stayed": tr("Who stayed longer than …?"),
    "left": tr("Was something left here?"),
    "taken": tr("Was something taken from here?"),
    "nothing": tr("When did nothing happen for …?"),
}
_LEAST: dict[Kind, str] = {
    "moved": tr("Moved for at least"), "stayed": tr("Stayed at least"), "left": tr("Lay at least"), "taken": tr("Was gone at least"),
    "nothing": tr("Nothing for at least"),
}  # fmt: skip
_SITE, _VIEW, _RECORDING = "site", "view", "recording"
_LISTED_MOST = 1000
"""Nobody goes through more; where there are, the question is too wide."""
_AROUND_S = 2.0
"""An answer is played with so much before and after it."""


class AskPanel(QWidget):
    """Asks, lists the answers, and does with them what is wanted."""

    def __init__(self, session: Session, deck: Deck, sketch: Sketch, course: AnswerCourse) -> None:
        super().__init__()
        self._session, self._deck, self.sketch, self.course = session, deck, sketch, course
        self.asking = Asking(session, deck, self)
        self.question = QComboBox(toolTip=tr("What is asked"), accessibleName=tr("Question"))
        for kind in KINDS:
            self.question.addItem(_QUESTIONS[kind], kind)
        self.place = QPushButton(
            tr("Draw where"), toolTip=tr("Drag a box on the picture: the place that is asked about")
        )
        self.to = QPushButton(tr("Draw where to"), toolTip=tr("Drag a box on the picture: where somebody went to"))
        self.way = QPushButton(
            tr("Pull the way"), toolTip=tr("Pull an arrow on the picture: only who went that way counts")
        )
        self.whole = QPushButton(tr("Whole picture"), toolTip=tr("Ask about the whole picture, whichever way"))
        self.least = NumberBox(decimals=1, minimum=0.0, maximum=86_400.0, singleStep=1.0, suffix=" s")
        self.least.setAccessibleName(tr("Least time"))
        self.least.setToolTip(tr("What lasts less is no answer"))
        self.least_label = muted("")
        self.scope = QComboBox(toolTip=tr("Which footage is asked"), accessibleName=tr("Footage asked"))
        self.scope.addItem(tr("This recording"), _RECORDING)
        self.scope.addItem(tr("All of the view"), _VIEW)
        self.scope.addItem(tr("All views"), _SITE)
        self.limits = LimitsBox()
        self.kept = KeptButton(session, self._as_kept, self._ask_kept)
        self._going = False
        """True while an answer of another view is gone to."""
        self.start = QPushButton(tr("Ask"), toolTip=tr("Ask the footage; nothing has to be set up for it"))
        self.said = wrapped(muted(tr("Choose a question, draw where, and press Ask.")))
        self.answers = QListWidget(accessibleName=tr("Answers"))
        self.answers.setToolTip(tr("Click: go to it. Double click or Return: play it."))
        self.answers.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)  # the whole line is in its tip
        self.pictures = AnswerPictures(deck)
        self.mark = QPushButton(tr("Mark as incident"), toolTip=tr("It was real: what the alarms are held against"))
        self.zone = QPushButton(tr("Zone of it"), toolTip=tr("Make a zone of the place that was asked about"))
        self.name = NameButton(session, deck, self.current)
        self._lay_out()
        self._connect()
        self._on_question()

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 12)
        column.setSpacing(8)
        for part in (stage_title(tr("Ask")), self.question, _beside(self.place, self.to, self.way, self.whole)):
            column.addWidget(part)
        least = QHBoxLayout()
        least.addWidget(self.least_label, 1)
        least.addWidget(self.least)
        column.addLayout(least)
        column.addLayout(form_row(tr("In"), self.scope))
        column.addWidget(self.limits)
        for widget in (_beside(self.start, self.kept), self.said, rule()):
            column.addWidget(widget)
        column.addWidget(self.answers, 1)
        column.addWidget(self.pictures)
        acts = QHBoxLayout()
        acts.setSpacing(4)  # three of them must not widen the panel
        acts.addWidget(self.mark)
        acts.addWidget(self.zone)
        acts.addWidget(self.name)
        column.addLayout(acts)

    def _connect(self) -> None:
        sketch, asking = self.sketch, self.asking
        self.question.currentIndexChanged.connect(lambda _: self._on_question())
        self.place.clicked.connect(sketch.draw_place)
        self.to.clicked.connect(sketch.draw_to)
        self.way.clicked.connect(sketch.draw_way)
        self.whole.clicked.connect(sketch.whole)
        self.start.clicked.connect(self._start_or_stop)
        sketch.changed.connect(self._on_drawn)
        asking.changed.connect(self.refresh)
        asking.ended.connect(self._say)
        self.answers.currentRowChanged.connect(lambda _: self._show_answer())
        self.answers.itemActivated.connect(lambda _: self._play())
        self.mark.clicked.connect(self._mark)
        self.zone.clicked.connect(self._make_zone)
        self._deck.opened.connect(self._show_answer)
        self._session.view_changed.connect(self._forget)
        self._session.changed.connect(self._offer_kinds)
        self._session.view_changed.connect(self._offer_kinds)
        self._offer_kinds()

    def _offer_kinds(self) -> None:
        self.limits.offer(self._session.view.taught)

    def close_workers(self) -> None:
        """End what is under way."""
        self.asking.close()
        self.name.close_worker()
        self.course.close_worker()

    # --- asking -------------------------------------------------------------------------------------------------------

    @property
    def kind(self) -> Kind:
        """The kind of question that is chosen."""
        kind: Kind = self.question.currentData()
        return kind

    def _on_question(self) -> None:
        kind = self.kind
        self.to.setVisible(kind == "went")
        self.way.setVisible(kind == "passed")
        if kind != "went":
            self.sketch.to = ()
        if kind != "passed":
            self.sketch.way = None
        timed = kind in _LEAST
        self.least.setVisible(timed)
        self.least_label.setVisible(timed)
        self.least_label.setText(_LEAST.get(kind, ""))
        self.least.setValue(SECONDS[kind])
        self.sketch.changed.emit()

    def _on_drawn(self) -> None:
        sketch = self.sketch
        self.whole.setEnabled(sketch.place != WHOLE or bool(sketch.to) or sketch.way is not None)
        if not self.asking.running and self.kind == "went" and not sketch.to:
            self.said.setText(tr("Draw where from, and where to."))

    def _start_or_stop(self) -> None:
        if self.asking.running:
            self.asking.stop()
            self._say()
            return
        try:
            self.asking.ask(self._as_asked(), self._footage(), self.limits.limits())
        except HushError as error:
            missing = self.kind == "went" and not self.sketch.to
            self.said.setText(tr("Draw where to first.") if missing else str(error))
            return
        self.refresh()

    def _as_asked(self) -> Question:
        sketch, least = self.sketch, self.least.value() if self.kind in _LEAST else None
        return Question(self.kind, sketch.place, sketch.to, sketch.way, least)

    def _footage(self) -> list[tuple[View, Recording]]:
        """What is asked, by the scope that is chosen."""
        view, on, scope = self._session.view, self._deck.recording, self.scope.currentData()
        if scope == _RECORDING:
            return [(view, on)] if on is not None else []
        views = self._session.site.views if scope == _SITE else (view,)
        return [(held, recording) for held in views for recording in held.recordings]

    def _as_kept(self) -> KeptQuestion | None:
        """The question as it stands, to be kept; says what is missing."""
        try:
            asked, limits = checked(self._as_asked()), self.limits.limits()
        except HushError as error:
            self.said.setText(str(error))
            return None
        return KeptQuestion(
            name=_QUESTIONS[asked.kind], kind=asked.kind, place=asked.place, to=asked.to, way=asked.way, seconds=asked.seconds,
            kinds=limits.kinds, hours=limits.hours, lights=limits.lights,
        )  # fmt: skip

    def _ask_kept(self, held: KeptQuestion) -> None:
        """Put a kept question where it was drawn, and ask it."""
        if self.asking.running:
            self.asking.stop()
        self.question.setCurrentIndex(self.question.findData(held.kind))
        self.sketch.show_question(held.place, held.to, held.way)
        if held.seconds is not None:
            self.least.setValue(held.seconds)
        self.limits.show_limits(AskLimits(held.kinds, held.hours, lights=held.lights))
        self._start_or_stop()

    def refresh(self) -> None:
        """Show the answers there are."""
        found = self.asking.found[:_LISTED_MOST]
        for held in found[self.answers.count() :] if self.answers.count() <= len(found) else ():
            self._add(held)
        if self.answers.count() > len(found):
            self.answers.clear()
            for held in found:
                self._add(held)
        self._say()

    def _add(self, held: Found) -> None:
        line, all_of_it = answer_words(self._session.site, held, of_views=self.scope.currentData() == _SITE)
        item = QListWidgetItem(line)
        item.setToolTip(all_of_it)
        item.setData(Qt.ItemDataRole.UserRole, held)
        self.answers.addItem(item)

    def _say(self) -> None:
        asking = self.asking
        self.start.setText(tr("Stop") if asking.running else tr("Ask"))
        self.said.setText(standing_words(asking, _LISTED_MOST))
        some = self.current() is not None
        self.mark.setEnabled(some)
        self.name.refresh()
        self.zone.setEnabled(self.sketch.place != WHOLE)

    def _forget(self) -> None:
        """Another view has other footage, unless it is gone to for an answer."""
        if self._going:
            return
        self.asking.stop()
        self.asking.found = []
        self.answers.clear()
        self.sketch.whole()
        self._say()

    # --- answers ------------------------------------------------------------------------------------------------------

    def current(self) -> Found | None:
        """The answer that is current."""
        item = self.answers.currentItem()
        return item.data(Qt.ItemDataRole.UserRole) if item is not None else None

    def _show_answer(self) -> None:
        """Go to the current answer, putting its recording on, and ask for its pictures."""
        held, deck = self.current(), self._deck
        self._say()
        self.course.show_answer(None)
        if held is None or not self.isVisible():
            return
        if held.view_id != self._session.view_id:
            self._going = True
            try:
                self._session.show_view(held.view_id)
            finally:
                self._going = False
        if deck.recording is None or deck.recording.id != held.recording.id:
            deck.put_on(next(one for one in self._session.view.recordings if one.id == held.recording.id))
            return  # it opens first
        if deck.index is None:
            return
        times = deck.index.time_us
        deck.playhead.seek(int(np.searchsorted(times, held.answer.start_s * US_PER_S)))
        self.pictures.show_answer(held.answer, self.sketch.place)
        self.course.show_answer(held)

    def _play(self) -> None:
        held, index = self.current(), self._deck.index
        self._show_answer()
        if held is not None and index is not None:
            around = np.array([held.answer.start_s - _AROUND_S, held.answer.end_s + _AROUND_S]) * US_PER_S
            first, last = np.searchsorted(index.time_us, around).tolist()
            self._deck.playhead.play_loop(first, max(first, last - 1))

    def _mark(self) -> None:
        held = self.current()
        if held is None:
            return
        answer = held.answer
        self._session.do(
            tr("Mark an answer as incident"),
            lambda site: marking.mark_incident(site, held.view_id, held.recording.id, answer.start_s, answer.end_s),
        )

    def _make_zone(self) -> None:
        place, view_id = self.sketch.place, self._session.view_id
        self._session.do(tr("Make a zone of a question"), lambda site: drawing.add_zone(site, view_id, place))


def _beside(*buttons: QWidget) -> QWidget:
    """Widgets side by side; hidden ones leave their room to the others."""
    held = QWidget()
    row = QHBoxLayout(held)
    row.setContentsMargins(0, 0, 0, 0)
    row.setSpacing(8)
    for button in buttons:
        row.addWidget(button)
    return held
