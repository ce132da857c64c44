"""The first start on a machine: the kernels are compiled in a process of their own, from the first moment on."""

from __future__ import annotations

import logging
import sys

from PySide6.QtCore import QObject, QProcess, Signal

from north_hush.core.prepare import is_prepared

_log = logging.getLogger(__name__)


class FirstStart(QObject):
    """Runs `north-hush prepare` once; what needs a kernel before that compiles it for itself."""

    ended = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._process = QProcess(self)
        self._process.finished.connect(self._on_finished)
        self.running = not is_prepared()
        if self.running:
            self._process.start(sys.executable, ["-m", "north_hush", "prepare"])

    def _on_finished(self, code: int, _: QProcess.ExitStatus) -> None:
        self.running = False
        if code:
            _log.warning("preparing ended with code %d: %s", code, bytes(self._process.readAllStandardError().data()))
        self.ended.emit()

    def close(self) -> None:
        """End it; it is done again at the next start."""
        self._process.kill()
        self._process.waitForFinished(3000)
