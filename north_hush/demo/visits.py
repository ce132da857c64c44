"""Entry and loitering held against what is rendered: who comes into a zone with his feet, and who stays in it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from itertools import groupby

import numpy as np
from numpy.typing import NDArray

from north_hush.core.detect.settings import FACTORY
from north_hush.core.evaluate.evaluation import spans_of
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.judge.incidents import Incident, Truth
from north_hush.core.judge.score import Score, score
from north_hush.core.scene.area import cell_shares
from north_hush.core.scene.items import Fires, Zone
from north_hush.core.scene.raster import SIXTEENTHS
from north_hush.core.site.firing import born_settings
from north_hush.core.site.model import View
from north_hush.demo.truth import BoxFrac
from north_hush.demo.truth import Truth as Rendered

_STEP_OUT_S, _LEAST_S = 1.5, 0.5
"""Out of a zone for less is still in it; in it, or seen before it, for less is a chance of the outline."""


def visit_scores(
    view: View, evidence: Evidence, rendered: Rendered, evaluator: Evaluator, fires: Fires
) -> Iterator[Score]:
    """What each zone of a view would be worth that fires on entry or on loitering, with the settings a new zone has: visits met by an
    alarm that runs meanwhile, and alarms in no visit."""
    for zone in view.zones:
        made = zone.model_copy(update={"fires": fires})
        plan = replace(view.plan, zones=(made,), wires=())
        lane = evaluator.lane(evidence, made, plan, {made.id: born_settings(fires)})
        incidents = tuple(
            Incident(name=name, start_s=start_s, end_s=end_s, items=(zone.id,))
            for name, start_s, end_s in visits(rendered, zone, evidence, fires)
        )
        yield score(spans_of(lane), Truth(incidents=incidents, complete=True), evidence.footage_s)


def visits(rendered: Rendered, zone: Zone, evidence: Evidence, fires: Fires) -> Iterator[tuple[str, float, float]]:
    """Who was in a zone, from when to when, in seconds: for entry those who came in from outside, for loitering from when they had been
    there for as long as that takes."""
    inside = cell_shares(zone.area, evidence.grid) * 2 >= SIXTEENTHS
    for incident in rendered.incidents:
        first = incident.first_frame
        times = evidence.time_us[first : first + len(incident.boxes)] / US_PER_S
        stands = [_stands(box, inside, evidence) for box in incident.boxes[: len(times)]]
        seen_before = False
        for start_s, end_s, within in _spells(stands, times):
            if within and end_s - start_s >= _LEAST_S:
                loiters = fires == "loitering"
                begins_s = start_s + (FACTORY.loiter_s if loiters else 0.0)
                if begins_s <= end_s and (loiters or seen_before):
                    yield incident.name, begins_s, end_s
            seen_before = seen_before or (not within and end_s - start_s >= _LEAST_S)


def _stands(box: BoxFrac | None, inside: NDArray[np.bool_], evidence: Evidence) -> bool | None:
    """Whether the feet are in the zone; None while nothing is in the picture."""
    if box is None:
        return None
    cell = evidence.grid.cell_at((box[0] + box[2]) / 2, min(box[3], 1.0) - 1e-6)
    return None if cell is None else bool(inside[cell])


def _spells(stands: list[bool | None], times: NDArray[np.float64]) -> list[tuple[float, float, bool]]:
    """Runs of inside and outside; a short step out of the zone ends none."""
    runs: list[tuple[float, float, bool]] = []
    at = 0
    for held, group in groupby(stands):
        count = len(list(group))
        if held is not None:
            start_s, end_s = float(times[at]), float(times[at + count - 1])
            short = not held and end_s - start_s < _STEP_OUT_S and runs and runs[-1][2]
            joins = runs and (short or runs[-1][2] == held)
            if joins:
                runs[-1] = (runs[-1][0], end_s, runs[-1][2])
            else:
                runs.append((start_s, end_s, held))
        at += count
    return runs
