"""Tunings with hours: which is on when, and what a switch does to alarms."""

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.errors import HushError, SiteError
from north_hush.core.evaluate.armed import us_of
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.evaluate.live import live_zones
from north_hush.core.evaluate.switched import Stretch, Switched, searched_over, settings_over, tuning_now, tunings_on
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.reduce import FRAME_DTYPE, Reduced
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.grid import Grid
from north_hush.core.hours.clock import Clock
from north_hush.core.hours.plan import Hours
from north_hush.core.memo import Memo
from north_hush.core.scene.area import WHOLE_AREA
from north_hush.core.scene.items import Zone
from north_hush.core.scene.plan import Plan
from north_hush.core.site import edits
from north_hush.core.site.model import Site, Tuning, View, replaced
from north_hush.core.site.recording import Recording
from tests.evidence_maker import evidence_of
from tests.footage_maker import moving_square, write_video

FAROE = Clock(zone="Atlantic/Faroe")
MONDAY = datetime(2026, 6, 15, tzinfo=UTC)  # one o'clock on the islands, in summer
ZONE = Zone(id="zone-1", letter="A", name="Slip", area=WHOLE_AREA)
PLAN = Plan(zones=(ZONE,))
LOUD = ZoneSettings(change_limit_grey=2, start_percent=10, clear_percent=10, confirm_frames=3, release_frames=2)
QUIET = LOUD.turned(change_limit_grey=20)


def site_with(**hours):
    site = edits.new_site("Quay", "Slip")
    for name, text in hours.items():
        site = edits.add_tuning(site, "view-1", name)
        site = edits.set_tuning_hours(site, "view-1", name, text)
    return edits.use_tuning(site, "view-1", "factory")


def on(site, hours_after, clock=FAROE):
    """Names and hours after Monday's start in UTC of what is on over so many hours."""
    start_us = us_of(MONDAY)
    found = tunings_on(site.views[0], clock, start_us, start_us + hours_after * 3600 * US_PER_S)
    return [(held.tuning.name, (held.start_us - start_us) / 3.6e9, (held.end_us - start_us) / 3.6e9) for held in found]


def test_a_tuning_is_on_in_its_hours_and_another_else():
    found = on(site_with(night="20:00-06:00"), 24)
    assert found == [("night", 0, 5), ("factory", 5, 19), ("night", 19, 24)]


def test_where_hours_overlap_the_first_tuning_is_on():
    found = on(site_with(night="20:00-06:00", early="04:00-08:00"), 24)
    assert found == [("night", 0, 5), ("early", 5, 7), ("factory", 7, 19), ("night", 19, 24)]


def test_the_one_in_use_is_on_where_all_have_hours():
    site = edits.set_tuning_hours(site_with(night="20:00-06:00"), "view-1", "factory", "06:00-12:00")
    site = edits.use_tuning(site, "view-1", "night")
    assert {name for name, _, _ in on(site, 24)} == {"night", "factory"}
    assert on(site, 24)[-1][0] == "night"


def test_without_hours_the_one_in_use_is_on():
    site = edits.go_by_hours(site_with(night="20:00-06:00"), "view-1", on=False)
    assert on(site, 24) == [("factory", 0, 24)]
    plain = edits.set_tuning_hours(site_with(night="20:00-06:00"), "view-1", "night", None)
    assert not plain.views[0].by_hours


@given(st.integers(0, 7 * 24 * 60))
def test_what_is_on_now_is_what_is_on_over_the_week(minute):
    site = site_with(night="20:00-06:00", work="Mo-Fr 08:00-17:00")
    now_us = us_of(MONDAY + timedelta(minutes=minute))
    tuning, until_us = tuning_now(site.views[0], FAROE, now_us)
    week = tunings_on(site.views[0], FAROE, us_of(MONDAY), us_of(MONDAY + timedelta(days=9)))
    held = next(one for one in week if one.start_us <= now_us < one.end_us)
    assert held.tuning.name == tuning.name
    assert until_us == min(held.end_us, now_us + 24 * 3600 * US_PER_S)


def test_hours_that_make_no_sense_are_refused():
    site = site_with(night="20:00-06:00")
    with pytest.raises(ValidationError):
        edits.set_tuning_hours(site, "view-1", "night", "half past")
    with pytest.raises(SiteError, match="none of view"):
        edits.set_tuning_hours(site, "view-1", "dawn", "06:00-07:00")
    with pytest.raises(HushError, match="no place"):
        on(site_with(night="sunset-sunrise"), 24)


# --- over a recording ---------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class _Index:
    duration_s: float = 6 * 3600
    stated: datetime | None = None

    def taken_at(self, zone):
        return self.stated


def test_a_recording_is_judged_under_what_was_on_then():
    site = site_with(night="20:00-06:00")
    view = site.views[0]
    evening = Recording(id="recording-1", path="a.mkv", taken_at=MONDAY + timedelta(hours=17))
    held = settings_over(site, view, evening, _Index())
    assert [one.tuning.name for one in held.stretches] == ["factory", "night"]
    assert held.stretches[0].end_us == 3 * 3600 * US_PER_S
    noon = evening.model_copy(update={"taken_at": MONDAY + timedelta(hours=11)})
    assert settings_over(site, view, noon, _Index(3600.0)) == view.tuning_named("factory").settings
    assert settings_over(site, view, evening, _Index(), all_hours=True) == view.tuning.settings
    nobody_knows = evening.model_copy(update={"taken_at": None})
    assert settings_over(site, view, nobody_knows, _Index()) == view.tuning.settings


