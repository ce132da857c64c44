"""What the view listens to beside its picture: sound and input contacts, and what each does."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from north_hush.core.errors import HushError
from north_hush.core.footage.sound import sound_of
from north_hush.core.handover.device_list import take_contacts
from north_hush.core.judge.device import guess_choice, read_alarm_table
from north_hush.core.sight.hearing import SoundRule, heard_at
from north_hush.core.sight.sensors import ROLE_WORDS, ROLES, Sensor
from north_hush.core.site import sensing
from north_hush.core.site.model import Site, replaced
from north_hush.core.words import number, tr
from north_hush.desk.deck import Deck
from north_hush.desk.look.number import NumberBox
from north_hush.desk.look.panel import form_row, muted, wrapped
from north_hush.desk.session import Session
from north_hush.desk.workers.background import Background
from north_hush.desk.workers.scheduler import Urgency

_HEARS = (
    ("jump", tr("a sudden rise")), ("drop", tr("a sudden drop")), ("either", tr("a rise or a drop")), ("louder", tr("louder than")),
    ("dead", tr("an input gone dead")),
)  # fmt: skip
_ROW_PX, _ROWS_MOST = 24, 4


class SensorsBox(QWidget):
    """A list, and below it the fields of the one that is current."""

    def __init__(self, session: Session, deck: Deck, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._deck = session, deck
        self.rows = QListWidget(toolTip=tr("Delete takes one away"), accessibleName=tr("Sensors"))
        self.rows.currentRowChanged.connect(lambda _: self._show_current())
        remove = QAction(tr("Take away"), self.rows, shortcut=QKeySequence(Qt.Key.Key_Delete))
        remove.setShortcutContext(Qt.ShortcutContext.WidgetShortcut)
        remove.triggered.connect(self._remove)
        self.rows.addAction(remove)
        self.rows.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)
        self.listen = QPushButton(
            tr("Listen to sound"), toolTip=tr("An alarm when it is loud, or suddenly louder or quieter")
        )
        self.listen.clicked.connect(self._add_sound)
        self.contact = QPushButton(
            tr("Contacts…"), toolTip=tr("A table (CSV) of when input contacts were on over this recording")
        )
        self.contact.clicked.connect(self._add_contacts)
        self.name = QLineEdit(
            accessibleName=tr("Name of the sensor"), toolTip=tr("How its lane and its alarms are called")
        )
        self.name.editingFinished.connect(lambda: self._change(name=self.name.text().strip()))
        self.hears = QComboBox(accessibleName=tr("What of sound"), toolTip=tr("What of the sound counts"))
        for value, words in _HEARS:
            self.hears.addItem(words, value)
        self.hears.activated.connect(lambda _: self._change_sound(hears=self.hears.currentData()))
        self.level = NumberBox(decimals=0, minimum=-120, maximum=100, suffix=tr(" dB"))
        self.level.setAccessibleName(tr("Level of sound"))
        self.level.setToolTip(tr("How far from what was usual in the ten seconds before; of louder, below full scale"))
        self.level.setKeyboardTracking(False)
        self.level.valueChanged.connect(lambda value: self._change_sound(level_db=value))
        self.role = QComboBox(accessibleName=tr("What it does"), toolTip=tr("What it does to alarms"))
        for role in ROLES:
            self.role.addItem(ROLE_WORDS[role], role)
        self.role.activated.connect(lambda _: self._change(role=self.role.currentData()))
        self.within = NumberBox(decimals=1, minimum=0, maximum=3600, suffix=" s")
        self.within.setAccessibleName(tr("How near to motion"))
        self.within.setToolTip(
            tr("Needed: so long before or after motion starts. Silences: also so long after it ended")
        )
        self.within.setKeyboardTracking(False)
        self.within.valueChanged.connect(lambda value: self._change(within_s=value))
        self.would = wrapped(muted(""))
        self._work = Background(("heard",), self, Urgency.LATER)
        self._counted: tuple[object, ...] = ()
        self.fields = QWidget()
        self._lay_out()
        for changed in (session.changed, session.view_changed, deck.recording_changed, deck.opened):
            changed.connect(self.refresh)
        self.refresh()

    def _lay_out(self) -> None:
        fields = QVBoxLayout(self.fields)
        fields.setContentsMargins(0, 0, 0, 0)
        fields.setSpacing(4)
        fields.addLayout(form_row(tr("Name"), self.name))
        self.sound = QWidget()
        heard = QVBoxLayout(self.sound)
        heard.setContentsMargins(0, 0, 0, 0)
        heard.setSpacing(4)
        heard.addLayout(form_row(tr("Hears"), self.hears))
        heard.addLayout(form_row(tr("Level"), self.level))
        heard.addWidget(self.would)
        fields.addWidget(self.sound)
        fields.addLayout(form_row(tr("It"), self.role))
        fields.addLayout(form_row(tr("Within"), self.within))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(muted(tr("Beside the picture")))
        column.addWidget(self.rows)
        column.addWidget(self.fields)
        buttons = QHBoxLayout()
        buttons.addWidget(self.listen)
        buttons.addWidget(self.contact)
        column.addLayout(buttons)

    # --- showing ----------------------------------------------------------------------------------------------------

    @property
    def current(self) -> Sensor | None:
        """The sensor that is current."""
        place, held = self.rows.currentRow(), self._session.view.sensors
        return held[place] if 0 <= place < len(held) else None

    def refresh(self) -> None:
        """Show the sensors of the view."""
        sensors, at = self._session.view.sensors, self.rows.currentRow()
        words = [f"{held.name}: {ROLE_WORDS[held.role]}" for held in sensors]
        if words != [self.rows.item(place).text() for place in range(self.rows.count())]:
            with QSignalBlocker(self.rows):
                self.rows.clear()
                for text in words:
                    self.rows.addItem(QListWidgetItem(text))
                self.rows.setCurrentRow(min(max(at, 0), len(words) - 1))
        self.rows.setFixedHeight(_ROW_PX * min(len(words), _ROWS_MOST) + 8)
        self.rows.setVisible(bool(words))
        self.contact.setEnabled(self._deck.recording is not None)
        self._show_current()

    def _show_current(self) -> None:
        held = self.current
        self.fields.setVisible(held is not None)
        if held is None:
            return
        with QSignalBlocker(self.level), QSignalBlocker(self.within):
            if not self.name.hasFocus():
                self.name.setText(held.name)
            self.role.setCurrentIndex(self.role.findData(held.role))
            self.within.setValue(held.within_s)
            if held.sound is not None:
                self.hears.setCurrentIndex(self.hears.findData(held.sound.hears))
                self.level.setValue(held.sound.level_db)
        self.sound.setVisible(held.sound is not None)
        self.level.setEnabled(held.sound is not None and held.sound.hears != "dead")
        self.within.setEnabled(held.role != "start")
        self._count(held.sound)

    def _count(self, rule: SoundRule | None) -> None:
        """Say how often it is heard in the recording that is on, at its level and at some beside it."""
        index = self._deck.index
        counts = index is not None and not index.footage.is_folder and rule is not None and rule.hears != "dead"
        wanted = (rule, index.footage if index is not None else None) if counts else ()
        if wanted == self._counted:
            return
        self._counted = wanted
        self.would.setText("")
        self._work.drop()
        if counts and index is not None and rule is not None:
            path = index.footage.path
            self._work.order("heard", lambda: _heard(path, rule), self.would.setText, lambda _: None)

    def close_worker(self) -> None:
        """End the thread."""
        self._work.close()

    # --- doing ------------------------------------------------------------------------------------------------------

    def _change(self, **changes: Any) -> None:
        held, view_id = self.current, self._session.view_id
        if held is not None and any(getattr(held, field) != value for field, value in changes.items()):
            self._session.do(
                tr("Change {name}", name=held.name),
                lambda site: sensing.change_sensor(site, view_id, held.id, **changes),
                tr("sensor"),
            )
        self._show_current()

    def _change_sound(self, **changes: Any) -> None:
        held = self.current
        if held is not None and held.sound is not None:
            self._change(sound=replaced(held.sound, **changes))

    def _add_sound(self) -> None:
        view_id = self._session.view_id
        self._session.do(
            tr("Listen to sound"),
            lambda site: sensing.add_sensor(site, view_id, tr("Sound"), sound=SoundRule(hears="jump")),
        )
        self.rows.setCurrentRow(self.rows.count() - 1)

    def _remove(self) -> None:
        held, view_id = self.current, self._session.view_id
        if held is not None:
            self._session.do(
                tr("Remove {name}", name=held.name), lambda site: sensing.remove_sensor(site, view_id, held.id)
            )

    def _add_contacts(self) -> None:
        """Take a table, and listen to each contact it names that nobody listens to yet."""
        on, view_id, path = self._deck.recording, self._session.view_id, self._session.path
        name, _ = QFileDialog.getOpenFileName(self, tr("Contacts"), str(path.parent), tr("Tables (*.csv *.txt)"))
        if not name or on is None:
            return
        try:
            table = read_alarm_table(Path(name))
            choice = guess_choice(table)
        except HushError as error:
            self._session.failed.emit(error)
            return
        only = None if choice.label else Path(name).stem

        def take(site: Site) -> Site:
            after, taken, _ = take_contacts(site, path, on.path, table, choice, only)
            known = {held.contact for held in after.view(view_id).sensors}
            for contact in sorted({one.label for one in taken} - known):
                after = sensing.add_sensor(after, view_id, contact, contact=contact)
            return after

        self._session.do(tr("Contacts of {name}", name=Path(name).name), take)


def _heard(path: Path, rule: SoundRule) -> str:
    sound = sound_of(path)
    if sound is None:
        return tr("This recording has no sound.")
    counted = (
        tr("{level} dB: {times}", level=number(level, ".0f"), times=times) for level, times in heard_at(sound, rule)
    )
    return tr("Times it is heard here, by level: {counted}", counted=", ".join(counted))
