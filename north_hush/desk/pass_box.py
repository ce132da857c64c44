"""How far the running pass is, in the header, whatever stage is shown."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QLabel, QProgressBar, QToolButton, QWidget

from north_hush.core.footage.stamps import clock_text
from north_hush.core.words import tr
from north_hush.desk.analysis import Analysis
from north_hush.desk.first_start import FirstStart
from north_hush.desk.look.roles import Theme
from north_hush.desk.look.style import icon

_BAR_PX = 64


class PassBox(QWidget):
    """A thin bar with a word and a way to stop; not there while nothing runs."""

    def __init__(self, analysis: Analysis, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.text = QLabel("")
        self.text.setProperty("role", "muted")
        self.bar = QProgressBar(maximum=1000, textVisible=False, accessibleName=tr("Analysis of the recordings"))
        self.bar.setFixedWidth(_BAR_PX)
        self.stop = QToolButton(
            toolTip=tr(
                "Stop analysing. One that is put on is analysed all the same, the others once a recording is added"
            )
        )
        self.stop.setAccessibleName(tr("Stop analysing"))
        self.stop.setProperty("flat", "true")
        self.stop.clicked.connect(analysis.stop)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        for part in (self.text, self.bar, self.stop):
            row.addWidget(part)
        analysis.progressed.connect(self._show)
        analysis.ended.connect(self.hide)
        self.dress(theme)
        self.hide()

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self.stop.setIcon(icon("x", theme))

    def show_first_start(self, first: FirstStart) -> None:
        """Say that this machine is being prepared, until it is or a pass has more to tell."""
        if first.running:
            self.text.setText(tr("First start: preparing"))
            self.setToolTip(
                tr(
                    "The analysis is made ready for this machine, once: half a minute. Everything can be done meanwhile."
                )
            )
            self.bar.setRange(0, 0)
            self.stop.hide()
            self.show()
            first.ended.connect(self._end_first_start)

    def _end_first_start(self) -> None:
        if self.bar.maximum() == 0:
            self.hide()

    def _show(self, name: str, share: float, left_s: float) -> None:
        self.bar.setRange(0, 1000)
        self.stop.show()
        self.bar.setValue(round(1000 * share))
        self.text.setText(f"{name}: {share:.0%}")
        left = "" if left_s < 0 else tr(", {clock_text} left", clock_text=clock_text(left_s * 1000000.0))
        self.setToolTip(
            tr("Every frame of {name} is analysed once: {share:.0%}{left}", name=name, share=share, left=left)
        )
        self.show()
