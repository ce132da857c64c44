"""Response curves, the least turn that silences an alarm, and the ledger."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from north_hush.core.advise.curves import WhatIf
from north_hush.core.detect.dials import DIALS, ladder, share_of
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.evaluate.armed import Armed
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.evaluate.switched import Stretch, Switched
from north_hush.core.footage.reduce import FRAME_DTYPE
from north_hush.core.grid import Grid
from north_hush.core.judge.incidents import Incident, Truth
from north_hush.core.judge.ledger import ledger
from north_hush.core.judge.matching import Span
from north_hush.core.scene.plan import Plan
from north_hush.core.site.model import Tuning
from tests.evidence_maker import evidence_of

BY_FIELD = {dial.field: dial for dial in DIALS}
GRID = Grid(40, 40)  # 10 x 10 cells of 1 %
SETTINGS = ZoneSettings(change_limit_grey=5, start_percent=2, clear_percent=2, confirm_frames=2, release_frames=2)


def bursts(*shown, frames=200):
    """Evidence at 10 frames a second: each burst is (first frame, frames, cells, grey levels)."""
    values = np.zeros((100, frames), np.uint8)
    for first, length, cells, grey in shown:
        values[:cells, first : first + length] = 4 * grey
    rows = np.zeros(frames, FRAME_DTYPE)
    rows["time_us"], rows["valid"] = np.arange(frames) * 100_000, True
    return evidence_of(GRID, rows, values)


SHOWN = bursts((20, 3, 10, 20), (60, 10, 30, 10), (120, 20, 40, 30))
"""Two nuisances, one short and one faint, and an incident."""
TRUTH = Truth(incidents=(Incident(name="walks", start_s=12, end_s=14),), complete=True)


def what_if(evidence=SHOWN, truth=TRUTH, others=(), **dials):
    return WhatIf(Evaluator(), evidence, None, Plan(), SETTINGS.turned(**dials), truth, others)


def at(curve, value):
    place = curve.values.index(value)
    return curve.alarms[place], curve.unwanted[place], curve.missed[place]


def test_a_curve_tells_what_each_value_would_do():
    curve = what_if().curve(BY_FIELD["change_limit_grey"])
    assert at(curve, 5.0) == (3, 2, 0)
    places = {limit: next(v for v in curve.values if v > limit) for limit in (10, 20, 30)}
    assert at(curve, places[10]) == (2, 1, 0)
    assert at(curve, places[20]) == (1, 0, 0)
    assert at(curve, places[30]) == (0, 0, 1)
    assert list(curve.values) == sorted(curve.values)


def test_the_present_and_the_factory_value_lie_on_every_curve_and_right_is_quieter():
    for dial in BY_FIELD.values():
        values = ladder(dial, 33, getattr(SETTINGS, dial.field))
        assert getattr(SETTINGS, dial.field) in values
        shares = [share_of(dial, value) for value in values]
        assert shares == sorted(shares)


def test_others_meet_what_this_one_misses_and_their_nuisances_are_not_its_own():
    others = (Span(12, 12, 13, "zone-9"), Span(1, 1, 2, "zone-9"))
    curve = what_if(others=others).curve(BY_FIELD["start_percent"])
    assert curve.missed == (0,) * len(curve.values)
    assert at(curve, 2.0)[1] == 2


def test_what_does_not_count_is_on_no_curve():
    """Armed from 5 s to 13 s: the first burst is out of hours, and the incident runs at the end of them."""
    hours = np.array([[5_000_000, 13_000_000]], np.int64)
    asked = replace(what_if(), armed=Armed({"": hours}, hours))
    curve = asked.curve(BY_FIELD["change_limit_grey"])
    assert at(curve, 5.0) == (2, 1, 0)
    assert at(curve, next(v for v in curve.values if v > 30)) == (0, 0, 1)
    assert at(what_if().curve(BY_FIELD["change_limit_grey"]), 5.0) == (3, 2, 0)


def test_dials_are_turned_where_their_tuning_is_on_alone():
    """Day until 10 s, night from there on: whatever the day's dials are, the night's alarm stays."""
    day, night = (Tuning.model_construct(name=name, settings={"": SETTINGS}, hours=None) for name in ("day", "night"))
    over = Switched((Stretch(0, 10_000_000, day), Stretch(10_000_000, 20_000_000, night)), "day")
    curve = replace(what_if(), over=over).curve(BY_FIELD["change_limit_grey"])
    assert at(curve, 5.0) == (3, 2, 0)
    assert at(curve, max(curve.values)) == (1, 0, 0)
    other = replace(what_if(), over=Switched(over.stretches, "night")).curve(BY_FIELD["change_limit_grey"])
    assert at(other, max(other.values)) == (2, 2, 1)


@pytest.mark.parametrize(
    ("field", "value", "place"),
    [
        ("confirm_frames", 4, 0),
        ("change_limit_grey", 11.0, 1),
        ("start_percent", 10.01, 0),
        ("start_percent", 30.01, 1),
    ],
)
def test_the_least_turn_is_the_first_value_that_silences(field, value, place):
    held = what_if()
    alarm = held.evaluator.lane(SHOWN, None, held.plan, {"whole-picture": SETTINGS}).alarms[place]
    turn = held.least_turn(BY_FIELD[field], alarm)
    assert turn.value == value
    assert turn.lost == ()
    assert turn.silenced == (2 if value == 30.01 else 1)


def test_the_cost_of_a_turn_is_named_and_none_is_said():
    held = what_if(bursts((20, 30, 50, 30), (120, 20, 40, 20)))
    alarm = held.evaluator.lane(held.evidence, None, held.plan, {"whole-picture": SETTINGS}).alarms[0]
    turn = held.least_turn(BY_FIELD["change_limit_grey"], alarm)
    assert (turn.value, turn.lost) == (31.0, ("walks",))
    assert held.least_turn(BY_FIELD["rearm_s"], alarm) is None


def test_asking_where_paths_are_followed_is_asked_at_fewer_values():
    followed = what_if(travel_percent=5)
    assert followed.follows(BY_FIELD["change_limit_grey"])
    assert not followed.follows(BY_FIELD["start_percent"])
    assert len(followed.curve(BY_FIELD["change_limit_grey"]).values) < 20


# --- ledger -------------------------------------------------------------------------------------------------------------


def span(start_s, end_s, item="zone-1"):
    return Span(start_s, start_s, end_s, item)


def states(found):
    return [(entry.span.start_s, entry.state) for entry in found.entries]


def test_kept_new_silenced_and_lost_by_hand():
    truth = Truth(
        incidents=(Incident(name="walks", start_s=30, end_s=40), Incident(name="waits", start_s=60, end_s=70))
    )
    pinned = [span(1, 2), span(10, 11), span(31, 33), span(61, 62), span(64, 65)]
    now = [span(1.5, 3), span(31, 33, "zone-2"), span(64, 65), span(80, 81)]
    found = ledger(pinned, now, truth)
    assert states(found) == [
        (1.5, "kept"), (10, "silenced"), (31, "silenced"), (31, "new"), (61, "silenced"), (64, "kept"), (80, "new"),
    ]  # fmt: skip
    assert found.lost_incidents == ()  # another item meets "walks", a later alarm "waits"
    found = ledger(pinned, [span(1.5, 3)], truth)
    assert [state for _, state in states(found)] == ["kept", "silenced", "lost", "lost", "lost"]
    assert found.lost_incidents == ("walks", "waits")
    assert (found.count("lost"), found.count("new")) == (3, 0)


def test_a_device_is_compared_whatever_item_its_alarms_are_of():
    truth = Truth(incidents=(Incident(name="walks", start_s=30, end_s=40, items=("zone-1",)),))
    device, now = [span(1, 2, "device"), span(31, 33, "device")], [span(1.5, 3), span(50, 51)]
    found = ledger(device, now, truth, by_item=False)
    assert [(entry.span.item, entry.state) for entry in found.entries] == [
        ("zone-1", "kept"), ("device", "lost"), ("zone-1", "new"),
    ]  # fmt: skip
    assert found.lost_incidents == ("walks",)


times = st.floats(0, 99).map(lambda value: round(value, 1))
spans = st.lists(st.tuples(times, times).map(lambda pair: span(*sorted(pair))), max_size=8)


@given(spans, spans)
def test_every_alarm_is_in_the_ledger_once(pinned, now):
    found = ledger(pinned, now, Truth())
    assert found.count("kept") + found.count("new") == len(now)
    assert found.count("lost") == 0
    assert all(entry.state == "kept" for entry in ledger(now, now, Truth()).entries)
