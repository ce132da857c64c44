"""The middle of the window: picture with its strip, levels beside it, transport below."""

from __future__ import annotations

from collections.abc import Callable, Iterable

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPainterPath
from PySide6.QtWidgets import QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from north_hush.core.explain.refusals import REFUSAL_NAMES, Refused
from north_hush.core.scene.items import SizeMark
from north_hush.core.scene.outline import Point
from north_hush.core.scene.stature import person_height_frac
from north_hush.core.words import number, tr
from north_hush.desk.deck import Deck
from north_hush.desk.look.roles import Theme
from north_hush.desk.look.style import text_font
from north_hush.desk.picture.board import ARRANGE, DRAW, OFF, PROPOSE, Board
from north_hush.desk.picture.canvas import Canvas
from north_hush.desk.picture.cells import ShownCells
from north_hush.desk.picture.layers import paint_draft, paint_figure, paint_items, paint_proposal, painted_items
from north_hush.desk.picture.legend import RESTLESS_SIGNS, Sign, difference_signs, paint_legend
from north_hush.desk.picture.levels import LevelColumn
from north_hush.desk.picture.overlays import Tones, difference_image, fitting_gain, restlessness_image
from north_hush.desk.picture.restless import clock_not_masked, region_of, restless_text
from north_hush.desk.picture.shade import ShadeMenu
from north_hush.desk.picture.still import StillLayer
from north_hush.desk.picture.strip import Strip
from north_hush.desk.picture.strokes import paint_plate, paint_readout, two_tone
from north_hush.desk.picture.transport import Transport
from north_hush.desk.pictures import CELLS, RESTLESS
from north_hush.desk.session import Session

_SCROLL_BAR_PX = 8


