"""Survival tables of zones and wires: the changed area in every frame at every change limit a dial can stand on.

One is worked out by one sweep over a channel, for many places at once, and kept beside the evidence, so that a moved change limit is
a row that is looked up, of an hour as of a day, and after a restart too.
"""

from __future__ import annotations

import hashlib
from collections.abc import Hashable, Sequence

import numpy as np
from numpy.typing import NDArray

from north_hush.core.detect.levels import RUNGS, fill_survival, rung_of, table_dtype
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.kept import Keeping, find_kept
from north_hush.core.memo import Memo
from north_hush.core.scene.weights import Weights


class Tables:
    """Finds and makes them."""

    def __init__(self, memo: Memo) -> None:
        self._memo = memo

    def find(self, evidence: Evidence, channel: str, weights: Weights) -> NDArray[np.unsignedinteger] | None:
        """The table of a place, from memory or disk; None when it is not made yet."""
        key = _key(evidence, channel, weights)
        held: NDArray[np.unsignedinteger] | None = self._memo.get(key)
        if held is None:
            found = find_kept(evidence.folder, _what(channel, weights), _shape(evidence), table_dtype(weights.total))
            held = None if found is None else self._memo.put(key, found)
        return held

    def has(self, evidence: Evidence, channel: str, weights: Weights, limit_quarters: int) -> bool:
        """Whether a table tells the changed area at a change limit."""
        return rung_of(limit_quarters) is not None and self.find(evidence, channel, weights) is not None

    def areas(
        self, evidence: Evidence, channel: str, weights: Weights, limit_quarters: int
    ) -> NDArray[np.int64] | None:
        """Changed area in each frame at a change limit, (frames,) int64; None where no table tells."""
        rung = rung_of(limit_quarters)
        table = self.find(evidence, channel, weights) if rung is not None else None
        return None if table is None else np.asarray(table[rung], np.int64)

    def make(self, evidence: Evidence, channel: str, places: Sequence[Weights]) -> bool:
        """Make the tables of some places in one sweep. False where one would not fit beside what is kept in memory."""
        todo = {held.key: held for held in places if self.find(evidence, channel, held) is None}
        if not todo:
            return True
        shape = _shape(evidence)
        bytes_each = [shape[0] * shape[1] * table_dtype(held.total).itemsize for held in todo.values()]
        if evidence.folder is None and sum(bytes_each) > self._memo.limit_bytes // 2:
            return False
        making = [
            (held, Keeping(evidence.folder, _what(channel, held), shape, table_dtype(held.total)))
            for held in todo.values()
        ]
        try:
            for first, values in evidence.blocks(channel):
                for held, room in making:
                    fill_survival(values, held, room.array, first)
                    room.let_go()
            for held, room in making:
                self._memo.put(_key(evidence, channel, held), room.finish())
        finally:
            for _, room in making:
                room.discard()
        return all(_key(evidence, channel, held) in self._memo for held in todo.values())


def _shape(evidence: Evidence) -> tuple[int, int]:
    return len(RUNGS), len(evidence.frames)


def _key(evidence: Evidence, channel: str, weights: Weights) -> Hashable:
    return "table", evidence.key, len(evidence.frames), channel, weights.key


def _what(channel: str, weights: Weights) -> str:
    return f"table {channel} {hashlib.blake2b(weights.key, digest_size=16).hexdigest()}"
