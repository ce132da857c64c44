"""The search for quiet settings, and the response map."""

import math
from dataclasses import replace

import numpy as np
import pytest

from north_hush.core.advise.advice import advise
from north_hush.core.advise.aim import AIMS, TRIED, Case
from north_hush.core.advise.map import response_map
from north_hush.core.advise.search import Search
from north_hush.core.advise.weighing import beside
from north_hush.core.detect.dials import DIALS
from north_hush.core.judge.incidents import Incident, Truth
from north_hush.core.scene.items import SizeMark
from north_hush.core.scene.plan import Plan
from tests.core.advise.test_curves import BY_FIELD, SETTINGS, SHOWN, TRUTH, bursts, what_if
from tests.evidence_maker import evidence_of, whole_channel

ITEM = "whole-picture"
TALL_CELLS = np.array([0, 10])
"""Two cells, one above the other: less is not followed."""


def search(*cases, **more):
    held = [Case(f"r{i}", evidence, truth) for i, (evidence, truth) in enumerate(cases)]
    return Search(held, Plan(), {ITEM: SETTINGS.turned(change_limit_grey=3.0)}, **more)


@pytest.fixture(scope="module")
def proposals():
    return search((SHOWN, TRUTH)).proposals()


def test_every_incident_is_kept_and_what_can_be_silenced_is(proposals):
    for proposal in proposals:
        assert proposal.score.met == 1
        assert proposal.score.unwanted == 0


def test_proposals_differ_and_say_what_they_rest_on(proposals):
    assert len({str(held.settings) for held in proposals}) == len(proposals)
    for held in proposals:
        assert "rests on one recording" in held.warnings
        assert "rests on one incident" in held.warnings
        assert {field for _, field, _ in held.changed} <= set(AIMS[0].fields)


def test_what_is_checked_can_be_checked_again(proposals):
    from north_hush.core.advise.robustness import CHANGES

    held, case = proposals[0], Case("r0", SHOWN, TRUTH)
    assert [check.what for check in held.checks] == list(CHANGES)
    for check in held.checks:
        changed = CHANGES[check.what](case)
        looked = Search([changed], Plan(), {ITEM: SETTINGS})
        assert looked.score_of(held.settings) == [check.score]


def test_the_loss_is_looked_at_to_either_side_too():
    looked = search((SHOWN, TRUTH))
    settings = SETTINGS.turned(change_limit_grey=8.0, start_percent=4.0, clear_percent=4.0)
    louder, quieter = beside(settings)
    assert (louder.change_limit_grey, quieter.change_limit_grey) == (6.5, 10.0)
    assert (louder.start_percent, quieter.start_percent) == (3.2, 5.0)
    aside = replace(AIMS[0], missed=AIMS[0].missed_aside)
    parts = looked.loss(looked.steering, ITEM, settings, AIMS[0])
    parts += sum(looked.loss(looked.steering, ITEM, held, aside) for held in (louder, quieter))
    assert looked.blunt_loss(looked.steering, ITEM, settings, AIMS[0]) == pytest.approx(parts)


def test_merging_alarms_and_one_that_never_ends_gain_nothing():
    """A release that lets seven short nuisances run together, or a clear level that holds an alarm on, is no better."""
    seven = bursts(*((10 + 8 * i, 3, 10, 20) for i in range(7)), (150, 20, 40, 30))
    truth = Truth(incidents=(Incident(name="walks", start_s=15, end_s=17),), complete=True)
    looked = search((seven, truth))
    apart = looked.turned(looked.present_settings(), {ITEM: {"release_frames": 2}})[ITEM]
    joined = apart.turned(release_frames=30)
    assert looked.score_of({ITEM: joined})[0].alarms < looked.score_of({ITEM: apart})[0].alarms
    assert looked.loss(looked.steering, ITEM, joined, AIMS[0]) > looked.loss(looked.steering, ITEM, apart, AIMS[0])
    assert all(tip.field != "release_frames" for tip in advise(looked))
    always = bursts((0, 200, 5, 20), (150, 20, 40, 30))
    endless = search((always, truth)).score_of({ITEM: SETTINGS})[0]
    assert (endless.alarms, endless.met, endless.already_on) == (1, 0, 1)


