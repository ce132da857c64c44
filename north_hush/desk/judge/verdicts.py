"""The row of verdicts: real, nuisance with its cause, unsure, and a note that goes with it."""

from __future__ import annotations

from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from north_hush.core.explain.causes import CAUSE_NAMES, CAUSES, Cause
from north_hush.core.site.marking import Judgement
from north_hush.core.words import tr

JUDGEMENTS: tuple[tuple[Judgement, str, str], ...] = (
    ("real", tr("Real"), "Y"),
    ("nuisance", tr("Nuisance"), "X"),
    ("unsure", tr("Unsure"), "U"),
)


class VerdictRow(QWidget):
    """Buttons for the three verdicts, a cause that is prefilled from the evidence, and a note."""

    judged = Signal(str)
    sheet_wanted = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.buttons: dict[Judgement, QPushButton] = {}
        self.cause = QComboBox(
            toolTip=tr("Cause of a nuisance, prefilled from the evidence"), accessibleName=tr("Cause of a nuisance")
        )
        for cause in CAUSES:
            self.cause.addItem(CAUSE_NAMES[cause], cause)
        self.note = QLineEdit(
            maxLength=500,
            placeholderText=tr("Note"),
            toolTip=tr("Goes with the next verdict, and stays with the footage"),
            accessibleName=tr("Note to the next verdict"),
        )
        self.sheet = QPushButton(tr("Sheet"))
        self.sheet.setToolTip(tr("Alarms as a sheet of pictures, to judge many at a glance"))
        self.sheet.clicked.connect(self.sheet_wanted)
        verdicts = QHBoxLayout()
        for judgement, label, key in JUDGEMENTS:
            button = QPushButton(f"{label}  {key}")
            button.setToolTip(tr("Judge what is selected: {label}  ({key})", label=label.lower(), key=key))
            button.clicked.connect(lambda _=False, judgement=judgement: self.judged.emit(judgement))
            self.buttons[judgement] = button
            verdicts.addWidget(button, 1)
        more = QHBoxLayout()
        self.cause.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.cause.setMinimumContentsLength(12)
        more.addWidget(self.cause, 3)
        more.addWidget(self.note, 2)
        more.addWidget(self.sheet)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addLayout(verdicts)
        column.addLayout(more)

    def show_cause(self, cause: Cause) -> None:
        """Prefill the cause."""
        with QSignalBlocker(self.cause):
            self.cause.setCurrentIndex(self.cause.findData(cause))

    def taken_note(self) -> str:
        """The note, which is then gone: it belongs to one verdict."""
        note = self.note.text().strip()
        self.note.clear()
        return note
