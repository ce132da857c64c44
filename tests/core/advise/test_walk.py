"""Walk tests: the walker's way, and why he was not noticed where he was not."""

import numpy as np
import pytest

from north_hush.core.advise.walk import walk_test
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.scene.area import area_of
from north_hush.core.scene.items import Mask, Zone
from north_hush.core.scene.outline import rectangle
from north_hush.core.scene.plan import Plan
from tests.core.follow.test_owned import line, walk

ACROSS = line(4.0, 8.0)
"""From the left to the right of 60 frames at 10 a second: 4 to 52 cells."""
DIALS = ZoneSettings(change_limit_grey=10, start_percent=0.5, clear_percent=0.5, confirm_frames=1, release_frames=1)


def zone(left, right):
    area = area_of(rectangle((left, 0.0), (right, 1.0)))
    return Zone(id="z", name="Slip", letter="A", area=area)


def made(evidence, plan, settings=DIALS):
    evaluator = Evaluator()
    lanes = evaluator.lanes(evidence, plan, {"z": settings})
    return walk_test(evidence, plan, lanes, evaluator.tracks(evidence, plan), 0.0, 6.0)


def test_the_way_is_followed_and_where_no_zone_is_it_is_dead():
    found = made(walk(ACROSS), Plan(zones=(zone(0.0, 0.5),)))
    assert len(found.notices) >= 55
    x = found.places[:, 0]
    assert (np.diff(x) >= -1e-9).all()
    assert x[0] < 0.2
    assert x[-1] > 0.6
    assert found.notices[5] == "alarm"
    assert [held.why for held in found.dead] == ["outside"]
    assert found.dead[0].place[0] > 0.5
    assert 70 < found.noticed_percent < 85


def test_under_a_mask_and_below_the_limits_are_told_apart():
    plan = Plan(zones=(zone(0.0, 1.0),))
    masked = Plan(plan.zones, masks=(Mask(id="m", name="Nets", area=area_of(rectangle((0.4, 0.0), (0.7, 1.0)))),))
    assert [held.why for held in made(walk(ACROSS), masked).dead] == ["masked"]
    deaf = made(walk(ACROSS), plan, DIALS.turned(start_percent=60))
    assert [held.why for held in deaf.dead] == ["quiet"]
    assert deaf.noticed_percent == 0
    assert made(walk(ACROSS), plan).dead == ()


def test_a_walker_who_is_hidden_for_a_while_is_taken_up_again():
    def hidden(t):
        return None if 2.0 <= t < 3.5 else ACROSS(t)

    found = made(walk(hidden), Plan(zones=(zone(0.0, 1.0),)))
    assert [held.why for held in found.dead] == ["unseen"]
    assert found.dead[0].start_s == pytest.approx(2.0, abs=0.4)
    assert found.places[-1, 0] > 0.6


def test_nobody_walks():
    found = made(walk(frames=60), Plan(zones=(zone(0.0, 1.0),)))
    assert found.notices == ()
    assert found.noticed_percent is None
