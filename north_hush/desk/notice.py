"""One line across the window for what went wrong or has to be asked: what, of which file or field, and the way out."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QToolButton, QWidget

from north_hush.core.errors import HushError
from north_hush.core.words import tr


@dataclass(frozen=True)
class Answer:
    """What a button of a question says and does."""

    label: str
    tip: str
    act: Callable[[], object]


class NoticeBar(QWidget):
    """Hidden while all is well; stays until it is dismissed or another recording is on."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("surface")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.text = QLabel("", accessibleName=tr("Error"), wordWrap=True)
        self.text.setProperty("role", "error")
        self._close = QToolButton(text=tr("Dismiss"), toolTip=tr("Hide this line  (Esc)"))
        self._close.clicked.connect(self.hide)
        self.answers = [
            QPushButton(toolTip=tr("An answer"), accessibleName=tr("Answer {place}", place=place)) for place in (1, 2)
        ]
        self._acts: list[Callable[[], object]] = []
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 6, 12, 6)
        row.addWidget(self.text, 1)
        for place, button in enumerate(self.answers):
            button.clicked.connect(lambda _=False, place=place: self._answer(place))
            row.addWidget(button)
        row.addWidget(self._close)
        self.hide()

    def tell(self, error: HushError) -> None:
        """Show an error."""
        self._show(str(error), ())

    def say(self, text: str, *, wrong: bool = False) -> None:
        """Say something that is under way, or went wrong."""
        self._show(text, (), wrong=wrong)

    def ask(self, question: str, first: Answer, second: Answer) -> None:
        """Ask something that has two answers; dismissed, nothing is done."""
        self._show(question, (first, second))

    def _show(self, text: str, answers: Sequence[Answer], *, wrong: bool = True) -> None:
        self.text.setProperty("role", "error" if wrong else "muted")
        self.text.style().polish(self.text)
        self.text.setText(text)
        self._acts = [answer.act for answer in answers]
        for place, button in enumerate(self.answers):
            button.setVisible(place < len(answers))
            if place < len(answers):
                button.setText(answers[place].label)
                button.setToolTip(answers[place].tip)
                button.setAccessibleName(answers[place].label)
        self.show()

    def _answer(self, place: int) -> None:
        self.hide()
        self._acts[place]()
