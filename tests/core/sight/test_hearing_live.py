"""Sound as it comes gives what sound of a recording gives."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from north_hush.core.footage.sound import WINDOW_US, LiveMeter, Sound
from north_hush.core.sight.hearing import SoundRule, heard_in
from north_hush.core.sight.hearing_live import LiveHearing

LEVELS = st.lists(
    st.one_of(st.none(), st.sampled_from([-100.0, -95.0, -60.0, -40.0, -38.0, -20.0, -3.0])), max_size=260
)
RULES = st.builds(
    SoundRule,
    hears=st.sampled_from(["louder", "jump", "drop", "either", "dead"]),
    level_db=st.sampled_from([-30.0, 6.0, 15.0]),
    windows=st.integers(1, 5),
    weighted=st.booleans(),
)


def live(levels, rule):
    """Spans that a rule holds in, as it is told of levels one after the other."""
    hearing, turns = LiveHearing(rule, 0), []
    for place, level in enumerate(levels):
        if level is not None:
            turns += hearing.push((place * WINDOW_US, level, level - 3))
    turns += hearing.lost()
    assert [turn.on for turn in turns] == [True, False] * (len(turns) // 2)
    return [(turns[k].at_us, turns[k + 1].at_us) for k in range(0, len(turns), 2)]


def replayed(levels, rule):
    plain = np.array([np.nan if level is None else level for level in levels], np.float32)
    return [(held.start_us, held.end_us) for held in heard_in(Sound(plain, plain - 3), rule)]


@given(levels=LEVELS, rule=RULES)
def test_live_holds_when_the_replay_does(levels, rule):
    assert live(levels, rule) == replayed(levels, rule)


def test_a_jump_is_told_once_it_lasted_and_from_when_it_began():
    hearing = LiveHearing(SoundRule(hears="jump", level_db=12, windows=3, weighted=False))
    told = [
        (place, hearing.push((place * WINDOW_US, level, level)))
        for place, level in enumerate([-40.0] * 5 + [-20.0] * 4 + [-40.0])
    ]
    turns = [(place, turn.at_us // WINDOW_US, turn.on) for place, found in told for turn in found]
    assert turns == [(7, 5, True), (9, 9, False)]


@pytest.mark.parametrize("size", [480, 1024, 48_000])
def test_the_meter_tells_the_level_of_a_tone_however_it_comes(size):
    seconds = np.arange(48_000) / 48_000
    tone = 0.1 * np.sin(2 * np.pi * 1000 * seconds)
    meter, found = LiveMeter(), []
    for first in range(0, len(tone), size):
        found += meter.push(round(first / 48_000 * 1e6), tone[first : first + size])
    assert [at_us for at_us, _, _ in found] == [place * WINDOW_US for place in range(9)]  # the tenth is not over
    for _, plain, weighted in found[1:]:
        assert plain == pytest.approx(-23.01, abs=0.05) and weighted == pytest.approx(
            -23.01, abs=0.2
        )  # at 1 kHz ears weigh 0 dB