def test_what_nothing_is_known_of_steers_nothing():
    with_truth, other = search((SHOWN, TRUTH)), search((SHOWN, TRUTH), (bursts((5, 100, 50, 60)), Truth()))
    found, beside_it = with_truth.proposals(), other.proposals()
    assert [held.settings for held in found] == [held.settings for held in beside_it]
    assert any("nothing is known of r1" in warning for warning in beside_it[0].warnings)


def test_what_the_footage_cannot_show_is_declared():
    day = Search([Case("r0", SHOWN, TRUTH, light="day")], Plan(), {ITEM: SETTINGS})
    assert "no night in it: untested" in list(day.warnings({ITEM: SETTINGS}))
    silent = {ITEM: SETTINGS.turned(change_limit_grey=60)}
    assert f"{ITEM} raises no alarm at all" in list(day.warnings(silent))


def test_the_same_input_gives_the_same_result(proposals):
    again = search((SHOWN, TRUTH)).proposals()
    assert [held.settings for held in again] == [held.settings for held in proposals]


def test_only_free_dials_are_turned():
    found = search((SHOWN, TRUTH), free={ITEM: ("change_limit_grey",)}).proposals()
    assert {field for held in found for _, field, _ in held.changed} == {"change_limit_grey"}


def test_an_incident_of_any_recording_is_kept():
    faint = bursts((50, 20, 30, 6)), Truth(incidents=(Incident(name="faint", start_s=5, end_s=7),), complete=True)
    for proposal in search((SHOWN, TRUTH), faint).proposals():
        assert proposal.score.met == 2
        assert "rests on one recording" not in proposal.warnings


def test_each_recording_is_scored_under_settings_chosen_on_the_others():
    faint = bursts((50, 20, 30, 6)), Truth(incidents=(Incident(name="faint", start_s=5, end_s=7),), complete=True)
    unseen = search((SHOWN, TRUTH), faint).unseen_scores()
    # What suits the bright one alone need not meet the faint one; the other way it must, since it was looser.
    assert [held.incidents for held in unseen] == [1, 1]
    assert unseen[0].met == 1
    own = search(faint).proposals()[0].settings
    assert unseen[0] == search((SHOWN, TRUTH)).score_of(own)[0]
    assert search((SHOWN, TRUTH)).unseen_scores() == [None]
    assert search((SHOWN, TRUTH), faint, cancelled=lambda: True).unseen_scores() == []


@pytest.mark.parametrize("aim", AIMS, ids=lambda aim: aim.name)
def test_a_loss_is_given_up_only_where_it_is_no_better(aim):
    faint = bursts((50, 20, 30, 6)), Truth(incidents=(Incident(name="faint", start_s=5, end_s=7),), complete=True)
    whole, bounded, given_up = search((SHOWN, TRUTH), faint), search((SHOWN, TRUTH), faint), 0
    present = whole.present_settings()
    for field in ("change_limit_grey", "start_percent", "confirm_frames", "clear_percent"):
        for value in TRIED[field]:
            tried = whole.turned(present, {ITEM: {field: value}})
            if tried is None:
                continue
            loss = whole.loss(whole.steering, ITEM, tried[ITEM], aim)
            assert bounded.loss(bounded.steering, ITEM, tried[ITEM], aim, loss + 1e-9) == loss
            for most in (loss, loss / 2, 0.5):
                found = bounded.loss(bounded.steering, ITEM, tried[ITEM], aim, most)
                assert found in (loss, math.inf)
                assert found == loss or loss >= most
                given_up += found == math.inf
    assert given_up > 10


def test_a_cancelled_search_ends_at_once():
    assert search((SHOWN, TRUTH), cancelled=lambda: True).proposals() == []


def test_the_map_is_the_curve_at_every_point():
    held = what_if()
    across, up = DIALS[0], DIALS[3]
    found = response_map(held, across, up)
    assert found.unwanted.shape == (len(found.up_values), len(found.across_values))
    curve = held.curve(across)
    row = found.up_values.index(SETTINGS.confirm_frames)
    for column, value in enumerate(found.across_values):
        if value in curve.values:
            place = curve.values.index(value)
            assert (found.unwanted[row, column], found.missed[row, column]) == (
                curve.unwanted[place],
                curve.missed[place],
            )
    assert response_map(held, across, up, cancelled=lambda: True) is None


