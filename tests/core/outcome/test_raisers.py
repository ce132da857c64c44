"""Hours that say who must raise an alarm: by hand, and live as replayed."""

from hypothesis import given
from hypothesis import strategies as st

from north_hush.core.hours.spans import spans_of
from north_hush.core.outcome.raised import Raised, first_running_of
from north_hush.core.outcome.raisers import NEAR_US, ON_BOTH, ON_CONTACT, Raisers, kept_by_raisers
from north_hush.core.outcome.replay import When, replay
from north_hush.core.outcome.rules import Keep, Outcome

S = 1_000_000
DOOR = frozenset({"door"})
FOOTAGE = (0, 100 * S)
WHOLE = spans_of([FOOTAGE])


def clips(said, *alarms, how="on_alarm"):
    """From when to when clips are kept, in seconds, and which alarms they hold; 2 s before and 3 s after."""
    hours = dict.fromkeys(("slip", "door"), WHOLE)
    when = When(FOOTAGE, FOOTAGE[1], hours, said, hours, DOOR)
    keep = Keep(how=how, before_s=2, after_s=3, join_s=0)
    held = replay([Raised(item, start * S, end * S) for item, start, end in alarms], Outcome(keep=keep), when)
    return [(one.start_us / S, one.end_us / S, one.alarms) for one in held.clips if one.kept]


def test_on_a_contact_what_moves_opens_none():
    assert clips({ON_CONTACT: WHOLE}, ("slip", 10, 20), ("door", 40, 42)) == [(38, 45, (1,))]
    assert clips({"": WHOLE}, ("slip", 10, 20), ("door", 40, 42)) == [(8, 23, (0,)), (38, 45, (1,))]


def test_on_both_the_second_opens_and_what_still_runs_is_in_it():
    assert clips({ON_BOTH: WHOLE}, ("slip", 10, 20), ("door", 14, 15)) == [(12, 23, (1, 0))]
    assert clips({ON_BOTH: WHOLE}, ("slip", 10, 20), ("door", 24, 25)) == [(22, 28, (1,))]
    assert clips({ON_BOTH: WHOLE}, ("slip", 10, 20), ("door", 26, 27)) == []
    assert clips({ON_BOTH: WHOLE}, ("door", 10, 60), ("slip", 30, 31)) == [(28, 63, (1, 0))]


def test_only_in_the_pieces_that_say_so_and_also_where_the_rule_keeps_nothing():
    said = {ON_CONTACT: spans_of([(0, 50 * S)]), "": spans_of([(50 * S, 100 * S)])}
    assert clips(said, ("slip", 10, 20), ("slip", 60, 62)) == [(58, 65, (1,))]
    assert clips(said, ("slip", 45, 55)) == [(48, 58, (0,))]  # it counts from where it may be kept
    assert clips({ON_CONTACT: WHOLE}, ("slip", 10, 20), ("door", 40, 42), how="never") == [(38, 45, (1,))]
    assert clips(said, ("slip", 10, 20), ("slip", 60, 62), ("door", 80, 81), how="never") == []


@st.composite
def alarms(draw):
    """Alarms of three items whose starts and ends are all different instants; those of an item do not overlap."""
    times = draw(st.lists(st.integers(0, 60_000), min_size=2, max_size=16, unique=True))
    rows, over = [], dict[str, int]()
    for start, end in zip(sorted(times)[::2], sorted(times)[1::2], strict=False):
        item = draw(st.sampled_from(["slip", "gate", "door"]))
        longer = draw(st.integers(0, 9_000)) * 7 + 3
        if start * 1000 > over.get(item, -1):
            rows.append(Raised(item, start * 1000, end * 1000 + longer))
            over[item] = rows[-1].end_us
    return rows


@given(alarms(), st.sampled_from([ON_CONTACT, ON_BOTH]))
def test_live_knows_the_same_alarms_as_the_replay(rows, said):
    kept = kept_by_raisers(rows, dict.fromkeys(("slip", "gate", "door"), WHOLE), {said: WHOLE}, DOOR, FOOTAGE)
    assert kept is not None
    wanted = {number for number, at in enumerate(first_running_of(rows, kept)) if at >= 0} if rows else set()
    live, opened, running = Raisers(), set[int](), dict[str, int]()
    events = [(one.start_us, 1, number) for number, one in enumerate(rows)]
    events += [(one.end_us, 2, number) for number, one in enumerate(rows)]
    for at, what, number in sorted(events):
        item = rows[number].item
        if what == 1:
            if live.opens(said, item, at, DOOR):
                opened.add(number)
                if said == ON_BOTH:
                    opened |= {running[other] for other in live.others(item, DOOR)}
            live.start(item)
            running[item] = number
        else:
            live.end(item, at, is_sensor=item in DOOR)
            running.pop(item)
    assert opened == wanted
    assert NEAR_US == 5 * S
