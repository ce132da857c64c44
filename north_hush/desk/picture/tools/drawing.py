"""Tools that make outlines, lines and size marks."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt

from north_hush.core.scene.outline import POINTS_MIN, Point, inside_picture, rectangle
from north_hush.desk.picture.canvas import Canvas, Pointer, Tool
from north_hush.desk.picture.draft import Draft
from north_hush.desk.picture.tools.aim import angled, near

LEFT, RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton
_CLOSING_KEYS = (Qt.Key.Key_Return, Qt.Key.Key_Enter)
_DRAG_PX = 12
_MARK_MIN_PX = 6


def _is_key(pointer: Pointer, *keys: Qt.Key) -> bool:
    return pointer.kind == "key" and pointer.key in keys


def draw_corners(
    canvas: Canvas, draft: Draft, finish: Callable[[tuple[Point, ...]], None], points_min: int = POINTS_MIN
) -> Tool:
    """Click corners; Enter, a double click or a click on the first corner closes; Backspace or the other button takes
    the last one back; Esc leaves; Shift keeps angles. An open line (`points_min` 2) has no first corner to click, and
    may also be pulled in one press, drag and release."""
    corners: list[Point] = []
    open_line = points_min < POINTS_MIN
    draft.closes = not open_line
    try:
        while True:
            pointer = yield
            at = inside_picture(pointer.at)
            if corners and pointer.kind != "key" and pointer.modifiers & Qt.KeyboardModifier.ShiftModifier:
                at = angled(canvas, corners[-1], at)
            if _is_key(pointer, Qt.Key.Key_Escape):
                return
            if _is_key(pointer, Qt.Key.Key_Backspace) and corners:
                corners.pop()
            closes = _is_key(pointer, *_CLOSING_KEYS)
            if pointer.kind == "press" and pointer.button == RIGHT:
                if not corners:
                    return
                corners.pop()
            elif pointer.kind == "press" and pointer.button == LEFT:
                if len(corners) >= POINTS_MIN and not open_line and near(canvas, at, corners[0]):
                    closes = True
                elif not corners or not near(canvas, at, corners[-1], 3):
                    corners.append(at)
            elif pointer.kind == "release" and open_line and len(corners) == 1:
                if not near(canvas, at, corners[0], _DRAG_PX):
                    corners.append(at)
                    closes = True
            elif pointer.kind == "double":
                closes = True
            if closes and len(corners) >= points_min:
                finish(tuple(corners))
                return
            if not corners:
                draft.points = []
            elif pointer.kind == "key":
                draft.points = [*corners, draft.points[-1] if draft.points else corners[-1]]
            else:
                draft.points = [*corners, at]
    finally:
        draft.clear()


def draw_rectangle(canvas: Canvas, draft: Draft, finish: Callable[[tuple[Point, ...], bool], None]) -> Tool:
    """Press at one corner, release at the opposite one; with the other button the rectangle is cut out. Shift makes it
    square, Esc leaves."""
    try:
        while True:
            press = yield
            if _is_key(press, Qt.Key.Key_Escape):
                return
            if press.kind != "press" or press.button not in (LEFT, RIGHT):
                continue
            start, rubs_out = inside_picture(press.at), press.button == RIGHT
            draft.closed, draft.cuts = True, rubs_out
            while True:
                pointer = yield
                if _is_key(pointer, Qt.Key.Key_Escape):
                    draft.clear()
                    break
                if pointer.kind not in ("move", "release"):
                    continue
                end = inside_picture(pointer.at)
                if pointer.modifiers & Qt.KeyboardModifier.ShiftModifier:
                    end = _square(canvas, start, end)
                draft.points = list(rectangle(start, end))
                if pointer.kind == "release":
                    draft.clear()
                    if not near(canvas, start, end, 3) and start[0] != end[0] and start[1] != end[1]:
                        finish(rectangle(start, end), rubs_out)
                        return
                    break
    finally:
        draft.clear()


def _square(canvas: Canvas, start: Point, end: Point) -> Point:
    """The opposite corner of the largest square, as seen on screen, that the mouse has pulled up."""
    a, b = canvas.to_widget(start), canvas.to_widget(end)
    dx, dy = b.x() - a.x(), b.y() - a.y()
    side = min(abs(dx), abs(dy))
    rect = canvas.picture_rect()
    x = start[0] + (side if dx >= 0 else -side) / rect.width()
    y = start[1] + (side if dy >= 0 else -side) / rect.height()
    return inside_picture((x, y))


def draw_mark(canvas: Canvas, draft: Draft, finish: Callable[[Point, float], None]) -> Tool:
    """Press at the feet of a standing person, release at the top of the head. Esc leaves."""
    try:
        while True:
            press = yield
            if _is_key(press, Qt.Key.Key_Escape):
                return
            if press.kind != "press" or press.button != LEFT:
                continue
            foot = inside_picture(press.at)
            while True:
                pointer = yield
                if _is_key(pointer, Qt.Key.Key_Escape):
                    draft.clear()
                    break
                if pointer.kind not in ("move", "release"):
                    continue
                head = inside_picture(pointer.at)
                low, high = max(foot[1], head[1]), min(foot[1], head[1])
                draft.figure = ((foot[0], low), low - high)
                if pointer.kind == "release":
                    draft.clear()
                    if (low - high) * canvas.picture_rect().height() >= _MARK_MIN_PX:
                        finish((foot[0], low), round(low - high, 5))
                        return
                    break
    finally:
        draft.clear()
