"""The window's end of the evidence pass."""

from __future__ import annotations

import time
from pathlib import Path
from typing import Any

import numpy as np
from PySide6.QtCore import QObject, Signal

from north_hush.core.footage.glance import Glance
from north_hush.core.footage.index import Footage
from north_hush.core.footage.options import EvidenceOptions
from north_hush.core.footage.pass_worker import request_line
from north_hush.desk.workers.child import Child


class EvidencePass(Child):
    """One pass over one recording in a child process."""

    block_ready = Signal(object, object)
    """Folder (Path) and frames of each block that can be read."""
    glanced = Signal(object)
    """What a first look (Glance) found by now, before the pass itself begins."""
    done = Signal(object, bool)
    """Folder, and whether it lasts beyond this session."""

    def __init__(self, footage: Footage, options: EvidenceOptions, parent: QObject | None = None) -> None:
        super().__init__("_pass", request_line(footage, options), str(footage.path), parent)

    def on_progress(self, answer: dict[str, Any]) -> None:
        super().on_progress(answer)
        if answer["new_block"]:
            self.block_ready.emit(Path(answer["folder"]), answer["block_frames"])

    def on_other(self, answer: dict[str, Any]) -> bool:
        if answer["event"] != "glance":
            return False
        self._started_at = time.monotonic()  # the pass begins after it
        found = np.array(answer["time_us"], np.int64), np.array(answer["percent"], np.float32)
        self.glanced.emit(Glance(*found))
        return True

    def on_done(self, answer: dict[str, Any]) -> None:
        self.done.emit(Path(answer["folder"]), answer["stored"])
