"""Footage stage: the recordings of the camera view, what they are, how they are turned, and the evidence pass."""

from __future__ import annotations

from functools import cache
from pathlib import Path
from zoneinfo import available_timezones

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QProgressBar,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from north_hush.core.footage.options import Orientation
from north_hush.core.footage.stamps import clock_text
from north_hush.core.site import edits
from north_hush.core.site.recording import Recording
from north_hush.core.words import tr
from north_hush.desk.deck import Deck
from north_hush.desk.footage.clock import ClockBox
from north_hush.desk.footage.facts import RecordingFacts
from north_hush.desk.footage.seen import SeenBox
from north_hush.desk.footage.sensors import SensorsBox
from north_hush.desk.footage.sight import SightDialog
from north_hush.desk.footage.since import SinceDialog
from north_hush.desk.footage.taken import TakenBox
from north_hush.desk.look.number import NumberBox
from north_hush.desk.look.panel import form_row, muted, rule, stage_title, wrapped
from north_hush.desk.look.roles import Theme
from north_hush.desk.session import Session
from north_hush.desk.sight_now import SightNow

_CLOCK_LIMIT_S = 3.2e9


class FootagePanel(QWidget):
    """Right panel of the Footage stage."""

    add_wanted = Signal()
    add_folder_wanted = Signal()
    locate_wanted = Signal(str)

    def __init__(
        self, session: Session, deck: Deck, sight: SightNow, theme: Theme, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._session, self._deck, self._theme = session, deck, theme
        self.recordings = QListWidget(toolTip=tr("Recordings of this camera view"), accessibleName=tr("Recordings"))
        self.recordings.setFixedHeight(112)
        self.recordings.currentItemChanged.connect(self._on_chosen)
        self._listed: list[tuple[str, str]] = []
        self.add = QPushButton(tr("Add recordings…"), toolTip=tr("Open video files  (Ctrl+O)"))
        self.add.clicked.connect(self.add_wanted)
        self.add_folder = QPushButton(
            tr("Add folder…"),
            toolTip=tr("Open a folder of videos, in order of time; or of numbered images, whose frame rate is asked"),
        )
        self.add_folder.clicked.connect(self.add_folder_wanted)
        self.remove = QPushButton(tr("Remove"), toolTip=tr("Take the recording off this view; the file stays on disk"))
        self.remove.clicked.connect(self._remove)
        self.locate = QPushButton(tr("Locate…"), toolTip=tr("Show where a moved recording is now"))
        self.locate.clicked.connect(lambda: self.locate_wanted.emit(deck.recording.id if deck.recording else ""))
        self.since = QPushButton(
            tr("What changed since…"),
            toolTip=tr("Two recordings side by side, such as of two seasons, and what to tune again"),
        )
        self.since.clicked.connect(lambda: SinceDialog(session, self).exec())
        self.sight = QPushButton(
            tr("How well it sees…"),
            toolTip=tr("Covered, turned, out of focus, dark, dazzled, frozen: how each went, and when it is told"),
        )
        self.sight.clicked.connect(lambda: SightDialog(session, deck, self._theme, self).exec())
        self.empty = wrapped(
            QLabel(
                tr(
                    "No recording yet. Add video files of this camera view: a quiet hour to learn the scene, "
                    "and some with people in it. Files and folders can be dropped on the window too."
                )
            )
        )
        self.facts = RecordingFacts()
        self.turn = QComboBox(
            toolTip=tr("Turn the picture before the pass; costs a new pass"), accessibleName=tr("Turn")
        )
        for degrees, label in (
            (0, tr("upright")),
            (90, tr("90° clockwise")),
            (180, tr("upside down")),
            (270, tr("90° anticlockwise")),
        ):
            self.turn.addItem(label, degrees)
        self.turn.currentIndexChanged.connect(lambda _: self._orient())
        self.flip = QCheckBox(
            tr("mirrored"), toolTip=tr("Flip the picture left to right before the pass; costs a new pass")
        )
        self.flip.toggled.connect(lambda _: self._orient())
        self.clock = NumberBox(decimals=0, minimum=-_CLOCK_LIMIT_S, maximum=_CLOCK_LIMIT_S, suffix=" s")
        self.clock.setToolTip(tr("Added to the time the recording says it was taken, when its clock was wrong"))
        self.clock.setAccessibleName(tr("Clock correction in seconds"))
        self.clock.setKeyboardTracking(False)
        self.clock.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.clock.valueChanged.connect(self._correct_clock)
        self.taken = TakenBox(session, deck)
        self.burnt_in = ClockBox(deck)
        self.seen = SeenBox(session, deck, sight)
        self.sensors = SensorsBox(session, deck)
        self.zone = QComboBox(editable=True, insertPolicy=QComboBox.InsertPolicy.NoInsert, minimumContentsLength=12)
        self.zone.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.zone.setToolTip(tr("The site's time zone: all times are shown on its clock"))
        self.zone.setAccessibleName(tr("Time zone"))
        self.zone.addItems(_zones())
        self.zone.activated.connect(lambda _: self._set_zone())
        editor = self.zone.lineEdit()
        assert editor is not None  # an editable box has one
        editor.returnPressed.connect(self._set_zone)
        self.progress = QProgressBar(textVisible=False, maximum=1000, accessibleName=tr("Evidence pass"))
        self.pass_text = wrapped(muted(""))
        self.cancel = QPushButton(tr("Cancel"), toolTip=tr("Stop the pass; what it has shown so far stays"))
        self.cancel.clicked.connect(lambda _=False: deck.passes.cancel())
        self.again = QPushButton(tr("Start again"), toolTip=tr("Make the evidence of this recording"))
        self.again.clicked.connect(deck.start_pass_again)
        self._lay_out()
        session.changed.connect(self.refresh)
        session.view_changed.connect(self.refresh)
        deck.recording_changed.connect(self.refresh)
        deck.opened.connect(self.refresh)
        deck.evidence_changed.connect(self.refresh)
        deck.pass_progressed.connect(self._on_progress)
        deck.pass_ended.connect(self._show_pass)
        deck.evidence_changed.connect(self._show_pass)
        self.refresh()
        self._show_pass()

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 8)
        column.setSpacing(8)
        column.addWidget(stage_title(tr("Footage")))
        column.addWidget(self.recordings)
        for pair in ((self.add, self.add_folder), (self.locate, self.remove)):
            buttons = QHBoxLayout()
            for button in pair:
                buttons.addWidget(button)
            column.addLayout(buttons)
        column.addWidget(self.since)
        column.addWidget(self.sight)
        column.addWidget(rule())
        column.addWidget(self.facts)
        column.addWidget(self.seen)
        column.addWidget(self.empty)
        self.changes = QWidget()
        changes = QVBoxLayout(self.changes)
        changes.setContentsMargins(0, 0, 0, 0)
        changes.setSpacing(8)
        changes.addLayout(form_row(tr("Turn"), self.turn))
        changes.addLayout(form_row(tr("Mirror"), self.flip))
        changes.addLayout(form_row(tr("Taken"), self.taken))
        changes.addWidget(self.burnt_in)
        changes.addLayout(form_row(tr("Clock correction"), self.clock))
        changes.addLayout(form_row(tr("Time zone"), self.zone))
        changes.addWidget(self.sensors)
        changes.addWidget(rule())
        column.addWidget(self.changes)
        column.addWidget(self.pass_text)
        column.addWidget(self.progress)
        passing = QHBoxLayout()
        passing.addStretch(1)
        passing.addWidget(self.again)
        passing.addWidget(self.cancel)
        column.addLayout(passing)
        column.addStretch(1)

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours, for what is opened from here."""
        self._theme = theme

    def close_workers(self) -> None:
        """End its threads."""
        self.seen.close_worker()
        self.sensors.close_worker()
        self.burnt_in.close_worker()

    # --- showing ----------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the session's recordings and the facts of the one that is on."""
        view, on = self._session.view, self._deck.recording
        self._list_recordings(view.recordings, on)
        for widget in (self.remove, self.locate):
            widget.setEnabled(on is not None)
        self.since.setVisible(len(view.recordings) > 1)
        self.changes.setVisible(on is not None)
        self.empty.setVisible(on is None)
        self.facts.show_of(self._deck.index, on, self._deck.evidence)
        self.seen.refresh()
        self.burnt_in.refresh()
        if on is None:
            return
        stated = self._deck.index.orientation if self._deck.index else Orientation()
        orientation = on.orientation or stated
        with QSignalBlocker(self.turn), QSignalBlocker(self.flip), QSignalBlocker(self.clock):
            self.turn.setCurrentIndex(self.turn.findData(orientation.rotation_deg))
            self.flip.setChecked(orientation.flip)
            self.clock.setValue(on.clock_offset_s)
        self.taken.refresh()
        with QSignalBlocker(self.zone):
            self.zone.setCurrentText(self._session.site.time_zone)

    def _list_recordings(self, recordings: tuple[Recording, ...], on: Recording | None) -> None:
        listed = [(recording.id, recording.path) for recording in recordings]
        with QSignalBlocker(self.recordings):
            if listed != self._listed:
                self._listed = listed
                self.recordings.clear()
                for recording_id, path in listed:
                    item = QListWidgetItem(Path(path).name)
                    item.setData(Qt.ItemDataRole.UserRole, recording_id)
                    item.setToolTip(path)
                    self.recordings.addItem(item)
            places = (place for place, held in enumerate(recordings) if on is not None and held.id == on.id)
            self.recordings.setCurrentRow(next(places, -1))

    def _show_pass(self) -> None:
        evidence, running = self._deck.evidence, self._deck.passes.running is not None
        self.progress.setVisible(running)
        self.cancel.setVisible(running)
        known = self._deck.index is not None
        self.again.setVisible(known and not running and (evidence is None or not evidence.whole))
        if running:
            return
        if evidence is None:
            self.pass_text.setText(tr("Not analysed yet") if known else "")
        elif evidence.lean:
            self.pass_text.setText(tr("Let go to make room in the cache: what was found before is shown"))
        elif not evidence.whole:
            self.pass_text.setText(tr("Analysed in part: {count:,} frames", count=len(evidence.frames)))
        elif self._deck.stored:
            self.pass_text.setText(
                tr(
                    "Analysed: {columns} × {rows} cells a frame, kept in the cache",
                    columns=evidence.grid.columns,
                    rows=evidence.grid.rows,
                )
            )
        else:
            self.pass_text.setText(
                tr("Analysed, but the cache folder cannot be written: the evidence lasts until you close the window")
            )

    def _on_progress(self, share: float, left_s: float) -> None:
        self.progress.setValue(round(1000 * share))
        left = "" if left_s < 0 else tr(", {clock_text} left", clock_text=clock_text(left_s * 1000000.0))
        self.pass_text.setText(tr("Analysing every frame once: {share:.0f} %{left}", share=100 * share, left=left))
        self._show_pass()

    # --- doing ------------------------------------------------------------------------------------------------------

    def _on_chosen(self, item: QListWidgetItem | None) -> None:
        if item is None:
            return
        wanted = item.data(Qt.ItemDataRole.UserRole)
        recording = next((held for held in self._session.view.recordings if held.id == wanted), None)
        if recording is not None and (self._deck.recording is None or self._deck.recording.id != wanted):
            self._deck.put_on(recording)

    def _remove(self) -> None:
        on, view_id = self._deck.recording, self._session.view_id
        if on is not None:
            self._session.do(
                tr("Remove {name}", name=Path(on.path).name), lambda site: edits.remove_recording(site, view_id, on.id)
            )

    def _orient(self) -> None:
        on, view_id = self._deck.recording, self._session.view_id
        if on is not None:
            turn = Orientation(rotation_deg=self.turn.currentData(), flip=self.flip.isChecked())
            self._session.do(tr("Turn the picture"), lambda site: edits.orient_recording(site, view_id, on.id, turn))

    def _set_zone(self) -> None:
        name = self.zone.currentText().strip()
        if name != self._session.site.time_zone:
            self._session.do(tr("Use the clock of {name}", name=name), lambda site: edits.set_time_zone(site, name))
        with QSignalBlocker(self.zone):
            self.zone.setCurrentText(self._session.site.time_zone)

    def _correct_clock(self, seconds: float) -> None:
        on, view_id = self._deck.recording, self._session.view_id
        if on is not None:
            self._session.do(
                tr("Correct the clock"),
                lambda site: edits.change_recording(site, view_id, on.id, clock_offset_s=seconds),
            )


@cache
def _zones() -> tuple[str, ...]:
    """Zones of time that the system knows; it is asked once, since it walks through folders for them."""
    return tuple(sorted(available_timezones()))
