"""Kinds by fitted weights, what is part of a vehicle, and how tall persons are from those who walked."""

from dataclasses import astuple, replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from north_hush.core.follow.apart import apart_of, tracks_apart
from north_hush.core.follow.kinds import kind_model, kinds_of, named, trait_rows
from north_hush.core.follow.tracks import (
    CELLS,
    FOOT,
    FRAME,
    HITS,
    HOW,
    LEFT,
    OWN,
    RIGHT,
    SIGHT_FIELDS,
    STRENGTH,
    TOP,
    TRACK,
    X,
)
from north_hush.core.follow.traits import Traits, trait_table, traits_of
from north_hush.core.follow.walkers import perspective
from north_hush.core.weighing import terms_of
from north_hush.demo.kinds import kind_weights
from tests.core.follow.test_owned import GRID, line, walk
from tests.evidence_maker import sights_of

WALKER = Traits(
    tall=1.0, tall_low=0.9, tall_high=1.1, wide=0.45, wide_low=0.35, wide_high=0.55, speed=0.8, slow=0.6, fast=1.0, level=0.8,
    straight=0.95, travelled=6.0, seen=1.0, alone=0.95, filled=0.7, strength=2.2, flicker=0.2, view_percent=0.6, steady=0.08,
    measured=True,
)  # fmt: skip


def table(*held):
    return np.array([astuple(one) for one in held], np.float64)


def changed(**changes):
    return replace(WALKER, **changes)


@pytest.mark.parametrize(
    ("traits", "kind"),
    [
        (WALKER, "person"),
        (changed(measured=False), "person"),
        (changed(wide=1.1, wide_low=0.9, wide_high=1.2), "people"),
        (changed(tall=1.5, tall_low=1.4, tall_high=1.6, wide=1.6, wide_low=1.3, wide_high=2.0, speed=0.5, slow=0.2, fast=0.8,
                 strength=2.8, view_percent=3), "vehicle"),
        (changed(tall=0.75, tall_low=0.6, tall_high=0.85, wide=1.7, wide_low=1.5, wide_high=1.8, speed=0.6, slow=0.4, fast=0.8,
                 level=0.97, view_percent=0.35, travelled=9), "boat"),
        (changed(tall=1.5, tall_low=0.8, tall_high=2.5, wide=0.8, wide_low=0.4, wide_high=1.5, speed=3, slow=1, fast=6, level=0.3,
                 straight=0.4, travelled=2, seen=0.6, alone=0.5, filled=0.4, strength=1.1, flicker=0.3, steady=0.4), "drifting"),
    ],
)  # fmt: skip
def test_each_kind_has_its_traits(traits, kind):
    assert kinds_of(table(traits))[0][0] == kind


def test_the_chances_of_all_kinds_are_one_and_what_is_far_outside_counts_as_the_rim():
    model = kind_model()
    rows = trait_rows([WALKER, changed(speed=1e6), changed(speed=1e9)])
    chances = model.chances(rows)
    assert chances.sum(axis=1) == pytest.approx(1)
    assert chances[1] == pytest.approx(chances[2])


@given(st.integers(0, 2**32 - 1), st.integers(1, 6))
@settings(max_examples=60)
def test_traits_of_all_tracks_are_those_of_each_by_itself(seed, count):
    rng, tracks = np.random.default_rng(seed), []
    for number in range(count):
        rows = np.zeros((int(rng.integers(1, 40)), SIGHT_FIELDS))
        rows[:, FRAME], rows[:, TRACK] = np.sort(rng.choice(200, len(rows), replace=False)), number
        rows[:, X], rows[:, FOOT] = rng.uniform(5, 60, len(rows)), rng.uniform(5, 40, len(rows))
        rows[:, LEFT], rows[:, RIGHT] = rows[:, X] - rng.uniform(0.5, 4, len(rows)), rows[:, X] + 1.5
        rows[:, TOP] = rows[:, FOOT] - rng.uniform(0, 9, len(rows))
        rows[:, CELLS], rows[:, STRENGTH] = rng.integers(1, 40, len(rows)), rng.uniform(1, 4, len(rows))
        rows[:, HOW] = rng.integers(0, OWN + 1, len(rows))
        tracks.append(rows)
    person = np.where(rng.random(GRID.rows) < 0.7, rng.uniform(2, 9, GRID.rows), 0.0)
    time_us = np.cumsum(rng.integers(30_000, 200_000, 200))
    apart = apart_of(tracks)
    found = trait_table(apart, time_us, person, GRID)
    for rows, traits in zip(apart, found, strict=True):
        slow = traits_of(rows, time_us, person, GRID)
        if slow is None:
            assert np.isnan(traits).all()
        else:
            assert traits == pytest.approx(np.array(astuple(slow), np.float64), rel=1e-9, abs=1e-9)


def test_what_may_be_anything_is_unclear(monkeypatch):
    model = kind_model()
    flat = replace(model, weights=np.zeros_like(model.weights), bias=np.zeros_like(model.bias))
    monkeypatch.setattr("north_hush.core.follow.kinds.kind_model", lambda: flat)
    ((kind, sure),) = kinds_of(table(WALKER))
    assert (kind, sure) == ("unclear", pytest.approx(1 - 1 / len(model.names), abs=1e-3))


