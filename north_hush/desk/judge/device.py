"""Bring in the device's own alarm list: a CSV file, the columns that count, and what came of it before it is taken."""

from __future__ import annotations

from datetime import datetime, tzinfo
from pathlib import Path
from typing import get_args

from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QFormLayout,
    QHeaderView,
    QMenu,
    QTableWidget,
    QTableWidgetItem,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from north_hush.core.errors import HushError, SiteError
from north_hush.core.judge.device import (
    AlarmTable,
    Choice,
    ClockMeaning,
    DeviceAlarm,
    device_alarms,
    guess_choice,
    read_alarm_table,
)
from north_hush.core.site import edits
from north_hush.core.words import tr
from north_hush.desk.comparison import Comparison
from north_hush.desk.deck import Deck
from north_hush.desk.look.number import NumberBox
from north_hush.desk.look.panel import muted, wrapped
from north_hush.desk.session import Session

_PREVIEW_ROWS = 6
_SHIFT_MAX_S = 86_400.0
_CLOCKS: dict[ClockMeaning, str] = {"start": tr("the start of the recording"), "day": tr("midnight (UTC)")}


class DeviceMenu(QToolButton):
    """Brings in the list of the recording that is on, compares with it, or lets it go."""

    def __init__(self, session: Session, deck: Deck, comparison: Comparison, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._deck, self._comparison = session, deck, comparison
        self.setText(tr("Device list"))
        self.setAccessibleName(tr("Device list"))
        self.setToolTip(tr("The device's own alarms: bring in its list (CSV), compare with it, or let it go"))
        self.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self._menu = QMenu(self)
        self._menu.aboutToShow.connect(self.fill)
        self.setMenu(self._menu)

    def fill(self) -> None:
        """Offer what can be done now."""
        recording = self._deck.recording
        held = recording.device_alarms if recording is not None else ()
        self._menu.clear()
        self._menu.addAction(tr("Bring in a list (CSV)…"), self.choose).setEnabled(self._deck.index is not None)
        compare = self._menu.addAction(
            tr("Compare with its {count} alarms", count=len(held)) if held else tr("Compare with it"),
            lambda: self._comparison.compare_with_device(on=not self._comparison.with_device),
        )
        compare.setCheckable(True)
        compare.setChecked(self._comparison.with_device)
        compare.setEnabled(bool(held))
        self._menu.addAction(tr("Let the list go"), lambda: self.put(())).setEnabled(bool(held))

    def choose(self) -> None:
        """Ask for a file and its columns, and compare with what it holds."""
        index, recording = self._deck.index, self._deck.recording
        name, _ = QFileDialog.getOpenFileName(
            self,
            tr("The device's alarm list"),
            str(self._session.path.parent),
            tr("Tables (*.csv *.txt *.tsv);;All files (*)"),
        )
        if not name or index is None or recording is None:
            return
        try:
            table = read_alarm_table(Path(name))
        except HushError as error:
            self._session.failed.emit(error)
            return
        zone = self._session.site.zone
        dialog = DeviceDialog(table, index.duration_s, recording.began(index, zone), zone, self)
        if dialog.exec() and dialog.alarms:
            self.put(dialog.alarms)

    def put(self, alarms: tuple[DeviceAlarm, ...]) -> None:
        """Keep a list with the recording and compare with it; an empty one lets it go."""
        recording, view_id = self._deck.recording, self._session.view_id
        if recording is not None:
            name = (
                tr("Bring in {count} alarms of the device", count=len(alarms))
                if alarms
                else tr("Let the device's list go")
            )
            self._session.do(
                name, lambda site: edits.change_recording(site, view_id, recording.id, device_alarms=alarms)
            )
            self._comparison.compare_with_device(on=bool(alarms))


class DeviceDialog(QDialog):
    """Shows the first rows, asks which columns hold what, and says at once how many alarms lie in the recording."""

    def __init__(
        self,
        table: AlarmTable,
        duration_s: float,
        taken_at: datetime | None,
        zone: tzinfo,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("The device's alarms"))
        self._table, self._duration_s, self._taken_at, self._zone = table, duration_s, taken_at, zone
        self.alarms: tuple[DeviceAlarm, ...] = ()
        guess = guess_choice(table)
        self.start = self._column_box(tr("Column of the start"), tr("When an alarm began"), guess.start, none=False)
        self.end = self._column_box(tr("Column of the end"), tr("When it ended"), guess.end)
        self.lasts = self._column_box(
            tr("Column of the length"), tr("Its length in seconds, where no end is told"), guess.lasts
        )
        self.label = self._column_box(
            tr("Column of the name"), tr("What raised it, as the device names it"), guess.label
        )
        self.clock = QComboBox(
            toolTip=tr("What a clock time without a date counts from"), accessibleName=tr("Clock times count from")
        )
        for meaning in get_args(ClockMeaning):
            self.clock.addItem(_CLOCKS[meaning], meaning)
        self.shift = NumberBox(minimum=-_SHIFT_MAX_S, maximum=_SHIFT_MAX_S, decimals=1, suffix=" s")
        self.shift.setToolTip(tr("Added to every time, for a device whose clock is off or keeps another time zone"))
        self.shift.setAccessibleName(tr("Shift in seconds"))
        self.said = wrapped(muted(""))
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        form = QFormLayout()
        for name, widget in (
            (tr("Start"), self.start),
            (tr("End"), self.end),
            (tr("Length"), self.lasts),
            (tr("Name"), self.label),
            (tr("Clock times count from"), self.clock),
            (tr("Shift"), self.shift),
        ):
            form.addRow(name, widget)
        column = QVBoxLayout(self)
        column.addWidget(self._preview())
        column.addLayout(form)
        column.addWidget(self.said)
        column.addWidget(self.buttons)
        for box in (self.start, self.end, self.lasts, self.label, self.clock):
            box.currentIndexChanged.connect(lambda _: self._read())
        self.shift.valueChanged.connect(lambda _: self._read())
        self.resize(560, 460)
        self._read()

    def _preview(self) -> QTableWidget:
        table, rows = self._table, self._table.rows[:_PREVIEW_ROWS]
        view = QTableWidget(len(rows), len(table.columns))
        view.setHorizontalHeaderLabels(list(table.columns))
        view.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        view.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        view.setAccessibleName(tr("First rows of the file"))
        view.setToolTip(tr("The first rows of {name}", name=table.path.name))
        for place, row in enumerate(rows):
            for column, name in enumerate(table.columns):
                view.setItem(place, column, QTableWidgetItem(row.get(name, "")))
        return view

    def _column_box(self, name: str, tip: str, chosen: str, *, none: bool = True) -> QComboBox:
        box = QComboBox(toolTip=tip, accessibleName=name)
        if none:
            box.addItem(tr("none"), "")
        for column in self._table.columns:
            box.addItem(column, column)
        box.setCurrentIndex(max(0, box.findData(chosen)))
        return box

    def choice(self) -> Choice:
        """The columns as they are chosen."""
        start, end, lasts, label = (str(box.currentData()) for box in (self.start, self.end, self.lasts, self.label))
        return Choice(
            start,
            end,
            lasts,
            label,
            clock=self.clock.currentData(),
            shift_s=self.shift.value(),
        )

    def _read(self) -> None:
        """Read the rows as they would be taken; what makes no sense is said and cannot be taken."""
        ok = self.buttons.button(QDialogButtonBox.StandardButton.Ok)
        try:
            found = device_alarms(self._table, self.choice(), self._duration_s, self._taken_at, self._zone)
        except SiteError as error:
            self.alarms = ()
            self.said.setText(str(error))
            ok.setEnabled(False)
            return
        self.alarms = found.alarms
        outside = tr("; {outside} lie outside of it and are left out", outside=found.outside) if found.outside else ""
        self.said.setText(
            tr("{count} alarms lie in this recording{outside}.", count=len(found.alarms), outside=outside)
        )
        ok.setEnabled(bool(found.alarms))
