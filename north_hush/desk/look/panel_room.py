"""The room a stage's panel stands in: as high as the window allows, and no higher unless the panel cannot be smaller."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, QSize, Qt, QTimer
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QScrollArea, QWidget


class PanelRoom(QScrollArea):
    """Scrolls a panel only below its least height. A resizable scroll area would give it the height it likes best, which for
    lists is far more than they need, and the row below them would lie out of sight."""

    def __init__(self, panel: QWidget) -> None:
        super().__init__(horizontalScrollBarPolicy=Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._panel = panel
        self.setWidget(panel)
        # What lies deeper in the panel settles later than what asks for it: what is measured at once is of the layout before.
        self._settled = QTimer(self, singleShot=True, interval=0, timeout=self._fit)
        panel.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Fit anew when what is in the panel changed."""
        if watched is self._panel and event.type() == QEvent.Type.LayoutRequest:
            self._settled.start()
        return super().eventFilter(watched, event)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Fit anew."""
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        room, layout = self.viewport().size(), self._panel.layout()
        if layout is None:
            return
        wraps = layout.hasHeightForWidth()
        least = layout.minimumHeightForWidth(room.width()) if wraps else layout.minimumSize().height()
        self._panel.resize(QSize(room.width(), max(room.height(), least)))
