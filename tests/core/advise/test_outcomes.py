"""Curves and advice of outcome: known answers on a made-up day."""

import pytest

from north_hush.core.advise.outcome_advice import outcome_advice
from north_hush.core.advise.outcomes import OUTCOME_DIALS, Part, outcome_curve, real_dropped, replayed, turned, value_of
from north_hush.core.outcome.raised import Raised
from north_hush.core.outcome.replay import always
from north_hush.core.outcome.rules import Keep, Outcome, Tell

S = 1_000_000
DAY = (0, 86_400 * S)
# A hundred alarms of 4 s, 200 s apart: half of them brief, every tenth real.
ALARMS = tuple(Raised("a", n * 200 * S, (n * 200 + 4) * S, 2 if n % 2 else 9) for n in range(1, 101))
PART = Part(ALARMS, always(DAY, ["a"]), None, frozenset(range(0, 100, 10)))
FIRST = Outcome(keep=Keep(before_s=5, after_s=30, join_s=2), tell=(Tell(way="m", every_s=0),))


def dial(field):
    return next(held for held in OUTCOME_DIALS if held.field == field)


def curve(field, outcome=FIRST):
    found = outcome_curve([PART], outcome, dial(field))
    return dict(zip(found.values, zip(found.cost, found.lost, found.words, strict=True), strict=True))


def test_fewer_messages_to_the_right_and_longer_untold():
    found = curve("every_s")
    assert found[0.0][:2] == (100, 0)
    worst = found[7200.0]
    assert worst[0] == 4  # 20,000 s of alarms, one message every two hours and what was collected at the end
    assert worst[1] == pytest.approx(7200 - 200 - 600)
    assert "untold 116:40" in worst[2]


def test_dropping_brief_ones_says_when_real_ones_go():
    found = curve("drop_under_frames")
    assert found[0.0][:2] == (100, 0)
    kept = [value for value, (_, lost, _) in found.items() if lost == 0]
    assert max(kept) <= 9  # from 10 frames on the real ones, which last 9, go too
    assert found[100.0][:2] == (0, 10)
    assert "10 of the dropped are real" in found[100.0][2]


def test_a_shorter_time_after_is_advised_and_taken():
    advice = next(held for held in outcome_advice([PART], FIRST) if held.field == "after_s")
    assert advice.words == "2 s after instead of 30 saves 72% and splits no clip"  # 39 s a clip become 11
    then, held = replayed([PART], turned(FIRST, advice.field, advice.value))
    assert (then.clips, then.clip_s) == (100, pytest.approx(100 * 11, abs=1))
    assert real_dropped([PART], held) == 0


def test_rarer_messages_are_advised():
    advice = next(held for held in outcome_advice([PART], FIRST) if held.field == "every_s")
    assert advice.value == 900
    assert "100 to 24 a day" in advice.words  # at 200 s and every 900 s to 20,900 s


def test_dials_stand_where_the_rules_say_and_turn_nothing_else():
    for held in OUTCOME_DIALS:
        for outcome in (FIRST, Outcome(keep=Keep(how="low_and_full"), tell=FIRST.tell)):
            after = turned(outcome, held.field, 7)
            assert value_of(after, held.field) == 7
            assert turned(after, held.field, value_of(outcome, held.field)) == outcome


def test_what_means_nothing_has_no_curve():
    assert outcome_curve([PART], Outcome(), dial("every_s")) is None
    assert outcome_curve([PART], Outcome(keep=Keep(how="never")), dial("after_s")) is None
    assert outcome_curve([], FIRST, dial("after_s")) is None
