"""What truly went on at an alarm, how causes are scored, and how their weights are fitted."""

from dataclasses import replace

import numpy as np
import pytest

from north_hush.core.explain.causes import sign_rows
from north_hush.core.explain.reasons import Reasons, Seen
from north_hush.demo.causes import cause_row, cause_weights, true_causes
from north_hush.demo.truth import Incident, NuisanceFact, Truth
from tests.core.explain.test_reasons import CALM

PATCH = Seen(left=0.4, top=0.4, right=0.5, bottom=0.6, foot=(0.45, 0.6), size_percent=1.0)
REASONS = Reasons(
    peak_frame=0, peak_percent=1.0, confirmed=2, patch=PATCH, path=(), travelled_percent=0.0, cause="sway", sure=0.8, signs=CALM
)  # fmt: skip
HERE, ELSEWHERE = (0.3, 0.3, 0.6, 0.7), (0.8, 0.8, 0.9, 0.9)


def truth(*nuisances, incidents=()):
    facts = tuple(NuisanceFact(name=kind, kind=kind, spans_s=((2.0, 4.0),), box=box) for kind, box in nuisances)
    return Truth(recording="made", seed=1, duration_s=10.0, frames=100, incidents=incidents, nuisances=facts)


def test_true_is_what_went_on_then_and_reaches_the_patch():
    made = truth(("sway", HERE), ("glint", ELSEWHERE), ("snow", None))
    assert true_causes(3.0, 3.5, REASONS, made) == {"sway", "speckle"}
    assert true_causes(6.0, 7.0, REASONS, made) == frozenset()
    walks = Incident(name="person", start_s=5.0, end_s=7.0, first_frame=50, boxes=(HERE,) * 20)
    assert true_causes(6.0, 6.5, REASONS, truth(incidents=(walks,))) == {"travelled"}
    assert true_causes(6.0, 6.5, replace(REASONS, patch=None), truth(incidents=(walks,))) == {"travelled"}
    gone = walks.model_copy(update={"boxes": (ELSEWHERE,) * 20})
    assert true_causes(6.0, 6.5, REASONS, truth(incidents=(gone,))) == frozenset()


def test_any_true_cause_is_right_and_those_that_stand_alone_are_counted_apart():
    light = replace(REASONS, cause="light")
    told = [(REASONS, frozenset({"sway", "speckle"})), (REASONS, frozenset({"sway"})), (light, frozenset({"sway"}))]
    assert cause_row(told) == {"alarms": 3, "right": 0.667, "alone": {"sway": [1, 2]}}


def test_weights_are_fitted_where_several_causes_are_true():
    rng = np.random.default_rng(2)
    told = []
    for _ in range(300):
        busy, specks = rng.random() < 0.5, rng.random() < 0.3
        signs = replace(
            CALM, busy=0.2 * busy + 0.05 * rng.random(), specks_per_frame=(40 if specks else 3) + rng.random()
        )
        true = {"sway"} if busy else {"flash"}
        told.append((signs, frozenset(true | ({"speckle"} if specks else set()))))
    model = cause_weights(told[:200])
    best = model.chances(sign_rows([signs for signs, _ in told[200:]])).argmax(axis=1)
    right = np.mean([model.names[at] in true for at, (_, true) in zip(best, told[200:], strict=True)])
    assert right == pytest.approx(1, abs=0.03)
