"""Advice: single changes that silence unwanted alarms and lose nothing, in the order of what they save."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from north_hush.core.detect.dials import DIALS, MORE_DIALS, ladder
from north_hush.core.detect.patches import plane_limits
from north_hush.core.detect.replay import Lane, Replay
from north_hush.core.detect.restless import Region, clock_region, restless_region, restlessness
from north_hush.core.judge.score import Score, score, spans_of, verdicts_of
from north_hush.core.judge.search import LADDERS, Case, Search, Settings
from north_hush.core.scene.area import area_of
from north_hush.core.scene.items import Mask
from north_hush.core.scene.plan import Plan
from north_hush.core.scene.weights import plane_weights, watched_weights

_FIELDS = tuple(name for name in LADDERS if name != "channel")
_SPARE_RUNGS = 25
_LEAST = 1
_MASKS_MAX = 3
_FRAMES_LOOKED_AT = 12


@dataclass(frozen=True)
class Spare:
    """How much further a dial could be turned the same way, in its unit, until an incident is missed; and which one."""

    amount: float
    incident: str
    recording: str
    start_s: float


@dataclass(frozen=True)
class Tip:
    """One change and what it saves over all recordings: a dial of an item, or a mask (then `region` is set).

    `spare` is None where no incident would be missed however far the dial is turned.
    """

    item: str
    field: str
    value: Any
    silenced: int
    of: int
    region: Region | None = None
    spare: Spare | None = None


def advise(search: Search, cancelled: Callable[[], bool] = lambda: False) -> list[Tip]:
    """Try every dial of every item alone, and masks over restless places in which unwanted alarms are.

    Of the values of a dial that save most, the one nearest to the present is named. Only what misses no incident more is.
    """
    present = search.present_settings()
    before = _worth(search.score_of(present))
    tips = []
    for item in present:
        for name in search.fields(item, _FIELDS):
            best: Tip | None = None
            for value in LADDERS[name]:
                if cancelled():
                    return []
                tried = search.turned(present, {item: {name: value}})
                if tried is None:
                    continue
                missed, unwanted = _worth(search.score_of(tried))
                saved = before[1] - unwanted
                now = getattr(present[item], name)
                closer = (
                    best is None
                    or saved > best.silenced
                    or (saved == best.silenced and abs(value - now) < abs(best.value - now))
                )
                if missed <= before[0] and saved >= _LEAST and closer:
                    best = Tip(item, name, value, saved, before[1])
            if best is not None:
                tips.append(replace(best, spare=_spare(search, present, best)))
    tips += _mask_tips(search.cases, search.plan, search.replay, present, before)
    return sorted(tips, key=lambda tip: (-tip.silenced, tip.item, tip.field))


def _spare(search: Search, present: Settings, tip: Tip) -> Spare | None:
    """Turn the dial on from the advised value, away from the present one, until the first incident is missed; then close in
    on that value to the dial's grain."""
    dial = next(held for held in (*DIALS, *MORE_DIALS) if held.field == tip.field)
    now = float(getattr(present[tip.item], tip.field))
    way = 1 if tip.value > now else -1
    before = [Counter(held.missed) for held in search.score_of(present)]

    def lost(value: float) -> tuple[Case, str] | None:
        settings = search.turned(present, {tip.item: {tip.field: dial.number(value)}})
        if settings is None:
            return None
        for case, score_, known in zip(search.cases, search.score_of(settings), before, strict=True):
            gone = Counter(score_.missed) - known
            if gone:
                return case, next(iter(gone))
        return None

    kept = float(tip.value)
    beyond = sorted((value for value in ladder(dial, _SPARE_RUNGS) if (value - kept) * way > 0), key=lambda v: v * way)
    for value in beyond:
        found, missing = lost(value), value
        if found is not None:
            break
        kept = value
    else:
        return None
    while (middle := dial.between(kept, missing)) is not None:
        nearer = lost(middle)
        if nearer is None:
            kept = middle
        else:
            found, missing = nearer, middle
    case, name = found
    start_s = next(held.start_s for held in case.truth.incidents if held.name == name)
    return Spare(round(abs(kept - float(tip.value)), 4), name, case.name, start_s)


def _worth(scores: Sequence[Score]) -> tuple[int, int]:
    return sum(len(held.missed) for held in scores), sum(held.unwanted for held in scores)


def _mask_tips(
    cases: Sequence[Case], plan: Plan, replay: Replay, present: Settings, before: tuple[int, int]
) -> list[Tip]:
    """Masks over the restless places in which most unwanted alarms changed, in the first recording that has any."""
    regions: list[Region] = []
    for case in cases:
        lanes = replay.lanes(case.evidence, plan, present)
        cells: Counter[int] = Counter()
        for lane in lanes:
            cells.update(_changed_cells(case, plan, lane))
        if not cells:
            continue
        evidence = case.evidence
        settings = lanes[0].settings
        values = evidence.channel(settings.stored_channel)
        measured = restlessness(values, evidence.valid, evidence.time_us, settings.change_limit_quarters, evidence.grid)
        clock = clock_region(measured)
        found = [clock] if clock is not None else []
        found += [region for cell, _ in cells.most_common(8) if (region := restless_region(measured, cell)) is not None]
        for region in found:
            if region.cells * 4 < evidence.grid.cells and all(region.outline != held.outline for held in regions):
                regions.append(region)
        break
    tips = []
    for region in regions[:_MASKS_MAX]:
        mask = Mask(id="proposed", name="Proposed", area=area_of(region.outline))
        masked = replace(plan, masks=(*plan.masks, mask))
        scores = [
            score(
                spans_of(replay.lanes(case.evidence, masked, present), case.evidence.time_us),
                case.truth,
                case.evidence.duration_s,
            )
            for case in cases
        ]
        missed, unwanted = _worth(scores)
        if missed <= before[0] and before[1] - unwanted >= _LEAST:
            tips.append(Tip("", "mask", region.why, before[1] - unwanted, before[1], region))
    return tips


def _changed_cells(case: Case, plan: Plan, lane: Lane) -> Counter[int]:
    """In how many unwanted alarms of a lane each of its cells changed."""
    evidence, cells = case.evidence, Counter[int]()
    spans = spans_of([lane], evidence.time_us)
    worths = verdicts_of(spans, case.truth)
    alarms = sorted(lane.alarms, key=lambda alarm: alarm.start_frame)
    watcher = next((held for held in plan.watchers if held is not None and held.id == lane.zone_id), None)
    own = watched_weights(watcher, plan, evidence.grid).cells
    limits = plane_limits(plane_weights(lane.zone_id, plan, evidence.grid), lane.settings.change_limit_quarters)[own]
    values = evidence.channel(lane.settings.stored_channel)
    for alarm, worth in zip(alarms, worths, strict=True):
        if worth in ("nuisance", "not judged"):
            frames = np.linspace(alarm.onset_frame, alarm.end_frame, _FRAMES_LOOKED_AT).astype(np.int64)
            over = (values[np.ix_(own, frames)] >= limits[:, None]).any(axis=1)
            cells.update(own[over].tolist())
    return cells
