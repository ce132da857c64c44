"""What the present settings are compared with: pinned settings or the device's own alarms, a second tuning beside them, and
a change that is only tried. Whatever is compared keeps a ledger."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from north_hush.core.detect.alarms import Alarm
from north_hush.core.detect.lane import Lane
from north_hush.core.detect.settings import FACTORY, ZoneSettings
from north_hush.core.evaluate.armed import Armed
from north_hush.core.evaluate.evaluation import plain_spans
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.judge.device import DeviceAlarm
from north_hush.core.judge.ledger import Ledger, ledger
from north_hush.core.judge.score import Score
from north_hush.core.scene.plan import Plan
from north_hush.core.site.model import View
from north_hush.core.words import tr
from north_hush.desk.deck import Deck
from north_hush.desk.session import Session
from north_hush.desk.workers.background import Background
from north_hush.desk.workers.scheduler import Urgency

DEVICE = "device"
"""Id of the lane that stands for the device's own alarms."""
_KINDS = ("tried", "pinned", "beside")
_LEDGER = "ledger"


@dataclass(frozen=True)
class Pin:
    """What was drawn and set when it was pinned, or what is only tried."""

    view_id: str
    plan: Plan
    settings: dict[str, ZoneSettings]
    tuning: str
    view: View | None = None
    """The view as it was, with its hours; of what is only tried the present ones hold."""


