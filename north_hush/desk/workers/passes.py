"""The window's end of the evidence pass."""

from __future__ import annotations

import json
import sys
import time
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, QProcess, Signal

from north_hush.core.errors import FootageError, HushError
from north_hush.core.footage.index import Footage
from north_hush.core.footage.options import EvidenceOptions
from north_hush.core.footage.pass_worker import request_line

WORKER_ARGUMENTS = ("-m", "north_hush", "_pass")


class EvidencePass(QObject):
    """One pass over one recording in a child process."""

    progressed = Signal(float, float)
    """Share done (0..1) and seconds left (below 0: not known yet)."""
    block_ready = Signal(object, object)
    """Folder (Path) and frames of each block that can be read."""
    done = Signal(object, bool)
    """Folder, and whether it lasts beyond this session."""
    failed = Signal(object)

    def __init__(self, footage: Footage, options: EvidenceOptions, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._path = str(footage.path)
        self._ended = False
        self._last: dict[str, Any] = {}
        self._started_at = time.monotonic()
        self._process = QProcess(self)
        self._process.readyReadStandardOutput.connect(self._read)
        self._process.finished.connect(self._on_finished)
        self._process.start(sys.executable, list(WORKER_ARGUMENTS))
        self._process.write(request_line(footage, options))

    @property
    def process_id(self) -> int:
        return int(self._process.processId())

    def cancel(self) -> None:
        """Stop the pass; what it wrote is thrown away, and nothing is signalled from here on."""
        self._ended = True
        self._process.closeWriteChannel()
        self._process.finished.connect(self.deleteLater)
        if self._process.state() == QProcess.ProcessState.NotRunning:
            self.deleteLater()

    def wait_for_end(self, milliseconds: int = 3000) -> None:
        """Wait until a cancelled pass has cleaned up; it is killed when it does not."""
        if not self._process.waitForFinished(milliseconds):
            self._process.kill()
            self._process.waitForFinished(milliseconds)

    def _read(self) -> None:
        while self._process.canReadLine():
            answer = json.loads(bytes(self._process.readLine().data()))
            if self._ended:
                continue
            if answer["event"] == "progress":
                self._on_progress(answer)
            else:
                self._last = answer

    def _on_progress(self, answer: dict[str, object]) -> None:
        frames, expected = int(str(answer["frames"])), max(1, int(str(answer["expected"])))
        elapsed = time.monotonic() - self._started_at
        left = elapsed / frames * (expected - frames) if elapsed > 1 else -1.0
        self.progressed.emit(min(1.0, frames / expected), left)
        if answer["new_block"]:
            self.block_ready.emit(Path(str(answer["folder"])), answer["block_frames"])

    def _on_finished(self, code: int, status: QProcess.ExitStatus) -> None:
        self._read()
        if self._ended:
            return
        self._ended = True
        if self._last.get("event") == "done":
            self.done.emit(Path(self._last["folder"]), self._last["stored"])
            return
        if self._last.get("event") == "error":
            self.failed.emit(HushError(self._last["subject"], self._last["what"], self._last["remedy"]))
            return
        how = "crashed" if status == QProcess.ExitStatus.CrashExit else f"ended with code {code}"
        self.failed.emit(
            FootageError(
                self._path,
                f"could not be analysed: the decoder {how}.",
                "Convert it with another program, or export it again.",
            )
        )
