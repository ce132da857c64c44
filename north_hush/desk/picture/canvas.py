"""The picture itself: shows a frame with zoom and pan, paints layers over it, and feeds the mouse to a tool."""

from __future__ import annotations

import inspect
from collections.abc import Callable, Generator
from dataclasses import dataclass

from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPixmap, QWheelEvent
from PySide6.QtWidgets import QWidget

from north_hush.core.scene.outline import Point
from north_hush.core.words import tr

_ZOOM_STEP = 1.25
_ZOOM_MAX = 24.0


@dataclass(frozen=True)
class Pointer:
    """A mouse or key event as tools see it. `at` is in fractions of the picture and may lie outside 0..1."""

    kind: str
    """press, move, release, double or key"""
    at: Point
    button: Qt.MouseButton = Qt.MouseButton.NoButton
    modifiers: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier
    key: int = 0


Tool = Generator[None, Pointer, None]
"""A mouse tool: a generator that is sent pointers and changes the site; it ends when it is done."""

Layer = Callable[[QPainter, "Canvas"], None]


def no_tool() -> Tool | None:
    """Leave the mouse alone."""
    return None


class Canvas(QWidget):
    """Maps fractions of the picture to the widget and back; knows nothing of zones."""

    hovered = Signal(object)
    """Point under the mouse in fractions, None outside the picture."""
    sized = Signal(int)
    """Shift and the wheel were turned by so many steps."""

    space_tapped = Signal()
    """The space bar was pressed over the picture, and let go without panning."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._pixmap = QPixmap()
        self._over = QPixmap()
        self._extent = (1.0, 1.0)
        self._zoom = 1.0
        self._centre = QPointF(0.5, 0.5)
        self._pan_from: QPointF | None = None
        self._space = self._space_panned = False
        self._tool: Tool | None = None
        self._make_tool: Callable[[], Tool | None] = no_tool
        self.layers: list[Layer] = []
        self.wants_arrows: Callable[[], bool] = lambda: False
        """Tells whether arrow keys go to the tool; otherwise they step frames."""
        self.backdrop = QColor()
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(240, 135)
        self.setAccessibleName(tr("Picture"))

    # --- what is shown ----------------------------------------------------------------------------------------------

    def show_image(self, image: QImage | None) -> None:
        """Show an image over the picture area; None shows nothing."""
        self._pixmap = QPixmap.fromImage(image) if image is not None else QPixmap()
        self.update()

    def lay_over(self, image: QImage | None, extent: tuple[float, float] = (1.0, 1.0)) -> None:
        """Lay an image over what is shown; None takes it away.

        `extent` is its width and height as fractions of the picture: cells reach a little beyond the edge.
        """
        self._extent = extent
        self._over = QPixmap.fromImage(image) if image is not None else QPixmap()
        self.update()

    def set_picture_size(self, width: int, height: int) -> None:
        """State the picture's size in pixels, which gives its shape."""
        self._size = (width, height)
        self.reset_zoom()

    _size = (16, 9)

    @property
    def picture_size(self) -> tuple[int, int]:
        return self._size

    @property
    def zoom(self) -> float:
        return self._zoom

    def reset_zoom(self) -> None:
        """Show the whole picture."""
        self._zoom, self._centre = 1.0, QPointF(0.5, 0.5)
        self.update()

    def zoom_at(self, position: QPointF, factor: float) -> None:
        """Zoom so that the point under `position` stays where it is."""
        before = self.to_picture(position)
        self._zoom = min(max(1.0, self._zoom * factor), _ZOOM_MAX)
        after = self.to_picture(position)
        self._move_centre(before[0] - after[0], before[1] - after[1])

    def picture_rect(self) -> QRectF:
        """Where the whole picture lies in the widget, which may reach beyond it."""
        width, height = self._size
        fit = min(self.width() / width, self.height() / height) * self._zoom
        left = self.width() / 2 - self._centre.x() * width * fit
        top = self.height() / 2 - self._centre.y() * height * fit
        return QRectF(left, top, width * fit, height * fit)

    def extent_rect(self, extent: tuple[float, float]) -> QRectF:
        """Where something lies that starts at the picture's corner and reaches over fractions of it."""
        rect = self.picture_rect()
        return QRectF(rect.left(), rect.top(), rect.width() * extent[0], rect.height() * extent[1])

    def to_widget(self, at: Point) -> QPointF:
        """Fractions of the picture to a place in the widget."""
        rect = self.picture_rect()
        return QPointF(rect.left() + at[0] * rect.width(), rect.top() + at[1] * rect.height())

    def to_picture(self, position: QPointF) -> Point:
        """A place in the widget to fractions of the picture."""
        rect = self.picture_rect()
        return (position.x() - rect.left()) / rect.width(), (position.y() - rect.top()) / rect.height()

    def _move_centre(self, dx: float, dy: float) -> None:
        half = 0.5 / self._zoom
        self._centre = QPointF(
            min(max(half, self._centre.x() + dx), 1 - half), min(max(half, self._centre.y() + dy), 1 - half)
        )
        self.update()

    # --- tools ------------------------------------------------------------------------------------------------------

    def set_tool(self, make_tool: Callable[[], Tool | None]) -> None:
        """Use another tool; it is made anew each time the one before ends."""
        self.stop_tool()
        self._make_tool = make_tool

    def stop_tool(self) -> None:
        """Leave the tool under way without harm."""
        tool, self._tool = self._tool, None
        if (
            tool is not None and inspect.getgeneratorstate(tool) != inspect.GEN_RUNNING
        ):  # a tool that finishes may itself ask for the next one
            tool.close()
        self.update()

    def send(self, pointer: Pointer) -> bool:
        """Send an event to the tool; False when there is none."""
        if self._tool is None:
            self._tool = self._make_tool()
            if self._tool is None:
                return False
            next(self._tool)
        tool = self._tool
        try:
            tool.send(pointer)
        except StopIteration:
            if self._tool is tool:
                self._tool = None
        self.update()
        return True

    # --- events -----------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.backdrop)
        if not self._pixmap.isNull():
            painter.save()
            painter.setClipRect(self.picture_rect())
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, self._zoom < 4)
            painter.drawPixmap(self.picture_rect(), self._pixmap, QRectF(self._pixmap.rect()))
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, on=False)
            painter.drawPixmap(self.extent_rect(self._extent), self._over, QRectF(self._over.rect()))
            painter.restore()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for layer in self.layers:
            painter.save()
            layer(painter, self)
            painter.restore()
        painter.end()

    def _pointer(self, kind: str, event: QMouseEvent) -> Pointer:
        return Pointer(kind, self.to_picture(event.position()), event.button(), event.modifiers())

    def mousePressEvent(self, event: QMouseEvent) -> None:
        pans = event.button() == Qt.MouseButton.MiddleButton or (
            self._space and event.button() == Qt.MouseButton.LeftButton
        )
        if pans:
            self._pan_from, self._space_panned = event.position(), True
        else:
            self.send(self._pointer("press", event))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._pan_from is not None:
            rect, moved = self.picture_rect(), event.position() - self._pan_from
            self._pan_from = event.position()
            self._move_centre(-moved.x() / rect.width(), -moved.y() / rect.height())
            return
        pointer = self._pointer("move", event)
        inside = 0 <= pointer.at[0] < 1 and 0 <= pointer.at[1] < 1
        self.hovered.emit(pointer.at if inside else None)
        self.send(pointer)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._pan_from is not None:
            self._pan_from = None
        else:
            self.send(self._pointer("release", event))

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.send(self._pointer("double", event))

    def wheelEvent(self, event: QWheelEvent) -> None:
        steps = event.angleDelta().y() / 120
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.sized.emit(round(steps) or (1 if steps > 0 else -1))
            return
        self.zoom_at(event.position(), _ZOOM_STEP**steps)

    def leaveEvent(self, event: QEvent) -> None:
        self.hovered.emit(None)

    def event(self, event: QEvent) -> bool:
        # Before shortcuts are looked up: a key the tool takes is not a shortcut.
        if event.type() == QEvent.Type.ShortcutOverride and self._takes(event):  # type: ignore[arg-type]
            event.accept()
            return True
        return super().event(event)

    def _takes(self, event: QKeyEvent) -> bool:
        return event.key() in ARROW_KEYS and self.wants_arrows()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if (
            event.key() == Qt.Key.Key_Space
            and not event.isAutoRepeat()
            and self.underMouse()
            and self._make_tool is not no_tool
        ):
            self._space, self._space_panned = True, False
            return
        sent = Pointer("key", (0.0, 0.0), modifiers=event.modifiers(), key=event.key())
        wanted = event.key() in _TOOL_KEYS or self._takes(event)
        if not wanted or not self.send(sent):
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Space:
            if self._space and not event.isAutoRepeat() and not self._space_panned:
                self.space_tapped.emit()
            self._space = self._space and event.isAutoRepeat()
        super().keyReleaseEvent(event)


ARROW_KEYS = (Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down)
_TOOL_KEYS = (
    Qt.Key.Key_Escape,
    Qt.Key.Key_Return,
    Qt.Key.Key_Enter,
    Qt.Key.Key_Backspace,
    Qt.Key.Key_Delete,
)
