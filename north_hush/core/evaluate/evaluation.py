"""What a view raises on a recording: the frozen answer that window, command line, scores and advice share."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from north_hush.core.detect.lane import Lane
from north_hush.core.evaluate.armed import Armed, armed_s
from north_hush.core.evaluate.switched import Switched
from north_hush.core.footage.evidence import Evidence
from north_hush.core.judge.incidents import Incident, Truth
from north_hush.core.judge.matching import Concerns, Span
from north_hush.core.judge.score import Held, Score, Worth, hold, item_scores, score, verdicts_of
from north_hush.core.scene.plan import Plan


@dataclass(frozen=True, eq=False)
class Evaluation:
    """Lanes with their alarms, and what these are worth against what is known of the recording.

    Attributes
    ----------
    spans : alarms of all lanes by their start, in seconds after the first frame
    truth : what is known of it; under hours, of the armed time
    concerns : for each incident the items it concerns; None for any
    armed : when it counts; None where all of it does
    over : the settings, where they change over it
    out_of_hours : incidents of which no instant is armed: not missed, counted apart
    """

    evidence: Evidence = field(repr=False)
    plan: Plan
    lanes: tuple[Lane, ...]
    spans: tuple[Span, ...]
    truth: Truth
    concerns: Concerns
    armed: Armed | None = None
    over: Switched | None = None
    out_of_hours: tuple[Incident, ...] = ()

    @property
    def armed_s(self) -> float | None:
        """How long anything is armed; None where all of it counts."""
        return None if self.armed is None else armed_s(self.armed)

    @property
    def counted_s(self) -> float:
        """The time that counts: the footage, or as much of it as is armed."""
        return self.evidence.footage_s if self.armed_s is None else min(self.armed_s, self.evidence.footage_s)

    @cached_property
    def _held(self) -> Held:
        return hold(self.spans, self.truth, self.concerns)

    @cached_property
    def score(self) -> Score:
        """The score of all items together."""
        return score(self.spans, self.truth, self.counted_s, self.concerns, held=self._held)

    @cached_property
    def worths(self) -> list[Worth]:
        """What each of the spans is worth."""
        return verdicts_of(self._held, self.truth)

    def item_scores(self, items: Iterable[str]) -> dict[str, Score]:
        """The score of each of some items alone."""
        return item_scores(self.spans, items, self.truth, self.counted_s, self.concerns)

    def spans_of(self, item: str) -> list[Span]:
        """Alarms of one item, in the order of its lane."""
        return [span for span in self.spans if span.item == item]


def spans_of(lane: Lane, lies: NDArray[np.bool_] | None = None) -> list[Span]:
    """The alarms of a lane as a score takes them, in its order.

    Parameters
    ----------
    lies : (alarms, incidents) bool, which were where which incidents were; None when time alone counts
    """
    met: dict[int, set[int]] = {}
    if lies is not None:
        for alarm, incident in zip(*(places.tolist() for places in np.nonzero(lies)), strict=True):
            met.setdefault(alarm, set()).add(incident)
    nowhere = None if lies is None else frozenset[int]()
    return [
        Span(
            alarm.onset_s,
            alarm.start_s,
            alarm.end_s,
            lane.zone_id,
            alarm.ended_by == "crossed",
            frozenset(met[place]) if place in met else nowhere,
            beside=lane.kind in ("sound", "contact"),
        )
        for place, alarm in enumerate(lane.alarms)
    ]


def plain_spans(lanes: Sequence[Lane]) -> list[Span]:
    """Alarms of some lanes by their start, by time alone."""
    return sorted(
        (span for lane in lanes for span in spans_of(lane)), key=lambda one: (one.start_s, one.end_s, one.item)
    )
