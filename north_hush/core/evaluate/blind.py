"""When cameras were blind in a recording, as far as that is told: in the hours of each rule."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime

from north_hush.core.evaluate.armed import us_of
from north_hush.core.footage.evidence import Evidence
from north_hush.core.hours.clock import Clock, hours_spans
from north_hush.core.hours.spans import running_in
from north_hush.core.sight.rules import Blindness, SightRule
from north_hush.core.sight.sight import Blind, blind_of

Rules = Mapping[Blindness, SightRule]


def blind_told(evidence: Evidence, rules: Rules, clock: Clock, began: datetime | None) -> list[Blind]:
    """All times in which a camera was blind while the hours of a rule held, in order.

    Raises
    ------
    HushError : hours need a place for the sun that is not stated.
    """
    return in_hours(blind_of(evidence, rules), rules, evidence, clock, began)


def in_hours(
    found: Sequence[Blind], rules: Rules, evidence: Evidence, clock: Clock, began: datetime | None
) -> list[Blind]:
    """Those that ran at an instant of the hours of their rule; all, where nobody knows when the recording began.

    Raises
    ------
    HushError : hours need a place for the sun that is not stated.
    """
    if began is None:
        return list(found)
    began_us, last_us = us_of(began), int(evidence.time_us[-1]) if len(evidence.frames) else 0
    spans = {
        kind: hours_spans(rules[kind].hours, clock, began_us, began_us + last_us + 1)
        for kind in {one.kind for one in found}
        if rules[kind].hours
    }
    return [
        one
        for one in found
        if one.kind not in spans
        or running_in(
            spans[one.kind], began_us + one.start_us, began_us + (last_us if one.end_us is None else one.end_us)
        )
    ]
