"""Start the window."""

from __future__ import annotations

import sys
import time
from collections.abc import Callable
from datetime import datetime
from importlib import resources
from pathlib import Path

import platformdirs
from PySide6.QtGui import QIcon, QPixmap
from PySide6.QtWidgets import QApplication, QMessageBox

from north_hush.core.errors import FootageError, HushError
from north_hush.core.footage.fingerprint import fingerprint
from north_hush.core.footage.index import Footage
from north_hush.core.site.bundle import read_bundle
from north_hush.core.site.edits import add_recording, new_site
from north_hush.core.site.file import SUFFIX, stored_path
from north_hush.desk.collector import Collector
from north_hush.desk.log import log_path, start_log, tell_faults
from north_hush.desk.session import Session
from north_hush.desk.signals import EndingSignals
from north_hush.desk.tune.panel import TunePanel
from north_hush.desk.window import Window

_SWITCH_S = 0.001
"""A worker with a few milliseconds to do would wait five for each turn while the window paints."""


def application() -> QApplication:
    """The one QApplication, made at first call."""
    held = QApplication.instance()
    made = held if isinstance(held, QApplication) else QApplication(sys.argv[:1])
    if made.findChild(Collector) is not None:
        return made
    Collector(made)
    made.setApplicationName("North Hush")
    sys.setswitchinterval(_SWITCH_S)
    made.setDesktopFileName("north-hush")
    picture = QPixmap()
    picture.loadFromData((resources.files("north_hush.desk.look") / "north-hush.svg").read_bytes())
    made.setWindowIcon(QIcon(picture))
    return made


def open_session(paths: tuple[Path, ...], frames_per_s: float | None) -> Session:
    """Open a site file, or start a site of recordings under the user's data folder.

    Raises
    ------
    HushError : a file is not there, cannot be read, or is open in another window.
    """
    if len(paths) == 1 and paths[0].suffix.lower() == ".zip":
        return Session(read_bundle(paths[0], paths[0].parent)[0])
    if len(paths) == 1 and paths[0].name.endswith(".json"):
        return Session(paths[0])
    for path in paths:
        if not path.exists():
            raise FootageError(str(path), "is not there.", "Check the path.")
    folder = Path(platformdirs.user_data_path("north-hush")) / "sites"
    folder.mkdir(parents=True, exist_ok=True)
    name = paths[0].stem if paths else "New site"
    path = folder / f"{name} {datetime.now():%Y-%m-%d %H.%M.%S}{SUFFIX}"
    site = new_site(name)
    for recording in paths:
        footage = Footage(recording, frames_per_s if recording.is_dir() else None)
        site = add_recording(
            site,
            site.views[0].id,
            stored_path(recording, path),
            fingerprint=fingerprint(footage),
            frames_per_s=footage.frames_per_s,
        )
    return Session(path, site)


def run(paths: tuple[Path, ...], frames_per_s: float | None) -> int:
    """Open the window and stay until it is closed; returns the exit code."""
    app, log = application(), start_log(log_path())
    try:
        session = open_session(paths, frames_per_s)
    except HushError as error:
        print(error, file=sys.stderr)  # noqa: T201 - the window did not open, so the terminal must say why
        QMessageBox.critical(None, "North Hush", str(error))
        return 1
    window = Window(session)

    def tell(fault: str) -> None:
        where = f"It stands in {log}. " if log is not None else ""
        window.notice.tell(
            HushError("North Hush", f"has a fault ({fault}).", f"{where}Your site is saved; go on, or open it again.")
        )

    tell_faults(tell)

    def end(number: int) -> None:
        if (error := session.flush()) is not None:
            print(error, file=sys.stderr)  # noqa: T201 - nobody is left to answer in the window
        window.close_unsaved()
        app.exit(128 + number)

    signals = EndingSignals(end)
    window.show()
    code = app.exec()
    signals.deleteLater()
    return code


def wait_until(done: Callable[[], bool], timeout_s: float = 120.0) -> bool:
    """Run the event loop until something holds; False when it does not in time."""
    app, end = application(), time.monotonic() + timeout_s
    while not done():
        if time.monotonic() > end:
            return False
        app.processEvents()
        time.sleep(0.005)
    return True


def picture_of_window(site_path: Path, target: Path) -> Path:
    """Open a site, wait until its first recording is analysed, and save a picture of the window at 1280 x 800."""
    application()
    window = Window(Session(site_path))
    window.resize(1280, 800)  # whatever screen there is, or none
    window.show()
    wait_until(lambda: window.deck.evidence is not None and window.deck.evidence.whole and bool(window.deck.lanes))
    panel = window.stages.panel("tune")
    assert isinstance(panel, TunePanel)
    panel.alarms.go_next(1)
    wait_until(lambda: window.deck.settled, 30)
    wait_until(lambda: False, 0.6)  # the last thumbnails come one by one
    window.grab().save(str(target))
    window.close()
    return target
