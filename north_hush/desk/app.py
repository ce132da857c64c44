"""Start the window."""

from __future__ import annotations

import os
import sys
import time
from collections.abc import Callable
from contextlib import suppress
from importlib import resources
from pathlib import Path

from PySide6.QtCore import QLibraryInfo, QLocale, QTranslator
from PySide6.QtGui import QIcon, QPixmap
from PySide6.QtWidgets import QApplication, QMessageBox

from north_hush.core.errors import FootageError, HushError, SiteError
from north_hush.core.words import spoken, tr
from north_hush.desk.collector import Collector
from north_hush.desk.home import Home, hand_over
from north_hush.desk.log import log_path, start_log, tell_faults
from north_hush.desk.session import Session
from north_hush.desk.signals import EndingSignals
from north_hush.desk.tune.panel import TunePanel
from north_hush.desk.window import Window
from north_hush.desk.workers.frames import NURSERY

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
    _speak_in(made)
    sys.setswitchinterval(_SWITCH_S)
    made.setDesktopFileName("north-hush")
    picture = QPixmap()
    picture.loadFromData((resources.files("north_hush.desk.look") / "north-hush.svg").read_bytes())
    made.setWindowIcon(QIcon(picture))
    return made


def _speak_in(application: QApplication) -> None:
    """Have Qt's own texts, and its numbers and dates, in the language that is spoken."""
    locale = QLocale(spoken())
    QLocale.setDefault(locale)
    own = QTranslator(application)
    if own.load(locale, "qtbase", "_", QLibraryInfo.path(QLibraryInfo.LibraryPath.TranslationsPath)):
        application.installTranslator(own)


def run(paths: tuple[Path, ...], frames_per_s: float | None, stage: str = "") -> int:
    """Open the window, at a stage where one is named, or ask one that is open to show these, and stay until it is closed; returns the
    exit code.

    Raises
    ------
    HushError : a file is not there, or there is no screen.
    """
    for path in paths:
        if not path.exists():
            raise FootageError(str(path), tr("is not there."), tr("Check the path."))
    need_screen()
    app, log = application(), start_log(log_path())
    if hand_over(paths, frames_per_s):
        return 0
    with suppress(OSError):  # whoever needs a process meets it again, and tells
        NURSERY.start()  # it loads while the window is made
    home = Home()
    try:
        if paths:
            home.open(paths, frames_per_s)
            if stage and home.window is not None:
                if stage not in home.window.stages.keys:
                    raise SiteError(
                        "--stage",
                        tr("'{stage}' is none.", stage=stage),
                        tr("There are: {join}.", join=", ".join(home.window.stages.keys)),
                    )
                home.window.show_stage(stage)
        else:
            home.show_start()
    except HushError as error:
        print(error, file=sys.stderr)  # noqa: T201 - the window did not open, so the terminal must say why
        QMessageBox.critical(None, tr("North Hush"), str(error))
        return 1
    home.listen()

    def tell(fault: str) -> None:
        where = tr("It stands in {log}. ", log=log) if log is not None else ""
        if home.shown is not None:
            remedy = tr("{where}Your site is saved; go on, or open it again.", where=where)
            home.shown.notice.tell(HushError(tr("North Hush"), tr("has a fault ({fault}).", fault=fault), remedy))

    tell_faults(tell)

    def end(number: int) -> None:
        if home.window is not None:
            if (error := home.window.session.flush()) is not None:
                print(error, file=sys.stderr)  # noqa: T201 - nobody is left to answer in the window
            home.window.close_unsaved()
        app.exit(128 + number)

    signals = EndingSignals(end)
    code = app.exec()
    home.close()
    signals.deleteLater()
    return code


def need_screen() -> None:
    """Say so where there is no screen: Qt would end the program.

    Raises
    ------
    HushError : there is none.
    """
    named = ("QT_QPA_PLATFORM", "DISPLAY", "WAYLAND_DISPLAY")
    if not any(os.environ.get(name) for name in named):
        raise HushError(
            tr("North Hush"),
            tr("finds no screen to open its window on."),
            tr("Start it in a desktop session, or use another command."),
        )


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
