"""The core's work in the background, one order after the other. Each kind of work keeps only its newest order; older results are
dropped."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from contextlib import suppress
from typing import Any

from PySide6.QtCore import QObject, Signal

from north_hush.core.courtesy import GivenUpError, soon_painted, wanted_until
from north_hush.core.errors import HushError
from north_hush.core.words import tr
from north_hush.desk.workers.scheduler import SCHEDULER, Urgency

_log = logging.getLogger(__name__)


class Background(QObject):
    """Run orders by kind. Kinds named earlier in `order` go first."""

    _finished = Signal(str, int, object, object)

    def __init__(self, order: tuple[str, ...], parent: QObject | None = None, urgency: Urgency = Urgency.SOON) -> None:
        super().__init__(parent)
        self._urgency = urgency
        self._order = order
        self._changed = threading.Condition()
        self._waiting: dict[str, tuple[int, Callable[[], Any]]] = {}
        self._generation = dict.fromkeys(order, 0)
        self._then: dict[str, tuple[int, Callable[[Any], None], Callable[[HushError], None]]] = {}
        self._given_up = threading.Event()
        self._running = False
        self._scheduled = False
        """Whether the scheduler has an order of ours, waiting or running."""
        self._finished.connect(self._deliver)

    def order(
        self, kind: str, work: Callable[[], Any], then: Callable[[Any], None], failed: Callable[[HushError], None]
    ) -> None:
        """Do `work` in another thread, then call `then` (or `failed`) in the window's thread, unless overtaken."""
        self._generation[kind] += 1
        generation = self._generation[kind]
        if self._urgency == Urgency.NOW:
            soon_painted()
        self._then[kind] = (generation, then, failed)
        with self._changed:
            self._waiting[kind] = (generation, work)
            self._schedule()

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
            return not self._waiting and not self._scheduled and not self._then

    def close(self) -> None:
        """End after what is done now, or before where that can wait; nothing more is begun."""
        self._given_up.set()
        with self._changed:
            self._waiting.clear()
            self._changed.wait_for(lambda: not self._running, timeout=5)

    def _schedule(self) -> None:
        if not self._scheduled and self._waiting and not self._given_up.is_set():
            self._scheduled = True
            SCHEDULER.put(self._urgency, self._run_next)

    def _run_next(self) -> None:
        with self._changed:
            if not self._waiting:  # dropped meanwhile
                self._scheduled = False
                return
            kind = min(self._waiting, key=self._order.index)
            generation, work = self._waiting.pop(kind)
            self._running = True
        result, error, given_up = None, None, False
        try:
            with wanted_until(self._given_up):
                result = work()
        except GivenUpError:
            given_up = True
        except HushError as raised:
            error = raised
        except Exception as raised:  # noqa: BLE001 - a fault in the core must reach the user, not end the thread
            _log.exception("%s failed", kind)
            error = HushError(
                tr("North Hush"),
                tr("failed at '{kind}' ({raised!r}).", kind=kind, raised=raised),
                tr("Your site is saved; open it again."),
            )
        if not given_up:
            with suppress(RuntimeError):  # the window is gone
                self._finished.emit(kind, generation, result, error)
        with self._changed:
            self._running = self._scheduled = False
            self._schedule()
            self._changed.notify_all()

    def _deliver(self, kind: str, generation: int, result: Any, error: HushError | None) -> None:
        held = self._then.get(kind)
        if held is None or held[0] != generation:
            return
        del self._then[kind]
        if error is not None:
            held[2](error)
        else:
            held[1](result)
