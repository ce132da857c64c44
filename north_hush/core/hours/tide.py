"""The tide of a view: how many alarms each half hour of the week saw, how much footage there was, and where incidents were."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

from north_hush.core.hours.clock import EPOCH, US
from north_hush.core.hours.spans import Spans, runs
from north_hush.core.hours.week import DAY_MIN, DAYS, Piece, Week

BIN_MIN = 30
BINS = DAY_MIN // BIN_MIN
_BIN_US = BIN_MIN * 60_000_000
_LEAST_BINS = 4
_GROUPS: tuple[tuple[str, tuple[int, ...]], ...] = (
    ("Mo-Su", (0, 1, 2, 3, 4, 5, 6)), ("Mo-Fr", (0, 1, 2, 3, 4)), ("Sa,Su", (5, 6)),
    *((name, (day,)) for day, name in enumerate(DAYS)),
)  # fmt: skip


@dataclass(frozen=True, eq=False)
class Measured:
    """What one recording saw, in microseconds of UTC.

    Attributes
    ----------
    footage : when there was any
    alarms : (alarms, 2) from when to when
    nuisance : (alarms,) bool, those that met nothing
    incidents : (incidents, 2) from when to when
    """

    footage: Spans
    alarms: NDArray[np.int64]
    nuisance: NDArray[np.bool_]
    incidents: NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class Tide:
    """By day of the week and half hour, (7, 48) each.

    Attributes
    ----------
    real, nuisance : alarms that started then
    footage_s : how much footage there was
    incident : whether any incident ran then
    """

    real: NDArray[np.int64]
    nuisance: NDArray[np.int64]
    footage_s: NDArray[np.float64]
    incident: NDArray[np.bool_]


@dataclass(frozen=True)
class Saving:
    """Hours that could be left out: which days, which stretch, how many nuisances of all fall into it."""

    days: tuple[int, ...]
    days_text: str
    piece: Piece
    nuisances: int
    of: int


def tide_of(parts: Sequence[Measured], zone: ZoneInfo) -> Tide:
    """Lay what was measured over the week of a time zone."""
    real, nuisance = np.zeros((7, BINS), np.int64), np.zeros((7, BINS), np.int64)
    footage_s, incident = np.zeros((7, BINS)), np.zeros((7, BINS), bool)
    for part in parts:
        places = _places(part.alarms[:, 0], zone)
        for counts, which in ((nuisance, part.nuisance), (real, ~part.nuisance)):
            np.add.at(counts, (places[which, 0], places[which, 1]), 1)
        for start, end in part.footage.tolist():
            edges = _edges(start, end)
            for (day, place), first, last in zip(_places(edges[:-1], zone), edges[:-1], edges[1:], strict=True):
                footage_s[day, place] += (last - first) / 1e6
        for start, end in part.incidents.tolist():
            for day, place in _places(_edges(start, max(end, start + 1))[:-1], zone):
                incident[day, place] = True
    return Tide(real, nuisance, footage_s, incident)


def _edges(start: int, end: int) -> NDArray[np.int64]:
    """Start, every half hour between, and end. Zones are offset by whole quarters of an hour: halves are cut at quarters."""
    quarter = _BIN_US // 2
    first = (start // quarter + 1) * quarter
    return np.concatenate([[start], np.arange(first, end, quarter), [end]]).astype(np.int64)


def _places(at_us: NDArray[np.int64], zone: ZoneInfo) -> NDArray[np.int64]:
    """Day of the week and half hour of instants, (n, 2). Zones are offset by whole quarters of an hour, so that all of one lie in the
    same half hour of the zone."""
    quarters, which = np.unique(at_us // (_BIN_US // 2), return_inverse=True)
    found = np.zeros((len(quarters), 2), np.int64)
    for row, quarter in enumerate(quarters.tolist()):
        at = (EPOCH + quarter * (_BIN_US // 2) * US).astimezone(zone)
        found[row] = at.weekday(), (at.hour * 60 + at.minute) // BIN_MIN
    return found[which]


def savings(tide: Tide, week: Week) -> list[Saving]:
    """Stretches of some days that hold nuisances and no incident, within a week of hours: of each group of days the one with the most,
    the best first. Where any of its days has no footage nobody knows, and nothing is proposed."""
    on = np.zeros((7, BINS), bool)
    for day, pieces in enumerate(week):
        for start, end in pieces:
            on[day, start // BIN_MIN : -(-end // BIN_MIN)] = True
    total = int(tide.nuisance[on].sum())
    found: list[Saving] = []
    for text, days in _GROUPS:
        rows = list(days)
        bad: list[bool] = (tide.incident[rows] | (tide.real[rows] > 0)).max(axis=0).tolist()
        seen: list[bool] = (tide.footage_s[rows] > 0).min(axis=0).tolist()
        counts = (tide.nuisance[rows] * on[rows]).sum(axis=0)
        best: tuple[int, int, int] | None = None
        start = 0
        for place in range(BINS + 1):
            if place == BINS or bad[place] or not seen[place]:
                count = int(counts[start:place].sum())
                if place - start >= _LEAST_BINS and count and (best is None or count > best[0]):
                    best = (count, start, place)
                start = place + 1
        if best is not None:
            found.append(Saving(days, text, (best[1] * BIN_MIN, best[2] * BIN_MIN), best[0], total))
    return sorted(found, key=lambda held: -held.nuisances)


def running(part: Measured, held: Spans) -> int:
    """How many alarms run at any instant of a set."""
    return int(runs(held, part.alarms).sum())


def out_of_hours(parts: Sequence[Measured], armed: Spans) -> int:
    """How many incidents no instant of a set holds."""
    return sum(int((~runs(armed, part.incidents)).sum()) for part in parts)


assert len(DAYS) == 7
