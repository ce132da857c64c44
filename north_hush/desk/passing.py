"""The evidence pass of the recording that is on, and the first look that comes before a long one."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, Signal

from north_hush.core.errors import HushError
from north_hush.core.footage.glance import Glance
from north_hush.core.footage.index import Footage
from north_hush.core.footage.options import EvidenceOptions
from north_hush.desk.workers.passes import EvidencePass


class Passing(QObject):
    """At most one runs."""

    progressed = Signal(float, float)
    ended = Signal()
    """It is done, failed or was cancelled."""
    block_ready = Signal(object, object)
    """Folder, and the frames of each block that can be read."""
    done = Signal(object, bool)
    """Folder, and whether it lasts beyond this session."""
    glance_changed = Signal()
    failed = Signal(object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pass: EvidencePass | None = None
        self.glance: Glance | None = None
        """Of a long recording, until it is wholly analysed."""

    @property
    def running(self) -> EvidencePass | None:
        """The pass that runs, if any."""
        return self._pass

    def start(self, footage: Footage, options: EvidenceOptions) -> None:
        """Begin a pass; none may run."""
        self._pass = EvidencePass(footage, options, self)
        self._pass.progressed.connect(self.progressed)
        self._pass.block_ready.connect(self.block_ready)
        self._pass.glanced.connect(self.look)
        self._pass.done.connect(self._on_done)
        self._pass.failed.connect(self._on_failed)
        self.progressed.emit(0.0, -1.0)

    def look(self, glance: Glance | None) -> None:
        """Take what a first look found by now; None: all is analysed."""
        self.glance = glance
        self.glance_changed.emit()

    def cancel(self, *, wait: bool = False) -> None:
        """Stop a pass that runs; what it has shown so far stays."""
        if self._pass is not None:
            running, self._pass = self._pass, None
            running.cancel()
            if wait:
                running.wait_for_end()
            self.ended.emit()

    def _on_done(self, folder: Path, stored: bool) -> None:
        self._pass = None
        self.done.emit(folder, stored)
        self.ended.emit()

    def _on_failed(self, error: HushError) -> None:
        self._pass = None
        self.ended.emit()
        self.failed.emit(error)
