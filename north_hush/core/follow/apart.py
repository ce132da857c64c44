"""Tracks one after the other: what was followed comes frame by frame, and is asked for by track, or of all tracks at once."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from north_hush.core.follow.tracks import FRAME, HITS, HOW, SIGHT_FIELDS, TRACK, UNSEEN

HITS_LEAST = 5
"""A track that was seen in fewer frames is no track."""


@dataclass(frozen=True, eq=False)
class Apart:
    """Sights of all tracks, in single precision, which cells and the frames of weeks need no more than.

    Attributes
    ----------
    columns : (SIGHT_FIELDS, sights) float32, see `tracks`, by track and then by frame; may be mapped
    starts : (tracks + 1,) int64, where each track begins in them, and their end
    """

    columns: NDArray[np.float32]
    starts: NDArray[np.int64]

    def __len__(self) -> int:
        return len(self.starts) - 1

    def __getitem__(self, number: int) -> NDArray[np.float32]:
        """The sights of one track, (sights, SIGHT_FIELDS), by its place among them."""
        return np.asarray(self.columns[:, self.starts[number] : self.starts[number + 1]].T)

    def of(self, number: int) -> NDArray[np.float32] | None:
        """The sights of the track of a number; None where there is none."""
        place = np.flatnonzero(self.numbers == number)
        return self[int(place[0])] if len(place) else None

    def __iter__(self) -> Iterator[NDArray[np.float32]]:
        return (self[number] for number in range(len(self)))

    def parts(self, sights: int) -> Iterator[Apart]:
        """All tracks, some after the other: those that begin with the first so many sights, then with twice as many, and so on."""
        first = 0
        while first < len(self):
            after = max(first + 1, int(np.searchsorted(self.starts, self.starts[first] + sights)))
            after = min(after, len(self))
            low, high = int(self.starts[first]), int(self.starts[after])
            yield Apart(self.columns[:, low:high], self.starts[first : after + 1] - low)
            first, sights = after, 2 * sights

    @property
    def numbers(self) -> NDArray[np.int64]:
        """The number of each track, (tracks,) int64."""
        return np.asarray(self.columns[TRACK][self.starts[:-1]].astype(np.int64))

    @property
    def spans(self) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """First and last frame of each track, (tracks,) int64 each."""
        frames = self.columns[FRAME]
        return frames[self.starts[:-1]].astype(np.int64), frames[self.starts[1:] - 1].astype(np.int64)


def order_of(sights: NDArray[np.float64]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Which sights belong to tracks that were seen often enough to be one, track after track, without the frames each went on unseen at
    its end; and where each begins in that order, and the end.

    Parameters
    ----------
    sights : (sights, SIGHT_FIELDS) float64, by frame
    """
    order = np.argsort(sights[:, TRACK].astype(np.int32), kind="stable")
    if len(order) == 0:
        return order, np.zeros(1, np.int64)
    begins = np.flatnonzero(np.diff(sights[order, TRACK], prepend=-1.0))
    place = np.arange(len(order))
    last = np.maximum.reduceat(np.where(sights[order, HOW] != UNSEEN, place, -1), begins)
    often = (last >= 0) & (sights[order[np.maximum(last, 0)], HITS] >= HITS_LEAST)
    which = np.repeat(np.arange(len(begins)), np.diff(begins, append=len(order)))
    kept = order[often[which] & (place <= last[which])]
    return kept, np.concatenate([[0], (last - begins + 1)[often].cumsum()]).astype(np.int64)


def tracks_apart(sights: NDArray[np.float64]) -> list[NDArray[np.float64]]:
    """The sights of each track that was seen often enough to be one, see `order_of`."""
    order, starts = order_of(sights)
    return [sights[order[first:after]] for first, after in zip(starts[:-1].tolist(), starts[1:].tolist(), strict=True)]


def apart_of(tracks: Sequence[NDArray[np.float64]]) -> Apart:
    """Tracks that are apart, as one value."""
    columns = np.concatenate([np.zeros((SIGHT_FIELDS, 0)), *(sights.T for sights in tracks)], axis=1)
    starts = np.cumsum([0, *(len(sights) for sights in tracks)]).astype(np.int64)
    return Apart(columns.astype(np.float32), starts)
