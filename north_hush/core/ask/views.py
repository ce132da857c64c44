"""A place before and after, as pictures: what is another thing, whether it stays, and whether it came or went."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from north_hush.core.compiled import compiled

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
_STAYS = 0.5
"""A picture is nearer to the usual one after than to that before, by so much."""
_MAY = 0.7 * _ENDS
"""By pictures that are further apart."""
_GRAIN_PX, _GRAIN_LEAST, _ALIKE = 2.0, 12, 0.9
"""What is finer is grain, told from so many pixels: where it is the same before and after, by its correlation, nothing lies on it."""
_BLACK, _LIKE = 8.0, 0.02
"""Grey levels that keep dark pixels from counting; a ratio so near counts wholly."""
_ROUNDS, _SETTLED = 8, 1e-4
"""So many rounds of weighting at most; a plane that moves by less, a hundredth of a grey level, is found."""


@dataclass(frozen=True, eq=False)
class Views:
    """A place before and after, each as some pictures in which nobody stands before it, (pictures, height, width) grey levels."""

    before: NDArray[np.float64]
    after: NDArray[np.float64]

    @cached_property
    def usual(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """The usual picture before and after, (height, width) each."""
        return middles(self.before), middles(self.after)

    def thing(self) -> NDArray[np.bool_]:
        """The pixels that are another thing after than before, well beyond what they do by themselves; the largest piece."""
        before, after = self.usual
        apart = np.abs(after - before)
        restless = np.maximum(_restless(self.before, before), _restless(self.after, after))
        labels, count = ndimage.label(apart >= np.maximum(_PIXEL_GREY, _RESTLESS * restless))
        if count == 0:
            return np.zeros(apart.shape, bool)
        sizes = np.bincount(labels.ravel())[1:]
        return np.asarray(labels == 1 + int(sizes.argmax()))

    def may_differ(self, soon: int) -> bool:
        """Whether there may be a thing, by pictures that are no better than they happen to be; so many of those after, the first, are
        from when it must lie there."""
        thing = self.thing()
        if thing.sum() < PIXELS_LEAST // 2:
            return False
        return self._shown(thing, self.after[:soon]) and self.covers(thing, _MAY)

    def stays(self, thing: NDArray[np.bool_]) -> bool:
        """Whether every picture after shows the thing as the others do, and none as it was before."""
        return self._shown(thing, self.after)

    def _shown(self, thing: NDArray[np.bool_], pictures: NDArray[np.float64]) -> bool:
        was, is_ = (picture[thing] for picture in self.usual)
        return all(np.abs(now[thing] - is_).mean() < _STAYS * np.abs(now[thing] - was).mean() for now in pictures)

    def is_left(self, thing: NDArray[np.bool_]) -> float:
        """About -1 where it was there before, 1 where it is there after: the picture that holds it has the edges of the change along
        its outline, the other none of them. What both have, such as lines of the ground, counts for neither."""
        rim = _rim(_whole(thing))
        before, after = (_slopes(picture)[:, rim] for picture in self.usual)
        # An edge that was there already, such as that of a post, must not drown those of the change.
        steep = _STEEP * float(np.median(np.hypot(*(after - before)))) + _EVEN
        before, after = (held * np.minimum(1, steep / (np.hypot(*held) + _EVEN)) for held in (before, after))
        return float(((after**2).sum() - (before**2).sum()) / (((after - before) ** 2).sum() + _EVEN))

    def covers(self, thing: NDArray[np.bool_], least: float = _ENDS) -> bool:
        """Whether it ends at its outline and hides what lies under it. Light and shadow fade out, and what they fall on still shows."""
        before, after = self.usual
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
    usual = np.log(middles(before) + _BLACK)
    down, across = (axis.ravel() / max(usual.shape) for axis in np.indices(usual.shape))
    pictures = np.concatenate([before, after])
    ratio = (np.log(np.maximum(pictures, 0) + _BLACK) - usual).reshape(len(pictures), -1)
    planes = light_planes(ratio, down, across)
    lit = (pictures + _BLACK) * np.exp(-planes).reshape(pictures.shape) - _BLACK
    return lit[: len(before)], lit[len(before) :]


@compiled
def light_planes(
    ratio: NDArray[np.float64], down: NDArray[np.float64], across: NDArray[np.float64]
) -> NDArray[np.float64]:
    """The plane through each picture's pixels that most of them lie near, at each pixel.

    Parameters
    ----------
    ratio : (pictures, pixels), logarithms
    down, across : (pixels,), where they are

    Returns
    -------
    (pictures, pixels) float64
    """
    planes = np.empty_like(ratio)
    for number in range(ratio.shape[0]):
        row = ratio[number]
        level, slope, tilt = np.median(row), 0.0, 0.0
        for _ in range(_ROUNDS):
            n = y = x = yy = yx = xx = r = ry = rx = 0.0
            for at in range(row.size):
                off = abs(row[at] - (level + slope * down[at] + tilt * across[at]))
                weight = 1 / max(off, _LIKE)
                n += weight
                y += weight * down[at]
                x += weight * across[at]
                yy += weight * down[at] * down[at]
                yx += weight * down[at] * across[at]
                xx += weight * across[at] * across[at]
                r += weight * row[at]
                ry += weight * row[at] * down[at]
                rx += weight * row[at] * across[at]
            # Three equations with three unknowns, by Cramer's rule.
            a, b, c = yy * xx - yx * yx, yx * x - y * xx, y * yx - yy * x
            whole = n * a + y * b + x * c
            before = level, slope, tilt
            level = (r * a + ry * b + rx * c) / whole
            slope = (r * b + ry * (n * xx - x * x) + rx * (x * y - n * yx)) / whole
            tilt = (r * c + ry * (x * y - n * yx) + rx * (n * yy - y * y)) / whole
            if abs(level - before[0]) + abs(slope - before[1]) + abs(tilt - before[2]) < _SETTLED:
                break
        for at in range(row.size):
            planes[number, at] = level + slope * down[at] + tilt * across[at]
    return planes


@compiled
def middles(pictures: NDArray[np.float64]) -> NDArray[np.float64]:
    """The median of each pixel, (height, width) float64, of a few pictures, (pictures, height, width)."""
    count, rows, columns = pictures.shape
    found = np.empty((rows, columns))
    held = np.empty(count)
    for row in range(rows):
        for column in range(columns):
            for number in range(count):
                value, at = pictures[number, row, column], number
                while at > 0 and held[at - 1] > value:
                    held[at] = held[at - 1]
                    at -= 1
                held[at] = value
            found[row, column] = (held[(count - 1) // 2] + held[count // 2]) / 2
    return found


def _whole(thing: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """A thing with its gaps and holes, where it happens to be as bright as the ground."""
    return np.asarray(ndimage.binary_fill_holes(ndimage.binary_closing(np.pad(thing, 2), iterations=2))[2:-2, 2:-2])


def _rim(whole: NDArray[np.bool_]) -> NDArray[np.bool_]:
    return np.asarray(ndimage.binary_dilation(whole) & ~ndimage.binary_erosion(whole))


def _restless(pictures: NDArray[np.float64], usual: NDArray[np.float64]) -> NDArray[np.float64]:
    """Deviation of each pixel, which a picture or two that somebody stands in cannot raise: the median one, as of normal noise."""
    return np.asarray(1.4826 * middles(np.abs(pictures - usual)))


def _slopes(picture: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.stack([ndimage.sobel(picture, axis=axis) / 8 for axis in (0, 1)])
