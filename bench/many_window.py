"""The window on its overview of many views, in a process of its own that holds nothing else."""

from __future__ import annotations

import json
import sys
import time
from pathlib import Path

from PySide6.QtCore import QSettings

from bench.memory import most_mb
from north_hush.desk.app import application
from north_hush.desk.session import Session
from tests.seen_window import SeenWindow


def measure(path: Path) -> dict[str, float]:
    """From the start to painted cards, and the memory by then."""
    QSettings("north-hush", "north-hush").setValue(f"stage/{path}", "overview")
    began = time.perf_counter()
    application()
    window = SeenWindow(Session(path))
    window.show()
    application().processEvents()
    window.grab()
    found = {
        "painted_s": time.perf_counter() - began,
        "cards": float(window.stages.panel("overview").board.cards.rowCount()),
        "mb": most_mb(),
    }
    window.close()
    return found


print(json.dumps(measure(Path(sys.argv[1]))))
