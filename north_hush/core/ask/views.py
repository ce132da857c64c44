"""A place before and after, as pictures: what is another thing, whether it stays, and whether it came or went."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

_PIXEL_GREY, _RESTLESS = 5.0, 2.5
"""A pixel is another thing from so many grey levels on, and so many times what it does by itself."""
_RIM_PX, _EVEN = 4, 1e-6

Cut = Callable[[int], NDArray[np.float64]]
"""The same of a part of the picture."""


class Look(Protocol):
    """Pictures of evidence rows as grey levels on the analysis plane, (plane height, plane width), privacy masks covered."""

    def prepare(self, rows: Iterable[int]) -> None:
        """Many are wanted soon: going through a recording once is cheaper than jumping in it."""
        ...

    def __call__(self, row: int) -> NDArray[np.float64]:
        """The picture of a row."""
        ...


@dataclass(frozen=True, eq=False)
class Views:
    """A place before and after, each as some pictures in which nobody stands before it, (pictures, height, width) grey levels."""

    before: NDArray[np.float64]
    after: NDArray[np.float64]

    def thing(self) -> NDArray[np.bool_]:
        """The pixels that are another thing after than before, well beyond what they do by themselves; the largest piece."""
        apart = np.abs(np.median(self.after, axis=0) - np.median(self.before, axis=0))
        restless = np.maximum(self.before.std(axis=0), self.after.std(axis=0))
        labels, count = ndimage.label(apart >= np.maximum(_PIXEL_GREY, _RESTLESS * restless))
        if count == 0:
            return np.zeros(apart.shape, bool)
        sizes = np.bincount(labels.ravel())[1:]
        return np.asarray(labels == 1 + int(sizes.argmax()))

    def stays(self, thing: NDArray[np.bool_]) -> bool:
        """Whether every picture after shows the thing as the others do, and none as it was before."""
        was, is_ = (np.median(pictures, axis=0)[thing] for pictures in (self.before, self.after))
        return all(np.abs(now[thing] - is_).mean() < 0.5 * np.abs(now[thing] - was).mean() for now in self.after)

    def is_left(self, thing: NDArray[np.bool_]) -> float:
        """From -1, it was there before, to 1, it is there after: where edges run along its outline."""
        rim = ndimage.binary_dilation(thing) & ~ndimage.binary_erosion(thing)
        edges = []
        for pictures in (self.before, self.after):
            middle = np.median(pictures, axis=0)
            slope = np.hypot(ndimage.sobel(middle, axis=0), ndimage.sobel(middle, axis=1)) / 8
            edges.append(float(slope[rim].mean()))
        return (edges[1] - edges[0]) / (edges[1] + edges[0] + _EVEN)


def evened(before: NDArray[np.float64], after: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Pictures with the light of the first: what changes alike all along their rim is light, and no thing."""
    rim = np.ones(before.shape[1:], bool)
    rim[_RIM_PX:-_RIM_PX, _RIM_PX:-_RIM_PX] = False
    lights = [np.median(pictures[:, rim], axis=1)[:, None, None] for pictures in (before, after)]
    return before - (lights[0] - lights[0][0]), after - (lights[1] - lights[0][0])
