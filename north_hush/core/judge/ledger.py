"""The ledger: alarms under the present settings against those under pinned ones."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from north_hush.core.judge.incidents import Truth
from north_hush.core.judge.matching import Concerns, Span, matches, met_incidents

State = Literal["kept", "new", "silenced", "lost"]
STATES: tuple[State, ...] = ("lost", "new", "silenced", "kept")
"""What matters most comes first."""


@dataclass(frozen=True)
class Entry:
    """An alarm and what became of it. `kept` and `new` ones are of now, `silenced` and `lost` ones were pinned."""

    span: Span
    state: State


@dataclass(frozen=True)
class Ledger:
    """All entries by time, and the incidents that the pinned settings met and the present ones miss."""

    entries: tuple[Entry, ...]
    lost_incidents: tuple[str, ...]

    def count(self, state: State) -> int:
        """How many entries are in a state."""
        return sum(entry.state == state for entry in self.entries)


def ledger(
    pinned: Sequence[Span],
    now: Sequence[Span],
    truth: Truth,
    concerns: Concerns | None = None,
    *,
    by_item: bool = True,
) -> Ledger:
    """Compare two lists of alarms; with `by_item` False those of any item with those of any other, and every incident as one
    of the whole view: a device does not tell its alarms as the plan does.

    An alarm of now is *kept* when it overlaps a pinned one of the same item, else *new*. A pinned one that overlaps none of
    now is *lost* when it met an incident that is missed now, else *silenced*.
    """
    told, shown = pinned, now
    if not by_item:
        pinned, now = ([replace(span, item="", crosses=False) for span in spans] for spans in (pinned, now))
        anyone = tuple(held.model_copy(update={"items": ()}) for held in truth.incidents)
        truth, concerns = truth.model_copy(update={"incidents": anyone}), [None] * len(anyone)
    before = matches(pinned, truth, concerns)
    was_met: list[bool] = np.atleast_1d(before.starts.any(axis=0)).tolist()
    both = zip(was_met, met_incidents(now, truth, concerns), strict=True)
    gone = np.array([bool(was) and not is_now for was, is_now in both], bool)
    meets: list[bool] = np.atleast_1d(before.real[:, gone].any(axis=1)).tolist()
    overlap = _overlaps(pinned, now)
    kept, held = np.atleast_1d(overlap.any(axis=0)).tolist(), np.atleast_1d(overlap.any(axis=1)).tolist()
    entries = [Entry(span, "kept" if same else "new") for span, same in zip(shown, kept, strict=True)]
    for span, met, same in zip(told, meets, held, strict=True):
        if not same:
            entries.append(Entry(span, "lost" if met else "silenced"))
    entries.sort(key=lambda entry: (entry.span.start_s, entry.span.item, entry.state))
    lost = tuple(one.name for one, is_gone in zip(truth.incidents, gone.tolist(), strict=True) if is_gone)
    return Ledger(tuple(entries), lost)


def _overlaps(first: Sequence[Span], second: Sequence[Span]) -> NDArray[np.bool_]:
    """Which alarms of two lists overlap and are of the same item, (first, second) bool."""
    onsets, others = (np.array([span.onset_s for span in spans], float) for spans in (first, second))
    ends, other_ends = (np.array([span.end_s for span in spans], float) for spans in (first, second))
    numbers: dict[str, int] = {}  # names would be compared one by one, and nobody else could go on meanwhile
    items, other_items = (
        np.array([numbers.setdefault(span.item, len(numbers)) for span in spans], np.int64) for spans in (first, second)
    )
    over = (onsets[:, None] <= other_ends) & (ends[:, None] >= others)
    return np.asarray(over & (items[:, None] == other_items))
