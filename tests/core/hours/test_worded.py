"""Pieces of a week that say how footage is kept: read, drawn otherwise, written again."""

from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from north_hush.core.hours import worded as w
from north_hush.core.hours.clock import EPOCH, US, Clock
from north_hush.core.hours.plan import KEPT, Hours
from north_hush.core.hours.week import DAY_MIN, joined

MONDAY = date(2026, 11, 23)
BOTH = 'Mo-Fr 00:00-06:00,18:00-24:00 "always", Mo-Fr 06:00-18:00 "on alarm"'
MINUTES = st.integers(0, DAY_MIN // 5).map(lambda held: 5 * held)
DAY = st.lists(st.tuples(MINUTES, MINUTES, st.sampled_from(["", *KEPT])), max_size=3)


def apart(pieces):
    """Pieces that do not overlap, as a day has them."""
    found, last = [], 0
    for start, end, word in sorted(pieces):
        if max(start, last) < end:
            found.append((max(start, last), end, word))
            last = end
    return w._joined(found)


def test_each_piece_says_its_own():
    week = w.worded_week(BOTH, Clock(), MONDAY)
    assert week[0] == ((0, 360, "always"), (360, 1080, "on alarm"), (1080, 1440, "always"))
    assert week[5] == ()
    assert w.worded_text(week) == BOTH
    assert w.said_in(BOTH) == ["always", "on alarm"]


@given(st.tuples(*[DAY.map(apart)] * 7))
def test_a_week_and_its_text_say_the_same(week):
    assert w.worded_week(w.worded_text(week), Clock(), MONDAY) == week


@given(DAY.map(apart), st.lists(st.tuples(MINUTES, MINUTES), max_size=3).map(joined))
def test_what_is_drawn_otherwise_covers_just_that_and_says_what_was_said_there(before, pieces):
    after = w.reworded(before, pieces)
    assert joined((start, end) for start, end, _ in after) == pieces
    said = {minute: word for start, end, word in before for minute in range(start, end, 5)}
    for start, end, word in after:
        for minute in range(start, end, 5):
            assert said.get(minute, word) == word


def test_a_piece_that_says_something_else_parts_a_week_and_a_date_becomes_an_exception():
    text = w.with_word("Mo-Fr 08:00-18:00", Clock(), MONDAY, 1, 600, "always")
    assert text == 'Mo,We-Fr 08:00-18:00; Tu 08:00-18:00 "always"'
    dated = w.with_word("Mo-Fr 08:00-18:00; 2026 Nov 24 10:00-12:00", Clock(), MONDAY, 1, 600, "always")
    assert dated == 'Mo-Fr 08:00-18:00; 2026 Nov 24 10:00-12:00; 2026 Nov 24 10:00-12:00 "always"'
    assert w.dated_rules(dated) == ["2026 Nov 24 10:00-12:00", '2026 Nov 24 10:00-12:00 "always"']
    assert w.without_rule(dated, '2026 Nov 24 10:00-12:00 "always"') == "Mo-Fr 08:00-18:00; 2026 Nov 24 10:00-12:00"
    assert w.without_rule("off", "off") == "off"


def test_what_all_of_the_week_says_stands_once():
    assert w.worded_text(w.worded_week('24/7 "always"', Clock(), MONDAY)) == '24/7 "always"'


def test_hours_of_recording_say_a_way_that_is_known_and_tell_when_each_holds():
    us = [(EPOCH.replace(year=2026, month=11, day=23, hour=hour) - EPOCH) // US for hour in (0, 6, 18)]
    held = Hours(recording=BOTH).kept_by(Clock(), us[0], us[2])
    assert {said: spans.tolist() for said, spans in held.items()} == {
        "always": [[us[0], us[1]]],
        "on alarm": [[us[1], us[2]]],
    }
    with pytest.raises(ValidationError, match="'now and then' is no way to keep footage"):
        Hours(recording='Mo "now and then"')
    assert Hours(armed='Mo "when the quay is closed"').armed  # a remark
