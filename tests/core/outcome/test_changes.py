"""The ledger of outcomes: what other rules make of the same alarms, worked by hand."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from north_hush.core.outcome.changes import Changes, changes_between, changes_words, summed_changes
from north_hush.core.outcome.raised import Raised
from north_hush.core.outcome.replay import always, replay
from north_hush.core.outcome.rules import Keep, Outcome, Tell

S = 1_000_000
ALARMS = [
    Raised("zone-1", 10 * S, 12 * S, 3),
    Raised("zone-1", 100 * S, 130 * S, 200),
    Raised("zone-1", 140 * S, 141 * S, 5),
]
WHOLE = always((0, 1000 * S), ["zone-1"])


def played(keep=None, **tell):
    rules = (Tell(way="office", **tell),) if tell else ()
    return replay(ALARMS, Outcome(keep=keep or Keep(before_s=0, after_s=2, join_s=0), tell=rules), WHOLE)


def test_the_same_rules_change_nothing():
    held = changes_between(played(every_s=60), played(every_s=60))
    assert held == Changes() and changes_words(held) == "nothing"


def test_brief_clips_that_go_and_which_of_them_were_real():
    found = changes_between(
        played(), played(Keep(before_s=0, after_s=2, join_s=0, drop_under_frames=10)), frozenset({2})
    )
    assert (found.unkept, found.kept, found.real_unkept) == (2, 0, 1)
    assert found.unkept_s == pytest.approx(4 + 3)
    assert changes_words(found) == "2 alarms keep no clip any more (1 of them real), 0.1 min of clips fewer"


def test_messages_fewer_told_later_and_not_at_all():
    """Every 60 s: the third alarm comes 40 s after the second, and waits for 20 s; without collecting nobody hears of it."""
    before = played(every_s=0)
    waits = changes_between(before, played(every_s=60))
    assert (waits.messages, waits.later, waits.later_most_us, waits.untold) == (0, 1, 20 * S, 0)
    gone = changes_between(before, played(every_s=60, collect=False))
    assert (gone.messages, gone.later, gone.untold, gone.told) == (1, 0, 1, 0)
    assert changes_between(played(every_s=60, collect=False), before).told == 1


@given(st.integers(0, 20), st.integers(0, 20), st.integers(0, 120), st.integers(0, 120))
def test_there_and_back_again(first, second, every, other):
    one = played(Keep(before_s=0, after_s=2, join_s=0, drop_under_frames=first), every_s=every)
    two = played(Keep(before_s=0, after_s=2, join_s=0, drop_under_frames=second), every_s=other)
    there, back = changes_between(one, two), changes_between(two, one)
    assert (there.unkept, there.kept, there.untold, there.told) == (back.kept, back.unkept, back.told, back.untold)
    assert there.unkept_s == pytest.approx(-back.unkept_s) and there.messages == -back.messages
    assert summed_changes([one, two], [two, one], [frozenset(), frozenset()]).messages == 0
