"""The middle of the window: picture with its view strip, levels beside it, transport below."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QLabel, QToolButton, QVBoxLayout, QWidget

from north_hush.core.footage.reduce import CELL_SCALE
from north_hush.core.scene.outline import Point
from north_hush.core.site import edits
from north_hush.desk.deck import CELLS, DIFFERENCE, PICTURE, Deck
from north_hush.desk.look.roles import Theme
from north_hush.desk.look.style import text_font
from north_hush.desk.picture.canvas import Canvas, Tool
from north_hush.desk.picture.layers import cells_image, paint_draft, paint_items, paint_readout
from north_hush.desk.picture.levels import LevelColumn
from north_hush.desk.picture.tools import Draft, arrange, draw_outline
from north_hush.desk.picture.transport import Transport
from north_hush.desk.session import Session

VIEWS = ((PICTURE, "Picture", "1"), (DIFFERENCE, "Difference", "2"), (CELLS, "Cells", "3"))
_DIFFERENCE_GAIN = 4
ARRANGE, NEW_ZONE, NEW_WIRE, NEW_MASK = "arrange", "zone", "wire", "mask"


class PicturePane(QWidget):
    """Shows the deck's frame, and lets the Draw stage's tools work on it."""

    def __init__(self, session: Session, deck: Deck, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("ground")
        self._session, self._deck, self._theme = session, deck, theme
        self._draft = Draft()
        self._hover: Point | None = None
        self._image: QImage | None = None
        self.tool_kind = ""
        self.on_tool_ended: Callable[[], None] = lambda: None
        self.canvas = Canvas()
        self.canvas.layers = [self._paint_empty, self._paint_items, self._paint_readout]
        self.canvas.hovered.connect(self._on_hover)
        self.levels = LevelColumn(session, deck, theme)
        self.transport = Transport(deck, theme)
        self.strip = QWidget()
        self.strip.setObjectName("ground")
        self._views = QButtonGroup(self)
        self.note = QLabel("")
        self.note.setProperty("role", "muted")
        self._lay_out()
        deck.recording_changed.connect(self._clear)
        deck.opened.connect(self._on_opened)
        deck.shown.connect(self._on_shown)
        deck.frame_changed.connect(lambda _: self._refresh_cells())
        deck.lanes_changed.connect(self._refresh_cells)
        session.changed.connect(self.canvas.update)
        session.changed.connect(self._say_what_is_watched)
        session.view_changed.connect(self._say_what_is_watched)
        session.item_selected.connect(lambda _: self._refresh_cells())
        self.dress(theme)
        self._say_what_is_watched()

    def _lay_out(self) -> None:
        self.tools = QHBoxLayout()
        self.tools.setSpacing(4)
        strip = QHBoxLayout(self.strip)
        strip.setContentsMargins(8, 4, 8, 4)
        strip.setSpacing(4)
        for kind, label, key in VIEWS:
            button = QToolButton(
                text=label, checkable=True, toolTip=f"{label} view  ({key})", accessibleName=f"{label} view"
            )
            button.setProperty("flat", "true")
            button.setChecked(kind == PICTURE)
            button.clicked.connect(lambda _, kind=kind: self.show_view(kind))
            self._views.addButton(button, [view[0] for view in VIEWS].index(kind))
            strip.addWidget(button)
        strip.addSpacing(12)
        strip.addLayout(self.tools)
        strip.addStretch(1)
        strip.addWidget(self.note)
        middle = QHBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self.canvas, 1)
        middle.addWidget(self.levels)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.strip)
        column.addLayout(middle, 1)
        column.addWidget(self.transport)

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        self.canvas.backdrop = QColor(theme.ground)
        self.levels.dress(theme)
        self.transport.dress(theme)
        self.canvas.update()

    def show_view(self, kind: str) -> None:
        """Show the picture, the difference of the compared frames, or the cells."""
        self._views.button([view[0] for view in VIEWS].index(kind)).setChecked(True)
        self._deck.show_kind(kind)

    def use_tool(self, kind: str) -> None:
        """Use a tool: "arrange", "zone", "wire", "mask", or '' for none."""
        self.tool_kind = kind
        makers: dict[str, Callable[[], Tool | None]] = {
            ARRANGE: lambda: arrange(self.canvas, self._session),
            NEW_ZONE: lambda: draw_outline(self.canvas, self._draft, self._add_zone),
            NEW_WIRE: lambda: draw_outline(self.canvas, self._draft, self._add_wire, points_min=2),
            NEW_MASK: lambda: draw_outline(self.canvas, self._draft, self._add_mask),
        }
        self.canvas.set_tool(makers.get(kind, lambda: None))
        self.canvas.setCursor(
            Qt.CursorShape.CrossCursor if kind in (NEW_ZONE, NEW_WIRE, NEW_MASK) else Qt.CursorShape.ArrowCursor
        )

    def _add_zone(self, outline: tuple[Point, ...]) -> None:
        view_id = self._session.view_id
        self._session.do("Draw zone", lambda site: edits.add_zone(site, view_id, outline))
        self._session.select(self._session.view.zones[-1].id)
        self.on_tool_ended()

    def _add_wire(self, line: tuple[Point, ...]) -> None:
        view_id = self._session.view_id
        self._session.do("Draw wire", lambda site: edits.add_wire(site, view_id, line))
        self._session.select(self._session.view.wires[-1].id)
        self.on_tool_ended()

    def _add_mask(self, outline: tuple[Point, ...]) -> None:
        view_id = self._session.view_id
        self._session.do("Draw mask", lambda site: edits.add_mask(site, view_id, outline))
        self._session.select(self._session.view.masks[-1].id)
        self.on_tool_ended()

    def _say_what_is_watched(self) -> None:
        nothing = not self._session.view.zones
        self.note.setText("No zone drawn yet: the whole picture is watched" if nothing else "")

    # --- frames -----------------------------------------------------------------------------------------------------

    def _clear(self) -> None:
        self._image = None
        self.canvas.show_image(None)

    def _on_opened(self) -> None:
        index, recording = self._deck.index, self._deck.recording
        if index is not None and recording is not None:
            grid = index.grid(recording.orientation)
            self.canvas.set_picture_size(grid.width, grid.height)

    def _on_shown(self, kind: str, image: QImage) -> None:
        if kind == DIFFERENCE:
            self._image = _brightened(image)
        elif self._deck.view_kind == CELLS:
            self._refresh_cells()
            return
        else:
            self._image = image
        self.canvas.show_image(self._image, smooth=kind != DIFFERENCE)

    def _refresh_cells(self) -> None:
        if self._deck.view_kind != CELLS:
            return
        values = self._cell_values()
        if values is None or self._deck.evidence is None:
            return
        grid = self._deck.evidence.grid
        limit = self._session.view.tuning.of(self._lane_id()).change_limit_grey
        self.canvas.show_image(cells_image(values, grid.columns, grid.rows, limit), smooth=False)

    def _lane_id(self) -> str:
        """The zone whose channel and limit the cells are shown under: the selected one, else the first."""
        lanes = [lane.zone_id for lane in self._deck.lanes]
        return self._session.item_id if self._session.item_id in lanes else (lanes[0] if lanes else "")

    def _cell_values(self) -> NDArray[np.uint8] | None:
        """Values of all cells in the shown frame, (cells,) in quarters of a grey level."""
        evidence, row = self._deck.evidence, self._deck.row
        if evidence is None or row is None or row >= len(evidence.frames):
            return None
        values = evidence.held(self._session.view.tuning.of(self._lane_id()).channel)
        return None if values is None else values[:, row]

    # --- layers -----------------------------------------------------------------------------------------------------

    def _on_hover(self, at: Point | None) -> None:
        self._hover = at
        if self._deck.view_kind == CELLS:
            self.canvas.update()

    def _paint_empty(self, painter: QPainter, canvas: Canvas) -> None:
        if self._deck.recording is None:
            painter.setPen(QColor(self._theme.muted))
            painter.setFont(text_font(16))
            text = "Open a recording of this camera view\n\nDrop files here, or press Ctrl+O"
            painter.drawText(QRectF(canvas.rect()), Qt.AlignmentFlag.AlignCenter, text)

    def _paint_items(self, painter: QPainter, canvas: Canvas) -> None:
        if self._deck.recording is None:
            return
        paint_items(painter, canvas, self._session.view, self._theme, self._session.item_id)
        if self._draft.points:
            paint_draft(painter, canvas, self._draft.points, self._theme)

    def _paint_readout(self, painter: QPainter, canvas: Canvas) -> None:
        if self._deck.view_kind != CELLS or self._hover is None or self._deck.evidence is None:
            return
        cell, values = self._deck.evidence.grid.cell_at(*self._hover), self._cell_values()
        if cell is not None and values is not None:
            settings = self._session.view.tuning.of(self._lane_id())
            grey = values[cell] / CELL_SCALE
            verdict = "counts" if grey >= settings.change_limit_grey else "below the limit"
            at: QPointF = canvas.to_widget(self._hover)
            paint_readout(
                painter, canvas, at, f"{grey:.2f} grey levels, {verdict} ({settings.change_limit_grey:g})", self._theme
            )


def _brightened(image: QImage) -> QImage:
    """A difference made visible: four times as bright, by a colour table."""
    shown = image.copy()
    shown.reinterpretAsFormat(QImage.Format.Format_Indexed8)
    shown.setColorTable([0xFF000000 | min(255, value * _DIFFERENCE_GAIN) * 0x010101 for value in range(256)])
    return shown
