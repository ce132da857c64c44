"""One of our own commands in a process beside the window: what it says line by line, and how it ended."""

from __future__ import annotations

import os
import signal
import sys
from contextlib import suppress
from pathlib import Path

from PySide6.QtCore import QObject, QProcess, Signal


class Command(QObject):
    """Runs one command at a time."""

    said = Signal(str)
    """A line of its output."""
    ended = Signal(bool, str, str)
    """Whether it went well, all it printed, and what it said of an error."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._process: QProcess | None = None
        self._lines: list[str] = []
        self._ending: list[QProcess] = []
        """Those that were asked to end and have not yet."""

    @property
    def running(self) -> bool:
        """True from the start to the end of a command."""
        return self._process is not None

    def start(self, *arguments: str | Path, typed: str = "") -> None:
        """Run a command with what is typed into it, such as a password; the one that runs is stopped first."""
        self.stop()
        self._lines = []
        process = self._process = QProcess(self)
        process.readyReadStandardOutput.connect(self._read)
        process.finished.connect(lambda code, _: self._end(process, code))
        process.start(sys.executable, ["-m", "north_hush", *map(str, arguments)])
        process.write(typed.encode())
        process.closeWriteChannel()

    def stop(self) -> None:
        """Ask the command to end; what it has half written it takes away. Nothing is signalled of it any more."""
        process, self._process = self._process, None
        if process is not None and process.state() != QProcess.ProcessState.NotRunning:
            self._ending.append(process)
            process.finished.connect(lambda *_: self._forget(process))
            with suppress(ProcessLookupError):
                os.kill(int(process.processId()), signal.SIGINT)

    def _forget(self, process: QProcess) -> None:
        if process in self._ending:
            self._ending.remove(process)
        process.deleteLater()

    def close(self, milliseconds: int = 8000) -> None:
        """Stop, and wait until what was stopped has cleaned up; it is killed when it does not."""
        self.stop()
        for process in list(self._ending):
            if not process.waitForFinished(milliseconds):
                process.kill()
                process.waitForFinished(1000)

    def _read(self) -> None:
        process = self._process
        while process is not None and process.canReadLine():
            line = bytes(process.readLine().data()).decode(errors="replace").rstrip("\n")
            self._lines.append(line)
            self.said.emit(line)

    def _end(self, process: QProcess, code: int) -> None:
        if process is not self._process:
            return
        self._read()
        self._process = None
        error = bytes(process.readAllStandardError().data()).decode(errors="replace").strip().splitlines()
        process.deleteLater()
        self.ended.emit(code == 0, "\n".join(self._lines), error[-1].removeprefix("Error: ") if error else "")
