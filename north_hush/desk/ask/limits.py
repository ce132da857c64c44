"""Which answers are wanted, as it is chosen in the panel."""

from __future__ import annotations

from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtWidgets import QComboBox, QLineEdit, QPushButton, QVBoxLayout, QWidget

from north_hush.core.ask.limits import NO_LIMITS, AskLimits, checked_limits
from north_hush.core.hours.clock import ALWAYS
from north_hush.core.scene.kind import KIND_WORDS, KINDS, Taught
from north_hush.core.site.questions import Light
from north_hush.core.words import begun, tr
from north_hush.desk.look.panel import form_row

_LIGHTS: tuple[tuple[str, tuple[Light, ...]], ...] = (
    (tr("Any light"), ()),
    (tr("By day"), ("day",)),
    (tr("At dusk"), ("dusk",)),
    (tr("At night"), ("night",)),
    (tr("Dusk and night"), ("dusk", "night")),
)


_KNOWN = len(KINDS)
"""Anybody, and all kinds but unclear."""


class LimitsBox(QWidget):
    """Of whom, at what hours, in what light; folded away until it is wanted."""

    changed = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.fold = QPushButton(
            tr("Only …"), checkable=True, toolTip=tr("Leave answers out: by who it was, by hours, by light")
        )
        self.whom = QComboBox(toolTip=tr("What nobody could name is never left out"), accessibleName=tr("Of whom"))
        self.whom.addItem(tr("Anybody, anything"), ())
        for kind in KINDS:
            if kind != "unclear":
                self.whom.addItem(begun(KIND_WORDS[kind]), (kind,))
        self.light = QComboBox(toolTip=tr("Light of the recordings, as Footage has it"), accessibleName=tr("Light"))
        for word, lights in _LIGHTS:
            self.light.addItem(word, lights)
        self.hours = QLineEdit(placeholderText=tr("any, or as Mo-Fr 18:00-06:00"), accessibleName=tr("Hours"))
        self.hours.setToolTip(tr("Weekdays, times and dates, as in Hours: 2026 Nov 24-26 22:00-05:00"))
        self._inside = QWidget()
        inside = QVBoxLayout(self._inside)
        inside.setContentsMargins(0, 0, 0, 0)
        for label, field in ((tr("Whom"), self.whom), (tr("Light"), self.light), (tr("Hours"), self.hours)):
            inside.addLayout(form_row(label, field))
        self._inside.hide()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.fold)
        column.addWidget(self._inside)
        self.fold.toggled.connect(self._inside.setVisible)
        for chosen in (self.whom.currentIndexChanged, self.light.currentIndexChanged, self.hours.textChanged):
            chosen.connect(lambda _: self._tell())

    def offer(self, taught: tuple[Taught, ...]) -> None:
        """Offer kinds of one's own too; what is chosen stays chosen where it is still there."""
        chosen = self.whom.currentData()
        with QSignalBlocker(self.whom):
            while self.whom.count() > _KNOWN:
                self.whom.removeItem(_KNOWN)
            for held in taught:
                self.whom.addItem(held.name, (held.id,))
        self._choose(self.whom, tuple(chosen))

    def limits(self) -> AskLimits:
        """What is chosen.

        Raises
        ------
        HushError : the hours cannot be read.
        """
        hours = self.hours.text().strip() or ALWAYS
        return checked_limits(AskLimits(tuple(self.whom.currentData()), hours, lights=tuple(self.light.currentData())))

    def show_limits(self, limits: AskLimits) -> None:
        """Choose what was kept."""
        self._choose(self.whom, limits.kinds)
        self._choose(self.light, limits.lights)
        self.hours.setText("" if limits.hours == ALWAYS else limits.hours)
        self.fold.setChecked(limits != NO_LIMITS)

    @staticmethod
    def _choose(box: QComboBox, wanted: tuple[str, ...]) -> None:
        places = [place for place in range(box.count()) if tuple(box.itemData(place)) == wanted]  # Qt finds no tuples
        box.setCurrentIndex(places[0] if places else 0)

    def _tell(self) -> None:
        """The button says what is left in, so that a folded limit is not forgotten."""
        words = [box.currentText().lower() for box in (self.whom, self.light) if box.currentIndex()]
        words += [text] if (text := self.hours.text().strip()) else []
        self.fold.setText(tr("Only: ") + ", ".join(words) if words else tr("Only …"))
        self.changed.emit()
