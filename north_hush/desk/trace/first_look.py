"""What stands where the lanes will be: that there are none yet, and of a long recording a first look at single pictures of it."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QLabel, QVBoxLayout, QWidget

from north_hush.core.footage.glance import Glance
from north_hush.core.footage.stamps import US_PER_S, clock_text
from north_hush.core.words import number, tr
from north_hush.desk.deck import Deck
from north_hush.desk.look.roles import Theme
from north_hush.desk.trace.level_plot import LevelPlot

_TOP_LEAST_PERCENT = 10.0


class FirstLook(QWidget):
    """A text, and once there is something to see a plot below it."""

    time_picked = Signal(float)

    def __init__(self, deck: Deck, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._deck = deck
        self.said = QLabel("", wordWrap=True)
        self.said.setProperty("role", "muted")
        self.said.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.plot = LevelPlot(theme)
        self.plot.setToolTip(tr("How much of the view was not as usual, picture by picture. Click: go there."))
        self.plot.time_picked.connect(self.time_picked)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 8, 8, 0)
        column.addWidget(self.said)
        column.addWidget(self.plot, 1)
        deck.glance_changed.connect(self.refresh)
        deck.recording_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show what is known by now."""
        glance, index = self._deck.passes.glance, self._deck.index
        self.plot.setVisible(glance is not None)
        if glance is None or index is None:
            self.said.setText(tr("Levels and alarms over time appear here once a recording is analysed"))
            return
        self.said.setText(said_of(glance))
        self.plot.show_top(max(_TOP_LEAST_PERCENT, float(glance.percent.max(initial=0.0))))
        self.plot.show_level(glance.time_us / US_PER_S, glance.percent.astype(np.float64), index.duration_s)


def said_of(glance: Glance) -> str:
    """What a first look is, in words."""
    apart_us = float(np.median(np.diff(glance.time_us))) if len(glance.time_us) > 1 else 0.0
    return tr(
        "First look: {pictures} pictures, one in {apart}, how much of each was not as usual. Every frame is analysed next.",
        pictures=number(len(glance.time_us), ",.0f"),
        apart=clock_text(apart_us),
    )
