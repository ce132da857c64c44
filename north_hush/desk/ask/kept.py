"""Questions kept with the view, behind a button: keep this one, ask one again, forget one."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QMenu, QPushButton, QWidget

from north_hush.core.site import asking
from north_hush.core.site.questions import KeptQuestion
from north_hush.core.words import tr
from north_hush.desk.session import Session


class KeptButton(QPushButton):
    """`now` gives the question as it stands, None where it makes no sense; `ask` puts one that was kept."""

    def __init__(
        self,
        session: Session,
        now: Callable[[], KeptQuestion | None],
        ask: Callable[[KeptQuestion], None],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(tr("Kept questions"), parent, toolTip=tr("Keep this question with the view, or ask one again"))
        self._session, self._now, self._ask = session, now, ask
        self._menu = QMenu(self)
        self._menu.aboutToShow.connect(self._fill)
        self.setMenu(self._menu)
        self._fill()

    def _fill(self) -> None:
        menu, kept = self._menu, self._session.view.questions
        menu.clear()
        menu.addAction(tr("Keep this question"), self._keep)
        if kept:
            menu.addSeparator()
            forget = QMenu(tr("Forget"), menu)
            for question in kept:
                menu.addAction(question.name, lambda held=question: self._ask(held))
                forget.addAction(question.name, lambda held=question: self._forget(held))
            menu.addSeparator()
            menu.addMenu(forget)

    def _keep(self) -> None:
        question, view_id = self._now(), self._session.view_id
        if question is not None:
            self._session.do(tr("Keep a question"), lambda site: asking.keep_question(site, view_id, question))

    def _forget(self, question: KeptQuestion) -> None:
        view_id = self._session.view_id
        self._session.do(tr("Forget a question"), lambda site: asking.forget_question(site, view_id, question.name))
