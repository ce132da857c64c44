"""A hush dial: a value with its unit over a track whose right end is always the quieter one."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QEvent, QPointF, QRectF, QSignalBlocker, QSize, Qt, Signal
from PySide6.QtGui import (
    QBrush,
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QWheelEvent,
)
from PySide6.QtWidgets import (
    QAbstractSlider,
    QApplication,
    QDoubleSpinBox,
    QHBoxLayout,
    QLabel,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from north_hush.core.advise.curves import Curve
from north_hush.core.detect.dials import Dial, share_of, stepped, value_at
from north_hush.core.words import tr, trn
from north_hush.desk.look.number import NumberBox
from north_hush.desk.look.roles import Theme, faded

_MARGIN_PX = 8
_REACH_PX = 8
"""The handle is taken hold of so far from its middle."""
_THOUSANDTHS = 1000
_HEIGHT_PX, _CURVE_PX, _RAIL_PX = 36, 22, 27
"""Height of the track, of the curve in it, and where the rail runs."""
_KEY_STEPS = {
    Qt.Key.Key_Right: 1,
    Qt.Key.Key_Left: -1,
    Qt.Key.Key_Up: 1,
    Qt.Key.Key_Down: -1,
    Qt.Key.Key_PageUp: 10,
    Qt.Key.Key_PageDown: -10,
}


@dataclass(frozen=True)
class Response:
    """What values of a dial would do: how high the hill is at each, what is lost there, and the same in words."""

    values: tuple[float, ...]
    heights: tuple[float, ...]
    losses: tuple[float, ...]
    words: tuple[str, ...]


def response_of(curve: Curve | None) -> Response | None:
    """A response curve of a detector's dial as its track shows it; None while it is not known."""
    if curve is None or not curve.values:
        return None
    words = tuple(said_of(curve, place) for place in range(len(curve.values)))
    return Response(curve.values, curve.watched_s, curve.missed, words)


class DialTrack(QAbstractSlider):
    """The track alone: dragging sets, a click goes a page to its side; wheel, arrow keys; double click goes back to factory."""

    moved = Signal(float, bool)
    """Value, and whether the move has ended."""

    def __init__(self, dial: Dial, factory: float, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._dial, self._factory, self._theme = dial, factory, theme
        self.at = factory
        """The dial's value. As a slider it has its place instead, in thousandths, which is what a screen reader turns."""
        self.setOrientation(Qt.Orientation.Horizontal)
        self.setRange(0, _THOUSANDTHS)
        self.valueChanged.connect(self._on_slid)
        self._curve: Response | None = None
        self._held_at: float | None = None
        """Where the mouse was pressed, while it has not moved away from there."""
        self._drags = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(tr("{label} track", label=dial.label))
        self._say()

    def sizeHint(self) -> QSize:
        return QSize(160, _HEIGHT_PX)

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        self.update()

    def show_value(self, value: float) -> None:
        """Show a value without telling anybody."""
        self.at = value
        with QSignalBlocker(self):
            self.setValue(round(_THOUSANDTHS * share_of(self._dial, value)))
        self._say()
        self.update()

    def show_curve(self, curve: Response | None) -> None:
        """Show what each value would do; None while that is not known."""
        self._curve = curve
        self._say()
        self.update()

    def _say(self) -> None:
        """The tooltip: effect, factory value, and what the curve says of the present value."""
        dial = self._dial
        text = tr(
            "{effect}\nFactory: {factory:g} {unit}. Right is quieter; double click for factory.",
            effect=dial.effect,
            factory=self._factory,
            unit=dial.unit,
        )
        if self._curve is not None and self._curve.values:
            values = self._curve.values
            place = min(range(len(values)), key=lambda k: abs(values[k] - self.at))
            text += tr("\nAt {values:g}: {words}.", values=values[place], words=self._curve.words[place])
        self.setToolTip(text)
        self.setAccessibleDescription(f"{self.at:g} {dial.unit}. {text}")

    def _x_of(self, value: float) -> float:
        return _MARGIN_PX + share_of(self._dial, value) * (self.width() - 2 * _MARGIN_PX)

    def _move(self, value: float, *, ended: bool) -> None:
        if value != self.at or ended:
            self.show_value(value)
            self.moved.emit(value, ended)

    def _on_slid(self, place: int) -> None:
        """Somebody set the slider by other means than mouse and keys."""
        self._move(value_at(self._dial, place / _THOUSANDTHS), ended=True)

    def _share_at(self, x: float) -> float:
        return (x - _MARGIN_PX) / max(1, self.width() - 2 * _MARGIN_PX)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        self._held_at = x = event.position().x()
        away = x - self._x_of(self.at)
        self._drags = abs(away) <= _REACH_PX
        if not self._drags:
            towards = value_at(self._dial, self._share_at(x))
            page = stepped(self._dial, self.at, _KEY_STEPS[Qt.Key.Key_PageUp if away > 0 else Qt.Key.Key_PageDown])
            self._move(min(page, towards, key=lambda value: abs(value - self.at)), ended=False)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held_at is None:
            return
        x = event.position().x()
        self._drags = self._drags or abs(x - self._held_at) >= QApplication.startDragDistance()
        if self._drags:
            self._move(value_at(self._dial, self._share_at(x)), ended=False)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._held_at is not None:
            self._held_at = None
            self._move(self.at, ended=True)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self._move(self._factory, ended=True)

    def wheelEvent(self, event: QWheelEvent) -> None:
        if not self.hasFocus():
            event.ignore()  # so that scrolling the panel turns no dial
            return
        self._move(stepped(self._dial, self.at, 1 if event.angleDelta().y() > 0 else -1), ended=True)

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride and event.key() in _KEY_STEPS:
            event.accept()  # the arrow keys turn the dial that has the focus, and step frames elsewhere
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in _KEY_STEPS:
            self._move(stepped(self._dial, self.at, _KEY_STEPS[Qt.Key(event.key())]), ended=True)
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        theme, middle = self._theme, _RAIL_PX
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        right, x = self.width() - _MARGIN_PX, self._x_of(self.at)
        if self._curve is not None:
            self._paint_curve(painter, self._curve, x)
        painter.setPen(QPen(QColor(theme.rule), 2))
        painter.drawLine(_MARGIN_PX, middle, right, middle)
        painter.setPen(QPen(QColor(theme.level), 2))
        painter.drawLine(_MARGIN_PX, middle, int(x), middle)
        painter.setPen(QPen(QColor(theme.muted), 1))
        factory = int(self._x_of(self._factory))
        painter.drawLine(factory, middle - 5, factory, middle + 5)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.accent if self.hasFocus() or self._held_at is not None else theme.text))
        painter.drawRoundedRect(QRectF(x - 4, middle - 8, 8, 16), 2, 2)
        painter.end()

    def _paint_curve(self, painter: QPainter, curve: Response, x: float) -> None:
        """What there is to watch of unwanted alarms as a hill above the rail (its height by the square root, so that the last
        few still show; alarms that only run together make it no lower), and hatched ground where incidents are missed that
        other values meet."""
        theme = self._theme
        places = [self._x_of(value) for value in curve.values]
        highest = (max(curve.heights) or 1.0) ** 0.5
        base = float(_CURVE_PX)
        outline = QPolygonF([QPointF(places[0], base)])
        for place, height in zip(places, curve.heights, strict=True):
            outline.append(QPointF(place, base - (base - 2) * height**0.5 / highest))
        outline.append(QPointF(places[-1], base))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(faded(theme.level, 0.32))
        painter.drawPolygon(outline)
        painter.setPen(QPen(QColor(theme.level), 1.2))
        painter.drawPolyline(QPolygonF(outline.toList()[1:-1]))
        lost = faded(theme.incident, 0.9)
        least = min(curve.losses)
        for k, lost_there in enumerate(curve.losses):
            if lost_there > least:
                left = places[k] if k == 0 else (places[k - 1] + places[k]) / 2
                end = places[k] if k == len(places) - 1 else (places[k] + places[k + 1]) / 2
                painter.fillRect(QRectF(left, 0, end - left, base), QBrush(lost, Qt.BrushStyle.FDiagPattern))
                painter.fillRect(QRectF(left, base - 1, end - left, 2), lost)
        painter.setPen(QPen(QColor(theme.muted), 1, Qt.PenStyle.DotLine))
        painter.drawLine(QPointF(x, 0), QPointF(x, _RAIL_PX - 8))


