"""Follow how well a camera sees, frame by frame, alike on evidence and live."""

from __future__ import annotations

import math
from collections import deque
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from north_hush.core.courtesy import give_way
from north_hush.core.footage.differences import SHARE_LIMITS_GREY
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.luma import PLANE_SCALE
from north_hush.core.footage.scene_shift import LOOK_US, PARTS
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.sight.rules import BORN, KINDS, Blindness, SightRule

FROZEN_S = 10.0
"""Frames in which hardly a cell changes for so long are a frozen picture: a live one has noise. At a key frame among others an encoder
draws even a picture that stands still anew, so that it tells nothing; where every frame is one, each does."""
_REFINED_PART, _REFINED_MOST_US = 4, US_PER_S
"""For one over this of the time between key frames, a second at most, it improves on what it drew: what changes by less than 4 grey
levels in there tells nothing either. The rest of that time has the noise of a live picture."""
_FORGIVEN = 2
"""So many frames more that change by less are an encoder's too; of a live picture it would be dozens."""
_BY_4_GREY = f"share_{SHARE_LIMITS_GREY[0]}"
USUAL_TAU_S = 60.0
"""What is usual follows so slowly."""
_SETTLE_S = 5.0
"""So long is waited until anything is usual."""
_BLACK_GREY, _WHITE_GREY = 24.0, 225.0
_LEAST_SHARP = 1.0 / PLANE_SCALE
_SEEN = 0.35
"""A scene this much alike somewhere is the scene."""


@dataclass(frozen=True)
class Blind:
    """A time in which a camera was blind.

    Attributes
    ----------
    end_us : None while it lasts
    peak_percent : the highest level
    moved : by which shares of the picture's width and height it was turned, to the right and down; zeros of other kinds
    """

    kind: Blindness
    start_us: int
    end_us: int | None
    peak_percent: float
    moved: tuple[float, float] = (0.0, 0.0)


@dataclass
class _Usual:
    """What the view usually is, in grey levels."""

    mean: float
    contrast: float
    sharpness: float
    alike: float
    detail: float


@dataclass
class _State:
    rising_us: int | None = None
    start_us: int | None = None
    peak: float = 0.0
    moved: tuple[float, float] = (0.0, 0.0)


