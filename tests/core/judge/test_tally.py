"""The fast count of curves and maps is held to the score, whose rules it repeats."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from north_hush.core.judge.incidents import Incident, Truth, Verdict
from north_hush.core.judge.matching import Span
from north_hush.core.judge.score import item_scores, score
from north_hush.core.judge.tally import Counter

TIMES = st.floats(0, 60).map(lambda value: round(value, 1))
ENDS = st.tuples(TIMES, TIMES).map(lambda pair: tuple(sorted(pair)))
ITEMS = st.sampled_from(["", "A", "B"])
INCIDENTS = st.tuples(ENDS, ITEMS).map(
    lambda x: Incident(name="x", start_s=x[0][0], end_s=x[0][1], items=(x[1],) if x[1] else ())
)
VERDICTS = st.tuples(ENDS, ITEMS, st.sampled_from(["nuisance", "unsure"])).map(
    lambda x: Verdict(start_s=x[0][0], end_s=x[0][1], item=x[1], kind=x[2])
)
TRUTHS = st.tuples(st.lists(INCIDENTS, max_size=5), st.lists(VERDICTS, max_size=4), st.booleans()).map(
    lambda x: Truth(incidents=tuple(x[0]), verdicts=tuple(x[1]), complete=x[2])
)
ALARMS = st.lists(st.tuples(TIMES, TIMES, TIMES).map(lambda times: tuple(sorted(times))), max_size=8)


@given(ALARMS, ALARMS, TRUTHS, st.booleans(), st.integers(0, 2**32 - 1))
def test_a_tally_is_the_score(own, others, truth, crosses, seed):
    draw = np.random.default_rng(seed)
    lies = draw.random((len(own), len(truth.incidents))) < 0.7
    concerns = [
        frozenset(held.items) or (None if draw.random() < 0.5 else frozenset({"A", "B"})) for held in truth.incidents
    ]
    own = sorted(own, key=lambda times: times[1:])
    mine = [
        Span(*times, "A", crosses, frozenset(np.flatnonzero(row).tolist()))
        for times, row in zip(own, lies, strict=True)
    ]
    beside = [Span(*times, "B") for times in others]
    counter = Counter("A", truth, beside, concerns)
    times = np.array(own, np.float64).reshape(-1, 3)
    found = counter.count_crossings(mine) if crosses else counter.count(times, lies)
    alone = item_scores(mine, ["A"], truth, 60, concerns)["A"]
    assert found.alarms == len(own)
    assert found.unwanted == score(mine, truth, 60, concerns).unwanted
    assert found.missed == len(score([*mine, *beside], truth, 60, concerns).missed)
    assert (found.pairs, found.missed_here) == (alone.pairs, len(alone.missed_pairs))
    assert found.watched_s == pytest.approx(alone.watched_s)
    assert found.delays_s == pytest.approx(sum(alone.delays_s))


def test_a_tally_by_hand():
    truth = Truth(
        incidents=(
            Incident(name="walks", start_s=10, end_s=20),
            Incident(name="waits", start_s=40, end_s=50, items=("B",)),
        ),
        verdicts=(Verdict(start_s=30, end_s=32, kind="unsure"),),
    )
    counter = Counter("A", truth, [Span(44, 45, 46, "B")])
    # met, unsure, unwanted (the second incident is another item's)
    times = np.array([[11.0, 12, 13], [31, 31, 31], [41, 42, 43]])
    assert counter.count(times, np.ones((3, 2), bool)).unwanted == 1
    assert counter.count(times, np.ones((3, 2), bool)).missed == 0
    assert counter.count(times[1:], np.ones((2, 2), bool)).missed == 1
