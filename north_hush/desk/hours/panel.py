"""Hours stage: whose hours, the three of them as text, what they cost, and what could be left out."""

from __future__ import annotations

from datetime import date, datetime, timedelta
from pathlib import Path

from PySide6.QtCore import QDate, QPoint, QSignalBlocker, Qt, QTimer
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import (
    QComboBox,
    QDateEdit,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from north_hush.core.errors import HushError
from north_hush.core.hours.clock import read_holidays
from north_hush.core.hours.plan import KINDS
from north_hush.core.hours.tide import Measured, Saving, tide_of
from north_hush.core.hours.week import NEVER, Week, text_of, week_of, with_day, without
from north_hush.core.hours.worded import worded_week
from north_hush.core.site.model import replaced
from north_hush.core.words import tr
from north_hush.desk.comparison import Comparison, Pin
from north_hush.desk.deck import Deck
from north_hush.desk.hours.costs import CostsBox, Planned
from north_hush.desk.hours.draft import LABELS, Draft
from north_hush.desk.hours.exceptions import ExceptionsBox
from north_hush.desk.hours.measure import measured_of
from north_hush.desk.hours.menus import days_menu, how_menu, views_menu
from north_hush.desk.hours.table import TideTable
from north_hush.desk.judge.scores import Scores
from north_hush.desk.look.panel import form_row, rule, stage_title, wrapped
from north_hush.desk.look.roles import Theme
from north_hush.desk.picture.pane import PicturePane
from north_hush.desk.session import Session
from north_hush.desk.workers.background import Background

_TIPS = {
    "armed": tr("When alarms count, as opening hours: Mo-Fr 18:00-06:00; Sa,Su. Empty: always"),
    "recording": tr("When footage is kept. Empty: always"),
    "notifying": tr("When people are told, while it is armed too. Empty: whenever it is armed"),
}
_INSET_PX, _CALM_MS = 168, 250


class HoursPanel(QWidget):
    """Right panel of the Hours stage; the tide table stands where the picture stood."""

    def __init__(
        self,
        session: Session,
        deck: Deck,
        scores: Scores,
        comparison: Comparison,
        picture: PicturePane,
        theme: Theme,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self._session, self._deck, self._scores, self._picture = session, deck, scores, picture
        self._comparison = comparison
        self._pinned: Pin | None = None
        self._measured: object = None
        """What was measured last: hours change none of it."""
        self._background = Background(("tide",), self)
        self._parts: list[Measured] = []
        self.draft = Draft(session, lambda: self._item)
        self.draft.told.connect(self._tell)
        self._calm = QTimer(self, singleShot=True, interval=_CALM_MS)
        self._calm.timeout.connect(self._measure)
        self._soon = QTimer(self, singleShot=True, interval=0)
        """What hours cost is said once the table has been painted."""
        self._soon.timeout.connect(self._show_costs)
        self.table = TideTable(theme)
        self.table.changed.connect(self.draft.draw)
        self.table.day_copied.connect(lambda source, target: self.draft.copy_days(source, (target,)))
        self.table.day_asked.connect(self.ask_days)
        self.table.asked_how.connect(self.ask_how)
        self.inset = QLabel("")
        self.inset.setFixedHeight(round(_INSET_PX * 9 / 16))
        self.whose = QComboBox(
            toolTip=tr("The view, or a zone or wire that keeps other hours"), accessibleName=tr("Whose hours")
        )
        self.whose.activated.connect(lambda _: self.refresh())
        self.monday = QDateEdit(calendarPopup=True, displayFormat=tr("'week of' d MMM yyyy"))
        self.monday.setToolTip(
            tr("The week that is shown; hours by the sun and dated exceptions differ from week to week")
        )
        self.monday.setAccessibleName(tr("Week that is shown"))
        self.texts = {kind: self._text(kind) for kind in KINDS}
        self.costs = CostsBox()
        self.costs.left_out.connect(self._leave_out)
        self.exceptions = ExceptionsBox()
        self.exceptions.added.connect(self.draft.add_exception)
        self.exceptions.removed.connect(self.draft.remove_exception)
        self.wrong = wrapped(QLabel(""))
        self.wrong.setProperty("role", "error")
        self.wrong.hide()
        self.turn = QPushButton(
            tr("Turn round"),
            toolTip=tr("Armed when it was not, and the other way round: type business hours, then press"),
        )
        self.turn.clicked.connect(self.draft.turn_round)
        self.copy = QPushButton(
            tr("Copy to…"), toolTip=tr("Give another camera view of the site, or all, the hours of this one")
        )
        self.copy.clicked.connect(self._ask_views)
        self.pin = QPushButton(
            tr("Pin"), checkable=True, toolTip=tr("Compare what follows with the hours and settings of now")
        )
        self.pin.clicked.connect(lambda on: comparison.pin_present() if on else comparison.unpin())
        self.holidays = QPushButton(
            tr("Holidays…"), toolTip=tr("An iCalendar file (.ics) of the days that PH stands for in the texts")
        )
        self.holidays.clicked.connect(self._choose_holidays)
        self._lay_out()
        self.monday.dateChanged.connect(lambda day: self._on_week(day.toPython()))
        for changed in (session.changed, session.view_changed):
            changed.connect(self.refresh)
        scores.changed.connect(self._calm.start)
        comparison.changed.connect(self._on_compared)
        deck.shown.connect(lambda *_: self._show_inset())
        deck.privacy_changed.connect(self._show_inset)

    def _text(self, kind: str) -> QLineEdit:
        line = QLineEdit(
            placeholderText=tr("always"), toolTip=_TIPS[kind], accessibleName=tr("{labels} hours", labels=LABELS[kind])
        )
        line.editingFinished.connect(lambda: self.draft.type(kind, line.text().strip()))
        return line

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 8)
        column.setSpacing(8)
        top = QHBoxLayout()
        top.addWidget(stage_title(tr("Hours")))
        top.addStretch(1)
        top.addWidget(self.monday)
        column.addLayout(top)
        column.addWidget(self.inset)
        column.addLayout(form_row(tr("Hours of"), self.whose))
        for kind in KINDS:
            column.addLayout(form_row(LABELS[kind], self.texts[kind]))
        column.addWidget(self.wrong)
        buttons = QGridLayout()
        buttons.addWidget(self.turn, 0, 0)
        buttons.addWidget(self.holidays, 0, 1)
        buttons.addWidget(self.pin, 1, 0)
        buttons.addWidget(self.copy, 1, 1)
        column.addLayout(buttons)
        column.addWidget(rule())
        column.addWidget(self.exceptions)
        column.addWidget(rule())
        column.addWidget(self.costs)
        column.addStretch(1)

    # --- showing ----------------------------------------------------------------------------------------------------

    def enter(self) -> None:
        """The stage is shown: begin with the week of the footage, where that is known."""
        taken = [held.taken_at for held in self._scores.standings if held.taken_at is not None]
        day = (taken[0] if taken else datetime.now(self._session.site.zone)).date()
        monday = day - timedelta(days=day.weekday())
        with QSignalBlocker(self.monday):
            self.monday.setDate(QDate(monday.year, monday.month, monday.day))
        self.draft.monday = monday
        self.refresh()
        self._scores.hurry(on=True)
        self._measure()

    def leave(self) -> None:
        """Another stage is shown."""
        self._scores.hurry(on=False)

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self.table.dress(theme)

    def close_worker(self) -> None:
        """End the thread."""
        self._background.close()

    @property
    def settled(self) -> bool:
        """True when nothing is waiting or running."""
        return self._background.idle and not self._calm.isActive() and not self._soon.isActive()

    def refresh(self) -> None:
        """Show the session's hours."""
        if not self.isVisible():
            return
        view, wanted = self._session.view, self._item
        with QSignalBlocker(self.whose):
            self.whose.clear()
            self.whose.addItem(tr("all of {name}", name=view.name), "")
            for held in view.watchers:
                mark = tr("  (its own)") if held.id in view.item_hours else ""
                self.whose.addItem(f"{held.letter}  {held.name}{mark}", held.id)
            self.whose.setCurrentIndex(max(0, self.whose.findData(wanted)))
        for kind, line in self.texts.items():
            line.setPlaceholderText(
                tr("always")
                if not self._item
                else tr("as the view: {value}", value=getattr(view.hours, kind) or "always")
            )
            if not line.hasFocus() or not self.wrong.isVisible():
                line.setText(getattr(self.draft.own, kind) or "")
                line.setCursorPosition(0)
        self.exceptions.show_texts({kind: self.draft.text_of(kind) for kind in KINDS})
        self._show_weeks()
        self._soon.start()
        self._show_inset()

    def _on_week(self, day: date) -> None:
        self.draft.monday = day
        self.refresh()

    def _show_inset(self) -> None:
        """The picture, small; nothing until one comes that is covered as it should be."""
        image = self._picture.image
        if image is None or self._session.uncovered:
            self.inset.clear()
        elif self.isVisible():
            small = image.scaledToWidth(_INSET_PX, Qt.TransformationMode.SmoothTransformation)
            self.inset.setPixmap(QPixmap.fromImage(small))

    def _show_weeks(self) -> None:
        clock = self._session.site.clock
        weeks: dict[str, Week] = {}
        for kind in KINDS:
            try:
                weeks[kind] = week_of(self.draft.text_of(kind), clock, self.draft.monday)
            except HushError as error:
                weeks[kind] = NEVER
                self._tell(str(error))
        try:
            said = worded_week(self.draft.text_of("recording"), clock, self.draft.monday)
        except HushError:
            said = ((),) * 7  # told above
        self.table.show_weeks(weeks, said)

    def _tell(self, text: str) -> None:
        self.wrong.setText(text)
        self.wrong.setVisible(bool(text))

    # --- what was measured ------------------------------------------------------------------------------------------

    def _measure(self) -> None:
        """Evaluate all recordings with no hours, in the background: what a week of them holds."""
        if self.isVisible():
            standings, view, evaluator = list(self._scores.standings), self._session.view, self._deck.evaluator
            known = [held.found.evidence.key if held.found is not None else "" for held in standings]
            basis = view.plan, view.tuning.settings, view.recordings, known, self._session.site.zone
            if basis == self._measured:
                return
            self._measured = basis
            self._background.order(
                "tide", lambda: measured_of(standings, view, evaluator), self._take, self._session.failed.emit
            )

    def _take(self, parts: list[Measured]) -> None:
        self._parts = parts
        self.table.show_tide(tide_of(parts, self._session.site.zone))
        self._show_costs()

    def _on_compared(self) -> None:
        if self._comparison.pin is not self._pinned:
            self._show_costs()

    def _show_costs(self) -> None:
        if not self.isVisible():
            return
        pin = self._pinned = self._comparison.pin
        self.pin.setChecked(pin is not None)
        pinned = (
            None if pin is None or pin.view is None else pin.view.hours_of(self._item) if self._item else pin.view.hours
        )
        plan = Planned(self.draft.held, self._session.site, self.draft.monday, self.table.weeks["notifying"], pinned)
        try:
            self.costs.show_plan(plan, self._parts)
        except HushError as error:
            self._tell(str(error))

    @property
    def _item(self) -> str:
        return str(self.whose.currentData() or "")

    # --- asking -----------------------------------------------------------------------------------------------------

    def ask_how(self, day: int, minute: float, at: QPoint) -> None:
        """Ask how footage is kept in a piece of the recording hours, with a menu."""
        how_menu(self, self.draft, day, minute).popup(at)

    def ask_days(self, day: int, at: QPoint) -> None:
        """Ask onto which days a day is copied, with a menu."""
        days_menu(self, self.draft, day).popup(at)

    def _leave_out(self, saving: Saving) -> None:
        week = self.table.weeks["notifying"]
        for day in saving.days:
            week = with_day(week, day, without(week[day], saving.piece))
        self.draft.draw("notifying", week, True)

    def _ask_views(self) -> None:
        others = [view for view in self._session.site.views if view.id != self._session.view_id]
        if not others:
            self._tell(tr("This site has one view alone."))
            return
        views_menu(self, self.draft, others).popup(self.copy.mapToGlobal(QPoint(0, self.copy.height())))

    def _choose_holidays(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, tr("Holidays"), str(self._session.path.parent), tr("Calendars (*.ics)")
        )
        if not name:
            return
        try:
            days = read_holidays(Path(name))
        except HushError as error:
            self._tell(str(error))
            return
        self._session.do(tr("{count} holidays", count=len(days)), lambda site: replaced(site, holidays=days))
        if not any("PH" in (getattr(self.draft.held, kind) or "") for kind in KINDS):
            self._tell(
                tr(
                    "{count} days are known now. Write what holds on them, as: {text_of} on PH, with 'PH off'.",
                    count=len(days),
                    text_of=text_of(NEVER),
                )
            )
