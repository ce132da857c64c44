"""Work done ahead of the next turn of a dial, while nobody turns one."""

from __future__ import annotations

from collections.abc import Callable, Generator, Mapping, Sequence
from functools import partial
from typing import Any

from PySide6.QtCore import QObject, QTimer

from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.errors import HushError
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.footage.evidence import Evidence
from north_hush.core.scene.plan import Plan
from north_hush.desk.workers.background import Background

_REST_MS = 80
"""Work that starts at once would hold up the painting of what was just turned."""

_Steps = Generator[Callable[[], Any], Any, None]


class Preparation(QObject):
    """Prepares every change limit of some recordings, and the patches a step to either side, one piece at a time."""

    def __init__(
        self, background: Background, kind: str, failed: Callable[[HushError], None], parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._background, self._kind, self._failed = background, kind, failed
        self._steps: _Steps | None = None
        self._fits = True
        """False once a table did not fit what may be remembered: it would be made over and over."""
        self._rest = QTimer(self, singleShot=True, interval=_REST_MS)
        self._rest.timeout.connect(self._begin)

    def begin(
        self,
        evaluator: Evaluator,
        evidences: Sequence[Evidence],
        plan: Plan,
        settings: Mapping[str, ZoneSettings],
        *,
        deflate: bool = False,
    ) -> None:
        """Prepare for some settings after a moment's rest; what was begun before is left. With `deflate` no channel of a
        recording stays in memory once it is done."""
        self._steps = self._steps_of(evaluator, evidences, plan, settings, deflate=deflate)
        self._rest.start()

    def drop(self) -> None:
        """Begin nothing more; what comes next may fit again."""
        self._rest.stop()
        self._steps, self._fits = None, True

    @property
    def waiting(self) -> bool:
        """True during the moment's rest; then the background is busy."""
        return self._rest.isActive()

    def _begin(self) -> None:
        if self._steps is not None:
            self._do(self._steps, next(self._steps, None))

    def _do(self, steps: _Steps, step: Callable[[], Any] | None) -> None:
        if step is not None:
            self._background.order(self._kind, step, partial(self._go_on, steps), self._failed)

    def _go_on(self, steps: _Steps, answer: Any) -> None:
        if steps is not self._steps:
            return  # overtaken
        try:
            self._do(steps, steps.send(answer))
        except StopIteration:
            self._steps = None

    def _steps_of(
        self,
        evaluator: Evaluator,
        evidences: Sequence[Evidence],
        plan: Plan,
        settings: Mapping[str, ZoneSettings],
        *,
        deflate: bool,
    ) -> _Steps:
        for evidence in evidences:
            place = 0
            while self._fits and place < len(plan.watchers):
                place, self._fits = yield partial(_next_table, evaluator, evidence, plan, settings, place)
            while (yield partial(evaluator.prepare_next, evidence, plan, settings)):
                pass
            if deflate:
                evidence.deflate()


def _next_table(
    evaluator: Evaluator, evidence: Evidence, plan: Plan, settings: Mapping[str, ZoneSettings], first: int
) -> tuple[int, bool]:
    """Make the first table that is missing, from one watcher on; after which one that was, and whether it fitted. In the thread: to ask
    what is there opens files."""
    watchers = plan.watchers
    for place in range(first, len(watchers)):
        if not evaluator.has_table(evidence, watchers[place], plan, settings):
            return place + 1, evaluator.make_table(evidence, watchers[place], plan, settings)
    return len(watchers), True
