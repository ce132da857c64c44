"""Sets of half-open spans of time on int64 microseconds of UTC: sorted, disjoint, not touching. Pure functions on (n, 2) arrays."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

Spans = NDArray[np.int64]
"""(n, 2) starts and ends, in order; an end is no longer inside."""

NOTHING: Spans = np.zeros((0, 2), np.int64)


def spans_of(pairs: Iterable[tuple[int, int]]) -> Spans:
    """Any spans as a set: in order, those that overlap or touch made one, empty ones left out."""
    held = np.array([pair for pair in pairs if pair[1] > pair[0]], np.int64).reshape(-1, 2)
    held = held[np.argsort(held[:, 0], kind="stable")]
    if len(held) == 0:
        return held
    reach = np.maximum.accumulate(held[:, 1])
    first = np.concatenate([[True], held[1:, 0] > reach[:-1]])
    starts = held[first, 0]
    last = np.concatenate([np.flatnonzero(first)[1:] - 1, [len(held) - 1]])
    return np.stack([starts, reach[last]], axis=1)


def union(sets: Iterable[Spans]) -> Spans:
    """What lies in any of some sets."""
    return spans_of((int(start), int(end)) for held in sets for start, end in held.tolist())


def within(spans: Spans, start_us: int, end_us: int) -> Spans:
    """What of a set lies between two instants."""
    cut = np.clip(spans, start_us, end_us)
    return cut[cut[:, 1] > cut[:, 0]]


def common(first: Spans, second: Spans) -> Spans:
    """What lies in both sets."""
    parts = [within(second, start, end) for start, end in first.tolist()]
    return np.concatenate(parts) if parts else np.zeros((0, 2), np.int64)


def outside(spans: Spans, start_us: int, end_us: int) -> Spans:
    """What between two instants lies in none of a set."""
    held = within(spans, start_us, end_us)
    edges = np.concatenate([[start_us], held.reshape(-1), [end_us]]).reshape(-1, 2)
    return edges[edges[:, 1] > edges[:, 0]]


def total_us(spans: Spans) -> int:
    """How long a set lasts in all."""
    return int((spans[:, 1] - spans[:, 0]).sum())


def running_in(spans: Spans, start_us: int, end_us: int) -> tuple[int, int] | None:
    """First and last instant at which something that runs from a start to an end (both included) runs in a set: its own start or the
    moment of arming, its own end or the last one that still counts. None where it never does."""
    place = int(np.searchsorted(spans[:, 1], start_us, side="right"))
    if place >= len(spans) or spans[place, 0] > end_us:
        return None
    last = int(np.searchsorted(spans[:, 0], end_us, side="right")) - 1
    return max(start_us, int(spans[place, 0])), min(end_us, int(spans[last, 1]))


def runs(spans: Spans, pairs: Spans) -> NDArray[np.bool_]:
    """Which of (n, 2) starts and ends, both included, run at any instant of a set, (n,) bool."""
    return first_running(spans, pairs[:, 0], pairs[:, 1]) >= 0


def first_running(spans: Spans, starts_us: NDArray[np.int64], ends_us: NDArray[np.int64]) -> NDArray[np.int64]:
    """The first instant of `running_in` for many at once, (n,) int64; -1 where one never runs in the set."""
    if len(spans) == 0:
        return np.full(len(starts_us), -1, np.int64)
    place = np.searchsorted(spans[:, 1], starts_us, side="right")
    begins = spans[np.minimum(place, len(spans) - 1), 0]
    runs = (place < len(spans)) & (begins <= ends_us)
    return np.where(runs, np.maximum(starts_us, begins), -1)
