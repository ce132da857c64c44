"""Mouse tools as generators: press, drag and release read from top to bottom in one function."""

from __future__ import annotations

from collections.abc import Callable
from itertools import count

from PySide6.QtCore import QPointF, Qt

from north_hush.core.scene.items import Item, Mask, Wire, Zone
from north_hush.core.scene.outline import POINTS_MIN, Point, bounds, contains
from north_hush.core.site import edits
from north_hush.desk.picture.canvas import Canvas, Pointer, Tool
from north_hush.desk.session import Session

_NEAR_PX = 9
_drags = count()

LEFT, RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton
_CLOSING_KEYS = (Qt.Key.Key_Return, Qt.Key.Key_Enter)


class Draft:
    """The outline being drawn: its corners, and where the mouse is."""

    def __init__(self) -> None:
        self.points: list[Point] = []


def draw_outline(
    canvas: Canvas, draft: Draft, finish: Callable[[tuple[Point, ...]], None], points_min: int = POINTS_MIN
) -> Tool:
    """Click corners; Enter, a double click or a click on the first corner closes; Backspace takes the last one back;
    Esc or the other button leaves. An open line (`points_min` 2) has no first corner to click."""
    corners: list[Point] = []
    try:
        while True:
            pointer = yield
            at = _inside(pointer.at)
            if pointer.kind == "key" and pointer.key == Qt.Key.Key_Escape:
                return
            if pointer.kind == "key" and pointer.key == Qt.Key.Key_Backspace and corners:
                corners.pop()
            closes = pointer.kind == "key" and pointer.key in _CLOSING_KEYS
            if pointer.kind == "press" and pointer.button == RIGHT:
                if not corners:
                    return
                corners.pop()
            elif pointer.kind == "press" and pointer.button == LEFT:
                if len(corners) >= points_min == POINTS_MIN and _near(canvas, at, corners[0]):
                    closes = True
                elif not corners or not _near(canvas, at, corners[-1], 3):
                    corners.append(at)
            elif pointer.kind == "double":
                closes = True
            if closes and len(corners) >= points_min:
                finish(tuple(corners))
                return
            if pointer.kind != "key":
                draft.points = [*corners, at] if corners else []
            elif corners:
                draft.points = [*corners, draft.points[-1] if draft.points else corners[-1]]
            else:
                draft.points = []
    finally:
        draft.points = []


def arrange(canvas: Canvas, session: Session) -> Tool:
    """Select an item by a click; drag its corners, or the whole of it; Delete removes it; the other button on a corner
    takes the corner away, a double click on an edge adds one."""
    while True:
        pointer = yield
        if pointer.kind == "key" and pointer.key == Qt.Key.Key_Delete:
            _remove_selected(session)
        elif pointer.kind == "double":
            _add_corner(canvas, session, pointer.at)
        elif pointer.kind == "press" and pointer.button == RIGHT:
            _remove_corner(canvas, session, pointer.at)
        elif pointer.kind == "press" and pointer.button == LEFT:
            corner = _corner_at(canvas, session, pointer.at)
            if corner is None:
                session.select(_item_at(canvas, session, pointer.at))
            if session.item_id:
                yield from _drag(session, pointer, corner)


def _drag(session: Session, press: Pointer, corner: int | None) -> Tool:
    """Move a corner (or the whole outline) until the button is released; Esc puts it back. One step to undo."""
    item = session.view.item(session.item_id)
    if item is None:
        return
    start, name, drag = item.outline, item.name, f"drag-{next(_drags)}"
    while True:
        pointer = yield
        if pointer.kind == "key" and pointer.key == Qt.Key.Key_Escape:
            _set_outline(session, f"Move {name}", start, drag)
            return
        if pointer.kind == "move":
            dx, dy = pointer.at[0] - press.at[0], pointer.at[1] - press.at[1]
            if corner is None:
                _set_outline(session, f"Move {name}", _shifted(start, dx, dy), drag)
            else:
                moved = (*start[:corner], _inside(pointer.at), *start[corner + 1 :])
                _set_outline(session, f"Move corner of {name}", moved, drag)
        elif pointer.kind == "release":
            return


