"""One line across the window for what went wrong: what, to which file or field, and the way out."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QLabel, QToolButton, QWidget

from north_hush.core.errors import HushError


class NoticeBar(QWidget):
    """Hidden while all is well; stays until it is dismissed or another recording is on."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("surface")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.text = QLabel("", accessibleName="Error", wordWrap=True)
        self.text.setProperty("role", "error")
        self._close = QToolButton(text="Dismiss", toolTip="Hide this line  (Esc)")
        self._close.clicked.connect(self.hide)
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 6, 12, 6)
        row.addWidget(self.text, 1)
        row.addWidget(self._close)
        self.hide()

    def tell(self, error: HushError) -> None:
        """Show an error."""
        self.text.setText(str(error))
        self.show()
