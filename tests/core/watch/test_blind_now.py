"""Blindness of a live camera, told in the hours of its rule."""

from datetime import UTC, datetime

import pytest

from north_hush.core.hours.clock import Clock
from north_hush.core.sight.rules import BORN
from north_hush.core.site.edits import new_site
from north_hush.core.site.seeing import set_sight
from north_hush.core.watch.blind_now import BlindNow
from tests.core.sight.test_sight import BEGIN, END, RATE, covered, filmed

CLOCK = Clock(zone="UTC")
EIGHT_US = round(datetime(2026, 11, 23, 8, 0, tzinfo=UTC).timestamp() * 1e6)
FILMED = filmed(covered)


def view(hours):
    rule = BORN["covered"].model_copy(update={"hours": hours})
    return set_sight(new_site("Skerry Quay"), "view-1", "covered", rule).views[0]


def told(hours, began_us=EIGHT_US, change=None):
    """What is told of the made scene, in seconds after its first frame."""
    now, found = BlindNow(view(hours), CLOCK), []
    for number, row in enumerate(FILMED.frames):
        if change is not None and number == change[0]:
            now.take(view(change[1]), CLOCK)
        found += now.push(row, began_us, began_us + int(row["time_us"]))
    return [(one.what, (one.time_us - began_us) / 1e6, one.facts) for one in found]


def test_without_hours_it_is_told_when_it_begins_and_when_it_is_over():
    (began, at_s, facts), (over, end_s, _) = told("")
    assert (began, over) == ("fault", "mended") and facts["fault"] == "covered"
    assert BEGIN < at_s <= BEGIN + 3 and END <= end_s <= END + 3
    assert facts["start_us"] <= EIGHT_US + at_s * 1e6
    assert told("Mo 08:00-09:00") == told("")


def test_out_of_its_hours_nothing_is_told_and_nothing_mended():
    assert told("Tu") == []


def test_who_is_blind_when_hours_begin_is_told_then():
    began_us = EIGHT_US - round((BEGIN + 10) * 1e6)
    (began, at_s, facts), (over, _, _) = told("Mo 08:00-09:00", began_us)
    assert (began, over) == ("fault", "mended")
    assert at_s == pytest.approx(BEGIN + 10, abs=0.25)
    assert facts["start_us"] < began_us + BEGIN * 1e6 + 3e6


def test_what_was_told_is_mended_whatever_the_hour():
    began_us = EIGHT_US - round((BEGIN + 10) * 1e6)
    assert [what for what, _, _ in told("Mo 07:00-08:00", began_us)] == ["fault", "mended"]


def test_hours_that_cannot_be_told_hold_nothing_back():
    assert told("sunrise-sunset") == told("")


def test_hours_are_taken_up_while_it_runs():
    assert told("Tu", change=(40, "")) == told("")


def test_what_was_told_under_other_rules_is_over():
    """It would be told again every hour, for ever."""
    now, found = BlindNow(view(""), CLOCK), []
    for number, row in enumerate(FILMED.frames[: round((BEGIN + 8) * RATE)]):
        if number == round((BEGIN + 5) * RATE):
            off = set_sight(new_site("Skerry Quay"), "view-1", "covered", None).views[0]
            now.take(off, CLOCK)
        found += [one.what for one in now.push(row, EIGHT_US, EIGHT_US + int(row["time_us"]))]
    assert found == ["fault", "mended"]
