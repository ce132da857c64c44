"""Blindness of a recording in the hours of each rule."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
from pydantic import ValidationError

from north_hush.core.errors import HushError
from north_hush.core.evaluate.blind import blind_told, in_hours
from north_hush.core.hours.clock import Clock
from north_hush.core.sight.rules import BORN
from north_hush.core.sight.sight import Blind
from north_hush.core.site.edits import new_site
from north_hush.core.site.model import View
from north_hush.core.site.seeing import set_sight
from tests.core.sight.test_sight import BEGIN, END, covered, filmed

CLOCK = Clock(zone="UTC")
MONDAY = datetime(2026, 11, 23, 9, 0, tzinfo=UTC)
FILMED = filmed(covered)


def rules(hours):
    return {**BORN, "covered": BORN["covered"].model_copy(update={"hours": hours})}


def told(hours, began=MONDAY):
    return [one.kind for one in blind_told(FILMED, rules(hours), CLOCK, began)]


@pytest.mark.parametrize(
    ("hours", "is_told"),
    [("", True), ("Mo 09:00-10:00", True), ("Tu-Su", False), ("Mo 08:00-09:00", False), ("Mo 10:00-12:00", False)],
)
def test_it_is_told_in_its_hours_alone(hours, is_told):
    assert told(hours) == ["covered"] * is_told


def test_what_runs_into_hours_or_out_of_them_is_told():
    for at_s, is_told in ((BEGIN + 10, True), (END + 5, False)):
        began = MONDAY.replace(hour=8) - timedelta(seconds=at_s)  # so long after its begin hours hold
        assert told("Mo 08:00-12:00", began) == ["covered"] * is_told
        began = MONDAY.replace(hour=12) - timedelta(seconds=at_s)
        assert told("Mo 08:00-12:00", began) == ["covered"]


def test_where_nobody_knows_when_it_was_all_is_told():
    assert told("Tu", began=None) == ["covered"]


def test_what_lasts_to_the_end_runs_until_then():
    lasting = [Blind("covered", 0, None, 100.0)]
    length_s = int(FILMED.time_us[-1]) / 1e6
    for before_s, is_told in ((length_s - 1, True), (length_s + 1, False)):
        began = MONDAY.replace(hour=8) - timedelta(seconds=before_s)
        assert in_hours(lasting, rules("Mo 08:00-12:00"), FILMED, CLOCK, began) == lasting * is_told


def test_the_sun_needs_a_place():
    with pytest.raises(HushError, match="sun"):
        told("sunrise-sunset")


def test_nothing_is_blind_in_a_recording_of_nothing():
    none = replace(FILMED, frames=FILMED.frames[:0])
    assert blind_told(none, rules("Mo"), CLOCK, MONDAY) == [] and not np.size(none.time_us)


def test_a_site_refuses_hours_that_cannot_be_read():
    site = set_sight(new_site("Skerry Quay"), "view-1", "dark", BORN["dark"].model_copy(update={"hours": "Mo-Fr"}))
    assert View.model_validate(site.views[0].model_dump(mode="json")).sight["dark"].hours == "Mo-Fr"
    unread = {"dark": {**BORN["dark"].model_dump(), "hours": "Mo 25"}}
    with pytest.raises(ValidationError, match="hours of 'dark'"):
        View.model_validate({**site.views[0].model_dump(mode="json"), "sight": unread})
