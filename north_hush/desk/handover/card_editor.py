"""A device card written in the window: each field of it, checked as it is typed, and saved as a file of its own."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from pydantic import ValidationError
from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QScrollArea,
    QSpinBox,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from north_hush.core.handover.card import Card, card_text
from north_hush.core.site.file import describe_invalid
from north_hush.core.site.whole import write_whole
from north_hush.core.words import tr
from north_hush.desk.look.panel import muted, wrapped

_SHAPES = ("polygon", "rectangle", "cells", "picture")
_MASKS = ("none", "cells", "image")
_FIRES = ("motion", "entry", "loitering")
_COLUMNS = ("name", "ours", "unit", "low", "high", "step", "each", "table", "sure")
_COUNTS = (
    ("zones_most", tr("Zones at most"), 702),
    ("corners_most", tr("Corners at most"), 500),
    ("columns", tr("Columns of cells"), 1000),
    ("rows", tr("Rows of cells"), 1000),
    ("wires_most", tr("Lines at most"), 99),
    ("width_px", tr("Width in its pixels (0: as recorded)"), 100_000),
    ("height_px", tr("Height in its pixels (0: as recorded)"), 100_000),
)


class CardEditor(QDialog):
    """Begins with a card; nothing of it is changed until it is saved."""

    saved = Signal(str)
    """The path of the file."""

    def __init__(self, card: Card, folder: Path, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Device card"))
        self.resize(720, 640)
        self._folder, self._card = folder, card
        self.name, self.says = QLineEdit(card.name), QLineEdit(card.says)
        self.counts = {field: QSpinBox(maximum=most) for field, _, most in _COUNTS}
        for field, box in self.counts.items():
            box.setValue(getattr(card, field) or 0)
        self.shape, self.masks = _choice(_SHAPES, card.shape), _choice(_MASKS, card.masks)
        self.fires = {kind: QCheckBox(kind, checked=kind in card.fires) for kind in _FIRES}
        self.directed = QCheckBox(tr("lines tell the way they were crossed"), checked=card.directed)
        self.own_choices = QCheckBox(tr("compares as North Hush does"), checked=card.own_choices)
        self.scales = QTableWidget(0, len(_COLUMNS), accessibleName=tr("Scales"))
        self.scales.setHorizontalHeaderLabels(
            [
                tr("Name"),
                tr("Stands for"),
                tr("Unit"),
                tr("Low"),
                tr("High"),
                tr("Step"),
                tr("Each"),
                tr("Table"),
                tr("Sure"),
            ]
        )
        self.scales.setToolTip(
            "Table: a device's value and ours, as 1:40, 50:8, 100:1.5; empty: the values are ours already"
        )
        self.scales.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        self.scales.verticalHeader().hide()
        for scale in card.scales:
            self._add_scale(scale.model_dump())
        self.excludes = QLineEdit(
            ", ".join("/".join(pair) for pair in card.excludes), placeholderText=tr("zones/wires")
        )
        self.excludes.setToolTip(tr("Pairs of what cannot be used together: zones, wires, masks, names of scales"))
        self.hours = QLineEdit("" if card.hours is None else f"{card.hours.step_min}, {card.hours.periods_a_day}")
        self.hours.setToolTip(tr("Its hours: step in minutes and pieces a day, as 30, 6; empty: it has none"))
        self.holidays = QCheckBox(tr("knows holidays"), checked=card.hours is not None and card.hours.holidays)
        self.before, self.after = (
            QLineEdit(", ".join(f"{one:g}" for one in held)) for held in (card.before_s, card.after_s)
        )
        self.steps = QPlainTextEdit("\n".join(card.steps))
        self.steps.setFixedHeight(96)
        self.wrong = wrapped(QLabel("", accessibleName=tr("What is wrong with the card")))
        self.wrong.setProperty("role", "error")
        self.save = QPushButton(tr("Save as…"), toolTip=tr("Save the card as a file, and use it"))
        self.save.clicked.connect(self._on_save)
        self._lay_out()
        self._watch()
        self.check()

    def _lay_out(self) -> None:
        form = QFormLayout()
        rows: list[tuple[str, QWidget]] = [
            (tr("Name"), self.name),
            (tr("What it can"), self.says),
            (tr("Shape"), self.shape),
        ]
        rows += [(label, self.counts[field]) for field, label, _ in _COUNTS]
        rows += [(tr("Masks"), self.masks), (tr("Cannot be used together"), self.excludes), (tr("Hours"), self.hours)]
        rows += [
            (tr("Seconds before"), self.before),
            (tr("Seconds after"), self.after),
            (tr("In this order"), self.steps),
        ]
        for label, widget in rows:
            widget.setAccessibleName(label)
            form.addRow(muted(label), widget)
        ticks = QHBoxLayout()
        for box in (*self.fires.values(), self.directed, self.own_choices, self.holidays):
            ticks.addWidget(box)
        more, less = QPushButton(tr("Add a scale")), QPushButton(tr("Take away the scale"))
        more.clicked.connect(lambda: self._add_scale({}))
        less.clicked.connect(lambda: (self.scales.removeRow(self.scales.currentRow()), self.check()))
        buttons = QHBoxLayout()
        for button in (more, less):
            buttons.addWidget(button)
        buttons.addStretch(1)
        buttons.addWidget(self.save)
        self.scales.setMinimumHeight(140)
        inside, room = QWidget(), QScrollArea(widgetResizable=True)
        inside.setLayout(form)
        room.setWidget(inside)
        column = QVBoxLayout(self)
        column.addWidget(room, 1)
        column.addLayout(ticks)
        column.addWidget(self.scales)
        column.addWidget(self.wrong)
        column.addLayout(buttons)

    def _watch(self) -> None:
        """Check at every change."""
        lines = (self.name, self.says, self.excludes, self.hours, self.before, self.after)
        signals: list[Any] = [line.textChanged for line in lines] + [box.valueChanged for box in self.counts.values()]
        signals += [box.currentIndexChanged for box in (self.shape, self.masks)]
        signals += [box.toggled for box in (*self.fires.values(), self.directed, self.own_choices, self.holidays)]
        for signal in (*signals, self.steps.textChanged, self.scales.itemChanged):
            signal.connect(lambda *_: self.check())

    def _add_scale(self, held: dict[str, Any]) -> None:
        row = self.scales.rowCount()
        self.scales.insertRow(row)
        born = {
            "name": tr("Scale {row}", row=row + 1),
            "ours": "change_limit_grey",
            "low": 0.0,
            "high": 100.0,
            "step": 1.0,
            "each": True,
        }
        for column, field in enumerate(_COLUMNS):
            value = {**born, **held}.get(field, "")
            text = _pairs_text(value) if field == "table" else _TEXTS.get(type(value), str)(value)
            self.scales.setItem(row, column, QTableWidgetItem(text))

    @property
    def values(self) -> dict[str, Any]:
        """The card as it is written, not yet checked.

        Raises
        ------
        ValueError : a number or a pair cannot be read.
        """
        counts = {field: box.value() for field, box in self.counts.items()}
        sizes = {field: counts.pop(field) or None for field in ("width_px", "height_px")}
        parts = [int(part) for part in self.hours.text().split(",") if part.strip()]
        hours = dict(zip(("step_min", "periods_a_day"), parts, strict=True)) if parts else None
        return {
            **counts,
            **sizes,
            "name": self.name.text().strip(),
            "says": self.says.text().strip(),
            "shape": self.shape.currentText(),
            "masks": self.masks.currentText(),
            "fires": [kind for kind, box in self.fires.items() if box.isChecked()],
            "directed": self.directed.isChecked(),
            "own_choices": self.own_choices.isChecked(),
            "scales": [self._scale(row) for row in range(self.scales.rowCount())],
            "excludes": [tuple(part.strip().split("/")) for part in self.excludes.text().split(",") if part.strip()],
            "hours": None if hours is None else {**hours, "holidays": self.holidays.isChecked()},
            "before_s": _numbers(self.before.text()),
            "after_s": _numbers(self.after.text()),
            "steps": [line.strip() for line in self.steps.toPlainText().splitlines() if line.strip()],
        }

    def _scale(self, row: int) -> dict[str, Any]:
        texts = {}
        for column, field in enumerate(_COLUMNS):
            item = self.scales.item(row, column)
            texts[field] = item.text().strip() if item is not None else ""
        held: dict[str, Any] = {field: text for field, text in texts.items() if text}
        held |= {field: float(texts[field].replace(",", ".")) for field in ("low", "high", "step") if texts[field]}
        return {**held, "each": texts["each"] != "no", "table": _pairs(texts["table"])}

    def check(self) -> Card | None:
        """The card, if it makes sense; else it is said what does not, by its field."""
        try:
            card = Card.model_validate(self.values)
        except ValidationError as error:
            said = describe_invalid(error).removeprefix("the file: ")
        except ValueError as error:
            said = tr("A number cannot be read: {error}.", error=error)
        else:
            self.wrong.setText("")
            self.save.setEnabled(True)
            return card
        self.wrong.setText(said)
        self.save.setEnabled(False)
        return None

    def _on_save(self) -> None:
        card = self.check()
        name = "-".join(self.name.text().lower().split()) or "card"
        target, _ = QFileDialog.getSaveFileName(
            self, tr("Device card"), str(self._folder / f"{name}.json"), tr("Device cards (*.json)")
        )
        if not target or card is None:
            return
        try:
            write_whole(Path(target), card_text(card).encode())
        except OSError as error:
            self.wrong.setText(
                tr(
                    "{target} cannot be written ({strerror}). Check permissions.",
                    target=target,
                    strerror=error.strerror,
                )
            )
            return
        self.saved.emit(target)
        self.accept()


_TEXTS: dict[type, Callable[[Any], str]] = {bool: lambda held: "yes" if held else "no", float: lambda held: f"{held:g}"}


def _choice(texts: tuple[str, ...], now: str) -> QComboBox:
    box = QComboBox()
    box.addItems(texts)
    box.setCurrentText(now)
    return box


def _numbers(text: str) -> list[float]:
    return [float(part) for part in text.split(",") if part.strip()]


def _pairs(text: str) -> list[tuple[float, float]]:
    pairs = [part.split(":") for part in text.split(",") if part.strip()]
    return [(float(theirs), float(ours)) for theirs, ours in pairs]


def _pairs_text(pairs: Any) -> str:
    return ", ".join(f"{theirs:g}:{ours:g}" for theirs, ours in pairs or ())
