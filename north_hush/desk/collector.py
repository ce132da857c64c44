"""Python's cycle collector, in the window's thread alone, and in full only while nobody does anything.

A collection that begins in a worker's thread takes widgets apart there, which Qt does not survive; and a full one holds the
interpreter for a fifth of a second on a large site.
"""

from __future__ import annotations

import gc
import linecache
import time

from PySide6.QtCore import QEvent, QObject, QTimer
from PySide6.QtGui import QGuiApplication, QWindow

_EVERY_MS = 150
_YOUNG_LEAST = 2_000
"""So many new objects are worth a look for cycles among them."""
_OLDER_LEAST = 5
"""After so many looks at what is new also at what was new then: put off for longer, it takes longer than a tenth of a second."""
_FULL_IDLE_S, _FULL_EVERY_S = 20.0, 120.0
"""Without input for so long, and no more often than that."""
_SOURCES_MOST = 50
"""PySide reads the source of each module that is imported after it, and the library keeps them all: 45 MB that nobody looks at."""
_INPUT = {
    QEvent.Type.MouseButtonPress,
    QEvent.Type.MouseMove,
    QEvent.Type.KeyPress,
    QEvent.Type.Wheel,
    QEvent.Type.TouchBegin,
}


class Collector(QObject):
    """Takes over from the interpreter as long as it lives."""

    def __init__(self, parent: QGuiApplication) -> None:
        super().__init__(parent)
        gc.disable()
        gc.freeze()  # modules and what they hold stay for good, and are half of what a full collection would go through
        self._last_input = self._last_full = time.monotonic()
        parent.focusWindowChanged.connect(self._listen)
        self._timer = QTimer(self, interval=_EVERY_MS)
        self._timer.timeout.connect(self.collect)
        self._timer.start()
        self.destroyed.connect(gc.enable)

    def _listen(self, window: QWindow | None) -> None:
        """Hear the input of a window; all events of all widgets would cost more than they tell."""
        if window is not None:
            window.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() in _INPUT:
            self._last_input = time.monotonic()
        return False

    def collect(self) -> None:
        """Look for cycles among what is new, now and then among what is older; among all only after a while without input."""
        now = time.monotonic()
        young, older, _ = gc.get_count()
        if len(linecache.cache) > _SOURCES_MOST:
            linecache.clearcache()
        if now - self._last_input > _FULL_IDLE_S and now - self._last_full > _FULL_EVERY_S:
            self._last_full = now
            gc.collect()
        elif young > _YOUNG_LEAST:
            gc.collect(1 if older >= _OLDER_LEAST else 0)
