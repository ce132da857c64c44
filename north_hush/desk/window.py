"""The window: header, rail, picture and trace in the middle, the stage's panel at the right."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QSettings, Qt
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent
from PySide6.QtWidgets import QApplication, QFileDialog, QHBoxLayout, QMainWindow, QSplitter, QVBoxLayout, QWidget

from north_hush.core.errors import HushError
from north_hush.core.site.file import SUFFIX
from north_hush.core.site.saving import save_site
from north_hush.desk.comparison import Comparison
from north_hush.desk.cuttings import Cuttings
from north_hush.desk.deck import Deck
from north_hush.desk.header import Header
from north_hush.desk.intake import Intake
from north_hush.desk.judge.scores import Scores
from north_hush.desk.keys import FocusKeys
from north_hush.desk.look.roles import DAY_FOG, NIGHT_WATCH, THEMES, Theme
from north_hush.desk.look.style import apply_theme
from north_hush.desk.notice import Answer, NoticeBar
from north_hush.desk.picture.pane import PicturePane
from north_hush.desk.picture.strip import VIEWS
from north_hush.desk.rail import Rail
from north_hush.desk.session import Session
from north_hush.desk.stage import Binding, Desk
from north_hush.desk.stages import Stages, bound
from north_hush.desk.trace.pane import TracePane
from north_hush.desk.tune.insight import Insight

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
        self.scores = Scores(session, self.deck, self)
        self.insight = Insight(session, self.deck, self)
        self.cuttings = Cuttings(session, self.deck, self)
        desk = Desk(
            session=session, deck=self.deck, picture=self.picture, trace=self.trace, header=self.header, intake=self.intake,
            comparison=self.comparison, scores=self.scores, insight=self.insight, cuttings=self.cuttings, window=self,
        )  # fmt: skip
        self.stages = Stages(desk, self.theme)
        self.rail = Rail(self.stages.all, self.theme)
        self._lay_out()
        self._connect()
        self._bind_keys()
        self.setAcceptDrops(True)
        room = self.screen().availableSize()
        self.setMinimumSize(min(1000, room.width()), min(640, room.height()))
        self.resize(min(1280, room.width()), min(800, room.height()))
        self.setWindowTitle(f"{session.site.name} – North Hush")
        self.picture.canvas.setFocus()
        self.show_stage("footage" if not session.view.recordings else "tune")
        recordings = session.view.recordings
        self.deck.put_on(recordings[0] if recordings else None)

    # --- make-up ----------------------------------------------------------------------------------------------------

    def _lay_out(self) -> None:
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
        body.addWidget(self.stages.stack)
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
        self.stages.shown.connect(self.rail.show_stage)
        self.scores.changed.connect(self._show_standings)
        self.scores.changed.connect(self.trace.let_in)
        self.trace.wait_ms = self.scores.ahead_ms
        self.header.theme_wanted.connect(self.change_theme)
        self.session.failed.connect(self.notice.tell)
        self.session.changed_elsewhere.connect(self._ask_whose)
        self.trace.prints.failed.connect(self.notice.tell)
        self.deck.failed.connect(self.notice.tell)
        self.deck.replaced.connect(self.intake.ask_replaced)
        self.deck.recording_changed.connect(self.notice.hide)
        self.session.view_changed.connect(self.picture.canvas.stop_tool)

    def _show_standings(self) -> None:
        standings = self.scores.standings
        self.header.show_scores({held.recording.id: held.score for held in standings if held.score is not None})

    def _bind_keys(self) -> None:
        """Keys that do the same in every stage; those of a stage are its own."""
        playhead = self.deck.playhead
        for binding in (
            Binding((",", "Left"), lambda: playhead.step(-1), repeats=True),
            Binding((".", "Right"), lambda: playhead.step(1), repeats=True),
            Binding(("Shift+Left",), lambda: playhead.step(-_STEP_TEN), repeats=True),
            Binding(("Shift+Right",), lambda: playhead.step(_STEP_TEN), repeats=True),
            Binding(("Home",), lambda: playhead.seek(0)),
            Binding(("End",), lambda: playhead.seek(10**9)),
            Binding(("N",), lambda: self.trace.bar.step(1), repeats=True),
            Binding(("Shift+N",), lambda: self.trace.bar.step(-1), repeats=True),
            Binding(("Shift+L",), self.trace.bar.take_level),
            Binding(("Ctrl+Z",), self.session.undo, repeats=True),
            Binding(("Ctrl+Shift+Z", "Ctrl+Y"), self.session.redo, repeats=True),
            Binding(("Ctrl+O",), self.intake.choose_recordings),
            Binding(("Ctrl+Shift+S",), self.save_copy),
            Binding(("0",), self.picture.canvas.reset_zoom),
            *(Binding((key,), lambda kind=kind: self.picture.show_view(kind)) for kind, _, key in VIEWS),  # type: ignore[misc]
        ):
            bound(binding, self)
        self._own_keys = FocusKeys(self)
        QApplication.instance().focusChanged.connect(self._own_keys.follow)  # type: ignore[union-attr]

    # --- acts -------------------------------------------------------------------------------------------------------

    def show_stage(self, stage: str) -> None:
        """Show a stage, by its key."""
        self.stages.show(stage)

    def change_theme(self) -> None:
        """Change between the two themes, and remember it."""
        self.use_theme(DAY_FOG if self.theme is NIGHT_WATCH else NIGHT_WATCH)
        self.settings.setValue("theme", self.theme.name)

    def use_theme(self, theme: Theme) -> None:
        """Dress everything in a theme."""
        self.theme = theme
        apply_theme(QApplication.instance(), theme)  # type: ignore[arg-type]
        for part in (self.header, self.rail, self.picture, self.trace, self.stages):
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
        QApplication.instance().focusChanged.disconnect(self._own_keys.follow)  # type: ignore[union-attr]
        self.trace.close_workers()
        self.stages.close()
        self.scores.close()
        self.insight.close()
        self.comparison.close()
        self.cuttings.close()
        self.deck.close()
        self.session.close()
        super().closeEvent(event)
