"""The window: header, rail, picture and trace in the middle, the stage's panel at the right."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QSettings, Qt
from PySide6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QKeySequence, QPainter
from PySide6.QtWidgets import (
    QApplication,
    QFileDialog,
    QHBoxLayout,
    QMainWindow,
    QScrollArea,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from north_hush.core.errors import HushError
from north_hush.core.site.file import SUFFIX
from north_hush.core.site.saving import save_site
from north_hush.desk.comparison import Comparison
from north_hush.desk.deck import Deck
from north_hush.desk.draw.panel import KINDS, DrawPanel
from north_hush.desk.footage.panel import FootagePanel
from north_hush.desk.header import Header
from north_hush.desk.intake import Intake
from north_hush.desk.judge.map import MapWindow
from north_hush.desk.judge.panel import JudgePanel
from north_hush.desk.judge.placing import Placing
from north_hush.desk.look.roles import DAY_FOG, NIGHT_WATCH, THEMES, Theme
from north_hush.desk.look.style import apply_theme
from north_hush.desk.notice import Answer, NoticeBar
from north_hush.desk.picture.board import ARRANGE, OFF
from north_hush.desk.picture.canvas import Canvas
from north_hush.desk.picture.pane import PicturePane
from north_hush.desk.picture.strip import VIEWS
from north_hush.desk.rail import Rail
from north_hush.desk.session import Session
from north_hush.desk.trace.pane import TracePane
from north_hush.desk.tune.because import BecauseCard, paint_reasons
from north_hush.desk.tune.panel import TunePanel

PANEL_PX = 336
_STAGE_KEYS = {"footage": "F5", "draw": "F6", "tune": "F7", "judge": "F8"}
_STEP_TEN = 10


class Window(QMainWindow):
    """Puts the parts together and binds the keys."""

    def __init__(self, session: Session, theme: Theme | None = None) -> None:
        super().__init__()
        self.settings = QSettings("north-hush", "north-hush")
        self.theme = theme or THEMES.get(str(self.settings.value("theme")), NIGHT_WATCH)
        apply_theme(QApplication.instance(), self.theme)  # type: ignore[arg-type]
        self.session = session
        self._loses = False
        """Closes without asking about what could not be written."""
        self.deck = Deck(session, self)
        self.notice = NoticeBar()
        self.intake = Intake(session, self.deck, self.notice, self)
        self.picture = PicturePane(session, self.deck, self.theme)
        self.comparison = Comparison(session, self.deck, self)
        self.trace = TracePane(session, self.deck, self.comparison, self.theme)
        self.header = Header(session, self.deck, self.theme)
        self.rail = Rail(self.theme)
        self.footage = FootagePanel(session, self.deck)
        self.draw = DrawPanel(session, self.deck, self.picture, self.theme)
        self.tune = TunePanel(session, self.deck, self.comparison, self.theme)
        self.because = BecauseCard(session, self.deck, self.tune.insight, self.theme, self.picture.canvas)
        self.judge = JudgePanel(session, self.deck, self.comparison, self.theme)
        self.map = MapWindow(session, self.deck, self.comparison, self.tune.insight, self.theme, self)
        self.panels = {"footage": self.footage, "draw": self.draw, "tune": self.tune, "judge": self.judge}
        self._lay_out()
        self._connect()
        self._bind_keys()
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self.setMinimumSize(1000, 640)
        self.setWindowTitle(f"{session.site.name} – North Hush")
        self.picture.canvas.setFocus()
        self.show_stage("footage" if not session.view.recordings else "tune")
        recordings = session.view.recordings
        self.deck.put_on(recordings[0] if recordings else None)

    # --- make-up ----------------------------------------------------------------------------------------------------

    def _lay_out(self) -> None:
        self._stack = QStackedWidget()
        self._stack.setFixedWidth(PANEL_PX)
        for panel in self.panels.values():
            panel.setObjectName("surface")
            panel.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
            scroll = QScrollArea(widgetResizable=True, horizontalScrollBarPolicy=Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
            scroll.setWidget(panel)
            self._stack.addWidget(scroll)
        middle = QSplitter(Qt.Orientation.Vertical)
        middle.addWidget(self.picture)
        middle.addWidget(self.trace)
        middle.setStretchFactor(0, 1)
        middle.setStretchFactor(1, 0)
        middle.setChildrenCollapsible(False)
        middle.setSizes([500, 246])
        body = QHBoxLayout()
        body.setContentsMargins(0, 0, 0, 0)
        body.setSpacing(0)
        body.addWidget(self.rail)
        body.addWidget(middle, 1)
        body.addWidget(self._stack)
        centre = QWidget()
        column = QVBoxLayout(centre)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.header)
        column.addWidget(self.notice)
        column.addLayout(body, 1)
        self.setCentralWidget(centre)

    def _connect(self) -> None:
        self.rail.stage_wanted.connect(self.show_stage)
        self.judge.proposals.map.clicked.connect(self._show_map)
        self.judge.scores.changed.connect(self._show_standings)
        self.draw.places.cases = self.judge.scores.cases
        self.judge.scores.changed.connect(self.trace.let_in)
        self.trace.wait_ms = self.judge.scores.ahead_ms
        self.header.theme_wanted.connect(self.change_theme)
        self.footage.add_wanted.connect(self.intake.choose_recordings)
        self.footage.add_folder_wanted.connect(self.intake.choose_folder)
        self.footage.locate_wanted.connect(self.intake.locate_recording)
        self.session.failed.connect(self.notice.tell)
        self.session.changed_elsewhere.connect(self._ask_whose)
        self.trace.prints.failed.connect(self.notice.tell)
        self.deck.failed.connect(self.notice.tell)
        self.deck.replaced.connect(self.intake.ask_replaced)
        self.trace.span_dragged.connect(lambda start, end: self._in_judge(lambda: self.judge.mark_span(start, end)))
        self.deck.recording_changed.connect(self.notice.hide)
        self.session.view_changed.connect(self.picture.canvas.stop_tool)
        self.picture.canvas.layers.append(self._paint_reasons)
        self.tune.insight.because_changed.connect(self.picture.canvas.update)
        self.picture.canvas.layers.append(lambda painter, canvas: self.judge.walks.paint(painter, canvas, self.theme))
        self.judge.walks.changed.connect(self.picture.canvas.update)
        canvas, board = self.picture.canvas, self.picture.board
        self.placing = Placing(self.session, self.deck, canvas, board, self.judge.incidents, self)
        canvas.layers.append(lambda painter, canvas: self.placing.paint(painter, canvas, self.theme))
        self.tune.insight.checked.connect(self._show_uncovered)
        self.picture.stretch_us = lambda: self.trace.stretch_us() if self.draw.proposal.in_view.isChecked() else None

    def _show_standings(self) -> None:
        standings = self.judge.scores.standings
        self.header.show_scores({held.recording.id: held.score for held in standings if held.score is not None})

    def _show_map(self) -> None:
        self.map.show()
        self.map.follow()

    def _show_uncovered(self) -> None:
        check = self.tune.insight.blind
        self.trace.show_uncovered(self.tune.zone_id, check.not_covered_s if check is not None else ())

    def _paint_reasons(self, painter: QPainter, canvas: Canvas) -> None:
        because = self.tune.insight.because
        if because is not None and self.picture.board.mode == OFF:
            paint_reasons(painter, canvas, because.reasons, self.theme)
        refusals, row = self.tune.insight.refusals, self.deck.row
        if refusals is not None and row is not None:
            self.picture.paint_refused(painter, refusals.at(row))

    def _bind_keys(self) -> None:
        board = self.picture.board
        for keys, act in (
            ((",", "Left"), lambda: self.deck.playhead.step(-1)),
            ((".", "Right"), lambda: self.deck.playhead.step(1)),
            (("Shift+Left",), lambda: self.deck.playhead.step(-_STEP_TEN)),
            (("Shift+Right",), lambda: self.deck.playhead.step(_STEP_TEN)),
            (("Home",), lambda: self.deck.playhead.seek(0)),
            (("End",), lambda: self.deck.playhead.seek(10**9)),
            (("]",), lambda: self.tune.alarms.go_next(1)),
            (("[",), lambda: self.tune.alarms.go_next(-1)),
            (("Y",), lambda: self._in_judge(lambda: self.judge.judge("real"))),
            (("X",), lambda: self._in_judge(lambda: self.judge.judge("nuisance"))),
            (("U",), lambda: self._in_judge(lambda: self.judge.judge("unsure"))),
            (("I",), lambda: self._in_judge(self.judge.set_in)),
            (("O",), lambda: self._in_judge(self.judge.set_out)),
            (("Shift+O",), lambda: self._in_judge(self.judge.set_walk)),
            (("N",), lambda: self.trace.bar.step(1)),
            (("Shift+N",), lambda: self.trace.bar.step(-1)),
            (("Shift+L",), self.trace.bar.take_level),
            (("Ctrl+Z",), self.session.undo),
            (("Ctrl+Shift+Z", "Ctrl+Y"), self.session.redo),
            (("Ctrl+O",), self.intake.choose_recordings),
            (("Ctrl+Shift+S",), self.save_copy),
            (("0",), self.picture.canvas.reset_zoom),
            (("V",), lambda: self._in_draw(lambda: board.use(ARRANGE))),
            (("C",), lambda: self._in_draw(lambda: board.set_form("corners"))),
            (("R",), lambda: self._in_draw(lambda: board.set_form("rectangle"))),
            (("B",), lambda: self._in_draw(lambda: board.set_form("brush"))),
            (("+",), lambda: self._in_draw(lambda: board.set_onto("add"))),
            (("-",), lambda: self._in_draw(lambda: board.set_onto("cut"))),
            (("Ctrl+D",), self.draw.duplicate_selected),
            (("Ctrl+C",), self.draw.exchange.copy),
            (("Ctrl+V",), self.draw.exchange.paste),
            (("Ctrl+Shift+C",), self.draw.copy_settings),
            (("Ctrl+Shift+V",), self.draw.paste_settings),
            *(((key,), lambda kind=kind: self._in_draw(lambda: self.draw.draw_new(kind))) for kind, _, key, _ in KINDS),
            *(((key,), lambda kind=kind: self.picture.show_view(kind)) for kind, _, key in VIEWS),
            *(((key,), lambda stage=stage: self.show_stage(stage)) for stage, key in _STAGE_KEYS.items()),
        ):
            action = QAction(self)
            action.setShortcuts([QKeySequence(key) for key in keys])
            action.setAutoRepeat(True)
            action.triggered.connect(lambda _=False, act=act: act())
            self.addAction(action)

    def _in_judge(self, act: Callable[[], None]) -> None:
        """Keys of the Judge stage do nothing elsewhere, so that no verdict is given unseen."""
        if self.panels["judge"].isVisible():
            act()

    def _in_draw(self, act: Callable[[], None]) -> None:
        self.show_stage("draw")
        act()
        self.picture.canvas.setFocus()

    # --- acts -------------------------------------------------------------------------------------------------------

    def show_stage(self, stage: str) -> None:
        """Show a stage's panel; the Draw stage takes the mouse on the picture."""
        self.rail.show_stage(stage)
        self._stack.setCurrentIndex(list(self.panels).index(stage))
        if stage == "draw":
            self.draw.enter()
        else:
            self.draw.leave()
        if stage == "judge":
            self.judge.enter()
        else:
            self.judge.leave()

    def change_theme(self) -> None:
        """Change between the two themes, and remember it."""
        self.use_theme(DAY_FOG if self.theme is NIGHT_WATCH else NIGHT_WATCH)
        self.settings.setValue("theme", self.theme.name)

    def use_theme(self, theme: Theme) -> None:
        """Dress everything in a theme."""
        self.theme = theme
        apply_theme(QApplication.instance(), theme)  # type: ignore[arg-type]
        self.map.field.dress(theme)
        for part in (self.header, self.rail, self.picture, self.trace, self.draw, self.tune, self.because, self.judge):
            part.dress(theme)

    def save_copy(self) -> bool:
        """Write the site to another file; the window stays with the one it has. False when nothing was written."""
        name, _ = QFileDialog.getSaveFileName(self, "Save a copy", str(self.session.path.with_name(f"copy{SUFFIX}")))
        if not name:
            return False
        try:
            save_site(self.session.site, Path(name))
        except HushError as error:
            self.notice.tell(error)
            return False
        return True

    def _save_copy_and_close(self) -> None:
        if self.save_copy():
            self.close_unsaved()

    def close_unsaved(self) -> None:
        """Close whatever could not be written."""
        self._loses = True
        self.close()

    # --- events -----------------------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent) -> None:
        # Not a shortcut, so that the space bar still presses a button that has the focus.
        if event.key() == Qt.Key.Key_Space and not event.isAutoRepeat():
            self.picture.transport.toggle()
        elif event.key() == Qt.Key.Key_Escape and self.notice.isVisible():
            self.notice.hide()
        else:
            super().keyPressEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        self.intake.add_recordings([Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()])

    def _ask_whose(self) -> None:
        self.notice.ask(
            f"{self.session.path}: was changed by another program since it was read here. Nothing is saved until one is chosen.",
            Answer("Keep mine", "Write over it; what is there is kept as the version before", self.session.keep_mine),
            Answer("Take theirs", "Show what the other program wrote; it can be undone", self.session.take_theirs),
        )

    def closeEvent(self, event: QCloseEvent) -> None:
        error = None if self._loses else self.session.flush()
        if error is not None:
            self.notice.ask(
                f"{error} The last changes are not saved.",
                Answer("Save a copy…", "Choose another file, then close", self._save_copy_and_close),
                Answer("Close without saving", "The last changes are lost", self.close_unsaved),
            )
            event.ignore()
            return
        self.trace.close_workers()
        self.draw.walkers.close_worker()
        self.draw.places.close_worker()
        self.draw.uncover.close_worker()
        self.judge.close_workers()
        self.map.close_worker()
        self.tune.insight.close()
        self.comparison.close()
        self.deck.close()
        self.session.close()
        super().closeEvent(event)
