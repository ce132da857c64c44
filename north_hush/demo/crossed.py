"""How many true crossings of the demo's wires are found, and how many found ones are false."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

from north_hush.core.evaluate.evaluation import spans_of
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.footage.evidence import Evidence
from north_hush.core.judge.incidents import Incident, Truth
from north_hush.core.judge.score import Score, score, summed
from north_hush.core.site.model import View
from north_hush.demo.truth import Truth as Rendered


@dataclass(frozen=True)
class Crossed:
    """Scores of crossings, either way of each wire: held against the moment the feet or the middle passed, and against all the time in
    which some part of it was over the line."""

    at_moment: tuple[Score, ...] = ()
    while_passing: tuple[Score, ...] = ()

    def __add__(self, other: Crossed) -> Crossed:
        return Crossed(self.at_moment + other.at_moment, self.while_passing + other.while_passing)

    def row(self) -> dict[str, Any]:
        """As scripts read it."""
        return {**f1_row(self.at_moment, "crossings"), "while_passing": f1_row(self.while_passing, "crossings")}


def crossed_in(view: View, evidence: Evidence, truth: Rendered, evaluator: Evaluator) -> Crossed:
    """Followed crossings of each wire, either way, held against the true ones."""
    return Crossed(*(tuple(_scores(view, evidence, truth, evaluator, long)) for long in (False, True)))


def _scores(
    view: View, evidence: Evidence, truth: Rendered, evaluator: Evaluator, while_passing: bool
) -> Iterator[Score]:
    """Against the true ones of the same way, one to one within 0.8 s."""
    for wire in view.wires:
        both = wire.model_copy(update={"watches": "both"})
        lane = evaluator.lane(evidence, both, view.plan, {})
        for way in ("a_to_b", "b_to_a"):
            true = [held for held in truth.crossings if (held.wire, held.direction) == (wire.name, way)]
            incidents = tuple(
                Incident(name=held.incident, start_s=start_s, end_s=end_s, items=(wire.id,))
                for held, (start_s, end_s) in ((held, held.lasts_s(while_passing)) for held in true)
            )
            found = replace(lane, alarms=[alarm for alarm in lane.alarms if alarm.direction == way])
            # When the line was passed, not when it was sure.
            at_line = [replace(span, start_s=span.onset_s) for span in spans_of(found)]
            yield score(at_line, Truth(incidents=incidents, complete=True), evidence.footage_s)


def f1_row(parts: Sequence[Score], what: str) -> dict[str, Any]:
    """How many of what there were, how many were found, how many found ones are false, and F1."""
    held = summed(parts)
    f1 = held.f(1.0)
    return {
        what: held.incidents,
        "found": held.met,
        "false": held.nuisances,
        "f1": None if f1 is None else round(f1, 3),
    }
