"""The window's end of a service that watches: started beside the window, heard and asked over its socket, and left or stopped."""

from __future__ import annotations

import json
import subprocess
import sys
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtNetwork import QLocalSocket

from north_hush.core.errors import HushError
from north_hush.core.watch.control import Order, ask, listens, socket_path
from north_hush.core.watch.store import watch_folder
from north_hush.core.words import tr

_LOOK_MS = 200
_GONE_MS = 12_000
"""A service that is told to stop closes its clips first."""


class ServiceLink(QObject):
    """Follows the service of one site, whoever started it."""

    said = Signal(dict)
    """An event."""
    began = Signal()
    ended = Signal(str)
    """It is not there any more; what it said of an error, '' when all is as it was wanted."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.site: Path | None = None
        self._socket: QLocalSocket | None = None
        self._process: subprocess.Popen[bytes] | None = None
        self._log: Path | None = None
        """What the service says of errors, beside what it records."""
        self._wanted = self._stopping = False
        self._timer = QTimer(self, interval=_LOOK_MS)
        self._timer.timeout.connect(self._look)

    @property
    def running(self) -> bool:
        """Whether a service runs, or is being started."""
        return self._socket is not None or self._wanted

    def find(self, site: Path) -> None:
        """Follow the service of a site if one runs."""
        if site != self.site:
            self.let_go()
            self.site = site
        if self._stopping:  # it closes its clips, and is not to be taken for one that goes on
            self._stopping = listens(socket_path(site))
        elif self._socket is None:
            self._connect()

    def start(self, site: Path) -> None:
        """Start a service that outlives the window, and follow it."""
        self.let_go()
        self.site, self._wanted, self._stopping, self._process = site, True, False, None
        self._timer.start()

    def stop(self) -> None:
        """Tell the service to end; its clips are closed."""
        self._wanted, self._stopping = False, True
        if self._process is not None and self._process.poll() is None:
            self._process.terminate()  # as good as asking it, and heard before it listens
        else:
            self.ask(Order(do="stop"))
        self.let_go()

    def let_go(self) -> None:
        """Follow it no more; it goes on."""
        self._wanted = False
        self._timer.stop()
        socket, self._socket = self._socket, None
        if socket is not None:
            socket.disconnected.disconnect()
            socket.abort()
            socket.deleteLater()

    def close(self, *, leave: bool) -> None:
        """The window closes: the service is left, or told to end and waited for."""
        process, self._process = self._process, None
        running = self.running
        self.let_go()
        if leave or self.site is None:
            return
        if process is not None:
            process.terminate()
        elif running:
            with suppress(HushError):
                ask(self.site, Order(do="stop"))
        if process is not None:
            with suppress(subprocess.TimeoutExpired):
                process.wait(_GONE_MS / 1000)

    def ask(self, order: Order, answered: Callable[[dict[str, Any]], None] = lambda told: None) -> None:
        """Ask the service for something; `answered` is called with what it says."""
        if self.site is None:
            return
        asking = _Asking(order, answered, self)
        asking.connectToServer(str(socket_path(self.site)))
        asking.say()

    # --- starting ---------------------------------------------------------------------------------------------------

    def _look(self) -> None:
        """On the way to a service that runs: the one before has to be gone first."""
        assert self.site is not None
        if self._process is None or self._process.poll() is not None:
            if self._process is not None:
                self._failed()
                return
            if not listens(socket_path(self.site)):
                self._spawn(self.site)
            return
        self._connect()

    def _spawn(self, site: Path) -> None:
        self._log = watch_folder(site) / "service.log"
        try:
            self._log.parent.mkdir(parents=True, exist_ok=True)
            with self._log.open("wb") as errors:
                self._process = subprocess.Popen(
                    [sys.executable, "-m", "north_hush", "watch", str(site), "--json"],
                    stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=errors, start_new_session=True,
                )  # fmt: skip
        except OSError as error:
            self._wanted = False
            self._timer.stop()
            self.ended.emit(
                tr(
                    "{filename}: cannot be written ({strerror}). Check permissions.",
                    filename=error.filename,
                    strerror=error.strerror,
                )
            )

    def _failed(self) -> None:
        """It ended before it could be followed, or while it was."""
        self._process, self._wanted = None, False
        self._timer.stop()
        lines: list[str] = []
        if self._log is not None:
            with suppress(OSError):
                lines = self._log.read_text(errors="replace").strip().splitlines()
        self.ended.emit(lines[-1].removeprefix("Error: ") if lines else tr("The service ended without a word."))

    def _connect(self) -> None:
        if self.site is None or self._socket is not None or not socket_path(self.site).exists():
            return
        socket = QLocalSocket(self)
        socket.connectToServer(str(socket_path(self.site)))
        if socket.state() != QLocalSocket.LocalSocketState.ConnectedState:  # a path is connected at once, or not at all
            socket.deleteLater()
            return
        self._socket = socket
        self._timer.stop()
        socket.readyRead.connect(self._read)
        socket.disconnected.connect(self._on_gone)
        socket.write(Order(do="subscribe").model_dump_json().encode() + b"\n")
        socket.flush()
        self.began.emit()

    def _read(self) -> None:
        while self._socket is not None and self._socket.canReadLine():
            with suppress(ValueError):
                told = json.loads(bytes(self._socket.readLine().data()))
                if "event" in told:
                    self.said.emit(told["event"])

    def _on_gone(self) -> None:
        """The service ended, though the window did not ask it to."""
        self.let_go()
        self._tell_end()

    def _tell_end(self) -> None:
        """Say how it ended, once its process is gone."""
        if self._process is not None and self._process.poll() is None:
            QTimer.singleShot(_LOOK_MS, self._tell_end)
        elif self._process is not None and self._process.returncode:
            self._failed()
        else:
            self._process = None
            self.ended.emit("")


class _Asking(QLocalSocket):
    """One order and its answer; goes away by itself."""

    def __init__(self, order: Order, answered: Callable[[dict[str, Any]], None], parent: QObject) -> None:
        super().__init__(parent)
        self._order, self._answered = order, answered
        self.readyRead.connect(self._heard)
        self.disconnected.connect(self.deleteLater)
        self.errorOccurred.connect(lambda _: self.deleteLater())

    def say(self) -> None:
        """Send the order; where nobody listens it is lost, and so is what it was about."""
        if self.state() != QLocalSocket.LocalSocketState.ConnectedState:
            return
        self.write(self._order.model_dump_json().encode() + b"\n")
        self.flush()

    def _heard(self) -> None:
        if self.canReadLine():
            told = json.loads(bytes(self.readLine().data()))
            QTimer.singleShot(0, self.abort)  # not while it reads
            self._answered(told)
