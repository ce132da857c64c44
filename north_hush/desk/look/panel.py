"""Small pieces panels are made of."""

from __future__ import annotations

from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QWidget

LABEL_PX = 104


def stage_title(text: str) -> QLabel:
    """Heading of a panel."""
    label = QLabel(text)
    label.setProperty("role", "stage")
    return label


def muted(text: str) -> QLabel:
    """Quiet text."""
    label = QLabel(text)
    label.setProperty("role", "muted")
    return label


def wrapped(label: QLabel) -> QLabel:
    """The same label, breaking into lines."""
    label.setWordWrap(True)
    return label


def rule() -> QFrame:
    """A thin line across."""
    line = QFrame()
    line.setProperty("role", "rule")
    return line


def form_row(text: str, widget: QWidget) -> QHBoxLayout:
    """A label and what it names, side by side."""
    label = QLabel(text)
    label.setProperty("role", "muted")
    label.setFixedWidth(LABEL_PX)
    label.setBuddy(widget)
    row = QHBoxLayout()
    row.setSpacing(8)
    row.addWidget(label)
    row.addWidget(widget, 1)
    return row
