"""Why alarms were raised, what was refused, and what a zone cannot see, as plain values for scripts and files."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from north_hush.core.detect.blind import blind_check
from north_hush.core.detect.causes import CAUSE_NAMES
from north_hush.core.detect.dials import DIALS, MORE_DIALS
from north_hush.core.detect.reasons import Explainer, Reasons
from north_hush.core.detect.refusals import refusals
from north_hush.core.detect.replay import Lane, Replay
from north_hush.core.detect.settings import CROSSING_FIELDS, ZoneSettings
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.judge.curves import Turn, WhatIf
from north_hush.core.judge.incidents import Truth
from north_hush.core.judge.score import spans_of
from north_hush.core.scene.items import Watcher, Wire
from north_hush.core.scene.plan import Plan, watcher_id

SILENCING = (
    "change_limit_grey", "start_percent", "confirm_frames", "smooth_frames", "size_min_percent", "travel_percent",
    "size_min_heights", "travel_heights", "guard_percent",
)  # fmt: skip
"""Dials that can silence one alarm by itself."""


def turns_for(what_if: WhatIf, lane: Lane, place: int) -> list[Turn]:
    """For each dial that can do it, the least turn that silences an alarm; what loses no incident first, then by how much
    else it silences."""
    crosses = isinstance(what_if.watcher, Wire) and what_if.watcher.watches != "broken"
    useless = "heights" if lane.settings.things_in == "percent" else "_percent"
    turns = []
    for dial in (*DIALS, *MORE_DIALS):
        thing = dial.field.startswith(("size_", "travel_"))
        if dial.field not in SILENCING or (thing and dial.field.endswith(useless)):
            continue
        if crosses and dial.field not in CROSSING_FIELDS:
            continue
        turn = what_if.least_turn(dial, lane.alarms[place])
        if turn is not None:
            turns.append(turn)
    return sorted(turns, key=lambda turn: (len(turn.lost), -turn.silenced))


def lane_reasons(
    replay: Replay, evidence: Evidence, plan: Plan, lanes: list[Lane], truth: Truth
) -> dict[tuple[str, int], dict[str, Any]]:
    """Reasons of all alarms of all lanes, by item and start frame."""
    explainer, found = Explainer(replay, evidence, plan), {}
    for lane in lanes:
        others = tuple(spans_of([other for other in lanes if other is not lane], evidence.time_us))
        what_if = WhatIf(replay, evidence, _watcher(plan, lane), plan, lane.settings, truth, others)
        for place, alarm in enumerate(lane.alarms):
            reasons = explainer.explain(lane, alarm)
            turns = turns_for(what_if, lane, place)
            found[lane.zone_id, alarm.start_frame] = reason_row(reasons, lane.settings, evidence, turns)
    return found


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


def lane_rows(replay: Replay, evidence: Evidence, plan: Plan, lanes: list[Lane]) -> list[dict[str, Any]]:
    """Per item: what its limits refused, and what it cannot see."""
    rows = []
    for lane in lanes:
        blind = blind_check(evidence, _watcher(plan, lane), plan, lane.settings)
        stretches = refusals(replay, evidence, plan, lane).stretches
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
