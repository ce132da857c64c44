"""A child process of the command line that does one long piece of work and answers in JSON lines."""

from __future__ import annotations

import json
import sys
import time
from typing import Any

from PySide6.QtCore import QObject, QProcess, QTimer, Signal

from north_hush.core.errors import FootageError, HushError
from north_hush.core.footage.cache import cache_folder
from north_hush.core.footage.leftovers import clear_left_behind
from north_hush.core.words import tr

STILL_MS = 10 * 60_000
"""A process that says nothing for so long is ended: an index of a day on a slow disk takes a few minutes."""


class Child(QObject):
    """Starts at once; ends by itself, or when its input is closed."""

    progressed = Signal(float, float)
    """Share done (0..1) and seconds left (below 0: not known yet)."""
    failed = Signal(object)

    def __init__(self, command: str, request: bytes, subject: str, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._subject = subject
        self._ended = False
        self._last: dict[str, Any] = {}
        self._started_at = time.monotonic()
        self._process = QProcess(self)
        self._still = QTimer(self, singleShot=True, interval=STILL_MS)
        self._still.timeout.connect(self._give_up)
        self._still.start()
        self._process.readyReadStandardOutput.connect(self._read)
        self._process.finished.connect(self._on_finished)
        self._process.start(sys.executable, ["-m", "north_hush", command])
        self._process.write(request)

    @property
    def process_id(self) -> int:
        return int(self._process.processId())

    def cancel(self) -> None:
        """Stop it; what it wrote is thrown away, and nothing is signalled from here on."""
        self._ended = True
        self._process.closeWriteChannel()
        self._process.finished.connect(self.deleteLater)
        if self._process.state() == QProcess.ProcessState.NotRunning:
            self.deleteLater()

    def wait_for_end(self, milliseconds: int = 3000) -> None:
        """Wait until what was cancelled has cleaned up; when it does not, it is killed, and what it began in the cache is removed."""
        if not self._process.waitForFinished(milliseconds):
            self._process.kill()
            self._process.waitForFinished(milliseconds)
            clear_left_behind(cache_folder())

    def on_progress(self, answer: dict[str, Any]) -> None:
        """Take an answer of how far it is."""
        frames, expected = int(answer["frames"]), max(1, int(answer["expected"]))
        elapsed = time.monotonic() - self._started_at
        left = elapsed / frames * (expected - frames) if elapsed > 1 else -1.0
        self.progressed.emit(min(1.0, frames / expected), left)

    def on_other(self, answer: dict[str, Any]) -> bool:
        """Take an answer that is none of progress; whether it was one that comes meanwhile, and not the last."""
        return False

    def on_done(self, answer: dict[str, Any]) -> None:
        """Take the last answer of work that is done."""

    def _give_up(self) -> None:
        """End a process that has said nothing for far too long."""
        self._last = {
            "event": "error",
            "subject": self._subject,
            "what": tr("could not be analysed: nothing came of it for {still_ms} minutes.", still_ms=STILL_MS // 60000),
            "remedy": tr("Convert it with another program, or export it again."),
        }
        self._process.kill()

    def _read(self) -> None:
        self._still.start()
        while self._process.canReadLine():
            answer = json.loads(bytes(self._process.readLine().data()))
            if self._ended:
                continue
            if answer["event"] == "progress":
                self.on_progress(answer)
            elif not self.on_other(answer):
                self._last = answer

    def _on_finished(self, code: int, status: QProcess.ExitStatus) -> None:
        self._read()
        self._still.stop()
        if self._ended:
            return
        self._ended = True
        if self._last.get("event") == "done":
            self.on_done(self._last)
            return
        if self._last.get("event") == "error":
            self.failed.emit(HushError(self._last["subject"], self._last["what"], self._last["remedy"]))
            return
        how = "crashed" if status == QProcess.ExitStatus.CrashExit else tr("ended with code {code}", code=code)
        self.failed.emit(
            FootageError(
                self._subject,
                tr("could not be analysed: the decoder {how}.", how=how),
                tr("Convert it with another program, or export it again."),
            )
        )