# --- advice -------------------------------------------------------------------------------------------------------------


def test_advice_is_true_of_every_dial_and_loses_nothing():
    looked = search((SHOWN, TRUTH))
    tips = advise(looked)
    assert tips[0].silenced == 2
    assert [tip.saved_s for tip in tips] == sorted((tip.saved_s for tip in tips), reverse=True)
    present = looked.present_settings()
    for tip in tips:
        if tip.region is None:
            scores = looked.score_of(looked.turned(present, {tip.item: {tip.field: tip.value}}))
            assert scores[0].missed == ()
            assert scores[0].unwanted == tip.of - tip.silenced


def test_advice_says_how_far_the_dial_could_go_on_and_what_it_would_miss_then():
    looked = search((SHOWN, TRUTH))
    tips, present = {tip.field: tip for tip in advise(looked)}, looked.present_settings()
    limit = tips["change_limit_grey"]  # 20 grey levels fill a cell of the loud nuisance, 30 one of the walker
    assert limit.value + limit.spare.amount == 30.0
    assert (limit.spare.incident, limit.spare.recording, limit.spare.start_s) == ("walks", "r0", 12)
    for tip in tips.values():
        if tip.spare is not None:
            dial = BY_FIELD[tip.field]
            way = 1 if tip.value > getattr(present[ITEM], tip.field) else -1
            last = tip.value + way * tip.spare.amount
            for value, missed in ((last, ()), (last + way * dial.grain, ("walks",))):
                turned = looked.turned(present, {ITEM: {tip.field: dial.number(round(value, 4))}})
                assert looked.score_of(turned)[0].missed == missed, tip


def test_what_no_dial_can_miss_has_no_end_to_spare():
    anything = Truth(complete=True)
    assert {tip.spare for tip in advise(search((SHOWN, anything)))} == {None}


def test_things_are_limited_in_the_unit_the_item_uses():
    values = np.zeros((100, 200), np.uint8)
    for frame in range(40, 80):  # something sways in place, and later something else walks across
        values[44 + frame // 2 % 2 + TALL_CELLS, frame] = 80
    for frame in range(120, 160):
        values[60 + (frame - 120) // 4 + TALL_CELLS, frame] = 80
    evidence = evidence_of(SHOWN.grid, SHOWN.frames, values)
    cases = [Case("r0", evidence, Truth(incidents=(Incident(name="walks", start_s=12, end_s=16),), complete=True))]
    marks = tuple(
        SizeMark(id=f"m{i}", name=f"m{i}", foot=(0.5, y), height_frac=y / 3) for i, y in enumerate((0.3, 0.9))
    )
    settings = SETTINGS.turned(start_percent=0.5, clear_percent=0.5)
    plan = Plan(size_marks=marks)
    tips = {tip.field: tip for tip in advise(Search(cases, plan, {ITEM: settings.turned(things_in="heights")}))}
    assert tips["travel_heights"].value == 0.6
    assert tips["travel_heights"].silenced == tips["travel_heights"].of == 1
    assert tips["travel_heights"].spare.incident == "walks"
    for unit, other in (("heights", "percent"), ("percent", "heights")):
        looked = Search(cases, plan, {ITEM: settings.turned(things_in=unit)})
        fields = looked.fields(ITEM, AIMS[0].fields)
        assert f"travel_{unit}" in fields
        assert f"travel_{other}" not in fields


def test_a_mask_over_a_restless_corner_is_advised():
    values = whole_channel(SHOWN, "step").copy()
    values[:, :] = 0
    for first in range(10, 110, 9):
        values[90:94, first : first + 3] = 120  # four cells of the last row, on and off
    values[:40, 120:140] = 120
    evidence = evidence_of(SHOWN.grid, SHOWN.frames, values)
    tips = advise(search((evidence, TRUTH)))
    masks = [tip for tip in tips if tip.region is not None]
    assert masks
    assert masks[0].silenced >= 1
    ys = [y for _, y in masks[0].region.outline]
    assert min(ys) >= 0.8


def test_no_advice_where_nothing_is_unwanted():
    quiet = Truth(incidents=(Incident(name="all", start_s=0, end_s=20),), complete=True)
    assert advise(search((SHOWN, quiet))) == []
