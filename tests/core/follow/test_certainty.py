"""How sure a track is a body: each sign alone lowers it."""

from dataclasses import replace

import pytest

from north_hush.core.follow.certainty import Look, certainty

CELLS = 3600


def looks(count=60, per_s=10, **changes):
    walker = Look(0, 20.0, 20.0, 5.0, True, 9.0, 0.7, 2.2)
    return [replace(walker, now_us=i * 1_000_000 // per_s, x=20 + 0.5 * i, **changes) for i in range(count)]


def test_a_walker_is_sure():
    assert certainty(looks(), CELLS, 1.0, 1.0) == 1.0
    assert certainty(looks(), CELLS, 1.0, None) == 1.0


@pytest.mark.parametrize(
    "changes",
    [{"filled": 0.18}, {"strength": 1.05}, {"cells": 380.0}, {"tall": 0.5}],
    ids=["thread", "fog", "light", "gull"],
)
def test_each_sign_alone_makes_it_unsure(changes):
    held = looks(**changes)
    if "tall" in changes:  # faster than anything of its height
        held = [replace(look, x=20 + 1.6 * i) for i, look in enumerate(held)]
    assert certainty(held, CELLS, 1.0, None) < 0.1


def test_what_is_missing_in_half_of_the_frames_is_not_sure():
    held = [replace(look, seen=i % 2 == 0, cells=9.0 if i % 2 == 0 else None) for i, look in enumerate(looks())]
    assert certainty(held, CELLS, 1.0, None) < 0.05


def test_in_turmoil_a_body_has_to_be_known_for_longer():
    brief, long = looks(15), looks(60)
    assert certainty(brief, CELLS, 2.0, None) == 1.0
    assert certainty(brief, CELLS, 50.0, None) == 0.0
    assert certainty(long, CELLS, 50.0, None) == 1.0


def test_in_turmoil_a_body_has_to_go_somewhere():
    """A mast that shakes makes a body of every edge, which is seen for as long as it shakes, and goes to and fro."""
    to_and_fro = [replace(look, x=20.0 + i % 2) for i, look in enumerate(looks())]
    assert certainty(to_and_fro, CELLS, 2.0, None) == 1.0
    assert certainty(to_and_fro, CELLS, 18.0, None) == 0.0
    assert certainty(looks(), CELLS, 18.0, None) == 1.0


def test_what_is_lower_than_a_child_is_not_sure():
    assert certainty(looks(), CELLS, 1.0, 0.25) == 0.0
    assert 0.0 < certainty(looks(), CELLS, 1.0, 0.4) < 1.0


def test_who_was_only_seen_with_others_is_half_sure_in_calm_and_not_in_turmoil():
    shared = looks(cells=None)
    assert certainty(shared, CELLS, 1.0, None) == pytest.approx(0.6)
    assert certainty(shared, CELLS, 50.0, None) == 0.0
    assert certainty(looks(cells=None, seen=False), CELLS, 1.0, None) == 0.0
