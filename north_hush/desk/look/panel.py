"""Small pieces panels are made of."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QSizePolicy, QWidget

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


class OneLine(QLabel):
    """Quiet text that ends in dots where there is no room for all of it; its tool tip holds the whole, and what it is about."""

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("role", "muted")
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self._about = ""

    def say(self, text: str, about: str = "") -> None:
        """Show a text."""
        self.setText(text)
        self._about = about or self._about
        self.setToolTip(f"{text}\n{self._about}" if self._about and text else text)

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter, line = QPainter(self), self.contentsRect()
        fits = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, line.width())
        painter.setPen(self.palette().color(self.foregroundRole()))
        painter.drawText(line, int(self.alignment()), fits)


class Saying(QLabel):
    """What came of an act, in words; not there while there is nothing to say."""

    def __init__(self) -> None:
        super().__init__("", wordWrap=True)
        self.hide()

    def tell(self, text: str, *, wrong: bool = False) -> None:
        """Say something, quietly or as an error."""
        self.setProperty("role", "error" if wrong else "muted")
        self.style().polish(self)
        self.setText(text)
        self.setVisible(bool(text))


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
