"""What is one click away in Outcome: joining, splitting, snapshots, names of files, ages, and the disk."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import QCheckBox, QComboBox, QLineEdit, QMenu, QSizePolicy, QToolButton, QVBoxLayout, QWidget

from north_hush.core.outcome.naming import FIELDS, Names, check_pattern
from north_hush.core.outcome.rules import Stamp
from north_hush.core.site import outcomes
from north_hush.core.site.model import Site, replaced
from north_hush.core.words import tr
from north_hush.desk.look.number import NumberBox
from north_hush.desk.look.panel import form_row, muted, rule, wrapped
from north_hush.desk.session import Session

_EXAMPLE = {
    "item": tr("Slip line"), "kind": "person", "recording": "afternoon", "date": "2026-06-14", "time": "150225",
    "start": "2026-06-14T150225.40", "end": "2026-06-14T150251.00",
}  # fmt: skip


class MoreKeeping(QWidget):
    """Dials and fields that most people leave as they are."""

    def __init__(self, session: Session, dials: Sequence[QWidget], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.after_from = QComboBox(accessibleName=tr("After counts from"), toolTip=tr("Where the time after begins"))
        self.after_from.addItem(tr("the alarm's end"), "end")
        self.after_from.addItem(tr("the alarm's start"), "start")
        self.after_from.activated.connect(lambda _: self._keep(after_from=self.after_from.currentData()))
        self.pattern = QLineEdit(
            accessibleName=tr("Names of files"), toolTip=tr("Fields: ") + ", ".join(f"{{{name}}}" for name in FIELDS)
        )
        self.pattern.editingFinished.connect(self._set_pattern)
        self.pattern.textEdited.connect(self._show_example)
        self.example = wrapped(muted(""))
        self.container = QComboBox(
            accessibleName=tr("Container"), toolTip=tr("Both can be read to the last second after a power cut")
        )
        for value, words in (("mkv", tr("Matroska (.mkv)")), ("mp4", tr("MP4 in fragments (.mp4)"))):
            self.container.addItem(words, value)
        self.container.activated.connect(lambda _: self._naming(container=self.container.currentData()))
        self.stamp = QCheckBox(
            tr("Burn the time into the picture"),
            toolTip=tr("Clips are encoded anew for it. As .vtt the times lie beside them anyway."),
        )
        self.stamp.clicked.connect(lambda on: self._naming(stamp=Stamp() if on else None))
        self.sound = QCheckBox(
            tr("Keep the sound of a live camera"),
            toolTip=tr(
                "With the pictures, as it comes. In many countries nobody's voice may be recorded without asking."
            ),
        )
        self.sound.clicked.connect(lambda on: self._keep(sound=on))
        self.clips_days = self._number(tr("Days clips are kept"), 1, 3650, tr(" days"))
        self.clips_days.valueChanged.connect(lambda value: self._keep(clips_days=value))
        self.disk_gb = self._number(tr("Size of the disk"), 1, 10_000_000, " GB")
        self.disk_gb.valueChanged.connect(self._set_disk)
        self.along = QToolButton(
            accessibleName=tr("Record along"), toolTip=tr("Other views that record too while alarms of this one run")
        )
        self.along.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.along.setMenu(QMenu(self.along))
        self.along.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        for box in (self.after_from, self.container):
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addWidget(rule())
        for dial in dials:
            column.addWidget(dial)
        for label, widget in (
            (tr("After, from"), self.after_from), (tr("Names"), self.pattern), ("", self.example), (tr("Container"), self.container),
            (tr("Clips stay"), self.clips_days), (tr("Disk"), self.disk_gb), (tr("Along"), self.along),
        ):  # fmt: skip
            column.addLayout(form_row(label, widget))
        column.addWidget(self.stamp)
        column.addWidget(self.sound)

    def _number(self, name: str, low: float, high: float, suffix: str) -> NumberBox:
        box = NumberBox(decimals=0, minimum=low, maximum=high, suffix=suffix, accessibleName=name, toolTip=name)
        box.setKeyboardTracking(False)
        return box

    def refresh(self) -> None:
        """Show the session's outcome."""
        outcome, disk = self._session.view.outcome, self._session.site.disk
        fields = (self.after_from, self.container, self.stamp, self.sound, self.clips_days, self.disk_gb)
        blockers = [QSignalBlocker(field) for field in fields]
        self.after_from.setCurrentIndex(self.after_from.findData(outcome.keep.after_from))
        self.container.setCurrentIndex(self.container.findData(outcome.naming.container))
        self.stamp.setChecked(outcome.naming.stamp is not None)
        self.sound.setChecked(outcome.keep.sound)
        self.clips_days.setValue(outcome.keep.clips_days)
        self.disk_gb.setValue(disk.size_gb)
        del blockers
        if not self.pattern.hasFocus():
            self.pattern.setText(outcome.naming.pattern)
            self._show_example(outcome.naming.pattern)

        self._show_along()

    def _show_along(self) -> None:
        """Offer the other views, with those that record along checked."""
        site, view = self._session.site, self._session.view
        recording = {held.view for held in view.outcome.along}
        menu = self.along.menu()
        menu.clear()
        for other in site.views:
            if other.id != view.id:
                action = menu.addAction(other.name, self._set_along)
                action.setCheckable(True)
                action.setChecked(other.id in recording)
                action.setData(other.id)
        names = [other.name for other in site.views if other.id in recording]
        self.along.setText(", ".join(names) or tr("no other view"))
        self.along.setEnabled(len(site.views) > 1)

    def _set_along(self) -> None:
        chosen = [action.data() for action in self.along.menu().actions() if action.isChecked()]
        view_id = self._session.view_id
        self._session.do(tr("Record along"), lambda site: outcomes.record_along(site, view_id, chosen))

    def _show_example(self, pattern: str) -> None:
        """What a file would be called; or what is wrong with the pattern."""
        wrong = ""
        try:
            check_pattern(pattern)
        except ValueError as error:
            wrong = str(error)
        ending = f".{self._session.view.outcome.naming.container}"
        self.example.setText(wrong or Names(pattern).free({**_EXAMPLE, "view": self._session.view.name}, ending))

    def _set_pattern(self) -> None:
        pattern = self.pattern.text().strip()
        if pattern == self._session.view.outcome.naming.pattern:
            return
        try:
            check_pattern(pattern)
        except ValueError:
            return  # it is said below the field already
        self._naming(pattern=pattern)

    def _keep(self, **changes: object) -> None:
        view_id = self._session.view_id
        self._session.do(tr("Keep"), lambda site: outcomes.set_keep(site, view_id, **changes))

    def _naming(self, **changes: object) -> None:
        view_id = self._session.view_id
        self._session.do(tr("Names of files"), lambda site: outcomes.set_naming(site, view_id, **changes))

    def _set_disk(self, size_gb: float) -> None:
        def change(site: Site) -> Site:
            return replaced(
                site, disk=replaced(site.disk, size_gb=size_gb, reserve_gb=min(site.disk.reserve_gb, size_gb / 10))
            )

        self._session.do(tr("Size of the disk"), change)
