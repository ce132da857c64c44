"""Turns that somebody has to look after, and what each value of a rule of blindness would tell."""

import pytest

from north_hush.core.advise.sight_curves import FIELDS, curve_of, level_of, turned
from north_hush.core.footage.scene_shift import HELD_US
from north_hush.core.sight.rules import BORN, SightRule
from north_hush.core.sight.sight import Blind, blind_of
from north_hush.core.sight.turns import turns_left
from tests.core.sight.test_sight import covered, filmed
from tests.core.sight.test_sight import turned as scene_turned


def moved(start_us, end_us):
    return Blind("moved", start_us, end_us, 80.0, (0.05, 0.0))


def test_a_turn_that_lasts_is_left_until_it_is_settled():
    swung_back, lasting = moved(5, 9_000_000), moved(20_000_000, None)
    relearnt = moved(30_000_000, 30_000_000 + HELD_US)
    found = [swung_back, lasting, relearnt, Blind("covered", 1, None, 90.0)]
    assert turns_left(found, ()) == [lasting, relearnt]
    assert turns_left(found, (lasting.start_us,)) == [relearnt]
    assert turns_left(found, (lasting.start_us, relearnt.start_us)) == []


def test_a_camera_that_stays_turned_for_longer_than_its_scene_is_held_is_still_left():
    """The new scene has become the usual one by then, so that the level clears; the drawing lies wrong all the same."""
    evidence = filmed(scene_turned, begin=20.0, end=1e9, length=640.0)
    (found,) = blind_of(evidence)
    assert found.end_us is not None and turns_left([found], ()) == [found]


def test_curves_tell_what_each_value_told():
    evidence = filmed(covered)
    for field in FIELDS:
        curve = curve_of(evidence, "covered", field, BORN)
        for place, value in enumerate(curve.values):
            rules = {**BORN, "covered": turned(BORN["covered"], field, value)}
            told = [one for one in blind_of(evidence, rules) if one.kind == "covered"]
            assert curve.times[place] == len(told)
    curve = curve_of(evidence, "covered", "for_s", BORN)
    assert curve.times[0] == 1 and curve.times[-1] == 0  # it was covered for twenty seconds
    assert curve.lasting_s[0] == pytest.approx(20, abs=2.5)
    assert curve.words(0).startswith("told once") and "told 0 times" in curve.words(len(curve.values) - 1)


def test_a_curve_that_is_no_longer_wanted_is_given_up():
    assert curve_of(filmed(length=8.0), "covered", "for_s", BORN, lambda: False) is None


def test_the_level_is_high_while_the_lens_is_covered():
    seconds, percent = level_of(filmed(covered), "covered", BORN)
    inside = (seconds > 23) & (seconds < 39)
    assert percent[inside].min() > 60 and percent[seconds < 19].max() < 40


def test_start_and_clear_level_push_each_other():
    rule = SightRule(start_percent=50, clear_percent=30, for_s=1)
    assert turned(rule, "start_percent", 20).clear_percent == 20
    assert turned(rule, "clear_percent", 80).start_percent == 80
    assert turned(rule, "for_s", 7).for_s == 7