class Sight:
    """Give it every row of evidence; it says what begins and ends.

    Parameters
    ----------
    rules : of each kind; a kind without one is not looked for
    """

    def __init__(self, rules: Mapping[Blindness, SightRule] = BORN) -> None:
        self.rules = rules
        self._states: dict[Blindness, _State] = {kind: _State() for kind in rules}
        self._usual: _Usual | None = None
        self._first_us: int | None = None
        self._looked_us = self._same_us = 0
        self._was_key = False
        self._faint_us: deque[int] = deque(maxlen=_FORGIVEN + 1)
        self._key_us: int | None = None
        self._refined_until_us = -1
        self.levels: dict[Blindness, float] = dict.fromkeys(KINDS, 0.0)
        """The newest levels, in percent."""

    def push(self, row: NDArray[np.void] | np.void) -> list[Blind]:
        """Take a row of FRAME_DTYPE; what began (without an end) and what ended with it."""
        at_us = int(row["time_us"])
        first, key = self._first_us is None, bool(row["key"])
        alone = key and not self._was_key
        if first or not (row["same"] or alone):
            if first or row[_BY_4_GREY]:
                self._same_us = at_us
            elif at_us > self._refined_until_us:
                self._faint_us.append(at_us)
        if alone:
            every_us = 0 if self._key_us is None else at_us - self._key_us
            self._refined_until_us = at_us + min(every_us // _REFINED_PART, _REFINED_MOST_US)
            self._key_us = at_us
        self._was_key = key
        since_us = self._same_us if len(self._faint_us) <= _FORGIVEN else max(self._same_us, self._faint_us[0])
        return self.look(row, since_us) if first or at_us - self._looked_us >= LOOK_US else []

    def look(self, row: NDArray[np.void] | np.void, same_us: int) -> list[Blind]:
        """The same for frames of which only those are given that are looked at; `same_us` is since when nothing has changed."""
        at_us = int(row["time_us"])
        if self._first_us is None:
            self._first_us = self._looked_us = at_us
        since_s = min(5.0, (at_us - self._looked_us) / US_PER_S)
        self._looked_us = at_us
        self._measure(row, at_us, same_us)
        found = [one for kind in self._states if (one := self._step(kind, row, at_us, same_us)) is not None]
        self._follow(row, at_us, since_s)
        return found

    def finish(self) -> list[Blind]:
        """What lasts to the end."""
        return [
            Blind(kind, state.start_us, None, state.peak, state.moved)
            for kind, state in self._states.items()
            if state.start_us is not None
        ]

    # --- levels -----------------------------------------------------------------------------------------------------

    def _measure(self, row: NDArray[np.void] | np.void, at_us: int, same_us: int) -> None:
        self.levels = dict.fromkeys(KINDS, 0.0)
        self.levels["frozen"] = min(100.0, 100 * (at_us - same_us) / US_PER_S / FROZEN_S)
        usual = self._usual
        if usual is None:
            return
        mean, contrast, sharpness, _, detail = _values(row)
        alike, there = max(0.0, float(row["alike"]) / PARTS), max(0.0, float(row["alike_there"]) / PARTS)
        sharp_left = _share(sharpness, usual.sharpness)
        seen_left = _share(max(alike, there), usual.alike)
        black = _share(_BLACK_GREY - mean, _BLACK_GREY) * (1 - _share(mean, usual.mean))
        white = _share(mean - _WHITE_GREY, 255 - _WHITE_GREY) * (1 - _share(255 - mean, 255 - usual.mean))
        self.levels["dark"] = 100 * (1 - _share(mean, usual.mean)) if black > 0 and contrast < usual.contrast else 0.0
        self.levels["bright"] = 100 * (1 - _share(contrast, usual.contrast)) if white > 0 else 0.0
        # What is close before a lens is unlike the scene and has no fine edges; whether it has coarse ones depends on what it is.
        self.levels["covered"] = 100 * (1 - max(seen_left, min(sharp_left, _share(detail, usual.detail))))
        if row["moved_right"] or row["moved_down"]:
            found = there >= _SEEN * usual.alike and there > alike
            self.levels["moved"] = 100 * min(1.0, (there - alike) / max(usual.alike, 1e-6)) if found else 0.0
        # What is out of focus is still the scene, with its brightness, but has lost its edges.
        self.levels["blurred"] = 100 * (1 - sharp_left) * min(1.0, _share(contrast, usual.contrast) * 1.5)
        if seen_left < 0.5 or self.levels["covered"] >= self.rules.get("covered", BORN["covered"]).start_percent:
            self.levels["blurred"] = 0.0

    def _step(self, kind: Blindness, row: NDArray[np.void] | np.void, at_us: int, same_us: int) -> Blind | None:
        state, rule, level = self._states[kind], self.rules[kind], self.levels[kind]
        if state.start_us is not None:
            state.peak = max(state.peak, level)
            if level >= rule.clear_percent:
                return None
            ended = Blind(kind, state.start_us, at_us, state.peak, state.moved)
            self._states[kind] = _State()
            return ended
        if level < rule.start_percent:
            state.rising_us = None
            return None
        state.rising_us = at_us if state.rising_us is None else state.rising_us
        state.peak = max(state.peak, level)
        if at_us - state.rising_us < rule.for_s * US_PER_S:
            return None
        state.start_us = same_us if kind == "frozen" else state.rising_us
        if kind == "moved":
            state.moved = float(row["moved_right"]) / PARTS, float(row["moved_down"]) / PARTS
        return Blind(kind, state.start_us, None, state.peak, state.moved)

    def _follow(self, row: NDArray[np.void] | np.void, at_us: int, since_s: float) -> None:
        """What is usual follows while nothing is wrong, nor begins to be."""
        values = _values(row)
        assert self._first_us is not None
        if self._usual is None:
            if at_us - self._first_us >= _SETTLE_S * US_PER_S:
                self._usual = _Usual(*values)
            return
        if any(self.levels[kind] >= rule.clear_percent for kind, rule in self.rules.items() if kind != "frozen"):
            return
        share = 1 - math.exp(-since_s / USUAL_TAU_S)
        held = self._usual
        before = (held.mean, held.contrast, held.sharpness, held.alike, held.detail)
        self._usual = _Usual(*(old + share * (new - old) for old, new in zip(before, values, strict=True)))


def blind_of(evidence: Evidence, rules: Mapping[Blindness, SightRule] = BORN) -> list[Blind]:
    """All times in which a camera was blind in a recording, in order; those that last to its end have none."""
    sight, found = Sight(rules), list[Blind]()
    for number, same_us in looks(evidence):
        give_way()
        found += [one for one in sight.look(evidence.frames[number], same_us) if one.end_us is not None]
    return sorted([*found, *sight.finish()], key=lambda one: (one.start_us, one.kind))


def looks(evidence: Evidence) -> Iterator[tuple[int, int]]:
    """Frames that are looked at, as `Sight.push` chooses them, with since when nothing has changed."""
    times, frames = evidence.time_us, evidence.frames
    alone = frames["key"] & ~np.concatenate([[False], frames["key"][:-1]])
    changed, faint = ~(frames["same"] | alone), frames[_BY_4_GREY] == 0
    since = np.maximum.accumulate(np.where(changed & ~faint, times, times[0] if len(times) else 0))
    known = changed & faint & ~_refined(times, alone) & (np.arange(len(times)) > 0)
    not_forgiven = np.concatenate([np.zeros(_FORGIVEN + 1, np.int64), times[known]])
    since = np.maximum(since, not_forgiven[np.cumsum(known)])
    following = np.searchsorted(times, times + LOOK_US)
    number = 0
    while number < len(times):
        yield number, int(since[number])
        number = int(following[number])


def _refined(times: NDArray[np.int64], keys: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Frames in which an encoder may improve on a key frame, (frames,) bool."""
    number = np.cumsum(keys) - 1  # of the last key frame
    key_us = times[keys]
    if len(key_us) == 0:
        return np.zeros(len(times), bool)
    until_us = key_us + np.minimum(np.diff(key_us, prepend=key_us[0]) // _REFINED_PART, _REFINED_MOST_US)
    return np.asarray((number >= 0) & (times <= until_us[number]))


def _values(row: NDArray[np.void] | np.void) -> tuple[float, float, float, float, float]:
    """Mean, contrast, sharpness, likeness and detail of a row. Sharpness is without that of noise: by noise neighbours to the right and
    below differ as much as frames do, and independent differences add as their squares."""
    mean, contrast = float(row["mean"]) / PLANE_SCALE, float(row["contrast"]) / PLANE_SCALE
    sharpness, grain = float(row["sharpness"]) / PLANE_SCALE, float(row["grain"]) / PLANE_SCALE
    clean = math.sqrt(max(_LEAST_SHARP, sharpness**2 - (2 * grain) ** 2))
    return mean, contrast, clean, max(0.05, float(row["alike"]) / PARTS), float(row["detail"]) / PARTS


def _share(value: float, usual: float) -> float:
    """How much of what is usual is left, 0 to 1."""
    return min(1.0, max(0.0, value / usual)) if usual > 0 else 1.0