def said_of(curve: Curve, place: int) -> str:
    """What a value of a curve would do, in words."""
    unwanted, missed = curve.unwanted[place], curve.missed[place]
    text = trn(
        "{unwanted} unwanted alarm, {watched_s:.0f} s to watch",
        "{unwanted} unwanted alarms, {watched_s:.0f} s to watch",
        unwanted,
        unwanted=unwanted,
        watched_s=curve.watched_s[place],
    )
    return text + (
        trn(", {missed} incident missed", ", {missed} incidents missed", missed, missed=missed) if missed else ""
    )


class _DialNumber(NumberBox):
    """The number of a dial; its arrows stop where the dial stands."""

    def __init__(self, dial: Dial) -> None:
        super().__init__(decimals=dial.decimals, minimum=dial.low, maximum=dial.high, singleStep=dial.step)
        self._dial = dial

    def stepBy(self, steps: int) -> None:
        """Go so many steps up."""
        size = max(self._dial.step, self._dial.grain_at(self.value()))
        self.setValue(self.value() + steps * size if size == self._dial.step else round(self.value() + steps * size))


class HushDial(QWidget):
    """Label, number with unit, note, and track."""

    turned = Signal(str, float, bool)
    """Field, value, and whether the turn has ended."""

    def __init__(self, dial: Dial, factory: float, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.dial = dial
        label = QLabel(dial.label)
        label.setToolTip(dial.effect)
        self.note = QLabel("")
        self.note.setProperty("role", "muted")
        self.number = _DialNumber(dial)
        self.number.setKeyboardTracking(False)
        self.number.setAccessibleName(tr("{label} in {unit}", label=dial.label, unit=dial.unit))
        self.number.setToolTip(dial.effect)
        self.number.setFixedWidth(76)
        self.number.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.number.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.number.valueChanged.connect(lambda value: self._on_moved(value, True))
        self.unit = QLabel(dial.unit)
        self.unit.setProperty("role", "muted")
        self.unit.setFixedWidth(74)
        self.track = DialTrack(dial, factory, theme)
        self.track.moved.connect(self._on_moved)
        top = QHBoxLayout()
        top.setSpacing(6)
        for widget, stretch in ((label, 0), (self.note, 1), (self.number, 0), (self.unit, 0)):
            top.addWidget(widget, stretch)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(top)
        column.addWidget(self.track)

    def show_value(self, value: float, note: str = "") -> None:
        """Show a value without telling anybody."""
        with QSignalBlocker(self.number):
            self.number.setValue(value)
        self.track.show_value(value)
        self.note.setText(note)

    def _on_moved(self, value: float, ended: bool) -> None:
        value = round(round(value / 0.25) * 0.25, 2) if self.dial.step == 0.25 else round(value, 2)
        self.turned.emit(self.dial.field, value, ended)
