"""Why alarms were raised, what was refused, and what a zone cannot see, as plain values for scripts and files."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from north_hush.core.advise.curves import Turn, WhatIf
from north_hush.core.detect.dials import DIALS
from north_hush.core.detect.lane import Lane
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.evaluate.evaluation import Evaluation
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.explain.blind import blind_check
from north_hush.core.explain.causes import CAUSE_NAMES
from north_hush.core.explain.reasons import Reasons
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.scene.items import Watcher
from north_hush.core.scene.plan import Plan, is_crossed, watcher_id


def turns_for(what_if: WhatIf, lane: Lane, place: int) -> list[Turn]:
    """For each dial that can do it, the least turn that silences an alarm; what loses no incident first, then by how much
    else it silences."""
    crossed = is_crossed(what_if.watcher)
    turns = []
    for dial in DIALS:
        if not dial.silences or not dial.counts_under(lane.settings):
            continue
        if not dial.counts_for(crossed):
            continue
        turn = what_if.least_turn(dial, lane.alarms[place])
        if turn is not None:
            turns.append(turn)
    return sorted(turns, key=lambda turn: (len(turn.lost), -turn.silenced))


def lane_reasons(evaluator: Evaluator, found: Evaluation) -> dict[tuple[str, int], dict[str, Any]]:
    """Reasons of all alarms of all lanes, by item and start frame."""
    evidence, plan = found.evidence, found.plan
    explainer, rows = evaluator.explainer(evidence, plan), {}
    for lane in found.lanes:
        others = tuple(span for span in found.spans if span.item != lane.zone_id)
        what_if = WhatIf(
            evaluator, evidence, _watcher(plan, lane), plan, lane.settings, found.truth, others, found.armed, found.over
        )
        for place, alarm in enumerate(lane.alarms):
            reasons = explainer.explain(lane, alarm)
            turns = turns_for(what_if, lane, place)
            rows[lane.zone_id, alarm.start_frame] = reason_row(reasons, lane.settings, evidence, turns)
    return rows


def reason_row(reasons: Reasons, settings: ZoneSettings, evidence: Evidence, turns: list[Turn]) -> dict[str, Any]:
    """Reasons of one alarm as plain values."""
    patch = reasons.patch
    return {
        "cause": reasons.cause,
        "looks_like": CAUSE_NAMES[reasons.cause],
        "sure": reasons.sure,
        "passed": {
            "limit": "start_percent",
            "value": settings.start_percent,
            "frames": reasons.confirmed,
        },
        "peak": {
            "percent": round(reasons.peak_percent, 3),
            "frame": reasons.peak_frame,
            "time_s": round(int(evidence.time_us[reasons.peak_frame]) / US_PER_S, 3),
        },
        "patch": None
        if patch is None
        else {
            "box": [round(value, 4) for value in (patch.left, patch.top, patch.right, patch.bottom)],
            "foot": [round(value, 4) for value in patch.foot],
            "size_percent": round(patch.size_percent, 3),
        },
        "travelled_percent": round(reasons.travelled_percent, 2),
        "path": [list(point) for point in reasons.path],
        "silenced_by": [
            {"dial": turn.field, "value": turn.value, "silences": turn.silenced, "loses": list(turn.lost)}
            for turn in turns
        ],
    }


def lane_rows(evaluator: Evaluator, found: Evaluation) -> list[dict[str, Any]]:
    """Per item: what its limits refused, and what it cannot see."""
    rows, evidence, plan = [], found.evidence, found.plan
    for lane in found.lanes:
        watcher = _watcher(plan, lane)
        blind = blind_check(evidence, watcher, plan, lane.settings)
        stretches = evaluator.refusals(evidence, plan, lane).stretches
        rows.append(
            {
                "item": lane.zone_id,
                "name": lane.name,
                "smaller_than_a_cell": lane.small,
                "refused": [
                    {
                        "start_s": round(int(evidence.time_us[held.first_frame]) / US_PER_S, 3),
                        "end_s": round(int(evidence.time_us[held.last_frame]) / US_PER_S, 3),
                        "limit": held.limit,
                    }
                    for held in stretches
                ],
                "blind": None if blind is None else asdict(blind),
            }
        )
    return rows


def _watcher(plan: Plan, lane: Lane) -> Watcher | None:
    return next(held for held in plan.watchers if watcher_id(held) == lane.zone_id)