def test_fitted_weights_tell_apart_what_differs_in_a_product_of_traits():
    rng = np.random.default_rng(4)
    held, true = [], []
    for _ in range(400):
        tall, speed = np.exp(rng.choice([-1, 1], 2) * rng.uniform(0.3, 1.0, 2))
        held.append(changed(tall=tall, speed=speed))
        true.append("person" if (tall > 1) == (speed > 1) else "drifting")
    model = kind_weights(held[:300], true[:300])
    best = model.chances(trait_rows(held[300:])).argmax(axis=1)
    right = np.mean([model.names[number] == kind for number, kind in zip(best, true[300:], strict=True)])
    assert right > 0.9
    assert terms_of(trait_rows(held[:1])).shape == (1, model.weights.shape[1])


def test_persons_weigh_more_where_nothing_tells():
    model = kind_weights([WALKER] * 80, ["person"] * 40 + ["drifting"] * 40)
    assert model.chances(trait_rows([WALKER]))[0] == pytest.approx([5 / 7, 2 / 7], abs=0.02)


def test_a_figure_that_walks_is_named_a_person():
    evidence = walk(line(10, 5))
    (sights,) = tracks_apart(sights_of(evidence))
    sights[:, STRENGTH] = 2.2 + 0.4 * np.sin(np.arange(len(sights)))  # clothes are not all of one grey
    sights[:, CELLS] += np.arange(len(sights)) % 3
    names = named(apart_of([sights]), evidence.time_us, np.full(GRID.rows, 7.0), GRID)
    assert [kind for kind, _ in names.values()] == ["person"]


def test_where_nothing_was_followed_nothing_is_named():
    assert named(apart_of([]), np.zeros(3, np.int64), np.zeros(GRID.rows), GRID) == {}


def moved(rows, *, number, across=0.0, down=0.0, scale=1.0):
    """The sights of a track as another one, moved and made smaller about its foot."""
    held = rows.copy()
    held[:, TRACK] = number
    for column in (X, LEFT, RIGHT):
        held[:, column] = rows[:, X] + scale * (rows[:, column] - rows[:, X]) + across
    held[:, TOP] = rows[:, FOOT] + scale * (rows[:, TOP] - rows[:, FOOT]) + down
    held[:, FOOT] += down
    return held


def test_what_goes_with_a_vehicle_is_part_of_it(monkeypatch):
    monkeypatch.setattr(
        "north_hush.core.follow.kinds.kinds_of",
        lambda rows: [("vehicle", 0.9) if wide > 1 else ("person", 0.8) for wide in rows[:, 3]],
    )
    evidence = walk(line(12, 5, y=22), height=6, width=9)
    van = sights_of(evidence)
    person = np.full(GRID.rows, 6.0)
    wheel, beyond = moved(van, number=70, across=3, scale=0.3), moved(van, number=71, down=20, scale=0.3)
    (number,) = set(van[:, TRACK].astype(int))
    names = named(apart_of([van, wheel, beyond]), evidence.time_us, person, GRID)
    assert names == {number: ("vehicle", 0.9), 70: ("vehicle", 0.9), 71: ("person", 0.8)}


def test_what_is_seen_for_a_moment_is_no_track_and_its_last_unseen_frames_are_left_out():
    evidence = walk(lambda t: (20 + 5 * t, 20) if t < 3 else None, lambda t: (60, 30) if 2 <= t < 2.3 else None)
    (rows,) = tracks_apart(sights_of(evidence))
    assert rows[-1, HITS] == len(rows) == 30
    assert traits_of(rows, evidence.time_us, np.zeros(GRID.rows), GRID).measured is False


def test_persons_heights_come_from_those_who_walked():
    def walker(y, tall):
        held = walk(line(5, 10, y=y), height=tall, width=max(2, round(0.35 * tall)))
        return sights_of(held)

    rows = []
    for number, (y, tall) in enumerate([(14, 4), (20, 6), (26, 8), (32, 10), (38, 12)]):
        held = walker(y, tall)
        held[:, TRACK] = number
        rows.append(held)
    found = perspective(rows, GRID)
    assert found.walkers == 5
    assert found.cells[[20, 32]] == pytest.approx([6.1, 10.1], abs=0.5)
    assert found.spread < 0.1
    far, near = found.marks(GRID)
    assert far[0][1] < near[0][1]
    assert near[1] * GRID.rows == pytest.approx(12, abs=0.8)
    dim = replace(found, cells=np.where(np.arange(GRID.rows) < 20, 0.0, found.cells), feet=(12.0, found.feet[1]))
    far, near = dim.marks(GRID)  # who is too small to be measured far off is measured as far off as can be
    assert far[0][1] * GRID.rows == pytest.approx(20, abs=0.1)
    assert 0 < far[1] < near[1]
    assert perspective(rows[:3], GRID) is None  # too few to tell
    swaying = walk(lambda t: (40 + np.sin(t), 20))
    assert perspective(tracks_apart(sights_of(swaying)), GRID) is None
