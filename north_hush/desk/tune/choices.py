"""Choices of a zone or wire that are no dials: what is compared, how often, above what, and in which unit things are."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtWidgets import QCheckBox, QComboBox, QMenu, QPushButton, QVBoxLayout, QWidget, QWidgetAction

from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.scene.kind import KIND_WORDS, KINDS, Taught, kinds_text
from north_hush.core.words import tr, trn
from north_hush.desk.look.panel import form_row

_CHOICES: dict[str, tuple[str, str, tuple[tuple[Any, str], ...]]] = {
    "channel": (
        tr("Compare with"),
        tr(
            "What each frame is compared with. Longer steps show slow and far things; backgrounds show what stands or stays."
        ),
        (
            ("step", tr("the frame before")),
            ("step_200ms", tr("0.2 s before")),
            ("step_500ms", tr("0.5 s before")),
            ("drift", tr("a slow background")),
            ("settle", tr("background, slow with fast")),
        ),
    ),
    "analysis_per_s": (
        tr("Analyse"),
        tr("How many frames count, to see what a slower recorder would do."),
        ((0, tr("every frame")), (5, tr("5 frames/s")), (2, tr("2 frames/s"))),
    ),
    "usual_s": (
        tr("Count level"),
        tr("Above the usual level, water or trees that always move have none. A longer time follows more slowly."),
        (
            (0.0, tr("from nothing")),
            (10.0, tr("above the usual of 10 s")),
            (60.0, tr("above the usual of 1 min")),
            (600.0, tr("above the usual of 10 min")),
        ),
    ),
    "things_in": (
        tr("Sizes in"),
        tr("Unit of smallest and largest thing and of travel. Person heights follow the size marks of the Draw stage."),
        (("percent", tr("% of the view")), ("heights", tr("person heights"))),
    ),
}


class Choice(QComboBox):
    """One choice by name of its setting."""

    chosen = Signal(str, object)

    def __init__(self, field: str, parent: QWidget | None = None) -> None:
        self.label, tip, values = _CHOICES[field]
        super().__init__(parent, toolTip=tip, accessibleName=self.label)
        # The panel's width counts: a long word must not widen it.
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.field = field
        for value, text in values:
            self.addItem(text, value)
        self.view().setMinimumWidth(self.view().sizeHintForColumn(0) + 24)  # the open list shows every word
        self.currentIndexChanged.connect(lambda _: self.chosen.emit(field, self.currentData()))

    def show_value(self, value: Any) -> None:
        """Show a value without telling anybody; one that is not on the list is added."""
        with QSignalBlocker(self):
            place = next((place for place in range(self.count()) if self.itemData(place) == value), -1)
            if place < 0:
                self.addItem(f"{value:g}" if isinstance(value, float) else str(value), value)
                place = self.count() - 1
            self.setCurrentIndex(place)


_LETTERS = 24
"""So many have room on the button."""


class KindsChoice(QPushButton):
    """Which kinds of things are reported: ticks in a list that stays open."""

    chosen = Signal(str, object)

    def __init__(self, parent: QWidget | None = None) -> None:
        self.label, self.field = tr("Reports"), "kinds"
        super().__init__(parent)
        self.setToolTip(
            tr(
                "Which kinds of things raise alarms. A thing is named while it is seen, by weights fitted on made-up footage, so an "
                "alarm comes some frames later; the search for settings leaves this alone."
            )
        )
        self.setProperty("role", "choice")
        self.ticks: dict[str, QCheckBox] = {}
        self._taught: tuple[Taught, ...] = ()
        held = QWidget()
        self._column = QVBoxLayout(held)
        self._column.setContentsMargins(12, 8, 12, 8)
        for kind in KINDS:
            if kind != "unclear":
                self._add(kind, KIND_WORDS[kind])
        menu = QMenu(self)
        action = QWidgetAction(menu)
        action.setDefaultWidget(held)
        menu.addAction(action)
        menu.aboutToShow.connect(next(iter(self.ticks.values())).setFocus)
        self.setMenu(menu)
        self.show_value(())

    def _add(self, kind: str, word: str) -> None:
        tick = self.ticks[kind] = QCheckBox(word)
        self._column.addWidget(tick)
        tick.toggled.connect(lambda _: self.chosen.emit(self.field, self.ticked))

    def offer(self, taught: tuple[Taught, ...]) -> None:
        """Offer kinds of one's own too."""
        if taught == self._taught:
            return
        for kind in [kind for kind in self.ticks if kind not in KINDS]:
            self.ticks.pop(kind).deleteLater()
        for held in taught:
            self._add(held.id, held.name)
        self._taught = taught

    @property
    def ticked(self) -> tuple[str, ...]:
        """The kinds that are ticked."""
        return tuple(kind for kind, tick in self.ticks.items() if tick.isChecked())

    def show_value(self, kinds: tuple[str, ...]) -> None:
        """Show a value without telling anybody."""
        for kind, tick in self.ticks.items():
            with QSignalBlocker(tick):
                tick.setChecked(kind in kinds)
        text = kinds_text(kinds, self._taught) if kinds else tr("everything")
        self.setText(
            text if len(text) <= _LETTERS else trn("{count} kind", "{count} kinds", len(kinds), count=len(kinds))
        )
        self.setAccessibleName(tr("Reports: {kinds}", kinds=text))


class MoreChoices(QWidget):
    """The choices one click away."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.kinds = KindsChoice()
        self.choices: dict[str, Choice | KindsChoice] = {
            field: Choice(field) for field in ("analysis_per_s", "usual_s", "things_in")
        }
        self.choices["kinds"] = self.kinds
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        self._rows = {field: QWidget() for field in self.choices}
        for field, choice in self.choices.items():
            row = form_row(choice.label, choice)
            row.setContentsMargins(0, 0, 0, 0)
            self._rows[field].setLayout(row)
            column.addWidget(self._rows[field])

    def show_row(self, field: str, *, shown: bool) -> None:
        """Show a choice, or not, where it says nothing."""
        self._rows[field].setVisible(shown)

    def show_settings(self, settings: ZoneSettings) -> None:
        """Show what is set."""
        for field, choice in self.choices.items():
            choice.show_value(getattr(settings, field))
