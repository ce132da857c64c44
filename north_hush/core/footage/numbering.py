"""Which frame of a recording a decoded picture is: by its place in the order of presentation, not by its stamp alone."""

from __future__ import annotations

from north_hush.core.footage.index import FrameIndex

_AHEAD = 64
"""A decoder that passes frames over is followed so far."""


class Numbering:
    """Numbers decoded pictures, which come in the order of the index; some may be missing, and stamps may repeat.

    Parameters
    ----------
    first : number of the next picture, as far as is known
    """

    def __init__(self, index: FrameIndex, first: int = 0) -> None:
        self._pts, self._shown, self._next = index.pts, index.stamped and index.shown, first
        self._frames = index.frames

    def next(self, stamp: int | None) -> int | None:
        """Number of the next picture; None beyond the last frame of the index, or before the first that is looked for."""
        if self._next >= self._frames:
            return None
        found = self._next
        if self._shown and stamp is not None:
            ahead = self._pts[self._next : self._next + _AHEAD]
            at = (ahead == stamp).nonzero()[0]
            if len(at):
                found += int(at[0])
        self._next = found + 1
        return found
