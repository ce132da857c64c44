"""The facts of a recording, and what is odd about it."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFormLayout, QLabel, QVBoxLayout, QWidget

from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.index import FrameIndex
from north_hush.core.footage.stamps import clock_text
from north_hush.core.site.recording import Recording
from north_hush.core.words import tr
from north_hush.desk.look.panel import muted, wrapped


class RecordingFacts(QWidget):
    """Size, rate, length and codec, one a row; below them what is odd."""

    def __init__(self) -> None:
        super().__init__()
        self._rows = QFormLayout()
        self._rows.setLabelAlignment(Qt.AlignmentFlag.AlignLeft)
        self._rows.setVerticalSpacing(4)
        self._rows.setHorizontalSpacing(12)
        self.oddities = wrapped(QLabel(""))
        self.oddities.setProperty("role", "warning")
        self._shown: tuple[object, ...] = (None,)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addLayout(self._rows)
        column.addWidget(self.oddities)

    def show_of(self, index: FrameIndex | None, recording: Recording | None, evidence: Evidence | None) -> None:
        """Show those of a recording; nothing while it is not open."""
        shown = (index, recording, evidence.oddities if evidence else ())
        if shown == self._shown:
            return
        self._shown = shown
        while self._rows.rowCount():
            self._rows.removeRow(0)
        if index is None or recording is None:
            self.oddities.setText("")
            return
        grid = index.grid(recording.orientation)
        usual, worst = index.usual_interval_us / 1000, index.worst_interval_us / 1000
        for name, value in (
            (tr("Picture"), tr("{width} × {height} pixels", width=grid.width, height=grid.height)),
            (tr("Frame rate"), tr("{frames_per_s:.4g} frames/s", frames_per_s=index.frames_per_s)),
            (tr("Interval"), tr("median {usual:,.0f} ms, worst {worst:,.0f} ms", usual=usual, worst=worst)),
            (
                tr("Length"),
                tr(
                    "{clock_text}, {frames:,} frames",
                    clock_text=clock_text(index.duration_s * 1000000.0),
                    frames=index.frames,
                ),
            ),
            (
                tr("Codec"),
                tr(
                    "{codec} in {split}, {value} range",
                    codec=index.codec,
                    split=index.container.split(",")[0],
                    value=tr("full") if index.full_range else tr("limited"),
                ),
            ),
        ):
            self._rows.addRow(muted(name), wrapped(QLabel(value)))
        odd = [*index.oddities, *(evidence.oddities if evidence else ())]
        self.oddities.setText("\n".join(f"– {text}" for text in odd))
        self.oddities.setVisible(bool(odd))
