"""Signals that end a program, as ends of the window: what is not written yet is written first."""

from __future__ import annotations

import signal
import socket
from collections.abc import Callable

from PySide6.QtCore import QObject, QSocketNotifier

ENDING = (signal.SIGTERM, signal.SIGHUP, signal.SIGINT)


class EndingSignals(QObject):
    """Hears the signals in the event loop, where the interpreter would only after it."""

    def __init__(self, end: Callable[[int], None], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._end = end
        self._read, self._write = socket.socketpair()
        self._read.setblocking(False)
        self._write.setblocking(False)
        self._notifier = QSocketNotifier(self._read.fileno(), QSocketNotifier.Type.Read, self)
        self._notifier.activated.connect(self._on_signal)
        signal.set_wakeup_fd(self._write.fileno())
        for number in ENDING:
            signal.signal(number, lambda *_: None)

    def _on_signal(self) -> None:
        numbers = [number for number in self._read.recv(64) if number in ENDING]
        if numbers:
            self._notifier.setEnabled(False)
            self._end(numbers[0])
