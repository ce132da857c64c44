"""The windows of one run: the start page, or a site; and what a second start asks of the first."""

from __future__ import annotations

import getpass
import json
import logging
import os
from contextlib import suppress
from pathlib import Path

import platformdirs
from PySide6.QtCore import QObject, QSettings
from PySide6.QtNetwork import QLocalServer, QLocalSocket

from north_hush.core.errors import HushError
from north_hush.demo.site import lay_out_demo
from north_hush.desk.first_start import FirstStart
from north_hush.desk.look.roles import NIGHT_WATCH, THEMES, Theme
from north_hush.desk.opening import comes_as_many, open_session, sites_folder
from north_hush.desk.start import StartWindow
from north_hush.desk.window import Window

_log = logging.getLogger(__name__)
_ANSWER_MS = 1_000


class Home(QObject):
    """Holds the window that is shown. Opening another site closes the one before, once the new one is there."""

    def __init__(self) -> None:
        super().__init__()
        self._closed: list[Window | StartWindow] = []
        """Kept to the end: Qt owns the plots' items and Python their wrappers, and only the end of the process takes both apart in the
        right order."""
        self.window: Window | None = None
        self.start: StartWindow | None = None
        self._first = FirstStart(self)
        self._server = QLocalServer(self)
        self._server.setSocketOptions(QLocalServer.SocketOption.UserAccessOption)
        self._server.newConnection.connect(self._on_second_start)

    def listen(self) -> None:
        """Hear second starts. What an earlier run that was killed left behind is cleared away."""
        if not self._server.listen(_server_name()):
            QLocalServer.removeServer(_server_name())
            if not self._server.listen(_server_name()):
                _log.warning("second starts will not be heard: %s", self._server.errorString())

    def close(self) -> None:
        """Hear nothing more, and end what was begun for the first start."""
        self._server.close()
        self._first.close()

    def show_start(self) -> None:
        """Show the start page beside what is open."""
        if self.start is None:
            self.start = StartWindow(kept_theme(), sites_folder())
            self.start.opened.connect(self.try_open)
            self.start.demo_wanted.connect(self._open_demo)
        self.start.refresh()
        _raise(self.start)

    def open(self, paths: tuple[Path, ...], frames_per_s: float | None = None) -> None:
        """Open a site, or a new site of recordings; one that is open already is brought to the front.

        Raises
        ------
        HushError : it cannot be opened. What is open stays so.
        """
        if self.window is not None and len(paths) == 1 and paths[0].resolve() == self.window.session.path.resolve():
            _raise(self.window)
            return
        opened = Window(open_session(paths, frames_per_s))
        opened.site_wanted.connect(self.try_open)
        opened.start_wanted.connect(self.show_start)
        opened.header.passing.show_first_start(self._first)
        before, self.window = self.window, opened
        opened.show()
        if not opened.session.view.recordings and paths and comes_as_many(paths):
            opened.intake.add_recordings(list(paths))
        if before is not None:
            self._closed.append(before)
            before.close()
        if self.start is not None:
            self.start.close()

    @property
    def shown(self) -> Window | StartWindow | None:
        """The window that is looked at: the start page while it is open, else the site's."""
        return self.start if self.start is not None and self.start.isVisible() else self.window or self.start

    def try_open(self, paths: tuple[Path, ...], frames_per_s: float | None = None) -> None:
        """Open something; that it cannot be is said in the window that is shown."""
        try:
            self.open(paths, frames_per_s)
        except HushError as error:
            if self.shown is not None:
                self.shown.notice.tell(error)

    def _open_demo(self) -> None:
        try:
            self.open((lay_out_demo(),))
        except HushError as error:
            if self.shown is not None:
                self.shown.notice.tell(error)

    # --- a second start ---------------------------------------------------------------------------------------------

    def _on_second_start(self) -> None:
        socket = self._server.nextPendingConnection()
        if socket is None:
            return
        socket.waitForReadyRead(_ANSWER_MS)
        with suppress(ValueError, TypeError, KeyError):
            asked = json.loads(bytes(socket.readAll().data()))
            self._serve(tuple(map(Path, asked["paths"])), asked["frames_per_s"])
            socket.write(b"shown")
            socket.flush()
        socket.disconnectFromServer()

    def _serve(self, paths: tuple[Path, ...], frames_per_s: float | None) -> None:
        if paths:
            self.try_open(paths, frames_per_s)
        elif self.window is None:
            self.show_start()
        if self.shown is not None:
            _raise(self.shown)


def hand_over(paths: tuple[Path, ...], frames_per_s: float | None = None) -> bool:
    """Ask a run that is there already to show these; False when there is none."""
    socket = QLocalSocket()
    socket.connectToServer(_server_name())
    if not socket.waitForConnected(200):
        return False
    asked = {"paths": [str(path.resolve()) for path in paths], "frames_per_s": frames_per_s}
    socket.write(json.dumps(asked).encode())
    socket.flush()
    return bool(socket.waitForReadyRead(10 * _ANSWER_MS)) and bytes(socket.readAll().data()) == b"shown"


def kept_theme() -> Theme:
    """The theme that was used last."""
    return THEMES.get(str(QSettings("north-hush", "north-hush").value("theme")), NIGHT_WATCH)


def _server_name() -> str:
    """One for each user, in a folder that is his: that of the session, or where there is none, of his state."""
    session = os.environ.get("XDG_RUNTIME_DIR")
    folder = Path(session) / "north-hush" if session else Path(platformdirs.user_state_path("north-hush"))
    with suppress(OSError):
        folder.mkdir(parents=True, exist_ok=True)
        return str(folder / "window.sock")
    return f"north-hush-{getpass.getuser()}"


def _raise(window: Window | StartWindow) -> None:
    window.show()
    window.raise_()
    window.activateWindow()