class Comparison(QObject):
    """Keeps what is compared, and evaluates it on the recording that is on."""

    changed = Signal()

    def __init__(self, session: Session, deck: Deck, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session, self._deck = session, deck
        self._background = Background((*_KINDS, _LEDGER), self, Urgency.NOW)
        self._bases: dict[str, object] = dict.fromkeys(_KINDS)
        self._lanes: dict[str, list[Lane]] = {kind: [] for kind in _KINDS}
        self.pin: Pin | None = None
        self.with_device = False
        """True while the device's own alarms take the place of a pin."""
        self.tried: Pin | None = None
        self.beside = ""
        """Name of the tuning shown beside the one in use; '' for none."""
        self.ledger: Ledger | None = None
        deck.lanes_changed.connect(self._follow)
        deck.recording_changed.connect(self._drop)
        session.view_changed.connect(self.unpin)
        session.changed.connect(self.stop_trying)

    # --- what is compared -------------------------------------------------------------------------------------------

    def pin_present(self) -> None:
        """Pin what is drawn and set now."""
        view = self._session.view
        self.pin, self.with_device = (
            Pin(view.id, view.plan, dict(view.tuning.settings), view.tuning_in_use, view),
            False,
        )
        self._follow()

    def unpin(self) -> None:
        """Let the pin go."""
        self.pin, self.with_device, self.tried = None, False, None
        self._follow()

    def compare_with_device(self, *, on: bool) -> None:
        """Compare with the alarms the device itself raised, or let them go."""
        self.pin, self.with_device = None, on
        self._follow()

    def try_out(self, plan: Plan, settings: dict[str, ZoneSettings]) -> None:
        """Show what a change would do, without making it; any edit ends that."""
        self.tried = Pin(self._session.view_id, plan, settings, "")
        self._follow()

    def stop_trying(self) -> None:
        """Show the present settings again."""
        if self.tried is not None:
            self.tried = None
            self._follow()

    def show_beside(self, tuning: str) -> None:
        """Show another tuning beside the one in use; '' shows none."""
        self.beside = tuning
        self._follow()

    def close(self) -> None:
        """End the thread."""
        self._background.close()

    # --- what came of it --------------------------------------------------------------------------------------------

    @property
    def base_lanes(self) -> list[Lane]:
        """Lanes that are compared with; empty while nothing is."""
        evidence, recording = self._deck.evidence, self._deck.recording
        if self.tried is not None:
            return self._deck.lanes
        if self.with_device:
            if evidence is None or recording is None:
                return []
            return [_device_lane(recording.device_alarms, evidence)]
        return self._lanes["pinned"]

    @property
    def now_lanes(self) -> list[Lane]:
        """Lanes that are compared: those on the trace, or what a tried change would make of them."""
        return self._lanes["tried"] if self.tried is not None else self._deck.lanes

    @property
    def beside_lanes(self) -> list[Lane]:
        """Lanes under the second tuning; empty while none is shown."""
        return self._lanes["beside"]

    @property
    def base_name(self) -> str:
        """What is compared with, in words."""
        return (
            tr("the present settings")
            if self.tried is not None
            else tr("the device")
            if self.with_device
            else tr("the pin")
        )

    def score_of(self, lanes: list[Lane]) -> Score | None:
        """Score of some lanes on the recording that is on, None without evidence."""
        found = self._deck.judged(lanes)
        return found.score if found is not None else None

    @property
    def settled(self) -> bool:
        """True when nothing is waiting or running."""
        return self._background.idle

    # --- work -------------------------------------------------------------------------------------------------------

    def _drop(self) -> None:
        self._background.drop()
        self._bases = dict.fromkeys(_KINDS)
        self._lanes = {kind: [] for kind in _KINDS}
        self.tried = self.ledger = None

    def _follow(self) -> None:
        """Evaluate what is out of date; the rest is only compared anew."""
        view = self._session.view
        names = [tuning.name for tuning in view.tunings]
        if self.beside not in names or self.beside == view.tuning_in_use:
            self.beside = ""
        for kind, held in (("pinned", self.pin), ("tried", self.tried)):
            self._order(kind, (held.plan, held.settings) if held is not None else None)
        self._order("beside", (view.plan, view.tuning_named(self.beside).settings) if self.beside else None)
        self._compare()

    def _order(self, kind: str, what: tuple[Plan, dict[str, ZoneSettings]] | None) -> None:
        evidence = self._deck.evidence
        if what is None or evidence is None:
            self._bases[kind], self._lanes[kind] = None, []
            return
        plan, settings = what
        armed = self._armed_of(kind)
        basis = (evidence.key, len(evidence.frames), plan, settings, armed)
        if basis != self._bases[kind]:
            self._bases[kind] = basis
            if kind == "tried":  # nothing may be told of one change that is true of another
                self._lanes[kind] = []
            self._background.order(
                kind,
                lambda: list(self._deck.evaluator.evaluate(evidence, plan, settings, armed=armed).lanes),
                lambda lanes: self._take(kind, lanes),
                self._deck.fail_over(evidence),
            )

    def _armed_of(self, kind: str) -> Armed | None:
        """When alarms count: of what is pinned in the hours it had then."""
        pinned, view = self.pin, self._session.view
        if kind != "pinned" or pinned is None or pinned.view is None:
            return self._deck.armed
        same = (pinned.view.hours, pinned.view.item_hours) == (view.hours, view.item_hours)
        return self._deck.armed if same else self._deck.armed_as(pinned.view)

    def _take(self, kind: str, lanes: list[Lane]) -> None:
        if self._bases[kind] is not None:
            self._lanes[kind] = lanes
            self._compare()

    def _compare(self) -> None:
        """Keep the ledger anew, in the background; what is seen changes once it is there."""
        base, now, recording, evidence = self.base_lanes, self.now_lanes, self._deck.recording, self._deck.evidence
        if not base or not now or recording is None or evidence is None:
            self._background.drop_kind(_LEDGER)
            self._show(None)
            return
        frames = len(evidence.frames)
        if any(len(lane.areas) != frames for lane in (*base, *now)):
            return  # lanes of an earlier part of the pass; newer ones are on their way
        present, evaluator, armed = self._session.view.plan, self._deck.evaluator, self._deck.armed
        plan = self.tried.plan if self.tried is not None else present
        base_plan = self.pin.plan if self.tried is None and self.pin is not None else present

        base_armed = self._armed_of("pinned") if self.tried is None and not self.with_device else armed

        def work() -> Ledger:
            after = evaluator.judged(evidence, plan, now, recording.truth, armed)
            if base[0].zone_id == DEVICE:
                return ledger(plain_spans(base), after.spans, after.truth, by_item=False)
            if (
                base_armed != armed
            ):  # of other hours all that is known counts: what was met and is out of hours now is lost
                after = evaluator.judged(evidence, plan, now, recording.truth)
            before = evaluator.judged(
                evidence, base_plan, base, recording.truth, armed if base_armed == armed else None
            )
            return ledger(before.spans, after.spans, after.truth, after.concerns)

        self._background.order(_LEDGER, work, self._show, self._deck.fail_over(evidence))

    def _show(self, found: Ledger | None) -> None:
        self.ledger = found
        self.changed.emit()


def _device_lane(alarms: tuple[DeviceAlarm, ...], evidence: Evidence) -> Lane:
    """The device's alarms as a lane without a level, so that lists show them like any other."""
    last = max(0, len(evidence.frames) - 1)

    def frame(time_s: float) -> int:
        return min(last, int(np.searchsorted(evidence.time_us, round(time_s * US_PER_S))))

    def alarm(one: DeviceAlarm) -> Alarm:
        start_us, end_us = round(one.start_s * US_PER_S), round(one.end_s * US_PER_S)
        first = frame(one.start_s)
        return Alarm(first, first, frame(one.end_s), "level", 0, start_us, start_us, end_us)

    held = [alarm(one) for one in alarms]
    nothing: NDArray[np.int64] = np.zeros(len(evidence.frames), np.int64)
    return Lane(DEVICE, tr("Device"), nothing, 0, held, FACTORY)
