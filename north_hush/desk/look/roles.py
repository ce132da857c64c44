"""Every colour of the window, by role, for both themes. Nothing else holds a colour."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor


@dataclass(frozen=True)
class Theme:
    """Colours by role, as #rrggbb.

    Text roles stand at 4.5:1 or more against ground, surface and raised; mark roles at 3:1.
    """

    name: str
    ground: str
    surface: str
    raised: str
    rule: str
    text: str
    muted: str
    accent: str
    on_accent: str
    alarm: str
    incident: str
    level: str
    limit: str
    warning: str
    hues: tuple[str, ...]
    picture_hues: tuple[str, ...] = ("#c9a0dc", "#f0b8c4", "#d9a066", "#efe0a6", "#8fa8e6", "#aee3f0")
    """Hues of outlines on the picture, which is as bright by day as by night: the light core of two tones."""
    outline_light: str = "#f7f3e8"
    outline_dark: str = "#0a0d0b"


NIGHT_WATCH = Theme(
    name="Night watch",
    ground="#0c1310",
    surface="#121a16",
    raised="#1a2520",
    rule="#2b3a33",
    text="#ece5d4",
    muted="#a5a597",
    accent="#f3cb52",
    on_accent="#1b1704",
    alarm="#ff8066",
    incident="#9fdcbd",
    level="#b3ad9c",
    limit="#ece5d4",
    warning="#f0b37a",
    hues=("#c9a0dc", "#f0b8c4", "#d9a066", "#efe0a6", "#8fa8e6", "#aee3f0"),
)

DAY_FOG = Theme(
    name="Day fog",
    ground="#e4e8e5",
    surface="#eef1ee",
    raised="#f9faf8",
    rule="#c2cbc5",
    text="#1a2420",
    muted="#505c56",
    accent="#8a5a00",
    on_accent="#fffdf5",
    alarm="#b23a20",
    incident="#1c6f52",
    level="#655f52",
    limit="#1a2420",
    warning="#8a4a10",
    hues=("#7a4a92", "#a34a63", "#9a5512", "#57500a", "#3d4f9e", "#1d6a80"),
)

THEMES = {theme.name: theme for theme in (NIGHT_WATCH, DAY_FOG)}

TEXT_ROLES = ("text", "muted", "accent", "alarm", "warning")
MARK_ROLES = ("incident", "level", "limit", "hues")

DASHES: tuple[tuple[float, ...], ...] = ((), (7, 3), (2, 2.5), (9, 3, 2, 3), (5, 2, 1.2, 2, 1.2, 2), (12, 4))
"""Dash patterns in line widths, one beside each hue; () is a plain line."""


def hue_place(letter: str) -> int:
    """Which hue and dash the tag of a zone or wire has; wires count from the other end, so that few share one."""
    if letter.isdigit():
        return -int(letter) % len(DASHES)
    return (ord(letter[-1]) - ord("A")) % len(DASHES)


def zone_hue(theme: Theme, letter: str) -> QColor:
    """The hue of a zone by its letter."""
    return QColor(theme.hues[hue_place(letter)])


def picture_hue(theme: Theme, letter: str) -> QColor:
    """The hue of a zone on the picture by its letter."""
    return QColor(theme.picture_hues[hue_place(letter)])


def zone_dash(letter: str) -> tuple[float, ...]:
    """The dash pattern of a zone by its letter."""
    return DASHES[hue_place(letter)]


def contrast(first: str, second: str) -> float:
    """Contrast of two colours, 1 to 21, after the WCAG 2 definition of relative luminance."""

    def luminance(colour: str) -> float:
        parts = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
        linear = [part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4 for part in parts]
        return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]

    low, high = sorted((luminance(first), luminance(second)))
    return (high + 0.05) / (low + 0.05)


def faded(colour: str | QColor, alpha: float) -> QColor:
    """A colour with an alpha of 0 to 1."""
    result = QColor(colour)
    result.setAlphaF(alpha)
    return result


PATTERN_MASK = Qt.BrushStyle.BDiagPattern
"""Masked ground is hatched, never tinted."""
