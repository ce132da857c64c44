"""The stage rail: the steps of the work, in order."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtWidgets import QButtonGroup, QToolButton, QVBoxLayout, QWidget

from north_hush.core.words import tr
from north_hush.desk.look.roles import Theme
from north_hush.desk.look.style import icon
from north_hush.desk.stage import Stage

WIDTH_PX = 76


class Rail(QWidget):
    """Buttons for the stages; one is always down."""

    stage_wanted = Signal(str)

    def __init__(self, stages: tuple[Stage, ...], theme: Theme) -> None:
        super().__init__()
        self._stages = stages
        self.setObjectName("ground")
        self.setFixedWidth(WIDTH_PX)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 8, 0, 8)
        column.setSpacing(4)
        self._group = QButtonGroup(self)
        self.buttons: dict[str, QToolButton] = {}
        for stage in stages:
            tip, name = f"{stage.tip}  ({stage.shortcut})", tr("{label} stage", label=stage.label)
            button = QToolButton(text=stage.label, checkable=True, toolTip=tip, accessibleName=name)
            button.setProperty("role", "stage")
            button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
            button.setIconSize(QSize(22, 22))
            button.setFixedWidth(WIDTH_PX)
            button.clicked.connect(lambda _, key=stage.key: self.stage_wanted.emit(key))
            self._group.addButton(button)
            self.buttons[stage.key] = button
            column.addWidget(button)
        column.addStretch(1)
        self.dress(theme)

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        for stage in self._stages:
            self.buttons[stage.key].setIcon(icon(stage.icon, theme, role="muted"))

    def show_stage(self, stage: str) -> None:
        """Put a stage's button down."""
        self.buttons[stage].setChecked(True)
