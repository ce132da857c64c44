"""What stands behind the dials: response curves, the reasons of one alarm, and the blind check, all in the background."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QObject, QTimer, Signal

from north_hush.core.advise.curves import Curve, Turn, WhatIf
from north_hush.core.detect.alarms import Alarm
from north_hush.core.detect.dials import DIALS
from north_hush.core.detect.lane import Lane
from north_hush.core.evaluate.switched import Switched
from north_hush.core.explain.blind import BlindCheck, blind_check
from north_hush.core.explain.reasons import Reasons
from north_hush.core.explain.refusals import Refusals
from north_hush.core.handover.why import turns_for
from north_hush.core.scene.items import Watcher
from north_hush.core.scene.plan import watcher_id
from north_hush.desk.deck import Deck
from north_hush.desk.session import Session
from north_hush.desk.workers.background import Background

_CALM_MS = 250
"""Curves are worked out anew once nothing has changed for so long."""


@dataclass(frozen=True, eq=False)
class Because:
    """An alarm of a lane with its reasons, and the least turns that would silence it once they are known."""

    lane: Lane
    alarm: Alarm
    reasons: Reasons
    turns: tuple[Turn, ...] | None = None


class Insight(QObject):
    """Works out what the Tune stage shows beside levels and alarms."""

    curve_changed = Signal(str)
    """The curve of a dial, by its field, is known, or not any more."""
    because_changed = Signal()
    checked = Signal()
    """Blind check and refusals of the shown item are known."""

    def __init__(self, session: Session, deck: Deck, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session, self._deck = session, deck
        self._background = Background(("because", "check", "turns", "curve"), self)
        self._item_id = ""
        self._fields: tuple[str, ...] = tuple(dial.field for dial in DIALS if not dial.more)
        self.curves: dict[str, Curve] = {}
        self.because: Because | None = None
        self.blind: BlindCheck | None = None
        self.refusals: Refusals | None = None
        self._basis: object = None
        self._calm = QTimer(self, singleShot=True, interval=_CALM_MS)
        self._calm.timeout.connect(self._work)
        deck.lanes_changed.connect(self._on_lanes)
        deck.recording_changed.connect(self._forget)

    def show(self, item_id: str, fields: tuple[str, ...]) -> None:
        """Work for an item, and for the dials that are in sight."""
        if (item_id, fields) != (self._item_id, self._fields):
            self._item_id, self._fields = item_id, fields
            self._on_lanes()

    def close(self) -> None:
        """End the thread."""
        self._calm.stop()
        self._background.close()

    def _forget(self) -> None:
        self._background.drop()
        self._calm.stop()
        self.blind = self.refusals = None
        self._basis = None
        self.explain(None, None)
        self._drop_curves()

    def _drop_curves(self) -> None:
        known, self.curves = tuple(self.curves), {}
        for field in known:
            self.curve_changed.emit(field)

    def _lane(self) -> Lane | None:
        return next((lane for lane in self._deck.lanes if lane.zone_id == self._item_id), None)

    def _on_lanes(self) -> None:
        self._calm.start()
        because = self.because
        if because is not None:
            lane = next((held for held in self._deck.lanes if held.zone_id == because.lane.zone_id), None)
            if lane is None or because.alarm not in lane.alarms or lane.settings != because.lane.settings:
                self.explain(None, None)

    def what_if(self, lane: Lane) -> WhatIf | None:
        """What values of an item's dials would do; None while that cannot be told."""
        deck, plan = self._deck, self._session.view.plan
        if deck.evidence is None or deck.recording is None or not deck.evidence.whole:
            return None
        gone = all(watcher_id(held) != lane.zone_id for held in plan.watchers)
        if gone or len(lane.areas) != len(deck.evidence.frames):
            return None  # the item is gone, or the lane is of an earlier part; new lanes are on their way
        watcher = self._watcher(lane)
        found = deck.judged()
        spans = tuple(span for span in found.spans if span.item != lane.zone_id) if found is not None else ()
        truth = deck.recording.truth if found is None else found.truth
        over = deck.settings if isinstance(deck.settings, Switched) else None
        return WhatIf(deck.evaluator, deck.evidence, watcher, plan, lane.settings, truth, spans, deck.armed, over)

    def _watcher(self, lane: Lane) -> Watcher | None:
        return next(held for held in self._session.view.plan.watchers if watcher_id(held) == lane.zone_id)

    def _work(self) -> None:
        """Ask for everything that is out of date, what is looked at first going first."""
        lane = self._lane()
        what_if = self.what_if(lane) if lane is not None else None
        if lane is None or what_if is None:
            return
        evidence, plan, watcher = what_if.evidence, what_if.plan, what_if.watcher
        basis = (evidence.key, watcher, plan, lane.settings, what_if.truth, what_if.others, what_if.armed, what_if.over)
        if basis == self._basis and all(field in self.curves for field in self._fields):
            return
        if basis != self._basis:
            self._basis = basis
            self._background.order(
                "check",
                lambda: (
                    blind_check(evidence, watcher, plan, lane.settings),
                    what_if.evaluator.refusals(evidence, plan, lane),
                ),
                self._on_checked,
                self._session.failed.emit,
            )
            self._drop_curves()
        self._next_curve(what_if, basis)

    def _next_curve(self, what_if: WhatIf, basis: object) -> None:
        """Curves one after the other: those whose patches stay the same first, so that they are there at once."""
        dials = [dial for dial in DIALS if dial.field in self._fields and dial.field not in self.curves]
        if not dials or basis != self._basis:
            return
        dial = min(dials, key=what_if.follows)
        self._background.order(
            "curve",
            lambda: what_if.curve(dial),
            lambda curve: self._on_curve(curve, what_if, basis),
            self._session.failed.emit,
        )

    def _on_curve(self, curve: Curve, what_if: WhatIf, basis: object) -> None:
        if basis == self._basis:
            self.curves[curve.field] = curve
            self.curve_changed.emit(curve.field)
            self._next_curve(what_if, basis)

    def _on_checked(self, found: tuple[BlindCheck | None, Refusals]) -> None:
        self.blind, self.refusals = found
        self.checked.emit()

    def explain(self, lane: Lane | None, alarm: Alarm | None) -> None:
        """Work out why an alarm was raised, then what would silence it; None takes the card off."""
        if lane is None or alarm is None:
            if self.because is not None:
                self.because = None
                self.because_changed.emit()
            return
        what_if = self.what_if(lane)
        if what_if is None:
            return
        explainer = what_if.evaluator.explainer(what_if.evidence, what_if.plan)
        self._background.order(
            "because",
            lambda: Because(lane, alarm, explainer.explain(lane, alarm)),
            lambda because: self._on_reasons(because, what_if),
            self._session.failed.emit,
        )

    def _on_reasons(self, because: Because, what_if: WhatIf) -> None:
        self.because = because
        self.because_changed.emit()
        place = because.lane.alarms.index(because.alarm)
        self._background.order(
            "turns",
            lambda: Because(
                because.lane, because.alarm, because.reasons, tuple(turns_for(what_if, because.lane, place))
            ),
            self._on_turns,
            self._session.failed.emit,
        )

    def _on_turns(self, because: Because) -> None:
        if self.because is not None and self.because.alarm == because.alarm and self.because.lane is because.lane:
            self.because = because
            self.because_changed.emit()

    @property
    def settled(self) -> bool:
        """True when nothing is waiting or running."""
        return self._background.idle and not self._calm.isActive()
