"""The ledger: alarms under the present settings against those under pinned ones."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from north_hush.core.judge.incidents import Truth
from north_hush.core.judge.score import Span, meetings, met_incidents

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


def ledger(pinned: Sequence[Span], now: Sequence[Span], truth: Truth) -> Ledger:
    """Compare two lists of alarms.

    An alarm of now is *kept* when it overlaps a pinned one of the same item, else *new*. A pinned one that overlaps none of
    now is *lost* when it met an incident that is missed now, else *silenced*.
    """
    both = zip(truth.incidents, met_incidents(pinned, truth), met_incidents(now, truth), strict=True)
    gone = [held for held, before, after in both if before and not after]
    meets: list[bool] = np.atleast_1d(meetings(pinned, gone).any(axis=1)).tolist()
    entries = [Entry(span, "kept" if _overlaps(span, pinned) else "new") for span in now]
    for span, met in zip(pinned, meets, strict=True):
        if not _overlaps(span, now):
            entries.append(Entry(span, "lost" if met else "silenced"))
    entries.sort(key=lambda entry: (entry.span.start_s, entry.span.item, entry.state))
    return Ledger(tuple(entries), tuple(held.name for held in gone))


def _overlaps(span: Span, others: Sequence[Span]) -> bool:
    return any(
        other.item == span.item and other.onset_s <= span.end_s and other.end_s >= span.onset_s for other in others
    )
