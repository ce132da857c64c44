"""Replays of the view's outcome over all its recordings, in the background, and the curves behind its dials."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from PySide6.QtCore import QObject, QTimer, Signal

from north_hush.core.advise.outcome_advice import OutcomeAdvice, outcome_advice
from north_hush.core.advise.outcomes import OUTCOME_DIALS, OutcomeCurve, Part, outcome_curve, replayed
from north_hush.core.errors import FootageError
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.evaluate.led_to import kinds_of_crossings, raised_of, when_of
from north_hush.core.handover.along import OtherViews, kept_along
from north_hush.core.handover.outcome import DayOf, day_of_view, interval_a_day
from north_hush.core.handover.report import Asked
from north_hush.core.outcome.changes import Changes, summed_changes
from north_hush.core.outcome.disk import Lasting, lasting
from north_hush.core.outcome.replay import Replayed, figures_of
from north_hush.core.outcome.weight import Weight, weight_of
from north_hush.core.site.model import Site, View
from north_hush.desk.comparison import Comparison, Pin
from north_hush.desk.deck import Deck
from north_hush.desk.judge.scores import Scores, Standing
from north_hush.desk.session import Session
from north_hush.desk.workers.background import Background

_CALM_MS = 120


@dataclass(frozen=True, eq=False)
class Measured:
    """What the recordings hold that any outcome is replayed over.

    Attributes
    ----------
    ids : the recordings, in the order of `parts`
    """

    ids: tuple[str, ...] = ()
    parts: tuple[Part, ...] = ()
    pinned: tuple[Part, ...] = ()
    """The same alarms in the hours that are pinned; none without a pin."""


@dataclass(frozen=True, eq=False)
class Costs:
    """What the present outcome comes to; the disk as if this view had it alone."""

    led: dict[str, Replayed]
    day: DayOf
    fares: Lasting
    clips_a_day: tuple[float, float] | None
    messages_a_day: tuple[float, float] | None
    along: Mapping[str, float]
    """For how many seconds of this footage each other view would record along."""
    against: Changes | None = None
    """What became of the alarms against the rules that are pinned; None without a pin."""


class Replays(QObject):
    """Measures the recordings when alarms or hours change, replays when rules change, then makes the curves."""

    changed = Signal()
    """Costs are other ones."""
    curves_changed = Signal()

    def __init__(
        self, session: Session, deck: Deck, scores: Scores, comparison: Comparison, parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._comparison = comparison
        self._pin: Pin | None = None
        self._session, self._deck, self._scores = session, deck, scores
        self._background = Background(("measure", "replay", "curves"), self)
        self._weights: dict[str, Weight | None] = {}
        self._measured: Measured | None = None
        self._on = False
        self.costs: Costs | None = None
        self.curves: dict[str, OutcomeCurve | None] = {}
        self.advice: list[OutcomeAdvice] = []
        self._calm = QTimer(self, singleShot=True, interval=_CALM_MS)
        self._calm.timeout.connect(self._measure)
        scores.changed.connect(self._measure_soon)
        comparison.changed.connect(self._on_compared)
        session.changed.connect(self.replay)
        session.view_changed.connect(self._forget)

    def watch(self, *, on: bool) -> None:
        """Follow changes while they are looked at."""
        self._on = on
        if on:
            self._measure()

    def _on_compared(self) -> None:
        if self._comparison.pin is not self._pin:
            self._measure_soon()

    def _forget(self) -> None:
        self._measured, self.costs, self.curves, self.advice = None, None, {}, []
        self.changed.emit()
        self._measure_soon()

    def _measure_soon(self) -> None:
        if self._on:
            self._calm.start()

    @property
    def settled(self) -> bool:
        """True when nothing is waiting or running."""
        return self._background.idle and not self._calm.isActive()

    def close(self) -> None:
        """End the thread."""
        self._background.close()

    # --- measuring --------------------------------------------------------------------------------------------------

    def _measure(self) -> None:
        site, view, standings = self._session.site, self._session.view, list(self._scores.standings)
        evaluator, pin = self._deck.evaluator, self._comparison.pin
        self._pin = pin
        self._background.order(
            "measure",
            lambda: self._measured_of(site, view, standings, evaluator, pin.view if pin is not None else None),
            self._take,
            self._session.failed.emit,
        )

    def _measured_of(
        self, site: Site, view: View, standings: list[Standing], evaluator: Evaluator, pinned: View | None
    ) -> Measured:
        held, others = Measured(), OtherViews(evaluator, Asked(site, self._session.path), make=False)
        for one in standings:
            if one.found is None or one.index is None:
                continue
            alarms = raised_of(one.found, kinds_of_crossings(evaluator, one.found))
            worths = dict(
                zip(((span.item, round(span.start_s * 1e6)) for span in one.found.spans), one.found.worths, strict=True)
            )
            real = frozenset(
                number for number, alarm in enumerate(alarms) if worths.get((alarm.item, alarm.start_us)) == "real"
            )
            when = when_of(site, view, one.recording, one.index)
            asked = tuple(others.asked_of(view, one.recording, one.index))
            part = Part(tuple(alarms), when, self._weight(one), real, asked)
            held = replace(held, ids=(*held.ids, one.recording.id), parts=(*held.parts, part))
            if pinned is not None:
                items = {alarm.item for alarm in alarms}
                then = when_of(site, pinned, one.recording, one.index)
                known = all(items <= set(spans) for spans in (then.kept, then.notifying))
                held = replace(held, pinned=(*held.pinned, replace(part, when=then if known else when)))
        return held

    def _weight(self, standing: Standing) -> Weight | None:
        """Bytes of a recording, read once; None where it cannot be read now."""
        key = f"{standing.recording.path} {standing.recording.fingerprint}"
        if key not in self._weights:
            assert standing.index is not None
            try:
                self._weights[key] = weight_of(standing.index)
            except FootageError:
                self._weights[key] = None
        return self._weights[key]

    def _take(self, measured: Measured) -> None:
        self._measured = measured
        self.replay()

    # --- replaying --------------------------------------------------------------------------------------------------

    def replay(self) -> None:
        """Replay the session's outcome over what was measured."""
        measured, site, view = self._measured, self._session.site, self._session.view
        if not self._on or measured is None:
            return
        pinned = self._pin.view if self._pin is not None else None
        self._background.order(
            "replay", lambda: _costs_of(measured, site, view, pinned), self._take_costs, self._session.failed.emit
        )

    def _take_costs(self, costs: Costs) -> None:
        self.costs = costs
        self.changed.emit()
        measured, outcome = self._measured, self._session.view.outcome
        if measured is None:
            return
        parts = measured.parts
        self._background.order(
            "curves",
            lambda: (
                {dial.field: outcome_curve(parts, outcome, dial) for dial in OUTCOME_DIALS},
                outcome_advice(parts, outcome),
            ),
            self._take_curves,
            self._session.failed.emit,
        )

    def _take_curves(self, found: tuple[dict[str, OutcomeCurve | None], list[OutcomeAdvice]]) -> None:
        self.curves, self.advice = found
        self.curves_changed.emit()


def _costs_of(measured: Measured, site: Site, view: View, pinned: View | None) -> Costs:
    figures, led = replayed(measured.parts, view.outcome)
    day = day_of_view(site, view, view.outcome, figures)
    each = [figures_of(one, view.outcome, None) for one in led]
    clips, messages = (interval_a_day(day, each, name) for name in ("clips", "messages"))
    against = None
    if pinned is not None and len(measured.pinned) == len(measured.parts):
        _, before = replayed(measured.pinned, pinned.outcome)
        against = summed_changes(before, led, [part.real for part in measured.parts])
    fares = lasting([day.daily], site.disk)
    return Costs(
        dict(zip(measured.ids, led, strict=True)), day, fares, clips, messages, kept_along(site, view, led), against
    )
