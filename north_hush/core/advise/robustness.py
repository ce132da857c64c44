"""What can be checked of settings: how the score stands when noise, contrast and speed of the evidence are changed a little."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from north_hush.core.advise.aim import Case
from north_hush.core.advise.weighing import Settings, Weighing
from north_hush.core.footage.differences import CELL_SCALE, FAINTEST_QUARTERS
from north_hush.core.footage.evidence import NOISE_SCALE
from north_hush.core.judge.incidents import Incident, Truth, Verdict
from north_hush.core.judge.score import Score, summed
from north_hush.core.words import tr


@dataclass(frozen=True)
class Check:
    """The score where something is otherwise, and what that is, in words."""

    what: str
    score: Score


@dataclass(frozen=True, eq=False)
class Look:
    """One look that is wanted: the score of settings on one of the recordings that steer, changed as `CHANGES` names it."""

    cost: ClassVar[int] = 1

    what: str
    number: int
    settings: Settings

    def done_by(self, weighing: Weighing) -> Score:
        """What comes of it."""
        return weighing.score_on(CHANGES[self.what](weighing.steering[self.number]), self.settings)


def checks_of(
    asked: Callable[[Look], Callable[[], Score]], cases: int, settings: Settings
) -> Callable[[], list[Check]]:
    """Ask how settings score where the evidence is changed a little, each change over all recordings that steer together; what tells
    it once it is known."""
    scores = {what: [asked(Look(what, number, settings)) for number in range(cases)] for what in CHANGES}
    return lambda: [Check(what, summed([told() for told in of_cases])) for what, of_cases in scores.items()]


def with_contrast(case: Case, factor: float) -> Case:
    """As if everything differed from its ground by so much more or less."""
    row = np.minimum(np.arange(256) * factor, 255).astype(np.uint8)
    row[row < FAINTEST_QUARTERS] = 0
    return _changed(case, tr("contrast {factor:g}", factor=factor), lambda values: row[values])


def with_noise(case: Case, factor: float) -> Case:
    """As if each cell's own noise were so many times as strong; what is not of one source adds in squares."""
    soil = case.evidence.soil
    if soil is None or len(soil.noise) == 0:
        return case
    grey = np.median(soil.noise, axis=0) / NOISE_SCALE
    more = (factor**2 - 1) * (grey * CELL_SCALE) ** 2

    def noisier(values: NDArray[np.uint8]) -> NDArray[np.uint8]:
        wide = np.sqrt(values.astype(np.float32) ** 2 + more[:, None].astype(np.float32))
        return np.where(wide < FAINTEST_QUARTERS, 0, np.minimum(wide, 255)).astype(np.uint8)

    return _changed(case, tr("noise {factor:g}", factor=factor), noisier)


def with_speed(case: Case, factor: float) -> Case:
    """As if everything moved so much faster: fewer frames of the same things, or more of them."""
    evidence = case.evidence
    frames = np.floor(np.arange(0, len(evidence.frames), factor)).astype(np.int64)
    rows = evidence.frames[frames].copy()
    at = np.arange(len(frames)) * factor
    rows["time_us"] = np.interp(at, np.arange(len(evidence.frames)), evidence.time_us) / factor
    changed = evidence.picked(tr("{key} speed {factor:g}", key=evidence.key, factor=factor), frames, rows)
    return Case(case.name, changed, _hurried(case.truth, factor), case.hours, case.light)


def _changed(case: Case, what: str, change: Callable[[NDArray[np.uint8]], NDArray[np.uint8]]) -> Case:
    return Case(
        case.name, case.evidence.changed(f"{case.evidence.key} {what}", change), case.truth, case.hours, case.light
    )


def _hurried(truth: Truth, factor: float) -> Truth:
    def incident(held: Incident) -> Incident:
        place = tuple((row[0] / factor, *row[1:]) for row in held.place)
        return held.model_copy(update={"start_s": held.start_s / factor, "end_s": held.end_s / factor, "place": place})

    def verdict(held: Verdict) -> Verdict:
        return held.model_copy(update={"start_s": held.start_s / factor, "end_s": held.end_s / factor})

    return truth.model_copy(
        update={
            "incidents": tuple(map(incident, truth.incidents)),
            "verdicts": tuple(map(verdict, truth.verdicts)),
        }
    )


CHANGES: dict[str, Callable[[Case], Case]] = {
    "contrast a fifth lower": partial(with_contrast, factor=0.8),
    "contrast a quarter higher": partial(with_contrast, factor=1.25),
    "noise half as strong again": partial(with_noise, factor=1.5),
    "a quarter faster": partial(with_speed, factor=1.25),
    "a fifth slower": partial(with_speed, factor=0.8),
}
