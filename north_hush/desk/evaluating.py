"""What the items of the view make of the evidence that is on: lanes, worked out anew after each edit, and what they are worth."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from contextlib import suppress
from dataclasses import dataclass

from PySide6.QtCore import QObject, QTimer, Signal

from north_hush.core.detect.lane import Lane
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.errors import EvidenceError, HushError
from north_hush.core.evaluate.armed import Armed, armed_over
from north_hush.core.evaluate.evaluation import Evaluation
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.evaluate.sensed import sensed_over
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.index import FrameIndex
from north_hush.core.judge.incidents import Truth
from north_hush.core.scene.plan import Plan
from north_hush.core.site.model import View
from north_hush.core.site.recording import Recording
from north_hush.desk.arming import Arming
from north_hush.desk.session import Session
from north_hush.desk.workers.background import Background
from north_hush.desk.workers.preparation import Preparation
from north_hush.desk.workers.scheduler import Urgency

REST_MS = 2000
"""What is found is kept once it has been the same for so long: a dial may still be turned."""


@dataclass(frozen=True, eq=False)
class On:
    """What is on: a recording, its index and its evidence, as far as they are known."""

    recording: Recording | None = None
    index: FrameIndex | None = None
    evidence: Evidence | None = None


@dataclass(frozen=True, eq=False)
class _Judged:
    """Lanes, what they were held against, and what came of it."""

    lanes: list[Lane]
    truth: Truth
    armed: Armed | None
    found: Evaluation


class Evaluating(QObject):
    """Keeps lanes up to date; the newest order wins. Where nothing is turned, it prepares for what may be turned next."""

    changed = Signal()

    def __init__(
        self, session: Session, on: Callable[[], On], fail: Callable[[HushError], None], parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._session, self._on, self._fail = session, on, fail
        self.evaluator = Evaluator()
        self._background = Background(("lanes",), self, Urgency.NOW)
        self._tables = Background(("table", "keep"), self, Urgency.LATER)
        self._preparation = Preparation(self._tables, "table", fail, self)
        self._arming = Arming(session, fail)
        self.lanes: list[Lane] = []
        self._rest = QTimer(self, singleShot=True, interval=REST_MS)
        self._rest.timeout.connect(self._keep)
        self._judged: _Judged | None = None
        """Lanes that are on, and how they were last held against what is known."""

    def evaluate(self) -> None:
        """Work out levels and alarms again, in the background."""
        on, view = self._on(), self._session.view
        index, recording, evidence = on.index, on.recording, on.evidence
        if evidence is None:
            return
        plan, armed, settings = view.plan, self.armed, self.settings
        truth = recording.truth if recording else Truth()

        def work() -> _Judged:
            sensed = None if index is None or recording is None else sensed_over(view, recording, index, evidence)
            found = self.evaluator.evaluate(evidence, plan, settings, truth, armed, sensed)
            _ = found.score, found.worths  # worked out here, not in the window's thread
            return _Judged(list(found.lanes), truth, armed, found)

        self._background.order("lanes", work, self._on_found, fail_over(evidence, self._fail))

    def _on_found(self, judged: _Judged) -> None:
        self.lanes, self._judged = judged.lanes, judged
        self.changed.emit()
        evidence = self._on().evidence
        if evidence is not None and evidence.whole:
            view = self._session.view
            self._preparation.begin(self.evaluator, [evidence], view.plan, view.tuning.settings)
            self._rest.start()

    def _keep(self) -> None:
        """What is on is kept beside the evidence once nobody turns a dial."""
        held, evaluator = self._judged, self.evaluator
        if held is not None:
            self._tables.order("keep", lambda: evaluator.keep(held.found), lambda _: None, self._fail)

    @property
    def settings(self) -> Mapping[str, ZoneSettings]:
        """The dials over the recording that is on, which change where tunings have hours."""
        on = self._on()
        if on.index is None or on.recording is None:
            return self._session.view.tuning.settings
        return self._arming.settings(on.recording, on.index)

    @property
    def armed(self) -> Armed | None:
        """When the items of the view are armed over the recording that is on; None where everything counts."""
        on = self._on()
        return self._arming.over(on.recording, on.index) if on.index is not None and on.recording is not None else None

    def armed_as(self, view: View) -> Armed | None:
        """The same in the hours of another state of the view; hours that cannot be told leave all of it."""
        on = self._on()
        if on.index is None or on.recording is None:
            return None
        with suppress(HushError):
            return armed_over(self._session.site, view, on.recording, on.index)
        return None

    def judged(self, lanes: list[Lane] | None = None, plan: Plan | None = None) -> Evaluation | None:
        """Lanes (None: those that are on) held against what is known of the recording now; None without evidence, while the lanes
        are of an earlier part of it, or where values would be needed that were let go. Asked again for the same, it is not worked
        out again."""
        on = self._on()
        evidence, recording = on.evidence, on.recording
        lanes = self.lanes if lanes is None else lanes
        if evidence is None or recording is None or any(len(lane.areas) != len(evidence.frames) for lane in lanes):
            return None
        plan, truth, armed = plan or self._session.view.plan, recording.truth, self.armed
        held = self._judged
        if (
            held is not None and held.lanes is lanes and held.truth is truth and held.armed is armed
            and held.found.evidence is evidence and held.found.plan == plan
        ):  # fmt: skip
            return held.found
        try:
            found = self.evaluator.judged(evidence, plan, lanes, truth, armed)
        except EvidenceError:
            if evidence.whole:
                raise
            return None  # what is left of it does not tell
        if lanes is self.lanes:
            self._judged = _Judged(lanes, truth, armed, found)
        return found

    @property
    def settled(self) -> bool:
        """True when no work is waiting or running."""
        return self._background.idle and self._tables.idle and not self._preparation.waiting

    def drop(self) -> None:
        """Forget what is on."""
        self._rest.stop()
        self._background.drop()
        self._preparation.drop()
        self._tables.drop()
        self.lanes = []

    def close(self) -> None:
        """End what runs in the background, and let go of all that is remembered."""
        self._rest.stop()
        self._background.close()
        self._tables.close()
        self.evaluator = Evaluator()


def fail_over(evidence: Evidence, fail: Callable[[HushError], None]) -> Callable[[HushError], None]:
    """What is done when work on evidence fails. What a running pass has written so far moves when it ends; the whole is on its way
    then."""
    return fail if evidence.whole else lambda error: None
