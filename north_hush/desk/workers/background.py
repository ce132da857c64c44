"""One background thread for the core's work. Each kind of work keeps only its newest order; older results are dropped."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, Signal

from north_hush.core.errors import HushError
from north_hush.core.words import tr

_log = logging.getLogger(__name__)


class Background(QObject):
    """Run orders by kind. Kinds named earlier in `order` go first."""

    _finished = Signal(str, int, object, object)

    def __init__(self, order: tuple[str, ...], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._order = order
        self._changed = threading.Condition()
        self._waiting: dict[str, tuple[int, Callable[[], Any]]] = {}
        self._generation = dict.fromkeys(order, 0)
        self._then: dict[str, tuple[int, Callable[[Any], None], Callable[[HushError], None]]] = {}
        self._running = True
        self._busy = False
        self._finished.connect(self._deliver)
        self._thread = threading.Thread(target=self._run, daemon=True)
        self._thread.start()

    def order(
        self, kind: str, work: Callable[[], Any], then: Callable[[Any], None], failed: Callable[[HushError], None]
    ) -> None:
        """Do `work` in the thread, then call `then` (or `failed`) in the window's thread, unless overtaken."""
        self._generation[kind] += 1
        generation = self._generation[kind]
        self._then[kind] = (generation, then, failed)
        with self._changed:
            self._waiting[kind] = (generation, work)
            self._changed.notify()

    def drop(self) -> None:
        """Forget everything that is waiting or under way."""
        with self._changed:
            self._waiting.clear()
        for kind in self._order:
            self._generation[kind] += 1
        self._then.clear()

    def drop_kind(self, kind: str) -> None:
        """Forget what is waiting or under way of a kind."""
        with self._changed:
            self._waiting.pop(kind, None)
        self._generation[kind] += 1
        self._then.pop(kind, None)

    @property
    def idle(self) -> bool:
        """True when nothing waits, runs or is still to be delivered."""
        with self._changed:
            return not self._waiting and not self._busy and not self._then

    def close(self) -> None:
        """End the thread after what it does now."""
        with self._changed:
            self._running = False
            self._waiting.clear()
            self._changed.notify()
        self._thread.join(timeout=5)

    def _run(self) -> None:
        while True:
            with self._changed:
                self._busy = False
                while self._running and not self._waiting:
                    self._changed.wait()
                if not self._running:
                    return
                kind = min(self._waiting, key=self._order.index)
                generation, work = self._waiting.pop(kind)
                self._busy = True
            result, error = None, None
            try:
                result = work()
            except HushError as raised:
                error = raised
            except Exception as raised:  # noqa: BLE001 - a fault in the core must reach the user, not end the thread
                _log.exception("%s failed", kind)
                error = HushError(
                    tr("North Hush"),
                    tr("failed at '{kind}' ({raised!r}).", kind=kind, raised=raised),
                    tr("Your site is saved; open it again."),
                )
            try:
                self._finished.emit(kind, generation, result, error)
            except RuntimeError:
                return  # the window is gone

    def _deliver(self, kind: str, generation: int, result: Any, error: HushError | None) -> None:
        held = self._then.get(kind)
        if held is None or held[0] != generation:
            return
        del self._then[kind]
        if error is not None:
            held[2](error)
        else:
            held[1](result)
