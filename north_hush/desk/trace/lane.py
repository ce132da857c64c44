"""One lane of the trace: a zone's level over time, its start and clear lines as handles, its alarms as spans."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QSignalBlocker, Qt, Signal
from PySide6.QtGui import QColor

from north_hush.core.detect.lane import Lane
from north_hush.core.footage.evidence import Evidence
from north_hush.core.words import tr
from north_hush.desk.look.roles import Theme, faded, zone_hue
from north_hush.desk.trace.curve import LevelCurve
from north_hush.desk.trace.marks import SPAN_SHARE, Bar, Bars, Brackets, Ground, GroundKind
from north_hush.desk.trace.plot import Plot
from north_hush.desk.trace.scale import PercentAxis, to_height, to_percent

_WHEEL_FACTOR = 1.3


class TimeBox(pg.ViewBox):
    """A plot area in which a click or drag goes to that time, the wheel zooms time, and the middle button pans."""

    time_picked = Signal(float)
    span_dragged = Signal(float, float)
    """A stretch in seconds, dragged with Shift held."""

    def __init__(self) -> None:
        super().__init__(enableMenu=False)
        self.setMouseEnabled(x=True, y=False)

    def mouseClickEvent(self, event: pg.GraphicsScene.mouseEvents.MouseClickEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self.time_picked.emit(self.mapSceneToView(event.scenePos()).x())
            event.accept()

    def mouseDragEvent(self, event: pg.GraphicsScene.mouseEvents.MouseDragEvent, axis: int | None = None) -> None:
        event.accept()
        at = self.mapSceneToView(event.scenePos()).x()
        if event.button() == Qt.MouseButton.LeftButton and event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            if event.isFinish():
                self.span_dragged.emit(self.mapSceneToView(event.buttonDownScenePos()).x(), at)
        elif event.button() == Qt.MouseButton.LeftButton:
            self.time_picked.emit(at)
        else:
            moved = self.mapSceneToView(event.lastScenePos()).x() - self.mapSceneToView(event.scenePos()).x()
            self.translateBy(x=moved)

    def wheelEvent(self, event: object, axis: int | None = None) -> None:
        factor = _WHEEL_FACTOR ** (-event.delta() / 120)  # type: ignore[attr-defined]
        at = self.mapSceneToView(event.scenePos())  # type: ignore[attr-defined]
        self.scaleBy(x=factor, center=QPointF(at.x(), 0))
        event.accept()  # type: ignore[attr-defined]


@dataclass(frozen=True)
class Extras:
    """What lies along a lane besides its level: alarms, incidents, and ground that counts in nothing."""

    bars: list[Bar]
    incidents: list[tuple[float, float]]
    ground: list[tuple[float, float, GroundKind]]


class LanePlot(Plot):
    """A lane. Emits what the user does; holds nothing of the site."""

    limit_dragged = Signal(str, str, float, bool)
    """Zone id, "start_percent" or "clear_percent", percent, and whether the drag has ended."""
    time_picked = Signal(float)

    def __init__(self, theme: Theme) -> None:
        super().__init__(TimeBox(), PercentAxis("left"), theme)
        self.zone_id = ""
        self.top = 0.0
        self._caption, self._start_shown = "", (0.0, "")
        self.lane: Lane | None = None
        self.basis: object = None
        """What besides the lane it was drawn of."""
        self._frames: NDArray[np.void] | None = None
        self._peak = 0.0
        self.curve = LevelCurve()
        self.add_item(self.curve)
        self.ground, self.brackets, self.bars = Ground(), Brackets(), Bars()
        for item in (self.ground, self.brackets, self.bars):
            self.add_item(item)
        self.playhead = pg.InfiniteLine(angle=90, movable=False)
        self.add_item(self.playhead)
        self.limits = {
            "clear_percent": self._limit_line("clear_percent"),
            "start_percent": self._limit_line("start_percent"),
        }
        self.caption = pg.TextItem(anchor=(0, 0))
        self.add_item(self.caption)
        self.box.time_picked.connect(self.time_picked)
        self.box.sigResized.connect(lambda _: self._place_caption())
        self.box.sigRangeChanged.connect(lambda *_: self._place_caption())
        self.dress(theme)

    def _limit_line(self, field: str) -> pg.InfiniteLine:
        line = pg.InfiniteLine(angle=0, movable=True)
        line.addMarker("|>", 0.0, 9)
        if field == "start_percent":
            line.label = pg.InfLineLabel(line, "", position=0.995, anchors=[(1, 0), (1, 1)])
        line.sigPositionChanged.connect(lambda line: self._on_limit(field, line, ended=False))
        line.sigPositionChangeFinished.connect(lambda line: self._on_limit(field, line, ended=True))
        self.add_item(line)
        return line

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self.dress_axes(theme)
        plate = pg.mkBrush(faded(theme.ground, 0.72))
        self.caption.fill = self.limits["start_percent"].label.fill = plate
        self.curve.dress(QColor(theme.level), faded(theme.level, 0.28))
        self.playhead.setPen(pg.mkPen(theme.accent, width=1))
        for field, line in self.limits.items():
            style = Qt.PenStyle.SolidLine if field == "start_percent" else Qt.PenStyle.DashLine
            line.setPen(pg.mkPen(theme.limit, width=1.2, style=style))
            line.setHoverPen(pg.mkPen(theme.accent, width=2, style=style))

    def show_lane(
        self,
        lane: Lane,
        evidence: Evidence,
        letter: str,
        extras: Extras,
        name: str = "",
        warning: str = "",
    ) -> None:
        """Draw a lane of a recording; invalid frames and gaps lie on the ground."""
        self.zone_id = lane.zone_id
        if lane is not self.lane or evidence.frames is not self._frames:
            self._show_level(lane, evidence)
        top = max(1.08 * self._peak, float(to_height(3 * lane.settings.start_percent)))
        top = min(top, 10.2)
        if top != self.top:
            self.box.setYRange(0, top, padding=0)
        self.top, self.lane = top, lane
        self.bars.show_bars(extras.bars, top, self._theme)
        self.brackets.show_spans(extras.incidents, top, self._theme)
        self.ground.show_stretches(extras.ground, top, self._theme)
        self.show_limits(lane)
        hue = zone_hue(self._theme, letter).name() if letter else self._theme.muted
        watched = tr("{count} alarms", count=len(lane.alarms)) if len(lane.alarms) != 1 else tr("1 alarm")
        watched += tr(", smaller than a cell") if lane.small else ""
        said = watched if lane.total else tr("not watched: everything in it is masked")
        caption = (
            f'<span style="font-size:12px; color:{hue}"><b>{letter}</b></span> '
            f'<span style="font-size:12px; color:{self._theme.text}">{_escaped(name or lane.name)}</span> '
            f'<span style="font-size:12px; color:{self._theme.muted}">&nbsp; {said}</span>'
            + (f'<span style="font-size:12px; color:{self._theme.warning}">&nbsp; {warning}</span>' if warning else "")
        )
        if caption != self._caption:  # laying text out takes longer than drawing the lane
            self._caption = caption
            self.caption.setHtml(caption)
        self._place_caption()

    def shows(self, lane: Lane, frames: NDArray[np.void], basis: object) -> bool:
        """Whether it is drawn of that already."""
        return lane is self.lane and frames is self._frames and basis == self.basis

    def show_limits(self, lane: Lane) -> None:
        """Lay the limits where they are set, but for one that is dragged."""
        for field, line in self.limits.items():
            line.setVisible(lane.kind in ("zone", "wire"))  # what a sensor is told at is turned where it is stated
            if not line.moving:
                with QSignalBlocker(line):
                    line.setValue(float(to_height(getattr(lane.settings, field))))
        self._label_start(lane.settings.start_percent)

    def _show_level(self, lane: Lane, evidence: Evidence) -> None:
        level, after = np.where(evidence.valid, to_height(lane.level_percent), 0), np.flatnonzero(evidence.gap)
        seconds = evidence.seconds  # one axis for all lanes: of a day each would have megabytes of its own
        if len(after):
            self.curve.show_level(np.insert(seconds, after, seconds[after - 1]), np.insert(level, after, 0))
        else:
            self.curve.show_level(seconds, level)
        self._frames, self._peak = evidence.frames, float(level.max(initial=0.0))

    def _label_start(self, percent: float) -> None:
        label, shown = self.limits["start_percent"].label, (percent, self._theme.name)
        if shown != self._start_shown:
            self._start_shown = shown
            label.setFormat(tr("start {percent:g} %", percent=percent))
            label.setColor(QColor(self._theme.muted))

    def show_time(self, seconds: float) -> None:
        """Move the playhead."""
        self.playhead.setValue(seconds)

    def _place_caption(self) -> None:
        (left, _), (_, top) = self.box.viewRange()
        self.caption.setPos(left, top * (1 - SPAN_SHARE))

    def _on_limit(self, field: str, line: pg.InfiniteLine, *, ended: bool) -> None:
        self.limit_dragged.emit(self.zone_id, field, min(100.0, max(0.01, to_percent(float(line.value())))), ended)


def _escaped(text: str) -> str:
    return text.replace("&", "&amp;").replace("<", "&lt;")
