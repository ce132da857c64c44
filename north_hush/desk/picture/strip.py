"""The slim strip above the picture: what is shown, and in the Draw stage the tools."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QSignalBlocker, QSize, Qt, Signal
from PySide6.QtWidgets import (
    QButtonGroup,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QSizePolicy,
    QSlider,
    QToolButton,
    QWidget,
)

from north_hush.core.words import tr
from north_hush.desk.look.roles import Theme
from north_hush.desk.look.style import icon
from north_hush.desk.picture.board import ARRANGE, DRAW, OFF, Board
from north_hush.desk.picture.draft import BRUSH_CELLS_MAX, FORMS_OF
from north_hush.desk.picture.shade import ShadeMenu
from north_hush.desk.pictures import CELLS, DIFFERENCE, PICTURE, RESTLESS

VIEWS = (
    (PICTURE, tr("Picture"), "1"),
    (DIFFERENCE, tr("Difference"), "2"),
    (CELLS, tr("Cells"), "3"),
    (RESTLESS, tr("Restlessness"), "4"),
)
_FORMS = (
    ("corners", "polygon", tr("Draw corner by corner  (C)")),
    ("rectangle", "rectangle", tr("Draw a rectangle: press, drag, release; the other button cuts out  (R)")),
    ("brush", "paint-brush", tr("Brush cells; the other button rubs out, Shift and the wheel change the width  (B)")),
)
_ONTO = (
    ("new", "selection-plus", tr("Make a new item")),
    ("add", "plus-circle", tr("Add to the selected zone or mask  (+)")),
    ("cut", "minus-circle", tr("Cut out of the selected zone or mask  (-)")),
)


_GAP_PX, _TOOL_GAP_PX = 12, 4


class Strip(QWidget):
    """Buttons for the views, and for the tools while the Draw stage has the mouse; those take a row of their own where one
    row has no room for both."""

    view_wanted = Signal(str)

    def __init__(self, board: Board, shade: ShadeMenu, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("ground")
        self._board, self._theme, self.shade = board, theme, shade
        self._views = QButtonGroup(self)
        self.views, self.tools = QWidget(), QWidget()
        self.buttons: dict[str, QToolButton] = {}
        self.width_label = QLabel("")
        self.width_label.setProperty("role", "muted")
        self.width_slider = QSlider(
            Qt.Orientation.Horizontal,
            minimum=1,
            maximum=BRUSH_CELLS_MAX,
            accessibleName=tr("Brush width"),
            toolTip=tr("Width of the brush in cells  (Shift and wheel)"),
        )
        self.width_slider.setFixedWidth(72)
        self.width_slider.valueChanged.connect(board.set_brush)
        self.note = QLabel("")
        self.note.setProperty("role", "muted")
        self.note.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)  # it takes what is left
        self._lay_out()
        board.changed.connect(self.refresh)
        self.dress(theme)

    def _lay_out(self) -> None:
        row = QHBoxLayout(self.views)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(4)
        for number, (kind, label, key) in enumerate(VIEWS):
            button = QToolButton(
                text=label,
                checkable=True,
                toolTip=tr("{label} view  ({key})", label=label, key=key),
                accessibleName=tr("{label} view", label=label),
            )
            button.setProperty("flat", "true")
            button.setChecked(kind == PICTURE)
            button.clicked.connect(lambda _, kind=kind: self.view_wanted.emit(kind))
            self._views.addButton(button, number)
            row.addWidget(button)
        tools = QHBoxLayout(self.tools)
        tools.setContentsMargins(0, 0, 0, 0)
        tools.setSpacing(_TOOL_GAP_PX)
        self._tool(tools, ARRANGE, tr("Select, move and reshape  (V)"), lambda: self._board.use(ARRANGE))
        for form, _, tip in _FORMS:
            self._tool(tools, form, tip, lambda form=form: self._board.set_form(form))
        tools.addSpacing(8)
        for onto, _, tip in _ONTO:
            self._tool(tools, onto, tip, lambda onto=onto: self._board.set_onto(onto))
        tools.addWidget(self.width_slider)
        tools.addWidget(self.width_label)
        tools.addStretch(1)
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(8, 4, 8, 4)
        self._grid.setHorizontalSpacing(_GAP_PX)
        self._grid.setVerticalSpacing(4)
        self._grid.setColumnStretch(2, 1)
        for column, part in ((0, self.views), (1, self.tools), (2, self.note), (3, self.shade)):
            self._grid.addWidget(part, 0, column)
        self.setMinimumWidth(1)  # else it could never become narrow enough to break

    def say(self, text: str) -> None:
        """Tell something beside the buttons, as far as there is room; else it is told where one points."""
        self.note.setText(text)
        self.note.setToolTip(text)

    def event(self, event: QEvent) -> bool:
        """Break into two rows, or not, when the width or what stands there changed."""
        if event.type() in (QEvent.Type.LayoutRequest, QEvent.Type.Resize):
            self._break()
        return super().event(event)

    def _break(self) -> None:
        """By the width alone, never by what is chosen: a row that came while somebody draws would move the picture under the hand."""
        margins, shown = self._grid.contentsMargins(), not self.tools.isHidden()
        parts = [self.views.sizeHint().width(), self.shade.sizeHint().width()]
        tools = self.tools.sizeHint().width()
        for part in (self.width_slider, self.width_label):
            tools += part.sizeHint().width() + _TOOL_GAP_PX if part.isHidden() else 0
        needed = sum(parts) + tools + len(parts) * _GAP_PX + margins.left() + margins.right()
        place = (0, 1, 1, 1) if not shown or needed <= self.width() else (1, 0, 1, 4)
        if self._grid.getItemPosition(self._grid.indexOf(self.tools)) != place:
            self._grid.removeWidget(self.tools)
            self._grid.addWidget(self.tools, *place)

    def _tool(self, row: QHBoxLayout, name: str, tip: str, act: object) -> None:
        button = QToolButton(checkable=True, toolTip=tip, accessibleName=tip.split("  ", maxsplit=1)[0])
        button.setIconSize(QSize(16, 16))
        button.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        button.clicked.connect(act)
        button.clicked.connect(self.refresh)
        row.addWidget(button)
        self.buttons[name] = button

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        self.shade.dress(theme)
        self.buttons[ARRANGE].setIcon(icon("cursor", theme))
        for name, picture, _ in (*_FORMS, *_ONTO):
            self.buttons[name].setIcon(icon(picture, theme))
        self.refresh()

    def show_view(self, kind: str) -> None:
        """Mark the view that is shown."""
        self._views.button([view[0] for view in VIEWS].index(kind)).setChecked(True)

    def refresh(self) -> None:
        """Show the board's state."""
        board = self._board
        self.tools.setVisible(board.mode != OFF)
        drawing = board.mode == DRAW
        forms = FORMS_OF[board.pencil.kind]
        self.buttons[ARRANGE].setChecked(board.mode == ARRANGE)
        for form, _, _ in _FORMS:
            self.buttons[form].setChecked(drawing and form == board.pencil.form and form in forms)
        for onto, _, _ in _ONTO:
            self.buttons[onto].setChecked(drawing and onto == board.pencil.onto)
        brushes = drawing and board.pencil.form == "brush" and "brush" in forms
        self.width_slider.setVisible(brushes)
        self.width_label.setVisible(brushes)
        with QSignalBlocker(self.width_slider):
            self.width_slider.setValue(board.pencil.brush_cells)
        self.width_label.setText(
            tr("{brush_cells} cells", brush_cells=board.pencil.brush_cells)
            if board.pencil.brush_cells > 1
            else tr("1 cell")
        )
