"""The window's end of making a wire print."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, Signal

from north_hush.core.footage.index import Footage
from north_hush.core.footage.print_worker import print_request
from north_hush.core.footage.wire_print import PrintOrder
from north_hush.desk.workers.child import Child


class PrintWork(Child):
    """One wire print in a child process."""

    done = Signal(object)
    """Path of the stored print."""

    def __init__(self, footage: Footage, order: PrintOrder, parent: QObject | None = None) -> None:
        super().__init__("_print", print_request(footage, order), str(footage.path), parent)

    def on_done(self, answer: dict[str, Any]) -> None:
        self.done.emit(Path(answer["path"]))
