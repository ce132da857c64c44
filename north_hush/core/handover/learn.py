"""Learn a scale of a device from its own alarm lists: which value of ours raises the alarms that it raised.

A list fixes one point of the scale, and only if it can tell: alarms that would look the same whatever the dial says tell nothing. How
sure a point is comes from drawing minutes of the footage anew (Efron 1979), since alarms come in clusters. Between points nobody knows.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from north_hush.core.detect.dials import DIALS, Dial
from north_hush.core.detect.settings import FACTORY, ZoneSettings
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.handover.card import Card, Scale
from north_hush.core.judge.device import DeviceAlarm
from north_hush.core.scene.plan import Plan, watcher_id
from north_hush.core.words import tr

POINTS_LEAST, ALARMS_LEAST = 3, 8
_RUNGS, _DRAWS, _SEED = 36, 200, 7
_BLOCK_S = 60.0
_TELLS = 0.1
"""Likeness that does not fall by more than that over the whole dial tells nothing."""
_WIDE_SHARE = 0.5
"""So does a spread over more than that share of the dial, by ratio."""
_HALF_S = 1.0
"""A device's alarm without a length stands for so long, before and after."""
Settings = Mapping[str, ZoneSettings]


@dataclass(frozen=True, eq=False)
class Listed:
    """A recording with what the device raised in it, while its dial stood at a value."""

    evidence: Evidence
    alarms: tuple[DeviceAlarm, ...]
    value: float


@dataclass(frozen=True)
class Point:
    """What a value of the device is in our unit.

    Attributes
    ----------
    low, high : nine in ten of the draws lie between
    alarms : of the device, which it rests on
    like : how much of the time in alarm is that of both, 0 to 1
    why_not : why the lists cannot tell; '' where they can
    """

    value: float
    ours: float
    low: float
    high: float
    alarms: int
    like: float
    why_not: str = ""


@dataclass(frozen=True)
class Learnt:
    """A scale as far as it is known, its points, what is to be said of it, and the value to try next (None: enough is known)."""

    scale: Scale
    points: tuple[Point, ...]
    notes: tuple[str, ...]
    next_value: float | None


def learn(
    card: Card, name: str, lists: Sequence[Listed], plan: Plan, settings: Settings, evaluator: Evaluator
) -> Learnt:
    """The scale of a card by the lists of its device, whose drawing is `plan` and whose other dials stand as `settings`.

    Raises
    ------
    KeyError : the card has no scale of that name.
    ValueError : it stands for a dial that has no range of its own.
    """
    scale = next((held for held in card.scales if held.name == name), None)
    if scale is None:
        raise KeyError(name)
    dial = next((held for held in DIALS if held.field == scale.ours), None)
    if dial is None:
        raise ValueError(tr("'{ours}' has no dial to be turned", ours=scale.ours))
    values = sorted({held.value for held in lists})
    points = tuple(
        _point(value, [held for held in lists if held.value == value], dial, plan, settings, evaluator)
        for value in values
    )
    good = [point for point in points if not point.why_not]
    notes = [
        tr("At {value:g} the list cannot tell: {why_not}.", value=point.value, why_not=point.why_not)
        for point in points
        if point.why_not
    ]
    table = _one_way([(point.value, point.ours) for point in good])
    if len(table) < len(good):
        notes.append(
            tr(
                "{count} of {count2} points go against the others, and are left out.",
                count=len(good) - len(table),
                count2=len(good),
            )
        )
    if len(table) < POINTS_LEAST:
        notes.append(
            tr(
                "{count} points are known, {points_least} are needed: what lies between is guessed.",
                count=len(table),
                points_least=POINTS_LEAST,
            )
        )
    following = _next(scale, table) if len(table) < POINTS_LEAST or any(point.why_not for point in points) else None
    if following is not None:
        notes.append(
            tr(
                "Next: set {name} to {following:g}, and wait for {alarms_least} alarms at least.",
                name=name,
                following=following,
                alarms_least=ALARMS_LEAST,
            )
        )
    if len(table) >= 2:
        sure = "measured" if len(table) >= POINTS_LEAST else "guessed"
        scale = Scale.model_validate({**scale.model_dump(), "table": table, "sure": sure})
    return Learnt(scale, points, tuple(notes), following)


def rungs_of(dial: Dial) -> list[float]:
    """Values over the whole dial, by ratio, on its grain."""
    low = max(dial.low, dial.grain)
    held = np.geomspace(low, dial.high, _RUNGS) if dial.high / low > 8 else np.linspace(low, dial.high, _RUNGS)
    return sorted({float(dial.number(round(round(value / dial.grain) * dial.grain, 4))) for value in held})


