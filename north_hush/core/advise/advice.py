"""Advice: single changes that silence unwanted alarms and lose nothing, in the order of what they save."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from north_hush.core.advise.aim import Case, weights_of
from north_hush.core.advise.search import Search
from north_hush.core.advise.weighing import Settings
from north_hush.core.detect.dials import DIALS, dial_of, ladder
from north_hush.core.detect.lane import Lane
from north_hush.core.evaluate.evaluation import Evaluation
from north_hush.core.explain.restless import Region, clock_region, restless_region, restlessness_over
from north_hush.core.follow.patches import plane_limits
from north_hush.core.judge.score import Score
from north_hush.core.scene.area import area_of
from north_hush.core.scene.items import Mask
from north_hush.core.scene.weights import plane_weights, watched_weights
from north_hush.core.words import tr

_FIELDS = tuple(dial.field for dial in DIALS if dial.tried)
_SPARE_RUNGS = 25
_LEAST_S = 5.0
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

    `silenced` of `of` unwanted alarms are fewer, and `saved_s` fewer seconds are to be watched. `spare` is None where no
    incident would be missed however far the dial is turned.
    """

    item: str
    field: str
    value: Any
    silenced: int
    of: int
    saved_s: float
    region: Region | None = None
    spare: Spare | None = None


def advise(search: Search, cancelled: Callable[[], bool] = lambda: False) -> list[Tip]:
    """Try every dial of every item alone, and masks over restless places in which unwanted alarms are.

    What counts is how much less is to be watched (see `Score.watched_s`), so that alarms that only run together save nothing.
    Of the values of a dial that save most, the one nearest to the present is named. Only what misses nothing more is: no
    incident by the view, and none by an item that it concerns. Recordings of which nothing is known steer nothing.
    """
    present = search.present_settings()
    before = _worth(search, search.score_of(present))
    tips = []
    for item in present:
        for name in search.fields(item, _FIELDS):
            best: Tip | None = None
            for value in dial_of(name).tried:
                if cancelled():
                    return []
                tried = search.turned(present, {item: {name: value}})
                if tried is None:
                    continue
                worth = _worth(search, search.score_of(tried))
                saved_s = round(before.watched_s - worth.watched_s, 3)
                now = getattr(present[item], name)
                closer = (
                    best is None
                    or saved_s > best.saved_s
                    or (saved_s == best.saved_s and abs(value - now) < abs(best.value - now))
                )
                if worth.misses_no_more(before) and saved_s >= _LEAST_S and closer:
                    best = Tip(item, name, value, before.unwanted - worth.unwanted, before.unwanted, saved_s)
            if best is not None:
                tips.append(replace(best, spare=_spare(search, present, best)))
    tips += _mask_tips(search, present, before)
    return sorted(tips, key=lambda tip: (-tip.saved_s, tip.item, tip.field))


def _spare(search: Search, present: Settings, tip: Tip) -> Spare | None:
    """Turn the dial on from the advised value, away from the present one, until the first incident is missed; then close in
    on that value to the dial's grain."""
    dial = dial_of(tip.field)
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


@dataclass(frozen=True)
class _Worth:
    """What settings come to over all recordings of which something is known, weighed as a day would be."""

    missed: int
    missed_pairs: int
    unwanted: int
    watched_s: float

    def misses_no_more(self, than: _Worth) -> bool:
        return self.missed <= than.missed and self.missed_pairs <= than.missed_pairs


def _worth(search: Search, scores: Sequence[Score]) -> _Worth:
    pairs = list(zip(search.cases, scores, strict=True))
    known = [held for case, held in pairs if case.truth.known]
    weights = weights_of([case for case, _ in pairs if case.truth.known])
    return _Worth(
        sum(len(held.missed) for held in known),
        sum(len(held.missed_pairs) for held in known),
        sum(held.unwanted for held in known),
        sum(weight * held.watched_s for held, weight in zip(known, weights, strict=True)),
    )


def _mask_tips(search: Search, present: Settings, before: _Worth) -> list[Tip]:
    """Masks over the restless places in which most unwanted alarms changed, in the first recording that has any."""
    evaluator, plan = search.evaluator, search.plan
    regions: list[Region] = []
    for case in search.steering:
        found_here = evaluator.evaluate(case.evidence, plan, present, case.truth)
        cells: Counter[int] = Counter()
        for lane in found_here.lanes:
            cells.update(_changed_cells(found_here, lane))
        if not cells:
            continue
        evidence = case.evidence
        settings = found_here.lanes[0].settings
        measured = restlessness_over(evidence, settings.stored_channel, settings.change_limit_quarters)
        clock = clock_region(measured)
        found = [clock] if clock is not None else []
        found += [region for cell, _ in cells.most_common(8) if (region := restless_region(measured, cell)) is not None]
        for region in found:
            if region.cells * 4 < evidence.grid.cells and all(region.outline != held.outline for held in regions):
                regions.append(region)
        break
    tips = []
    for region in regions[:_MASKS_MAX]:
        mask = Mask(id="proposed", name=tr("Proposed"), area=area_of(region.outline))
        masked = replace(search, plan=replace(plan, masks=(*plan.masks, mask)))
        worth = _worth(masked, masked.score_of(present))
        saved_s = round(before.watched_s - worth.watched_s, 3)
        if worth.misses_no_more(before) and saved_s >= _LEAST_S:
            silenced = before.unwanted - worth.unwanted
            tips.append(Tip("", "mask", region.why, silenced, before.unwanted, saved_s, region))
    return tips


def _changed_cells(found: Evaluation, lane: Lane) -> Counter[int]:
    """In how many unwanted alarms of a lane each of its cells changed."""
    evidence, cells = found.evidence, Counter[int]()
    worths = [worth for span, worth in zip(found.spans, found.worths, strict=True) if span.item == lane.zone_id]
    watcher = next((held for held in found.plan.watchers if held is not None and held.id == lane.zone_id), None)
    own = watched_weights(watcher, found.plan, evidence.grid).cells
    plane = plane_weights(lane.zone_id, found.plan, evidence.grid)
    limits = plane_limits(plane, lane.settings.change_limit_quarters)[own]
    for alarm, worth in zip(sorted(lane.alarms, key=lambda held: (held.start_us, held.end_us)), worths, strict=True):
        if worth in ("nuisance", "not judged"):
            frames = np.linspace(alarm.onset_frame, alarm.end_frame, _FRAMES_LOOKED_AT).astype(np.int64)
            values = evidence.values_at(lane.settings.stored_channel, frames, own)
            over = (values >= limits[:, None]).any(axis=1)
            cells.update(own[over].tolist())
    return cells
