"""Sets of spans, against the plain meaning of them at instants."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from north_hush.core.hours import spans as s

TIMES = st.integers(-50, 150)
PAIRS = st.lists(st.tuples(TIMES, TIMES), max_size=8)


def inside(pairs, at):
    return any(start <= at < end for start, end in pairs)


@given(PAIRS, TIMES)
def test_a_set_holds_what_any_of_its_spans_holds(pairs, at):
    held = s.spans_of(pairs)
    assert inside(held.tolist(), at) == inside(pairs, at)
    assert (held[:, 1] > held[:, 0]).all()
    assert (held[1:, 0] > held[:-1, 1]).all()  # in order, apart


@given(PAIRS, PAIRS, TIMES)
def test_union_common_and_outside_are_what_they_say(first, second, at):
    a, b = s.spans_of(first), s.spans_of(second)
    assert inside(s.union([a, b]).tolist(), at) == (inside(first, at) or inside(second, at))
    assert inside(s.common(a, b).tolist(), at) == (inside(first, at) and inside(second, at))
    assert inside(s.outside(a, -10, 90).tolist(), at) == (-10 <= at < 90 and not inside(first, at))
    assert s.total_us(s.within(a, -10, 90)) + s.total_us(s.outside(a, -10, 90)) == 100


@given(PAIRS, TIMES, st.integers(0, 60))
def test_what_runs_in_a_set_starts_at_its_own_start_or_at_arming(pairs, start, length):
    found = s.running_in(s.spans_of(pairs), start, start + length)
    running = [at for at in range(start, start + length + 1) if inside(pairs, at)]
    if not running:
        assert found is None
    else:
        assert found[0] == running[0]
        assert found[1] in (running[-1], running[-1] + 1)


def test_nothing_is_a_set_too():
    nothing = s.spans_of([])
    assert nothing.shape == (0, 2)
    assert s.running_in(nothing, 0, 10) is None
    assert s.outside(nothing, 0, 10).tolist() == [[0, 10]]
    assert s.common(nothing, np.array([[0, 5]])).shape == (0, 2)
