"""The window: header, rail, picture and trace in the middle, the stage's panel at the right."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import QByteArray, QSettings, Qt, QUrl, Signal
from PySide6.QtGui import QCloseEvent, QDesktopServices, QDragEnterEvent, QDropEvent, QKeyEvent
from PySide6.QtWidgets import QApplication, QHBoxLayout, QMainWindow, QSplitter, QVBoxLayout, QWidget

from north_hush.core.site.file import SUFFIX
from north_hush.core.words import LANGUAGES, tr
from north_hush.desk.analysis import Analysis
from north_hush.desk.comparison import Comparison
from north_hush.desk.cuttings import Cuttings
from north_hush.desk.deck import Deck
from north_hush.desk.files import SiteFiles
from north_hush.desk.guide import Guide
from north_hush.desk.header import Header
from north_hush.desk.intake import Intake
from north_hush.desk.judge.scores import Scores
from north_hush.desk.judge.words import head_text
from north_hush.desk.keys import FocusKeys
from north_hush.desk.language import choose
from north_hush.desk.log import log_path
from north_hush.desk.look.roles import DAY_FOG, NIGHT_WATCH, THEMES, Theme
from north_hush.desk.look.style import apply_theme, dress
from north_hush.desk.menu import ActionSearch, MainMenu
from north_hush.desk.notice import Answer, NoticeBar
from north_hush.desk.packing import Packing
from north_hush.desk.picture.pane import PicturePane
from north_hush.desk.picture.strip import VIEWS
from north_hush.desk.play_on import PlayOn
from north_hush.desk.rail import Rail
from north_hush.desk.recent import note_site
from north_hush.desk.session import Session
from north_hush.desk.sight_now import SightNow
from north_hush.desk.stage import Binding, Desk
from north_hush.desk.stages import Stages, bound
from north_hush.desk.trace.pane import TracePane
from north_hush.desk.tune.insight import Insight

_STEP_TEN = 10


class Window(QMainWindow):
    """Puts the parts together and binds the keys."""

    site_wanted = Signal(object)
    """Paths (tuple of Path) to be opened in the place of this site."""
    start_wanted = Signal()

    def __init__(self, session: Session, theme: Theme | None = None) -> None:
        super().__init__()
        self.settings = QSettings("north-hush", "north-hush")
        self.theme = theme or THEMES.get(str(self.settings.value("theme")), NIGHT_WATCH)
        apply_theme(QApplication.instance(), self.theme)  # type: ignore[arg-type]
        self.session = session
        self._alt_alone = False
        self._loses = False
        """Closes without asking about what could not be written."""
        self.deck = Deck(session, self)
        self.notice = NoticeBar()
        self.intake = Intake(session, self.deck, self.notice, self)
        self.intake.added.connect(lambda: self.show_stage("footage"))
        self.play_on = PlayOn(session, self.deck, self)
        self.files = SiteFiles(session, self.notice, self)
        self.files.wanted.connect(self.site_wanted)
        self.menu, self.guide = MainMenu(), Guide(self)
        self.search = ActionSearch(self.menu, self)
        self.picture = PicturePane(session, self.deck, self.theme)
        self.comparison = Comparison(session, self.deck, self)
        self.sight = SightNow(session, self.deck, self)
        self.trace = TracePane(session, self.deck, self.comparison, self.sight, self.theme)
        self.analysis = Analysis(session, self.deck, self)
        self.header = Header(session, self.deck, self.analysis, self.theme)
        self.scores = Scores(session, self.deck, self)
        self.insight = Insight(session, self.deck, self)
        self.cuttings = Cuttings(session, self.deck, self)
        self.packing = Packing(session, self.notice, self)
        desk = Desk(
            session=session, deck=self.deck, picture=self.picture, trace=self.trace, header=self.header, intake=self.intake,
            comparison=self.comparison, scores=self.scores, insight=self.insight, cuttings=self.cuttings,
            packing=self.packing, sight=self.sight, window=self, show_stage=self.show_stage,
        )  # fmt: skip
        self.stages = Stages(desk, self.theme)
        self.rail = Rail(self.stages.all, self.theme)
        self._lay_out()
        dress(self, self.theme)
        self._connect()
        self._bind_keys()
        self.setMenuBar(self.menu)
        self.setAcceptDrops(True)
        room = self.screen().availableSize()
        self.setMinimumSize(min(1000, room.width()), min(640, room.height()))
        self.resize(min(1280, room.width()), min(800, room.height()))
        kept = self.settings.value("geometry")
        if isinstance(kept, QByteArray):
            self.restoreGeometry(kept)
        self.setWindowTitle(tr("{name} – {path} – North Hush", name=session.site.name, path=session.path))
        self.picture.canvas.setFocus()
        self.show_stage(self._first_stage())
        recordings = session.view.recordings
        self.deck.put_on(recordings[0] if recordings else None)

    # --- make-up ----------------------------------------------------------------------------------------------------

    def _lay_out(self) -> None:
        middle = QSplitter(Qt.Orientation.Vertical)
        middle.addWidget(self.stages.room)
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
        self.analysis.analysed.connect(self.scores.look_again)
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
        """Keys that do the same in every stage; those of a stage are its own. All stand in the menu."""
        playhead, bar, files, intake = self.deck.playhead, self.trace.bar, self.files, self.intake
        menus: tuple[tuple[str, tuple[Binding | None, ...]], ...] = (
            (tr("File"), (
                Binding(("Ctrl+Shift+O",), tr("Open a site…"), files.choose),
                Binding((), tr("Start page and recent sites"), self.start_wanted.emit),
                Binding(("Ctrl+O",), tr("Add recordings…"), intake.choose_recordings),
                Binding((), tr("Add a folder…"), intake.choose_folder),
                None,
                Binding((), tr("Save as…"), files.save_as),
                Binding(("Ctrl+Shift+S",), tr("Save a copy…"), files.save_copy),
                Binding((), tr("Show in its folder"), files.reveal),
                None,
                Binding(("Ctrl+Q",), tr("Close"), self.close),
            )),
            (tr("Edit"), (
                Binding(("Ctrl+Z",), tr("Undo"), self.session.undo, repeats=True),
                Binding(("Ctrl+Shift+Z", "Ctrl+Y"), tr("Redo"), self.session.redo, repeats=True),
            )),
            (tr("Go"), (
                Binding(("Left", ","), tr("One frame back"), lambda: playhead.step(-1), repeats=True),
                Binding(("Right", "."), tr("One frame on"), lambda: playhead.step(1), repeats=True),
                Binding(("Shift+Left",), tr("Ten frames back"), lambda: playhead.step(-_STEP_TEN), repeats=True),
                Binding(("Shift+Right",), tr("Ten frames on"), lambda: playhead.step(_STEP_TEN), repeats=True),
                Binding(("Home",), tr("First frame"), lambda: playhead.seek(0)),
                Binding(("End",), tr("Last frame"), lambda: playhead.seek(10**9)),
                Binding(("N",), tr("Next thing on the trace"), lambda: bar.step(1), repeats=True),
                Binding(("Shift+N",), tr("Thing before on the trace"), lambda: bar.step(-1), repeats=True),
                Binding(("Shift+L",), tr("Take the level of the stretch"), bar.take_level),
            )),
            (tr("Picture"), (
                *(Binding((key,), label, lambda kind=kind: self.picture.show_view(kind)) for kind, label, key in VIEWS),  # type: ignore[misc]
                Binding(("0",), tr("Whole picture"), self.picture.canvas.reset_zoom),
                Binding((), tr("As recorded"), self.picture.shade.neutral.click),
                Binding((), tr("Night watch or day fog"), self.change_theme),
                None,
                *(Binding((), name, partial(self._choose_language, key)) for key, name in LANGUAGES.items()),
            )),
        )  # fmt: skip
        for name, bindings in menus:
            self.menu.fill(f"&{name}", [None if held is None else bound(held, self) for held in bindings])
        for name, actions in self.stages.menu():
            self.menu.fill(f"&{name}", actions)
        helps = (
            Binding(("F1",), tr("Guide"), self.guide.read),
            Binding(("Ctrl+Shift+A",), tr("Search actions"), self.search.ask),
            Binding(
                (), tr("Show the log"), lambda: QDesktopServices.openUrl(QUrl.fromLocalFile(str(log_path().parent)))
            ),
        )
        self.menu.fill(tr("&Help"), [bound(held, self) for held in helps])
        self._own_keys = FocusKeys(self)
        QApplication.instance().focusChanged.connect(self._own_keys.follow)  # type: ignore[union-attr]

    def _choose_language(self, language: str) -> None:
        """Keep a language; texts are put together when the window starts, and are so again at the next start."""
        try:
            choose(language)
        except OSError as error:
            self.notice.say(tr("The language cannot be kept ({strerror}).", strerror=error.strerror), wrong=True)
        else:
            self.notice.say(tr("{language} from the next start on.", language=LANGUAGES[language]))

    # --- acts -------------------------------------------------------------------------------------------------------

    def show_stage(self, stage: str) -> None:
        """Show a stage, by its key."""
        self.stages.show(stage)

    def _first_stage(self) -> str:
        """The one the site was left in; Footage for a site that was just made, where its passes are seen."""
        if self.session.fresh or not self.session.view.recordings:
            return "footage"
        kept = str(self.settings.value(f"stage/{self.session.path}", ""))
        return kept if kept in self.stages.keys else "tune"

    def change_theme(self) -> None:
        """Change between the two themes, and remember it."""
        self.use_theme(DAY_FOG if self.theme is NIGHT_WATCH else NIGHT_WATCH)
        self.settings.setValue("theme", self.theme.name)

    def use_theme(self, theme: Theme) -> None:
        """Dress everything in a theme."""
        self.theme = theme
        apply_theme(QApplication.instance(), theme)  # type: ignore[arg-type]
        dress(self, theme)
        for part in (self.header, self.rail, self.picture, self.trace, self.stages):
            part.dress(theme)

    def _save_copy_and_close(self) -> None:
        if self.files.save_copy():
            self.close_unsaved()

    def close_unsaved(self) -> None:
        """Close whatever could not be written."""
        self._loses = True
        self.close()

    # --- events -----------------------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent) -> None:
        self._alt_alone = event.key() == Qt.Key.Key_Alt
        # Not a shortcut, so that the space bar still presses a button that has the focus.
        if event.key() == Qt.Key.Key_Space and not event.isAutoRepeat():
            self.picture.transport.toggle()
        elif event.key() == Qt.Key.Key_Escape and self.notice.isVisible():
            self.notice.hide()
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Alt and self._alt_alone:
            self.menu.toggle()
        self._alt_alone = False
        super().keyReleaseEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """A site file or a bundle opens; anything else is a recording."""
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
        if len(paths) == 1 and paths[0].name.endswith((SUFFIX, ".zip")):
            self.site_wanted.emit((paths[0],))
        else:
            self.intake.add_recordings(paths)

    def _ask_whose(self) -> None:
        self.notice.ask(
            tr(
                "{path}: was changed by another program since it was read here. Nothing is saved until one is chosen.",
                path=self.session.path,
            ),
            Answer(
                tr("Keep mine"),
                tr("Write over it; what is there is kept as the version before"),
                self.session.keep_mine,
            ),
            Answer(
                tr("Take theirs"), tr("Show what the other program wrote; it can be undone"), self.session.take_theirs
            ),
        )

    def _note_site(self) -> None:
        """Remember the site for the start page, with the picture that is shown, unless masks are uncovered in it."""
        shown = None if self.session.uncovered else self.picture.image
        score = self.scores.total
        said = head_text(score) if score.incidents or score.alarms else ""
        note_site(self.session.path, self.session.site.name, said, shown)

    def closeEvent(self, event: QCloseEvent) -> None:
        error = None if self._loses else self.session.flush()
        if error is not None:
            self.notice.ask(
                tr("{error} The last changes are not saved.", error=error),
                Answer(tr("Save a copy…"), tr("Choose another file, then close"), self._save_copy_and_close),
                Answer(tr("Close without saving"), tr("The last changes are lost"), self.close_unsaved),
            )
            event.ignore()
            return
        self.settings.setValue("geometry", self.saveGeometry())
        self._note_site()
        if self.stages.now is not None:
            self.settings.setValue(f"stage/{self.session.path}", self.stages.now.key)
        QApplication.instance().focusChanged.disconnect(self._own_keys.follow)  # type: ignore[union-attr]
        self.trace.close_workers()
        self.stages.close()
        self.intake.close_worker()
        self.analysis.close()
        self.scores.close()
        self.insight.close()
        self.comparison.close()
        self.sight.close()
        self.packing.close()
        self.cuttings.close()
        self.deck.close()
        self.session.close()
        super().closeEvent(event)
