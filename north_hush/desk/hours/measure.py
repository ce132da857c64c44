"""What the recordings of a view saw, whatever its hours: for the tide table."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from north_hush.core.evaluate.armed import us_of
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.hours.spans import spans_of
from north_hush.core.hours.tide import Measured
from north_hush.core.site.model import View
from north_hush.desk.judge.scores import Standing


def measured_of(standings: Sequence[Standing], view: View, evaluator: Evaluator) -> list[Measured]:
    """Footage, alarms and incidents of every recording that is analysed and has a time; may be called in another thread."""
    parts = []
    for held in standings:
        if held.found is None or held.taken_at is None:
            continue
        evidence, start_us = held.found.evidence, us_of(held.taken_at)
        truth = held.recording.truth
        found = evaluator.evaluate(evidence, view.plan, view.tuning.settings, truth)
        alarms = [(round(span.start_s * US_PER_S), round(span.end_s * US_PER_S)) for span in found.spans]
        nuisance = np.array([worth == "nuisance" for worth in found.worths], bool)
        incidents = [(round(one.start_s * US_PER_S), round(one.end_s * US_PER_S)) for one in truth.incidents]
        end_us = start_us + round(evidence.duration_s * US_PER_S)
        footage = spans_of([(start_us, end_us)])
        parts.append(Measured(footage, _pairs(alarms) + start_us, nuisance, _pairs(incidents) + start_us))
    return parts


def _pairs(spans: list[tuple[int, int]]) -> NDArray[np.int64]:
    return np.array(spans, np.int64).reshape(-1, 2)
