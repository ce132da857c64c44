"""The stage rail: the steps of the work, in order."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtWidgets import QButtonGroup, QToolButton, QVBoxLayout, QWidget

from north_hush.desk.look.roles import Theme
from north_hush.desk.look.style import icon

WIDTH_PX = 76
STAGES = (
    ("footage", "Footage", "film-strip", "Bring in recordings and check them  (F5)"),
    ("draw", "Draw", "polygon", "Draw zones, tripwires and masks  (F6)"),
    ("tune", "Tune", "sliders-horizontal", "Turn the dials and see what they raise  (F7)"),
    ("judge", "Judge", "scales", "Say what was real, score the settings, and find better ones  (F8)"),
)


class Rail(QWidget):
    """Buttons for the stages; one is always down."""

    stage_wanted = Signal(str)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("ground")
        self.setFixedWidth(WIDTH_PX)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 8, 0, 8)
        column.setSpacing(4)
        self._group = QButtonGroup(self)
        self.buttons: dict[str, QToolButton] = {}
        for stage, label, _, tip in STAGES:
            button = QToolButton(text=label, checkable=True, toolTip=tip, accessibleName=f"{label} stage")
            button.setProperty("role", "stage")
            button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
            button.setIconSize(QSize(22, 22))
            button.setFixedWidth(WIDTH_PX)
            button.clicked.connect(lambda _, stage=stage: self.stage_wanted.emit(stage))
            self._group.addButton(button)
            self.buttons[stage] = button
            column.addWidget(button)
        column.addStretch(1)
        self.dress(theme)

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        for stage, _, name, _ in STAGES:
            self.buttons[stage].setIcon(icon(name, theme, role="muted"))

    def show_stage(self, stage: str) -> None:
        """Put a stage's button down."""
        self.buttons[stage].setChecked(True)
