"""The score of all recordings: in words, by recording, by item, and by time of day."""

from __future__ import annotations

import threading

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QProgressBar,
    QPushButton,
    QTabWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from north_hush.core.advise.search import Search
from north_hush.core.detect.lane import WHOLE_PICTURE_NAME
from north_hush.core.errors import HushError
from north_hush.core.judge.score import Score
from north_hush.core.judge.when import by_day, by_hour
from north_hush.core.scene.plan import WHOLE_PICTURE_ID, watcher_id
from north_hush.core.site import edits
from north_hush.core.words import tr
from north_hush.desk.deck import Deck
from north_hush.desk.judge.chart import WhenChart
from north_hush.desk.judge.scores import Scores
from north_hush.desk.judge.standing import (
    HOURS_COLUMN,
    item_rows,
    item_table,
    recording_rows,
    recording_table,
)
from north_hush.desk.judge.words import head_text
from north_hush.desk.look.panel import muted, wrapped
from north_hush.desk.look.roles import Theme
from north_hush.desk.session import Session
from north_hush.desk.workers.background import Background
from north_hush.desk.workers.scheduler import Urgency

_TABLE_PX = 140
_HEAD_LINES, _RATE_LINES = 2, 5


class ScoreBox(QWidget):
    """Shows what `Scores` works out, and scores each recording unseen on demand."""

    progressed = Signal(float)

    def __init__(
        self, session: Session, deck: Deck, scores: Scores, theme: Theme, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._session, self._deck, self._scores = session, deck, scores
        self._background = Background(("unseen",), self, Urgency.LATER)
        self._stop = threading.Event()
        self._working = False
        self.unseen: dict[str, Score | None] = {}
        self._unseen_of: object = None
        self.head = QLabel("")
        self.head.setProperty("role", "title")
        self.head.setWordWrap(True)
        self.rates = wrapped(muted(""))
        self.table, self.items = recording_table(), item_table()
        self.chart = WhenChart(theme)
        self.span = QPushButton(tr("By day"))
        self.span.setCheckable(True)
        self.span.setToolTip(tr("Days instead of hours of the day"))
        self.span.toggled.connect(lambda _: self._show())
        self.try_unseen = QPushButton(tr("Unseen"))
        self.try_unseen.setToolTip(
            tr("For each recording: search quiet settings on the others alone, and score it under them. Takes a while.")
        )
        self.try_unseen.clicked.connect(self.begin_unseen)
        self.bar = QProgressBar(maximum=1000, textVisible=False, accessibleName=tr("Scoring each unseen"))
        self.bar.setFixedHeight(6)
        self.cancel = QPushButton(tr("Cancel"))
        self.cancel.setToolTip(tr("Stop scoring each recording unseen"))
        self.cancel.clicked.connect(self.stop)
        self.tabs = QTabWidget(usesScrollButtons=False)
        self._lay_out()
        scores.changed.connect(self._show)
        self.table.cellClicked.connect(self._on_cell)
        self.table.cellActivated.connect(self._on_activated)
        self.items.cellClicked.connect(lambda row, _: self._on_item(row))
        self.progressed.connect(lambda share: self.bar.setValue(round(1000 * share)))

    def _lay_out(self) -> None:
        for widget, title in ((self.table, tr("Recordings")), (self.items, tr("Items")), (self.chart, tr("Times"))):
            self.tabs.addTab(widget, title)
        for scroller in self.tabs.tabBar().findChildren(QToolButton):  # Qt makes them, shown or not
            scroller.setToolTip(tr("More tables"))
            scroller.setAccessibleName(tr("More tables"))
        corner = QWidget()
        row = QHBoxLayout(corner)
        row.setContentsMargins(0, 0, 0, 4)
        for part in (self.bar, self.cancel, self.try_unseen, self.span):
            row.addWidget(part)
        self.bar.setFixedWidth(48)
        self.tabs.setCornerWidget(corner)
        self.tabs.currentChanged.connect(lambda _: self._show())
        self.tabs.setFixedHeight(_TABLE_PX + 30)
        self._show_corner()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        line = self.head.fontMetrics().lineSpacing()
        for shown, lines in ((self.head, _HEAD_LINES), (self.rates, _RATE_LINES)):  # what lies below stays where it is
            shown.setFixedHeight(lines * line + 4)
            shown.setAlignment(Qt.AlignmentFlag.AlignTop)
            column.addWidget(shown)
        column.addWidget(self.tabs)

    def _show_corner(self) -> None:
        """Show what belongs to the table that is on."""
        on, working = self.tabs.currentWidget(), self._working
        self.bar.setVisible(working)
        self.cancel.setVisible(working)
        self.try_unseen.setVisible(on is self.table and not working)
        self.span.setVisible(on is self.chart and not working)

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self.chart.dress(theme)

    def close_worker(self) -> None:
        """Stop what runs and end the thread."""
        self.stop()
        self._background.close()

    @property
    def settled(self) -> bool:
        """True when nothing is waiting or running."""
        return self._background.idle

    # --- what is shown ----------------------------------------------------------------------------------------------

    def _show(self) -> None:
        self._show_corner()
        standings = self._scores.standings
        if self._unseen_of != self._truth_and_plan():
            self.unseen = {}
        self.head.setText(head_text(self._scores.total))
        self.rates.setText(self._scores.rates)
        self.table.show_rows(recording_rows(standings, self._scores.total, self.unseen))
        if self.tabs.currentWidget() is self.items:
            self.items.show_rows(item_rows(standings, self._item_names()))
        if self.tabs.currentWidget() is self.chart:
            taken = [taken for held in standings if (taken := held.taken()) is not None]
            self.chart.show_bars(by_day(taken) if self.span.isChecked() else by_hour(taken))

    def _item_names(self) -> dict[str, str]:
        watchers = self._session.view.plan.watchers
        return {watcher_id(held): held.name if held is not None else WHOLE_PICTURE_NAME for held in watchers}

    def _on_item(self, row: int) -> None:
        item = list(self._item_names())[row]
        self._session.select("" if item == WHOLE_PICTURE_ID else item)

    def _on_cell(self, row: int, column: int) -> None:
        recordings = self._session.view.recordings
        if row < len(recordings) and column < HOURS_COLUMN:
            self._deck.put_on(recordings[row])

    def _on_activated(self, row: int, column: int) -> None:
        """Return, or a double click: put the recording on, or state its hours."""
        if column == HOURS_COLUMN:
            self._ask_hours(row, column)
        else:
            self._on_cell(row, column)

    def _ask_hours(self, row: int, column: int) -> None:
        recordings = self._session.view.recordings
        if row >= len(recordings) or column != HOURS_COLUMN:
            return
        held, view_id = recordings[row], self._session.view_id
        hours, given = QInputDialog.getDouble(
            self,
            tr("Hours a day"),
            tr("For how many hours of a day does {path} stand?", path=held.path),
            held.hours_per_day or 6.0,
            0.1,
            24.0,
            1,
        )
        if given:
            self._session.do(
                tr("{path} stands for {hours:g} h a day", path=held.path, hours=hours),
                lambda site: edits.change_recording(site, view_id, held.id, hours_per_day=hours),
            )

    # --- each recording unseen --------------------------------------------------------------------------------------

    def _truth_and_plan(self) -> object:
        """What unseen scores rest on; settings are searched anew for each."""
        view = self._session.view
        return view.plan, tuple(held.truth for held in view.recordings)

    def begin_unseen(self) -> None:
        """Search on the others and score each recording under what was found."""
        view = self._session.view
        plan, present, report = view.plan, dict(view.tuning.settings), self.progressed.emit
        stop = self._stop = threading.Event()

        def work() -> dict[str, Score | None]:
            cases = self._scores.cases()
            search = Search(cases, plan, present, cancelled=stop.is_set, report=report)
            return {case.name: score for case, score in zip(cases, search.unseen_scores(), strict=False)}

        self._unseen_of = self._truth_and_plan()
        self._show_working(working=True)
        self._background.order("unseen", work, self._take_unseen, self._failed)

    def stop(self) -> None:
        """Stop; what was scored until then is shown."""
        self._stop.set()

    def _take_unseen(self, found: dict[str, Score | None]) -> None:
        self._show_working(working=False)
        self.unseen = found
        self._show()

    def _failed(self, error: HushError) -> None:
        self._show_working(working=False)
        self._session.failed.emit(error)

    def _show_working(self, *, working: bool) -> None:
        self.bar.setValue(0)
        self._working = working
        self._show_corner()
