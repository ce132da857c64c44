"""Which alarms meet which incidents, and which verdicts tell of which alarms."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from north_hush.core.judge.incidents import Incident, PlaceRow, Truth, Verdict
from north_hush.core.judge.place import TOLERANCE_S

CROSSING_TOLERANCE_S = 0.8
Concerns = Sequence[frozenset[str] | None]
"""For each incident the items it concerns; None for any."""


@dataclass(frozen=True)
class Span:
    """An alarm in seconds, whose it is, and which incidents of the truth it was held against it lay in, by their places in
    the list; None when that was not looked at, and time alone counts."""

    onset_s: float
    start_s: float
    end_s: float
    item: str = ""
    crosses: bool = False
    lies_in: frozenset[int] | None = None
    trail: tuple[PlaceRow, ...] = ()
    """Where it was, for those that are to be judged."""
    beside: bool = False
    """It is of a sensor beside the picture, and concerns whatever happens."""


@dataclass(frozen=True, eq=False)
class Matches:
    """Which alarms meet which incidents, (alarms, incidents) bool each.

    Attributes
    ----------
    real : it meets it
    starts : it meets it, starts in it, and is of an item it concerns
    """

    real: NDArray[np.bool_]
    starts: NDArray[np.bool_]


def matches(
    alarms: Sequence[Span], truth: Truth, concerns: Concerns | None = None, tolerance_s: float = TOLERANCE_S
) -> Matches:
    """Hold alarms against incidents."""
    incidents = truth.incidents
    concerns = concerns or [frozenset(held.items) or None for held in incidents]
    onset, start, end = _times(alarms)
    starts, ends = _spans(incidents)
    near = (onset[:, None] <= ends + tolerance_s) & (end[:, None] >= starts - tolerance_s)
    inside = (start[:, None] >= starts - tolerance_s) & (start[:, None] <= ends + tolerance_s)
    mine = _by_item(alarms, lambda item: [held is None or item in held for held in concerns], len(incidents))
    mine |= np.array([span.beside for span in alarms], bool)[:, None]
    stated = np.array([bool(held.items) for held in incidents], bool)
    # What is stated to be of some items alone is met by theirs alone; any item's alarm at a known place is real.
    real = near & _lies(alarms, len(incidents)) & (mine | ~stated[None, :])
    pairs, own = _paired(alarms, incidents, start)
    return Matches((real & ~own) | pairs, (real & inside & mine & ~own) | pairs)


def _paired(
    alarms: Sequence[Span], incidents: Sequence[Incident], start: NDArray[np.float64]
) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Pairs of a crossing and an incident stated to be of its own wire alone, one to one and best over all, and all that
    could have been such a pair."""
    own = _by_item(alarms, lambda item: [held.items == (item,) for held in incidents], len(incidents))
    own &= np.array([span.crosses for span in alarms], bool)[:, None]
    pairs = np.zeros_like(own)
    if not own.any():
        return pairs, own
    starts, ends = _spans(incidents)
    from scipy.optimize import linear_sum_assignment  # takes long to import, and no window waits for it

    apart = np.maximum(np.maximum(starts - start[:, None], start[:, None] - ends), 0.0)
    fits = own & (apart <= CROSSING_TOLERANCE_S)
    cost = np.where(fits, apart, 1000.0)
    for a, i in zip(*linear_sum_assignment(cost), strict=True):
        pairs[a, i] = fits[a, i]
    return pairs, own


def verdicts_on(alarms: Sequence[Span], verdicts: Sequence[Verdict], tolerance_s: float) -> NDArray[np.bool_]:
    """Which verdicts tell of which alarms, (alarms, verdicts) bool: those on its item it overlaps; where there are none, those near."""
    if not verdicts:
        return np.zeros((len(alarms), 0), bool)
    onset, _, end = _times(alarms)
    starts, ends = _spans(verdicts)
    numbers = {item: number for number, item in enumerate({"", *(held.item for held in verdicts)})}
    items = np.array([numbers.get(span.item, -1) for span in alarms], np.int64)
    named = np.array([numbers[held.item] for held in verdicts], np.int64)
    on_item = (named == numbers[""]) | (named == items[:, None])

    def running(within_s: float) -> NDArray[np.bool_]:
        over = (onset[:, None] <= ends + within_s) & (end[:, None] >= starts - within_s)
        return np.asarray(over & on_item)

    over = running(0.0)
    return np.asarray(over | (running(tolerance_s) & ~over.any(axis=1, keepdims=True)))


def _lies(alarms: Sequence[Span], incidents: int) -> NDArray[np.bool_]:
    """Which alarms lie in which incidents' places, (alarms, incidents) bool."""
    lies = np.zeros((len(alarms), incidents), bool)
    for row, span in enumerate(alarms):
        if span.lies_in is None:
            lies[row] = True
        elif span.lies_in:
            lies[row, list(span.lies_in)] = True
    return lies


def _by_item(alarms: Sequence[Span], of: Callable[[str], list[bool]], incidents: int) -> NDArray[np.bool_]:
    """What holds of the item of each alarm, (alarms, incidents) bool."""
    numbers: dict[str, int] = {}
    rows = np.array([numbers.setdefault(span.item, len(numbers)) for span in alarms], np.int64)
    return np.array([of(item) for item in numbers], bool).reshape(len(numbers), incidents)[rows]


def met_incidents(alarms: Sequence[Span], truth: Truth, concerns: Concerns | None = None) -> list[bool]:
    """Tell of each incident whether an alarm meets it."""
    return [bool(met) for met in np.atleast_1d(matches(alarms, truth, concerns).starts.any(axis=0))]


def _times(alarms: Sequence[Span]) -> NDArray[np.float64]:
    """Onset, start and end of each, (3, alarms)."""
    return np.array(
        [[span.onset_s for span in alarms], [span.start_s for span in alarms], [span.end_s for span in alarms]],
        np.float64,
    )


def _spans(spans: Sequence[Incident | Verdict]) -> NDArray[np.float64]:
    return np.array([(held.start_s, held.end_s) for held in spans], np.float64).reshape(-1, 2).T