def _set_outline(session: Session, name: str, outline: tuple[Point, ...], drag: str = "") -> None:
    view_id, item_id = session.view_id, session.item_id
    session.do(name, lambda site: edits.change_item(site, view_id, item_id, outline=outline), drag)


def _shifted(outline: tuple[Point, ...], dx: float, dy: float) -> tuple[Point, ...]:
    """Shift an outline as far as it stays inside the picture."""
    xs, ys = zip(*outline, strict=True)
    dx = min(max(dx, -min(xs)), 1 - max(xs))
    dy = min(max(dy, -min(ys)), 1 - max(ys))
    return tuple(_inside((x + dx, y + dy)) for x, y in outline)


def _remove_selected(session: Session) -> None:
    item = session.view.item(session.item_id)
    if item is not None:
        view_id, item_id = session.view_id, item.id
        session.do(f"Delete {item.name}", lambda site: edits.remove_item(site, view_id, item_id))


def _add_corner(canvas: Canvas, session: Session, at: Point) -> None:
    item = session.view.item(session.item_id)
    if item is None:
        return
    for place, (first, second) in enumerate(_edges(item)):
        if _edge_distance(canvas, at, first, second) <= _NEAR_PX:
            outline = (*item.outline[: place + 1], _inside(at), *item.outline[place + 1 :])
            _set_outline(session, f"Add corner to {item.name}", outline)
            return


def _edges(item: Item) -> list[tuple[Point, Point]]:
    """Neighbouring corners: all the way round, or along a wire."""
    around = list(zip(item.outline, (*item.outline[1:], item.outline[0]), strict=True))
    return around[:-1] if isinstance(item, Wire) else around


def _remove_corner(canvas: Canvas, session: Session, at: Point) -> None:
    item, corner = session.view.item(session.item_id), _corner_at(canvas, session, at)
    if item is not None and corner is not None and len(item.outline) > (2 if isinstance(item, Wire) else POINTS_MIN):
        _set_outline(session, f"Remove corner of {item.name}", (*item.outline[:corner], *item.outline[corner + 1 :]))


def _corner_at(canvas: Canvas, session: Session, at: Point) -> int | None:
    item = session.view.item(session.item_id)
    if item is None:
        return None
    return next((place for place, corner in enumerate(item.outline) if _near(canvas, at, corner)), None)


def _item_at(canvas: Canvas, session: Session, at: Point) -> str:
    """The item under a point: a wire near it, else the smallest zone or mask around it; '' when there is none."""
    for wire in session.view.wires:
        if any(_edge_distance(canvas, at, *edge) <= _NEAR_PX for edge in _edges(wire)):
            return wire.id
    areas = [item for item in session.view.items if not isinstance(item, Wire)]
    under = [item for item in areas if contains(item.outline, *at)]
    if not under:
        return ""

    def extent(item: Zone | Mask) -> float:
        left, top, right, bottom = bounds(item.outline)
        return (right - left) * (bottom - top)

    return min(under, key=extent).id


def _inside(at: Point) -> Point:
    return round(min(max(at[0], 0.0), 1.0), 5), round(min(max(at[1], 0.0), 1.0), 5)


def _near(canvas: Canvas, first: Point, second: Point, distance_px: float = _NEAR_PX) -> bool:
    offset = canvas.to_widget(first) - canvas.to_widget(second)
    return QPointF.dotProduct(offset, offset) <= distance_px**2


def _edge_distance(canvas: Canvas, at: Point, first: Point, second: Point) -> float:
    """Distance of a point from an edge in widget pixels."""
    p, a, b = canvas.to_widget(at), canvas.to_widget(first), canvas.to_widget(second)
    edge, offset = b - a, p - a
    length2 = QPointF.dotProduct(edge, edge) or 1.0
    share = min(1.0, max(0.0, QPointF.dotProduct(offset, edge) / length2))
    gap = offset - edge * share
    return float(QPointF.dotProduct(gap, gap)) ** 0.5
