"""The level axis: square root of percent, so that a limit of half a percent and a peak of fifty both read."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray

_MARKS_PERCENT = (0.1, 0.5, 1, 2, 5, 10, 20, 50, 100)
_MARKS_APART = 0.22
"""Least distance of two marks, as a share of the axis."""


def to_height(percent: NDArray[np.floating[Any]] | float) -> NDArray[np.floating[Any]] | float:
    """Percent to the height on the axis."""
    return np.sqrt(np.maximum(percent, 0))


def to_percent(height: float) -> float:
    """Height on the axis to percent, on the step of the dials."""
    return round(max(0.0, height) ** 2, 2)


class PercentAxis(pg.AxisItem):
    """Labels a square-root axis in percent, as many marks as fit."""

    def tickValues(self, low: float, high: float, size: float) -> list[tuple[float, list[float]]]:
        shown: list[float] = []
        for percent in reversed(_MARKS_PERCENT):
            height = float(np.sqrt(percent))
            if height <= high * 0.96 and (not shown or shown[-1] - height >= _MARKS_APART * high):
                shown.append(height)
        return [(1.0, shown)]

    def tickStrings(self, values: list[float], scale: float, spacing: float) -> list[str]:
        return [f"{to_percent(value):g} %" for value in values]


class TimeAxis(pg.AxisItem):
    """Labels seconds as minutes and seconds."""

    def tickStrings(self, values: list[float], scale: float, spacing: float) -> list[str]:
        decimals = 0 if spacing >= 1 else (1 if spacing >= 0.1 else 2)
        labels = []
        for value in values:
            minutes, seconds = divmod(max(0.0, value), 60)
            hours, minutes = divmod(int(minutes), 60)
            second_text = f"{seconds:0{3 + decimals if decimals else 2}.{decimals}f}"
            labels.append(f"{hours}:{minutes:02d}:{second_text}" if hours else f"{minutes}:{second_text}")
        return labels