def _point(
    value: float, lists: Sequence[Listed], dial: Dial, plan: Plan, settings: Settings, evaluator: Evaluator
) -> Point:
    """The rung whose alarms are likest to the device's."""
    rungs, alarms = rungs_of(dial), sum(len(held.alarms) for held in lists)
    blocks = np.concatenate([_blocks(held, rungs, dial, plan, settings, evaluator) for held in lists])
    likes = _likeness(blocks.sum(axis=0))
    best = _middle_best(likes)
    rng = np.random.default_rng(_SEED)
    picks = rng.integers(len(blocks), size=(_DRAWS, len(blocks)))
    drawn = [_middle_best(_likeness(blocks[pick].sum(axis=0))) for pick in picks]
    low, high = (float(rungs[int(place)]) for place in np.percentile(drawn, [5, 95], method="nearest"))
    why = ""
    if alarms < ALARMS_LEAST:
        why = tr("it holds {alarms} alarms, and {alarms_least} are needed", alarms=alarms, alarms_least=ALARMS_LEAST)
    elif likes.max() - likes.min() < _TELLS:
        why = tr("the alarms would be as like at any value")
    elif np.log(high / low) > _WIDE_SHARE * np.log(rungs[-1] / rungs[0]):
        why = tr("anything from {low:g} to {high:g} would do", low=low, high=high)
    return Point(value, rungs[best], min(low, rungs[best]), max(high, rungs[best]), alarms, float(likes[best]), why)


def _blocks(
    listed: Listed, rungs: Sequence[float], dial: Dial, plan: Plan, settings: Settings, evaluator: Evaluator
) -> NDArray[np.float64]:
    """For each minute and rung: frames in which both are in alarm, and in which either is; (minutes, 2, rungs)."""
    evidence = listed.evidence
    theirs = _in_alarm(evidence, [(one.start_s, one.end_s) for one in listed.alarms])
    block = (evidence.time_us // round(_BLOCK_S * US_PER_S)).astype(np.int64)
    count = int(block[-1]) + 1 if len(block) else 1
    found = np.zeros((count, 2, len(rungs)))
    for place, rung in enumerate(rungs):
        items = [watcher_id(watcher) for watcher in plan.watchers]
        turned = {item: _turned(settings.get(item, FACTORY), dial, rung) for item in items}
        lanes = evaluator.lanes(evidence, plan, turned)
        ours = _in_alarm(
            evidence, [(one.start_us / US_PER_S, one.end_us / US_PER_S) for lane in lanes for one in lane.alarms]
        )
        for row, frames in enumerate((ours & theirs, ours | theirs)):
            found[:, row, place] = np.bincount(block, frames, count)
    return found


def _turned(held: ZoneSettings, dial: Dial, rung: float) -> ZoneSettings:
    """One dial turned; the clear level stays below the start level."""
    more = {"clear_percent": min(held.clear_percent, rung)} if dial.field == "start_percent" else {}
    return held.turned(**{dial.field: dial.number(rung)}, **more)


def _in_alarm(evidence: Evidence, spans: Sequence[tuple[float, float]]) -> NDArray[np.bool_]:
    """(frames,) bool."""
    held = np.zeros(len(evidence.frames), bool)
    for start_s, end_s in spans:
        room_s = _HALF_S if end_s <= start_s else 0.0
        first, after = np.searchsorted(evidence.time_us, [(start_s - room_s) * US_PER_S, (end_s + room_s) * US_PER_S])
        held[first : max(after, first + 1)] = True
    return held


def _likeness(sums: NDArray[np.float64]) -> NDArray[np.float64]:
    """The share of the time in alarm that both are in it, (rungs,); of no alarms at all, 0."""
    both, either = sums
    return np.asarray(np.divide(both, either, out=np.zeros_like(both), where=either > 0), np.float64)


def _middle_best(likes: NDArray[np.float64]) -> int:
    """The middle of the rungs that are likest: several in a row may raise the same alarms."""
    held = np.flatnonzero(likes >= likes.max() - 1e-9)
    return int(held[len(held) // 2])


def _one_way(points: Sequence[tuple[float, float]]) -> list[tuple[float, float]]:
    """The longest run of points in one direction: a scale does not turn."""
    best: list[tuple[float, float]] = []
    for sign in (1, -1):
        chains: list[list[tuple[float, float]]] = []
        for point in points:
            before = max((chain for chain in chains if sign * (point[1] - chain[-1][1]) >= 0), key=len, default=[])
            chains.append([*before, point])
        best = max([best, *chains], key=len)
    return best


def _next(scale: Scale, table: Sequence[tuple[float, float]]) -> float | None:
    """The middle of the widest stretch of the scale that no point lies in."""
    known = [scale.low, *(value for value, _ in table), scale.high]
    ends = [(known[place + 1] - known[place], (known[place + 1] + known[place]) / 2) for place in range(len(known) - 1)]
    width, middle = max(ends)
    return min(scale.values, key=lambda value: abs(value - middle)) if width > scale.step else None
