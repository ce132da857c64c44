"""The drawing board: which tool has the mouse, and what becomes of what it draws."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PySide6.QtCore import QObject, Qt, Signal

from north_hush.core.explain.restless import Region
from north_hush.core.grid import Grid
from north_hush.core.scene.area import Polygon, area_of, brushed, grid_raster, with_part
from north_hush.core.scene.items import Item, Mask, Zone
from north_hush.core.scene.outline import Point
from north_hush.core.site import drawing
from north_hush.core.site.model import Site
from north_hush.core.words import tr
from north_hush.desk.picture.canvas import Canvas, Tool, no_tool
from north_hush.desk.picture.draft import BRUSH_CELLS_MAX, Draft, Form, Kind, Onto, Pencil
from north_hush.desk.picture.tools.aim import corner_at
from north_hush.desk.picture.tools.arrange import arrange, drag_point
from north_hush.desk.picture.tools.brush import brush
from north_hush.desk.picture.tools.drawing import LEFT, draw_corners, draw_mark, draw_rectangle
from north_hush.desk.session import Session

_TAKING_KEYS = (Qt.Key.Key_Return, Qt.Key.Key_Enter)
_REJECTING_KEY = Qt.Key.Key_Escape
OFF, ARRANGE, DRAW, PROPOSE = "", "arrange", "draw", "propose"

_WORDS: dict[Kind, str] = {
    "zone": "zone", "wire": "wire", "mask": "mask", "privacy": tr("privacy mask"), "size": tr("size mark"),
}  # fmt: skip


class Board(QObject):
    """Holds the pencil and the draft. `mode` is off, arrange, draw or propose."""

    changed = Signal()
    """Another mode, pencil or proposal."""
    restless_place_wanted = Signal(object)
    """A point of the picture was clicked to have its restless place proposed as a mask."""

    def __init__(self, canvas: Canvas, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._canvas, self._session = canvas, session
        self.mode = OFF
        self.pencil = Pencil()
        self.draft = Draft()
        self.snap: Callable[[float, float], tuple[float, float]] = lambda dx, dy: (dx, dy)
        """Puts a drag of what is selected onto a place that is better."""
        self.proposal: Region | None = None
        self.grid: Grid | None = None
        """Of the recording that is on: cells are painted on its raster."""
        session.view_changed.connect(lambda: self.propose(None))

    # --- what the mouse does ----------------------------------------------------------------------------------------

    def use(self, mode: str) -> None:
        """Change the mode."""
        self.mode = mode
        self._take_tool()

    def draw_new(self, kind: Kind) -> None:
        """Draw a new item of a kind."""
        self.pencil = self.pencil.of_kind(kind)
        self.use(DRAW)

    def set_form(self, form: Form) -> None:
        """Draw with corners, as a rectangle, or with the brush."""
        kind: Kind = self.pencil.kind if self.pencil.kind in ("zone", "mask", "privacy") else "zone"
        self.pencil = replace(self.pencil, kind="mask" if kind == "privacy" and form == "brush" else kind, form=form)
        self.use(DRAW)

    def set_onto(self, onto: Onto) -> None:
        """Draw a new item, or add to or cut out of the selected one."""
        target = self._selected_area()
        if target is not None and onto != "new":
            kind: Kind = "zone" if isinstance(target, Zone) else "mask"
            self.pencil = replace(self.pencil.of_kind(kind), onto=onto)
        else:
            self.pencil = replace(self.pencil, onto="new")
        self.use(DRAW)

    def set_brush(self, cells: int) -> None:
        """Set the width of the brush in cells."""
        self.pencil = replace(self.pencil, brush_cells=min(max(1, cells), BRUSH_CELLS_MAX))
        self.changed.emit()

    def _take_tool(self) -> None:
        self._canvas.set_tool(self._maker())
        self.changed.emit()

    def _maker(self) -> Callable[[], Tool | None]:
        canvas, draft, pencil = self._canvas, self.draft, self.pencil
        if self.mode == ARRANGE:
            return lambda: arrange(canvas, self._session, self.snap)
        if self.mode == PROPOSE:
            return self._proposing
        if self.mode == OFF:
            return no_tool
        if pencil.kind == "wire":
            return lambda: draw_corners(canvas, draft, self._add_wire, points_min=2)
        if pencil.kind == "size":
            return lambda: draw_mark(canvas, draft, self._add_mark)
        if pencil.form == "rectangle":
            return lambda: draw_rectangle(canvas, draft, self._add_outline)
        grid = self.grid
        if pencil.form == "brush" and grid is not None:
            return lambda: brush(canvas, draft, grid_raster(grid), lambda: self.pencil.brush_cells, self._paint)
        return lambda: draw_corners(canvas, draft, lambda outline: self._add_outline(outline, False))

    @property
    def saying(self) -> str:
        """What is being drawn, in words."""
        item = self._selected_area()
        if self.pencil.onto != "new" and item is not None:
            return f"{'Add to' if self.pencil.onto == 'add' else 'Cut out of'} {item.name}"
        return tr("New {words}", words=_WORDS[self.pencil.kind])

    # --- what becomes of it -----------------------------------------------------------------------------------------

    def _selected_area(self) -> Zone | Mask | None:
        item = self._session.view.item(self._session.item_id)
        return item if isinstance(item, Zone) or (isinstance(item, Mask) and item.painted is None) else None

    def _add_outline(self, outline: tuple[Point, ...], rubs_out: bool) -> None:
        target, pencil = self._selected_area(), self.pencil
        cuts = rubs_out or pencil.onto == "cut"
        if target is not None and (rubs_out or pencil.onto != "new"):
            if target.locked:
                return
            area = with_part(target.area, Polygon(points=outline, cuts=cuts))
            self._change_area(f"{'Cut out of' if cuts else 'Add to'} {target.name}", target, area)
        elif not rubs_out:
            self._add(self._adding(outline))
        if pencil.onto == "new":
            self.use(ARRANGE)

    def _adding(self, outline: tuple[Point, ...]) -> Callable[[Site], Site]:
        view_id = self._session.view_id
        add = {"zone": drawing.add_zone, "mask": drawing.add_mask, "privacy": drawing.add_privacy}[self.pencil.kind]
        return lambda site: add(site, view_id, outline)

    def _add_wire(self, line: tuple[Point, ...]) -> None:
        view_id = self._session.view_id
        self._add(lambda site: drawing.add_wire(site, view_id, line))
        self.use(ARRANGE)

    def _add_mark(self, foot: Point, height_frac: float) -> None:
        view_id = self._session.view_id
        self._add(lambda site: drawing.add_size_mark(site, view_id, foot, height_frac))
        if len(self._session.view.size_marks) > 1:  # the second one follows at once: near, then far
            self.use(ARRANGE)

    def _add(self, edit: Callable[[Site], Site], drag: str = "") -> None:
        """Add an item and select it."""
        before = {item.id for item in self._session.view.items}
        if self._session.do(tr("Draw {words}", words=_WORDS[self.pencil.kind]), edit, drag):
            self._session.select(next(item.id for item in self._session.view.items if item.id not in before))

    def _change_area(self, name: str, item: Item, area: object, drag: str = "") -> None:
        view_id = self._session.view_id
        self._session.do(name, lambda site: drawing.change_item(site, view_id, item.id, area=area), drag)

    def _paint(self, cells: set[int], rubs_out: bool, stroke: str) -> None:
        """Paint cells; the first stroke of a new item makes it, later ones add to it."""
        assert self.grid is not None
        raster, target = grid_raster(self.grid), self._selected_area()
        rubs_out = rubs_out != (self.pencil.onto == "cut" and target is not None)
        if self.pencil.onto == "new" and not rubs_out:
            area, view_id = brushed((), raster, cells), self._session.view_id
            add = drawing.add_mask if self.pencil.kind == "mask" else drawing.add_zone
            self._add(lambda site: add(site, view_id, area_of(area)), stroke)
            self.pencil = replace(self.pencil, onto="add")
            self.changed.emit()
        elif target is not None and not target.locked:
            name = f"{'Rub out of' if rubs_out else 'Brush'} {target.name}"
            if self._session.history.is_drag(stroke):  # the stroke that made the item is still going on
                name = self._session.history.undo_name
            self._change_area(name, target, brushed(target.area, raster, cells, rub_out=rubs_out), stroke)

    # --- proposals --------------------------------------------------------------------------------------------------

    def propose(self, region: Region | None) -> None:
        """Show a region as a proposed mask; None shows none."""
        self.proposal = region
        self._canvas.update()
        self.changed.emit()

    def take_proposal(self) -> None:
        """Make the proposal a mask."""
        region = self.proposal
        if region is None:
            return
        view_id = self._session.view_id
        name = tr("Clock") if region.why == "clock" else None
        self.proposal = None
        self._session.do(tr("Take proposed mask"), lambda site: drawing.add_mask(site, view_id, region.outline, name))
        self._session.select(self._session.view.masks[-1].id)
        self.changed.emit()

    def _proposing(self) -> Tool:
        """A click on a restless place proposes it; the proposal's corners can be dragged; Enter takes, Esc rejects."""
        while True:
            pointer = yield
            if pointer.kind == "key":
                if pointer.key in _TAKING_KEYS:
                    self.take_proposal()
                elif pointer.key == _REJECTING_KEY:
                    self.propose(None)
            elif pointer.kind == "press" and pointer.button == LEFT:
                region = self.proposal
                mask = None if region is None else Mask(id="p", name="p", area=area_of(region.outline))
                corner = None if mask is None else corner_at(self._canvas, mask, pointer.at)
                if region is not None and corner is not None:
                    yield from drag_point(
                        self._canvas,
                        region.outline,
                        corner[1],
                        lambda outline, region=region: self.propose(replace(region, outline=outline)),  # type: ignore[misc]
                    )
                else:
                    self.restless_place_wanted.emit(pointer.at)
