"""A notice as it will look."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from north_hush.core.words import tr
from north_hush.desk.look.panel import muted, rule, wrapped

_PICTURE_PX = 260


class NoticeDialog(QDialog):
    """Shows a row of `notify --json`: subject, text, pictures, and the short line for telephones."""

    def __init__(self, row: dict[str, Any], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle(tr("Message by {row}", row=row["way"]))
        column = QVBoxLayout(self)
        subject = wrapped(QLabel(row["subject"]))
        subject.setProperty("role", "stage")
        column.addWidget(subject)
        column.addWidget(muted(tr("{row}, at {row2:.1f} s", row=row["recording"], row2=row["at_s"])))
        column.addWidget(rule())
        column.addWidget(wrapped(QLabel(row["text"])))
        pictures = QHBoxLayout()
        for path in row["pictures"]:
            held = QLabel("", accessibleName=tr("Picture that goes along"))
            held.setPixmap(QPixmap(path).scaledToHeight(_PICTURE_PX, Qt.TransformationMode.SmoothTransformation))
            pictures.addWidget(held)
        column.addLayout(pictures)
        column.addWidget(rule())
        column.addWidget(wrapped(muted(tr("As a short line: {row}", row=row["short"]))))
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)
        self.setMinimumWidth(420)
