"""Draw stage: the zones, tripwires and masks of the camera view, and the tools that draw them."""

from __future__ import annotations

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtGui import QBrush, QColor, QIcon, QPainter, QPen, QPixmap
from PySide6.QtWidgets import (
    QButtonGroup,
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from north_hush.core.scene.items import Item, Mask
from north_hush.core.site import edits
from north_hush.desk.look.panel import form_row, muted, rule, stage_title, wrapped
from north_hush.desk.look.roles import PATTERN_MASK, Theme, zone_dash, zone_hue
from north_hush.desk.look.style import icon
from north_hush.desk.picture.pane import ARRANGE, NEW_MASK, NEW_WIRE, NEW_ZONE, PicturePane
from north_hush.desk.session import Session

_HELP = {
    ARRANGE: "Click an item to select it. Drag it or its corners; double click an edge for a new corner, "
    "other button on a corner takes it away.",
    NEW_ZONE: "Click corner after corner. Close with Enter, a double click or a click on the first corner. "
    "Backspace or the other button takes the last one back, Esc leaves.",
}
_HELP[NEW_MASK] = _HELP[NEW_ZONE]
_HELP[NEW_WIRE] = (
    "Click two or more points, then Enter or a double click. The wire alarms when the line is broken: when enough of it "
    "changes. Where the line lies decides everything; lay it where feet pass."
)


class DrawPanel(QWidget):
    """Right panel of the Draw stage."""

    def __init__(self, session: Session, picture: PicturePane, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._picture, self._theme = session, picture, theme
        self.tools = QButtonGroup(self)
        self.buttons: dict[str, QPushButton] = {}
        for kind, label, tip in (
            (ARRANGE, "Arrange", "Select, move and reshape  (V)"),
            (NEW_ZONE, "New zone", "Draw a region that raises alarms  (Z)"),
            (NEW_WIRE, "New wire", "Draw a line that must not be broken  (W)"),
            (NEW_MASK, "New mask", "Draw a region that is not watched  (M)"),
        ):
            button = QPushButton(label, checkable=True, toolTip=tip)
            button.clicked.connect(lambda _, kind=kind: self.use_tool(kind))
            self.tools.addButton(button)
            self.buttons[kind] = button
        self.help = wrapped(muted(""))
        self.items = QListWidget(
            toolTip="Zones, tripwires and masks. Double click or F2 renames, Delete removes.",
            accessibleName="Zones, tripwires and masks",
        )
        self.items.setEditTriggers(QListWidget.EditTrigger.DoubleClicked | QListWidget.EditTrigger.EditKeyPressed)
        self.items.currentItemChanged.connect(self._on_chosen)
        self.items.itemChanged.connect(self._on_renamed)
        self.remove = QPushButton("Delete", toolTip="Delete the selected item  (Del)")
        self.remove.clicked.connect(self.delete_selected)
        self.strength = QDoubleSpinBox(decimals=0, minimum=0, maximum=100, suffix=" %", accessibleName="Mask strength")
        self.strength.setToolTip("100 %: not watched at all. Less: change in it counts that much less.")
        self.strength.setKeyboardTracking(False)
        self.strength.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.strength.valueChanged.connect(self._on_strength)
        self.empty = wrapped(
            QLabel(
                "No zone is drawn yet, so the whole picture is watched.\nChoose New zone and click round what matters."
            )
        )
        picture.on_tool_ended = lambda: self.use_tool(ARRANGE)
        self._lay_out()
        session.changed.connect(self.refresh)
        session.view_changed.connect(self.refresh)
        session.item_selected.connect(lambda _: self.refresh())
        self.dress(theme)

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 8)
        column.setSpacing(8)
        column.addWidget(stage_title("Draw"))
        grid = QGridLayout()
        grid.setSpacing(8)
        for place, button in enumerate(self.buttons.values()):
            grid.addWidget(button, place // 2, place % 2)
        column.addLayout(grid)
        column.addWidget(self.help)
        column.addWidget(rule())
        column.addWidget(self.empty)
        column.addWidget(self.items, 1)
        self.strength_row = QWidget()
        strength = form_row("Mask strength", self.strength)
        strength.setContentsMargins(0, 0, 0, 0)
        self.strength_row.setLayout(strength)
        column.addWidget(self.strength_row)
        end = QHBoxLayout()
        end.addStretch(1)
        end.addWidget(self.remove)
        column.addLayout(end)

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        self.buttons[ARRANGE].setIcon(icon("cursor", theme))
        self.buttons[NEW_ZONE].setIcon(icon("polygon", theme))
        self.buttons[NEW_WIRE].setIcon(icon("line-segment", theme))
        self.buttons[NEW_MASK].setIcon(icon("selection-slash", theme))
        self.refresh()

    def use_tool(self, kind: str) -> None:
        """Use a tool on the picture; '' for none."""
        self._picture.use_tool(kind)
        if kind in self.buttons:
            self.buttons[kind].setChecked(True)
            self.help.setText(_HELP[kind])
            self._picture.canvas.setFocus()

    def delete_selected(self) -> None:
        """Delete the selected item."""
        item, view_id = self._session.view.item(self._session.item_id), self._session.view_id
        if item is not None:
            self._session.do(f"Delete {item.name}", lambda site: edits.remove_item(site, view_id, item.id))

    def refresh(self) -> None:
        """Show the session's items."""
        view, chosen = self._session.view, self._session.item_id
        with QSignalBlocker(self.items):
            self.items.clear()
            for held in view.items:
                row = QListWidgetItem(self._mark(held), held.name)
                row.setFlags(row.flags() | Qt.ItemFlag.ItemIsEditable)
                row.setData(Qt.ItemDataRole.UserRole, held.id)
                self.items.addItem(row)
                if held.id == chosen:
                    self.items.setCurrentItem(row)
        self.empty.setVisible(not view.zones)
        item = view.item(chosen)
        self.remove.setEnabled(item is not None)
        self.strength_row.setVisible(isinstance(item, Mask))
        if isinstance(item, Mask):
            with QSignalBlocker(self.strength):
                self.strength.setValue(item.strength_percent)

    def _mark(self, item: Item) -> QIcon:
        """A short stroke of a zone's or wire's hue and dash with its letter; hatching for a mask."""
        pixmap = QPixmap(28, 16)
        pixmap.fill(Qt.GlobalColor.transparent)
        painter = QPainter(pixmap)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not isinstance(item, Mask):
            pen = QPen(zone_hue(self._theme, item.letter), 3)
            if zone_dash(item.letter):
                pen.setDashPattern(list(zone_dash(item.letter)))
            painter.setPen(pen)
            painter.drawLine(1, 13, 27, 13)
            painter.drawText(0, 0, 28, 12, Qt.AlignmentFlag.AlignCenter, item.letter)
        else:
            painter.setPen(QPen(QColor(self._theme.muted), 1))
            painter.setBrush(QBrush(QColor(self._theme.muted), PATTERN_MASK))
            painter.drawRect(4, 1, 20, 13)
        painter.end()
        return QIcon(pixmap)

    def _on_chosen(self, row: QListWidgetItem | None) -> None:
        if row is not None:
            self._session.select(row.data(Qt.ItemDataRole.UserRole))

    def _on_renamed(self, row: QListWidgetItem) -> None:
        view_id, item_id, name = self._session.view_id, row.data(Qt.ItemDataRole.UserRole), row.text().strip()
        held = self._session.view.item(item_id)
        if held is None or not self._session.do(
            f"Rename {held.name}", lambda site: edits.change_item(site, view_id, item_id, name=name)
        ):
            self.refresh()

    def _on_strength(self, percent: float) -> None:
        view_id, item_id = self._session.view_id, self._session.item_id
        if item_id:
            self._session.do(
                "Mask strength", lambda site: edits.change_item(site, view_id, item_id, strength_percent=percent)
            )
