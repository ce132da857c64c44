"""A place before and after, as pictures: what is another thing, whether it stays, and whether it came or went."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

_PIXEL_GREY, _RESTLESS = 5.0, 2.5
"""A pixel is another thing from so many grey levels on, and so many times what it does by itself."""
PIXELS_LEAST = 8
"""A thing has so many."""
_EVEN = 1e-6
_STEEP = 2.0
"""So many times the usual edge of the change an edge counts for at most."""
_FADES_PX, _ENDS = 3, 0.28
"""The slope at the outline as a share of the change, a half where it ends from one pixel to the next, times how much of it is gone so
far beyond: things have 0.38 to 0.54, pools of lamps and shadows up to 0.2."""
_MAY = 0.7 * _ENDS
"""By pictures that are further apart."""
_GRAIN_PX, _GRAIN_LEAST, _ALIKE = 2.0, 12, 0.9
"""What is finer is grain, told from so many pixels: where it is the same before and after, by its correlation, nothing lies on it."""
_BLACK, _LIKE, _ROUNDS = 8.0, 0.02, 8
"""Grey levels that keep dark pixels from counting; a ratio so near counts wholly; so many rounds of weighting."""


@dataclass(frozen=True, eq=False)
class Views:
    """A place before and after, each as some pictures in which nobody stands before it, (pictures, height, width) grey levels."""

    before: NDArray[np.float64]
    after: NDArray[np.float64]

    def thing(self) -> NDArray[np.bool_]:
        """The pixels that are another thing after than before, well beyond what they do by themselves; the largest piece."""
        apart = np.abs(np.median(self.after, axis=0) - np.median(self.before, axis=0))
        restless = np.maximum(_restless(self.before), _restless(self.after))
        labels, count = ndimage.label(apart >= np.maximum(_PIXEL_GREY, _RESTLESS * restless))
        if count == 0:
            return np.zeros(apart.shape, bool)
        sizes = np.bincount(labels.ravel())[1:]
        return np.asarray(labels == 1 + int(sizes.argmax()))

    def may_differ(self) -> bool:
        """Whether there may be a thing, by pictures that are no better than they happen to be."""
        thing = self.thing()
        return bool(thing.sum() >= PIXELS_LEAST // 2) and self.covers(thing, _MAY)

    def stays(self, thing: NDArray[np.bool_]) -> bool:
        """Whether every picture after shows the thing as the others do, and none as it was before."""
        was, is_ = (np.median(pictures, axis=0)[thing] for pictures in (self.before, self.after))
        return all(np.abs(now[thing] - is_).mean() < 0.5 * np.abs(now[thing] - was).mean() for now in self.after)

    def is_left(self, thing: NDArray[np.bool_]) -> float:
        """About -1 where it was there before, 1 where it is there after: the picture that holds it has the edges of the change along
        its outline, the other none of them. What both have, such as lines of the ground, counts for neither."""
        rim = _rim(_whole(thing))
        before, after = (_slopes(np.median(pictures, axis=0))[:, rim] for pictures in (self.before, self.after))
        # An edge that was there already, such as that of a post, must not drown those of the change.
        steep = _STEEP * float(np.median(np.hypot(*(after - before)))) + _EVEN
        before, after = (held * np.minimum(1, steep / (np.hypot(*held) + _EVEN)) for held in (before, after))
        return float(((after**2).sum() - (before**2).sum()) / (((after - before) ** 2).sum() + _EVEN))

    def covers(self, thing: NDArray[np.bool_], least: float = _ENDS) -> bool:
        """Whether it ends at its outline and hides what lies under it. Light and shadow fade out, and what they fall on still shows."""
        before, after = (np.median(pictures, axis=0) for pictures in (self.before, self.after))
        change, whole = after - before, _whole(thing)
        usual = np.abs(change)[thing].mean() + _EVEN
        around = ndimage.binary_dilation(whole, iterations=_FADES_PX) & ~ndimage.binary_dilation(whole)
        ends = np.hypot(*_slopes(change))[_rim(whole)].mean() / usual
        falls = 1 - (np.abs(change)[around].mean() / usual if around.any() else 0.0)
        inner = ndimage.binary_erosion(whole, iterations=2)  # its own edge is no grain of the ground
        inner = inner if inner.sum() >= _GRAIN_LEAST else whole
        grains = [(picture - ndimage.gaussian_filter(picture, _GRAIN_PX))[inner] for picture in (before, after)]
        spread = float(np.prod([grain.std() for grain in grains]))
        alike = float(np.mean(np.prod([grain - grain.mean() for grain in grains], axis=0))) / (spread + _EVEN)
        return bool(ends * falls >= least and alike < _ALIKE)


def evened(before: NDArray[np.float64], after: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Pictures with the light of the usual one before: what changes all over them, or evenly across, is light, and no thing.

    Light multiplies what is seen; how much is a plane over the picture, found by least squares that are weighted again and again so
    that what does not fit counts for little (Holland and Welsch 1977).
    """
    usual = np.log(np.median(before, axis=0) + _BLACK)
    down, across = (axis.ravel() / max(usual.shape) for axis in np.indices(usual.shape))
    plane = np.column_stack([np.ones(usual.size), down, across])
    crossed = (plane[:, :, None] * plane[:, None, :]).reshape(-1, 9)
    pictures = np.concatenate([before, after])
    ratio = (np.log(np.maximum(pictures, 0) + _BLACK) - usual).reshape(len(pictures), -1)
    held = np.zeros((len(pictures), 3))
    held[:, 0] = np.median(ratio, axis=1)
    for _ in range(_ROUNDS):
        weights = 1 / np.maximum(np.abs(ratio - held @ plane.T), _LIKE)
        sums = (weights @ crossed).reshape(-1, 3, 3)
        held = np.linalg.solve(sums, ((weights * ratio) @ plane)[:, :, None])[:, :, 0]
    lit = (pictures + _BLACK) * np.exp(-(held @ plane.T)).reshape(pictures.shape) - _BLACK
    return lit[: len(before)], lit[len(before) :]


def _whole(thing: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """A thing with its gaps and holes, where it happens to be as bright as the ground."""
    return np.asarray(ndimage.binary_fill_holes(ndimage.binary_closing(np.pad(thing, 2), iterations=2))[2:-2, 2:-2])


def _rim(whole: NDArray[np.bool_]) -> NDArray[np.bool_]:
    return np.asarray(ndimage.binary_dilation(whole) & ~ndimage.binary_erosion(whole))


def _restless(pictures: NDArray[np.float64]) -> NDArray[np.float64]:
    """Deviation of each pixel, which a picture or two that somebody stands in cannot raise: the median one, as of normal noise."""
    return np.asarray(1.4826 * np.median(np.abs(pictures - np.median(pictures, axis=0)), axis=0))


def _slopes(picture: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.stack([ndimage.sobel(picture, axis=axis) / 8 for axis in (0, 1)])