class PicturePane(QWidget):
    """Shows the deck's frame, and what is drawn on it."""

    def __init__(self, session: Session, deck: Deck, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("ground")
        self._session, self._deck, self._theme = session, deck, theme
        self._hover: Point | None = None
        self._still = StillLayer()
        self._signs: tuple[Sign, ...] = ()
        self._image: QImage | None = None
        """The frame as it was recorded."""
        self.stretch_us: Callable[[], tuple[int, int] | None] = lambda: None
        """Which stretch of the recording the restlessness map is over; None is all of it."""
        self.cells = ShownCells(session, deck)
        self.canvas = Canvas()
        self.board = Board(self.canvas, session, self)
        self.canvas.layers = [self._paint_empty, self._paint_items, self._paint_signs, self._paint_readout]
        self.canvas.wants_arrows = lambda: self.board.mode == ARRANGE and bool(session.selection)
        self.levels = LevelColumn(session, deck, theme)
        self.transport = Transport(deck, theme)
        self.shade = ShadeMenu(session, theme)
        self.strip = Strip(self.board, self.shade, theme)
        self._lay_out()
        self._connect()
        self.dress(theme)
        self._say_what_is_watched()

    def _lay_out(self) -> None:
        middle = QHBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self.canvas, 1)
        levels = QScrollArea(widgetResizable=True, horizontalScrollBarPolicy=Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        levels.setWidget(self.levels)
        levels.setFixedWidth(self.levels.width() + _SCROLL_BAR_PX)
        middle.addWidget(levels)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.strip)
        column.addLayout(middle, 1)
        column.addWidget(self.transport)

    def _connect(self) -> None:
        session, deck, canvas, board = self._session, self._deck, self.canvas, self.board
        self.strip.view_wanted.connect(self.show_view)
        self.shade.changed.connect(self._show_shaded)
        canvas.hovered.connect(self._on_hover)
        canvas.sized.connect(lambda steps: board.set_brush(board.pencil.brush_cells + steps))
        canvas.space_tapped.connect(self.transport.toggle)
        board.changed.connect(self._on_board)
        board.restless_place_wanted.connect(self._propose_at)
        deck.recording_changed.connect(self._clear)
        deck.opened.connect(self._on_opened)
        deck.shown.connect(self._on_shown)
        deck.frame_changed.connect(lambda _: self._refresh_cells())
        deck.lanes_changed.connect(self._refresh_cells)
        deck.evidence_changed.connect(self.measure_restlessness)
        deck.restless_changed.connect(self._on_restless)
        deck.privacy_changed.connect(self._forget_image)
        deck.privacy_changed.connect(canvas.update)
        for changed in (session.changed, session.view_changed):
            changed.connect(canvas.update)
            changed.connect(self._say_what_is_watched)
        session.item_selected.connect(lambda _: self._on_selected())

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        self.canvas.backdrop = QColor(theme.ground)
        self.levels.dress(theme)
        self.transport.dress(theme)
        self.strip.dress(theme)
        self.canvas.update()

    def show_view(self, kind: str) -> None:
        """Show the picture, the difference of the compared frames, the cells, or how restless each place is."""
        self.strip.show_view(kind)
        left = self._deck.view_kind == RESTLESS and kind != RESTLESS
        self._lay_over(None)
        self._deck.show_kind(kind)
        if kind == RESTLESS:
            self.measure_restlessness()
            if self.board.mode != OFF:
                self.board.use(PROPOSE)
        elif left:
            self.board.propose(None)
            if self.board.mode == PROPOSE:
                self.board.use(ARRANGE)

    def _on_board(self) -> None:
        crosses = self.board.mode in (DRAW, PROPOSE)
        self.canvas.setCursor(Qt.CursorShape.CrossCursor if crosses else Qt.CursorShape.ArrowCursor)
        self.canvas.update()

    def _on_selected(self) -> None:
        self.canvas.update()
        self._refresh_cells()

    def _say_what_is_watched(self) -> None:
        view = self._session.view
        if view.zones:
            self.strip.say("")
        elif view.without_zones == "whole_picture":
            self.strip.say(tr("No zone drawn yet: all is watched"))
        else:
            self.strip.say(tr("Watching nothing, on purpose"))

    # --- frames -----------------------------------------------------------------------------------------------------

    def _clear(self) -> None:
        self._image = None
        self.board.propose(None)
        self.canvas.show_image(None)
        self._lay_over(None)

    def _forget_image(self) -> None:
        """What was shown under other masks, or uncovered, is nobody's picture any more; the canvas keeps it until the next comes."""
        self._image = None

    def _lay_over(
        self, image: QImage | None, extent: tuple[float, float] = (1.0, 1.0), signs: tuple[Sign, ...] = ()
    ) -> None:
        """Lay an image over the picture, with what its marks mean."""
        self._signs = signs
        self.canvas.lay_over(image, extent)

    @property
    def image(self) -> QImage | None:
        """The frame that is shown, as it was recorded and with privacy masks as they are shown; None without one."""
        return self._image

    @property
    def _tones(self) -> Tones:
        return Tones(QColor(self._theme.outline_light), QColor(self._theme.outline_dark))

    def _on_opened(self) -> None:
        index, recording = self._deck.index, self._deck.recording
        if index is not None and recording is not None:
            grid = index.grid(recording.orientation)
            self.board.grid = grid
            self.canvas.set_picture_size(grid.width, grid.height)

    def _on_shown(self, image: QImage, difference: NDArray[np.uint8] | None) -> None:
        self._image = image
        self._show_shaded()
        if difference is not None and self.board.grid is not None:
            gain, extent = fitting_gain(difference), self.board.grid.plane_extent
            self._lay_over(difference_image(difference, gain, self._tones), extent, difference_signs(gain))

    def _show_shaded(self) -> None:
        if self._image is not None:
            self.canvas.show_image(self.shade.shade.of(self._image))

    def _refresh_cells(self) -> None:
        if self._deck.view_kind == CELLS:
            self._lay_over(*(self.cells.image(self._tones) or (None,)))

    # --- restlessness -----------------------------------------------------------------------------------------------

    def measure_restlessness(self) -> None:
        """Measure the restlessness map again, while it is shown."""
        if self._deck.view_kind == RESTLESS:
            settings = self.cells.settings
            self._deck.measure_restlessness(settings.channel, settings.change_limit_quarters, self.stretch_us())

    def _on_restless(self) -> None:
        measured = self._deck.restless
        if self._deck.view_kind != RESTLESS or measured is None:
            return
        self._lay_over(restlessness_image(measured, self._tones), measured.grid.cells_extent, RESTLESS_SIGNS)
        if self.board.mode == PROPOSE and self.board.proposal is None:
            clock = clock_not_masked(self._session.view, measured)
            if clock is not None:
                self.board.propose(clock)

    def _propose_at(self, at: Point) -> None:
        measured = self._deck.restless
        cell = measured.grid.cell_at(*at) if measured is not None else None
        if measured is not None and cell is not None:
            self.board.propose(region_of(measured, cell))

    # --- layers -----------------------------------------------------------------------------------------------------

    def _on_hover(self, at: Point | None) -> None:
        self._hover = at
        if self._deck.view_kind in (CELLS, RESTLESS) or self._shows_ghost():
            self.canvas.update()

    def _shows_ghost(self) -> bool:
        """A ghost of a person follows the mouse while size marks are drawn or one is selected."""
        drawing = self.board.mode == DRAW and self.board.pencil.kind == "size"
        selected = self.board.mode == ARRANGE and isinstance(self._session.view.item(self._session.item_id), SizeMark)
        return drawing or selected

    def _paint_empty(self, painter: QPainter, canvas: Canvas) -> None:
        if self._deck.recording is None:
            painter.setPen(QColor(self._theme.muted))
            painter.setFont(text_font(16))
            text = tr("Open a recording of this camera view\n\nDrop files here, or press Ctrl+O")
            painter.drawText(QRectF(canvas.rect()), Qt.AlignmentFlag.AlignCenter, text)

    def _paint_items(self, painter: QPainter, canvas: Canvas) -> None:
        if self._deck.recording is None:
            return
        session, theme, draft = self._session, self._theme, self.board.draft
        uncovered, selected = self._deck.uncovered, set(session.selection)
        items = painted_items(session.view, selected)
        if self.board.mode == OFF:  # size marks are for drawing; elsewhere they would stand in the way
            items = tuple(item for item in items if not isinstance(item, SizeMark))
        others = tuple(item for item in items if item.id not in selected)
        self._still.show(
            painter,
            canvas,
            (*others, theme, uncovered),
            lambda layer: paint_items(layer, canvas, others, theme, selected=False, uncovered=uncovered),
        )
        chosen = (item for item in items if item.id in selected)
        paint_items(painter, canvas, chosen, theme, selected=True, uncovered=uncovered)
        if uncovered:
            paint_plate(
                painter, QPointF(8, 8), tr("Privacy masks uncovered, and logged"), QColor(theme.outline_light), theme
            )
        if self.board.proposal is not None:
            paint_proposal(painter, canvas, self.board.proposal.outline, theme)
        paint_draft(painter, canvas, draft, theme)
        if draft.figure is not None:
            paint_figure(painter, canvas, *draft.figure, theme, ruled=True)
        elif self._shows_ghost() and self._hover is not None:
            height = person_height_frac(session.view.size_marks, self._hover)
            if height is not None:
                paint_figure(painter, canvas, self._hover, height, theme)

    def _paint_signs(self, painter: QPainter, canvas: Canvas) -> None:
        paint_legend(painter, canvas.height(), self._signs, self._theme)

    def _paint_readout(self, painter: QPainter, canvas: Canvas) -> None:
        text = self._readout()
        if text and self._hover is not None:
            at: QPointF = canvas.to_widget(self._hover)
            paint_readout(painter, canvas, at, text, self._theme)

    def _readout(self) -> str:
        """What is said beside the mouse."""
        if self._hover is None:
            return ""
        width, height = self.canvas.picture_size
        draft = self.board.draft
        if draft.closed and len(draft.points) == 4:
            (left, top), (right, bottom) = draft.points[0], draft.points[2]
            return tr(
                "{right:.0f} × {bottom:.0f} px", right=abs(right - left) * width, bottom=abs(bottom - top) * height
            )
        if draft.figure is not None:
            return tr("{figure:.0f} px tall", figure=draft.figure[1] * height)
        if self._deck.view_kind == RESTLESS and self._deck.restless is not None:
            return restless_text(self._deck.restless, self._hover)
        return self.cells.text(self._hover) if self._deck.view_kind == CELLS else ""

    def paint_refused(self, painter: QPainter, refused: Iterable[Refused]) -> None:
        """In the Cells view: a post at the foot point of each thing that does not count, and the limit it does not keep."""
        if self._deck.view_kind != CELLS:
            return
        for held in refused:
            foot, top = held.foot, max(0.0, held.foot[1] - held.height_frac)
            post = QPainterPath(self.canvas.to_widget(foot))
            post.lineTo(self.canvas.to_widget((foot[0], top)))
            two_tone(painter, post, QColor(self._theme.outline_light), (1.5, 2), self._theme)
            at = self.canvas.to_widget(foot) + QPointF(6, -2)
            text = f"{REFUSAL_NAMES[held.limit]}, {number(held.size_percent, '.2f')} %"
            paint_plate(painter, at, text, QColor(self._theme.outline_light), self._theme, bold=False)
