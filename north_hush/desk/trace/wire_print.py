"""The wire print of the selected tripwire, as a lane of its own on the trace's time axis."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PySide6.QtCore import QObject, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QPainter, QPen, QPolygonF

from north_hush.core.footage.wire_print import PrintOrder, png_of, read_print, stored_print, striking
from north_hush.core.scene.items import Wire
from north_hush.desk.deck import Deck
from north_hush.desk.look.roles import Theme
from north_hush.desk.look.style import text_font
from north_hush.desk.session import Session
from north_hush.desk.trace.lane import TimeBox
from north_hush.desk.trace.plot import Plot
from north_hush.desk.workers.background import Background
from north_hush.desk.workers.prints import PrintWork

_MARK_PX = 6
PRINT_LEAST_PX = 92


class PrintMaker(QObject):
    """Finds or makes the print of the selected wire over the recording that is on."""

    changed = Signal()
    failed = Signal(object)

    def __init__(self, session: Session, deck: Deck, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session, self._deck = session, deck
        self._background = Background(("read",), self)
        self._work: PrintWork | None = None
        self._wanted: object = None
        self.shown = False
        self.picture: NDArray[np.uint8] | None = None
        self.striking: NDArray[np.int32] = np.zeros(0, np.int32)
        self.share_done = 0.0
        for changed in (session.changed, session.item_selected, deck.opened, deck.recording_changed):
            changed.connect(self.follow)

    @property
    def wire(self) -> Wire | None:
        """The wire whose print is meant: the selected one, else the first."""
        view = self._session.view
        held = view.item(self._session.item_id)
        return held if isinstance(held, Wire) else (view.wires[0] if view.wires else None)

    def show(self, shown: bool) -> None:
        """Show the print, or put it away."""
        self.shown = shown
        self.follow()

    def follow(self) -> None:
        """Make the print that is meant now, when it is another one."""
        wire, index, recording = self.wire, self._deck.index, self._deck.recording
        if not self.shown or wire is None or index is None or recording is None:
            wanted: object = None
        else:
            order = PrintOrder(wire.line, recording.orientation, self._session.view.privacy)
            wanted = (index.footage, order)
        if wanted == self._wanted:
            return
        self._wanted, self.picture, self.share_done = wanted, None, 0.0
        self._stop()
        self.changed.emit()
        if wanted is not None and index is not None:
            self._background.order(
                "read",
                lambda: _read(stored_print(index, order)),
                lambda found: self._use(found) if found is not None else self._make(order),
                self.failed.emit,
            )

    def _make(self, order: PrintOrder) -> None:
        if self._deck.index is None:
            return
        work = PrintWork(self._deck.index.footage, order, self)
        work.progressed.connect(self._on_progress)
        work.done.connect(self._on_done)
        work.failed.connect(self._on_failed)
        self._work = work

    def _on_progress(self, share: float, _left_s: float) -> None:
        self.share_done = share
        self.changed.emit()

    def _on_done(self, path: Path) -> None:
        self._work = None
        self._background.order("read", lambda: _read(path), self._use, self.failed.emit)

    def _on_failed(self, error: object) -> None:
        self._work = None
        self.failed.emit(error)

    def _use(self, found: tuple[NDArray[np.uint8], NDArray[np.int32]] | None) -> None:
        if found is not None and self._wanted is not None:
            self.picture, self.striking = found
            self.changed.emit()

    def _stop(self) -> None:
        self._background.drop()
        if self._work is not None:
            self._work.cancel()
            self._work.wait_for_end()
            self._work = None

    def close(self) -> None:
        """End the worker and the thread."""
        self._stop()
        self._background.close()

    @property
    def settled(self) -> bool:
        """True when nothing is waiting or running."""
        return self._background.idle and self._work is None

    def png(self, frames: list[int]) -> bytes | None:
        """The print as PNG, some frames marked; None while there is none."""
        return png_of(self.picture, frames) if self.picture is not None else None


def _read(path: Path) -> tuple[NDArray[np.uint8], NDArray[np.int32]] | None:
    picture = read_print(path)
    return None if picture is None else (picture, striking(picture))


def chosen_columns(
    seconds: NDArray[np.float64], strike: NDArray[np.int32], edges: NDArray[np.float64]
) -> NDArray[np.int64]:
    """Which frame each pixel column shows: of those in it the one that differs most from the usual, else the one on show.

    Parameters
    ----------
    seconds, strike : (frames,) when each is shown from, and how much it differs
    edges : (columns + 1,) in seconds
    """
    first = np.searchsorted(seconds, edges[:-1], side="right") - 1
    after = np.searchsorted(seconds, edges[1:], side="left")
    chosen = first.clip(0, len(seconds) - 1)
    for column in np.flatnonzero(after - first > 1).tolist():
        low = max(0, int(first[column]))
        chosen[column] = low + int(np.argmax(strike[low : after[column]]))
    return np.asarray(chosen)


class PrintItem(pg.GraphicsObject):
    """Draws the print at one column a pixel, and marks along its top where alarms are."""

    def __init__(self) -> None:
        super().__init__()
        self._picture: NDArray[np.uint8] | None = None
        self._seconds: NDArray[np.float64] = np.zeros(0)
        self._strike: NDArray[np.int32] = np.zeros(0, np.int32)
        self.marks: Sequence[tuple[float, str | None]] = []
        self._light, self._dark = QColor(), QColor()

    def show_print(
        self,
        picture: NDArray[np.uint8] | None,
        seconds: NDArray[np.float64],
        strike: NDArray[np.int32],
        marks: Sequence[tuple[float, str | None]],
        theme: Theme,
    ) -> None:
        """Show a print whose frames are shown from the times on; marks are times and directions."""
        self.prepareGeometryChange()
        frames = 0 if picture is None else min(picture.shape[1], len(seconds))
        self._picture = picture[:, :frames] if picture is not None and frames else None
        self._seconds, self._strike, self.marks = seconds[:frames], strike[:frames], marks
        self._light, self._dark = QColor(theme.alarm), QColor(theme.outline_dark)
        self.update()

    def boundingRect(self) -> QRectF:
        if self._picture is None:
            return QRectF()
        return QRectF(self._seconds[0], 0, max(float(self._seconds[-1] - self._seconds[0]), 1e-3), 1)

    def paint(self, painter: QPainter, *_: object) -> None:
        if self._picture is None:
            return
        box = self.getViewBox()
        (start_s, end_s), _range = box.viewRange()
        width = max(1, int(box.width()))
        start_s, last_s = max(start_s, float(self._seconds[0])), min(end_s, float(self._seconds[-1]) + 0.1)
        columns = max(1, round(width * (last_s - start_s) / max(end_s - start_s, 1e-9))) if last_s > start_s else 0
        if not columns:
            return
        chosen = chosen_columns(self._seconds, self._strike, np.linspace(start_s, last_s, columns + 1))
        shown = np.ascontiguousarray(self._picture[::-1, chosen])  # the axis runs up, the first sample lies on top
        image = QImage(shown.data, columns, shown.shape[0], columns, QImage.Format.Format_Grayscale8)
        painter.drawImage(QRectF(start_s, 0, last_s - start_s, 1), image)
        self._paint_marks(painter)

    def _paint_marks(self, painter: QPainter) -> None:
        across, down = (max(size or 0.0, 1e-9) for size in self.pixelSize())
        painter.setBrush(self._light)
        pen = QPen(self._dark, 1)
        pen.setCosmetic(True)
        painter.setPen(pen)
        for second, direction in self.marks:
            x, y, tip = _MARK_PX * across, _MARK_PX * down, 1 - 2 * _MARK_PX * down
            wedge = [QPointF(second - x, 1 - y / 3), QPointF(second + x, 1 - y / 3), QPointF(second, tip)]
            if direction == "b_to_a":
                wedge = [QPointF(second - x, tip), QPointF(second + x, tip), QPointF(second, 1 - y / 3)]
            painter.drawPolygon(QPolygonF(wedge))


class PrintPlot(Plot):
    """The lane the print lies in."""

    time_picked = Signal(float)

    def __init__(self, theme: Theme) -> None:
        super().__init__(TimeBox(), pg.AxisItem("left"), theme)
        self.item = PrintItem()
        self.add_item(self.item)
        self.playhead = pg.InfiniteLine(angle=90, movable=False)
        self.add_item(self.playhead)
        self.caption = pg.TextItem(anchor=(0, 0))
        self.add_item(self.caption)
        self.setMinimumHeight(PRINT_LEAST_PX)
        self.box.setYRange(0, 1, padding=0)
        self.box.time_picked.connect(self.time_picked)
        self.box.sigRangeChanged.connect(lambda *_: self.caption.setPos(self.box.viewRange()[0][0], 1))
        self.dress(theme)

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        self.hide_scale(theme.rule)
        self.playhead.setPen(pg.mkPen(theme.accent, width=1, style=Qt.PenStyle.SolidLine))
        self.caption.setFont(text_font(12))

    def say(self, text: str) -> None:
        """Name the print, or say how far it is."""
        ground = QColor(self._theme.ground)
        ground.setAlphaF(0.72)
        self.caption.fill = pg.mkBrush(ground)
        self.caption.setText(text, color=self._theme.text)
        self.caption.setPos(self.box.viewRange()[0][0], 1)
