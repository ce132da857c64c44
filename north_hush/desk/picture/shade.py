"""Brightness, contrast and gamma of the shown picture, so that a dark recording can be looked at. Nothing that is measured changes."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QSettings, QSignalBlocker, Qt, Signal
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QFormLayout, QLabel, QMenu, QPushButton, QSlider, QToolButton, QWidget, QWidgetAction

from north_hush.core.words import tr
from north_hush.desk.look.roles import Theme
from north_hush.desk.look.style import icon
from north_hush.desk.session import Session


@dataclass(frozen=True)
class Shade:
    """How the picture is shown: out = ((in ^ (1 / gamma)) - 0.5) x contrast + 0.5 + brightness, over 0 to 1."""

    brightness_percent: int = 0
    contrast_percent: int = 100
    gamma_percent: int = 100

    def table(self) -> NDArray[np.uint8]:
        """What each of the 256 values is shown as."""
        lifted = (np.arange(256) / 255) ** (100 / self.gamma_percent)
        shown = (lifted - 0.5) * (self.contrast_percent / 100) + 0.5 + self.brightness_percent / 100
        return np.round(255 * shown.clip(0, 1)).astype(np.uint8)

    def of(self, image: QImage) -> QImage:
        """An image (RGB32) so shown."""
        if self == Shade():
            return image
        pixels = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
        shaded = self.table()[pixels]
        return QImage(
            shaded.data, image.width(), image.height(), image.bytesPerLine(), QImage.Format.Format_RGB32
        ).copy()


@dataclass(frozen=True)
class _Knob:
    """A slider of the menu."""

    label: str
    low: int
    high: int
    get: Callable[[Shade], int]
    put: Callable[[Shade, int], Shade]


_KNOBS = (
    _Knob(tr("Brightness"), -60, 60, lambda s: s.brightness_percent, lambda s, v: replace(s, brightness_percent=v)),
    _Knob(tr("Contrast"), 40, 400, lambda s: s.contrast_percent, lambda s, v: replace(s, contrast_percent=v)),
    _Knob(tr("Gamma"), 40, 400, lambda s: s.gamma_percent, lambda s, v: replace(s, gamma_percent=v)),
)


class ShadeMenu(QToolButton):
    """A button with three sliders below it. Kept for each camera view on this machine, beside the site and not in it."""

    changed = Signal()

    def __init__(self, session: Session, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._settings = QSettings("north-hush", "north-hush")
        self.shade = Shade()
        self.setAccessibleName(tr("Brightness of the shown picture"))
        self.setProperty("flat", "true")
        self.setCheckable(True)
        self.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self._menu = QMenu(self)
        self.setMenu(self._menu)
        inside = QWidget()
        rows = QFormLayout(inside)
        rows.setContentsMargins(12, 8, 12, 8)
        self.sliders = [self._slider(rows, knob) for knob in _KNOBS]
        self.neutral = QPushButton(tr("As recorded"), toolTip=tr("Show the picture as it was recorded"))
        self.neutral.clicked.connect(lambda: self._use(Shade()))
        rows.addRow(self.neutral)
        action = QWidgetAction(self)
        action.setDefaultWidget(inside)
        self._menu.addAction(action)
        session.view_changed.connect(self.load)
        self.dress(theme)
        self.load()

    def _slider(self, rows: QFormLayout, knob: _Knob) -> QSlider:
        slider = QSlider(Qt.Orientation.Horizontal, minimum=knob.low, maximum=knob.high)
        slider.setFixedWidth(160)
        slider.setAccessibleName(tr("{label} of the shown picture in percent", label=knob.label))
        slider.setToolTip(tr("{label} of the shown picture, in percent; alarms do not change", label=knob.label))
        slider.valueChanged.connect(lambda value: self._use(knob.put(self.shade, value)))
        rows.addRow(QLabel(knob.label), slider)
        return slider

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self.setIcon(icon("circle-half", theme))

    def load(self) -> None:
        """Show what is kept for the view."""
        kept = str(self._settings.value(self._key(), "")).split()
        try:
            self.shade = Shade(*map(int, kept))
            self.shade.table()
        except (ValueError, TypeError, ZeroDivisionError):
            self.shade = Shade()
        self._show()

    def _key(self) -> str:
        return f"shade/{self._session.path.name}/{self._session.view_id}"

    def _use(self, shade: Shade) -> None:
        if shade == self.shade:
            return
        self.shade = shade
        held = (shade.brightness_percent, shade.contrast_percent, shade.gamma_percent)
        self._settings.setValue(self._key(), " ".join(map(str, held)))
        self._show()

    def _show(self) -> None:
        for slider, knob in zip(self.sliders, _KNOBS, strict=True):
            with QSignalBlocker(slider):
                slider.setValue(knob.get(self.shade))
        self.setChecked(self.shade != Shade())
        held = self.shade
        said = (
            tr("as recorded")
            if held == Shade()
            else (
                tr(
                    "brightness {brightness_percent:+d} %, contrast {contrast_percent} %, gamma {gamma_percent:.2f}",
                    brightness_percent=held.brightness_percent,
                    contrast_percent=held.contrast_percent,
                    gamma_percent=held.gamma_percent / 100,
                )
            )
        )
        self.setToolTip(tr("The picture is shown {said}. What is measured does not change.", said=said))
        self.changed.emit()
