"""The tool that selects, moves and reshapes what is drawn."""

from __future__ import annotations

from collections.abc import Callable
from itertools import count

from PySide6.QtCore import Qt

from north_hush.core.scene.handles import rings, with_ring
from north_hush.core.scene.items import Item, SizeMark
from north_hush.core.scene.outline import POINTS_MAX, Point, inside_picture
from north_hush.core.site import drawing
from north_hush.core.words import tr
from north_hush.desk.picture.canvas import Canvas, Pointer, Tool
from north_hush.desk.picture.tools.aim import angled, corner_at, edge_at, item_at, near
from north_hush.desk.picture.tools.drawing import LEFT, RIGHT
from north_hush.desk.session import Session

_drags = count()
ARROWS = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, -1),
    Qt.Key.Key_Down: (0, 1),
}
_NUDGE_FAR_PX = 10
SHIFT = Qt.KeyboardModifier.ShiftModifier


Snap = Callable[[float, float], tuple[float, float]]


def arrange(canvas: Canvas, session: Session, snap: Snap) -> Tool:
    """Select by a click (Shift adds to the selection); drag corners, or whole items; arrow keys nudge; Delete removes;
    the other button on a corner takes it away, a double click on an edge adds one."""
    while True:
        pointer = yield
        item = session.view.item(session.item_id)
        if pointer.kind == "key":
            _on_key(canvas, session, pointer)
        elif pointer.kind == "double" and item is not None:
            _add_corner(canvas, session, item, pointer.at)
        elif pointer.kind == "press" and pointer.button == RIGHT and item is not None:
            _remove_corner(canvas, session, item, pointer.at)
        elif pointer.kind == "press" and pointer.button == LEFT:
            corner = corner_at(canvas, item, pointer.at) if item is not None and not item.locked else None
            if item is not None and corner is not None:
                yield from _drag_corner(canvas, session, item, corner)
                continue
            under = item_at(canvas, session.view, pointer.at)
            if pointer.modifiers & SHIFT:
                session.toggle(under)
            elif under not in session.selection or not under:
                session.select(under)
            if session.selection:
                yield from _drag_items(session, pointer, snap)


def _on_key(canvas: Canvas, session: Session, pointer: Pointer) -> None:
    if pointer.key == Qt.Key.Key_Delete:
        remove_selected(session)
    elif pointer.key == Qt.Key.Key_Escape:
        session.select("")
    elif pointer.key in ARROWS and session.selection:
        steps = _NUDGE_FAR_PX if pointer.modifiers & SHIFT else 1
        (dx, dy), (width, height) = ARROWS[Qt.Key(pointer.key)], canvas.picture_size
        ids, view_id = session.selection, session.view_id
        session.do(
            tr("Nudge {names}", names=_names(session)),
            lambda site: drawing.move_items(site, view_id, ids, steps * dx / width, steps * dy / height),
            f"nudge-{'-'.join(ids)}",
        )


def remove_selected(session: Session) -> None:
    """Delete what is selected; locked items stay."""
    view_id = session.view_id
    items = [item for item_id in session.selection if (item := session.view.item(item_id)) and not item.locked]
    if items:
        ids = [item.id for item in items]
        name = items[0].name if len(items) == 1 else tr("{count} items", count=len(items))
        session.do(tr("Delete {name}", name=name), lambda site: drawing.remove_items(site, view_id, ids))


def _names(session: Session) -> str:
    item = session.view.item(session.item_id)
    return (
        item.name
        if item is not None and len(session.selection) == 1
        else tr("{count} items", count=len(session.selection))
    )


def _drag_corner(canvas: Canvas, session: Session, item: Item, corner: tuple[int, int]) -> Tool:
    """Move a corner until the button is released; Shift keeps the angle to the corner before; Esc puts it back."""
    ring, place = corner
    start, drag = rings(item)[ring].points, f"corner-{next(_drags)}"

    def put(points: tuple[Point, ...]) -> None:
        view_id = session.view_id
        session.do(
            tr("Move corner of {name}", name=item.name),
            lambda site: drawing.change_item(site, view_id, item.id, **with_ring(item, ring, points)),
            drag,
        )

    yield from drag_point(canvas, start, place, put)


def drag_point(canvas: Canvas, start: tuple[Point, ...], place: int, put: Callable[[tuple[Point, ...]], None]) -> Tool:
    """Follow the mouse with one of some points until the button is released; Esc puts it back."""
    while True:
        pointer = yield
        if pointer.kind == "key" and pointer.key == Qt.Key.Key_Escape:
            put(start)
            return
        if pointer.kind == "move":
            at = inside_picture(pointer.at)
            if pointer.modifiers & SHIFT:
                at = angled(canvas, start[place - 1 if place else 1], at)
            put((*start[:place], at, *start[place + 1 :]))
        elif pointer.kind == "release":
            return


def _drag_items(session: Session, press: Pointer, snap: Snap) -> Tool:
    """Move what is selected until the button is released; Esc puts it back. One step to undo."""
    before, ids, view_id = session.site, session.selection, session.view_id
    name, drag = tr("Move {names}", names=_names(session)), f"move-{next(_drags)}"
    while True:
        pointer = yield
        if pointer.kind == "key" and pointer.key == Qt.Key.Key_Escape:
            session.do(name, lambda site: before, drag)
            return
        if pointer.kind == "move":
            dx, dy = snap(pointer.at[0] - press.at[0], pointer.at[1] - press.at[1])
            session.do(name, lambda site, dx=dx, dy=dy: drawing.move_items(before, view_id, ids, dx, dy), drag)  # type: ignore[misc]
        elif pointer.kind == "release":
            return


def _add_corner(canvas: Canvas, session: Session, item: Item, at: Point) -> None:
    edge = edge_at(canvas, item, at)
    if edge is None or item.locked or isinstance(item, SizeMark):
        return
    ring, place = edge
    points = rings(item)[ring].points
    if len(points) < POINTS_MAX and not any(near(canvas, at, corner) for corner in points):
        added = (*points[: place + 1], inside_picture(at), *points[place + 1 :])
        _put(session, tr("Add corner to {name}", name=item.name), item, ring, added)


def _remove_corner(canvas: Canvas, session: Session, item: Item, at: Point) -> None:
    corner = corner_at(canvas, item, at)
    if corner is None or item.locked:
        return
    ring, place = corner
    held = rings(item)[ring]
    if len(held.points) > held.points_min:
        left = (*held.points[:place], *held.points[place + 1 :])
        _put(session, tr("Remove corner of {name}", name=item.name), item, ring, left)


def _put(session: Session, name: str, item: Item, ring: int, points: tuple[Point, ...]) -> None:
    view_id = session.view_id
    session.do(name, lambda site: drawing.change_item(site, view_id, item.id, **with_ring(item, ring, points)))