def levels(*values):
    """Evidence of one cell row whose value is so many grey levels in each frame, ten a second."""
    frames = np.zeros(len(values), FRAME_DTYPE)
    frames["time_us"] = np.arange(len(values)) * 100_000
    frames["valid"] = True
    return evidence_of(Grid(40, 4), frames, np.tile((np.array(values) * 4).astype(np.uint8), (10, 1)))


def switched(at, first, second, end=10_000):
    return Switched(
        (
            Stretch(0, at * 100_000, Tuning(name="one", settings={"zone-1": first})),
            Stretch(at * 100_000, end * 100_000, Tuning(name="two", settings={"zone-1": second})),
        )
    )


def alarms(evidence, settings):
    lane = Evaluator(Memo()).lanes(evidence, PLAN, settings)[0]
    return [(held.start_frame, held.end_frame, held.ended_by) for held in lane.alarms]


def test_a_switch_begins_confirmation_anew():
    walker = levels(*[0, 0, 30, 30, 30, 30, 30, 0, 0, 0])
    assert alarms(walker, {"zone-1": LOUD}) == [(4, 8, "level")]
    assert alarms(walker, switched(4, LOUD, LOUD)) == [(4, 8, "level")]  # the same dials are no switch
    assert alarms(walker, switched(4, LOUD, LOUD.turned(start_percent=11))) == [(6, 8, "level")]


def test_a_switch_never_ends_an_alarm_and_the_new_clear_level_ends_it():
    walker = levels(*[30] * 5, *[10] * 5, *[0] * 5)
    assert alarms(walker, {"zone-1": QUIET}) == [(2, 6, "level")]
    assert alarms(walker, switched(4, QUIET, LOUD)) == [(2, 11, "level")]
    assert alarms(walker, switched(8, LOUD, QUIET)) == [(2, 9, "level")]


def test_an_alarm_is_explained_by_the_dials_that_were_on():
    evidence = levels(*[0] * 3, *[30] * 7, *[0] * 5, *[30] * 6, 0, 0)
    settings = switched(12, QUIET, LOUD)
    lane = Evaluator(Memo()).lanes(evidence, PLAN, settings)[0]
    assert [lane.at(alarm.onset_us).settings for alarm in lane.alarms] == [QUIET, LOUD]
    shown = Switched(settings.stretches, "two")
    assert Evaluator(Memo()).lanes(evidence, PLAN, shown)[0].settings == LOUD
    explainer = Evaluator(Memo()).explainer(evidence, PLAN)
    confirmed = [explainer.explain(lane, alarm).confirmed for alarm in lane.alarms]
    assert confirmed == [QUIET.confirm_frames, LOUD.confirm_frames]


def test_levels_are_those_of_the_dials_that_are_on():
    lane = Evaluator(Memo()).lanes(levels(*[10] * 10), PLAN, switched(5, QUIET, LOUD))[0]
    assert (lane.areas > 0).tolist() == [False] * 5 + [True] * 5


@given(
    st.lists(st.sampled_from([0, 10, 30]), min_size=2, max_size=60),
    st.integers(0, 60),
    st.permutations([LOUD, QUIET, LOUD.turned(confirm_frames=1, release_frames=1)]),
)
def test_the_live_twin_takes_the_other_dials_up_alike(values, at, dials):
    evidence = levels(*values)
    grid, seen, zones = evidence.grid, [], None
    for frame, row in enumerate(evidence.frames):
        if frame in (0, at):
            fresh = live_zones(PLAN, {"zone-1": dials[0] if frame < at else dials[1]}, grid)
            if zones is not None:
                fresh[0].go_on_from(zones[0])
            zones = fresh
        cells = {name: evidence.values(name, frame, frame + 1)[:, 0] for name in ("step", "foreground", "quarters")}
        seen += zones[0].push(Reduced(row, cells))
    if zones[0].running:
        seen.append(zones[0].running)
    lane = Evaluator(Memo()).lanes(evidence, PLAN, switched(at, dials[0], dials[1]) if at else {"zone-1": dials[1]})[0]
    assert seen == lane.alarms


def test_a_search_counts_the_hours_of_its_own_tuning_alone(tmp_path):
    """Noon to 12:00:20; the night's tuning is on from 12:00:10."""
    recording = Recording(id="r", path="a.mkv", taken_at=datetime(2026, 11, 26, 12, tzinfo=UTC))
    write_video(tmp_path / "a.mkv", moving_square(200))
    index = index_recording(Footage(tmp_path / "a.mkv"))
    night = Tuning(name="night", hours="12:00-13:00")
    view = View(
        id="v", name="v", recordings=(recording,), zones=(ZONE,), tunings=(Tuning(name="day"), night),
        tuning_in_use="day", by_hours=True,
    )  # fmt: skip
    site = Site(name="Skerry Quay", views=(view,))
    assert searched_over(site, view, recording, index).any.tolist() == []
    at_night = replaced(view, tuning_in_use="night")
    found = searched_over(site, at_night, recording, index)
    assert found.any.tolist() == found.items["zone-1"].tolist() == [[0, 20_000_001]]
    plain = replaced(view, by_hours=False)
    assert searched_over(site, plain, recording, index) is None
    part = replaced(at_night, hours=Hours(armed="11:00-12:00"))
    assert searched_over(site, part, recording, index).any.tolist() == []
