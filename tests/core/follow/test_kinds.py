"""Kinds by rules, and how tall persons are from those who walked."""

from dataclasses import replace

import numpy as np
import pytest

from north_hush.core.follow.kinds import Traits, kind_of, named, tracks_apart, traits_of
from north_hush.core.follow.tracks import HITS, TRACK, Follower
from north_hush.core.follow.walkers import perspective
from tests.core.follow.test_owned import GRID, line, walk
from tests.evidence_maker import whole_channel

WALKER = Traits(
    tall=1.0, wide=0.4, shape=2.5, speed=0.8, straight=0.9, travelled=5.0, seen=1.0, filled=0.7, strength=2.2,
    view_percent=0.6, steady=0.1, measured=True,
)  # fmt: skip


@pytest.mark.parametrize(
    ("changes", "kind"),
    [
        ({}, "person"),
        ({"wide": 1.2, "shape": 0.9}, "people"),
        ({"wide": 0.9, "shape": 1.2, "speed": 3.0}, "two-wheeler"),
        ({"wide": 2.4, "shape": 0.5, "tall": 1.2, "speed": 4.0}, "vehicle"),
        ({"wide": 3.0, "shape": 0.3, "tall": 0.9, "speed": 0.5}, "boat"),
        ({"tall": 0.3, "wide": 0.5, "shape": 0.6, "speed": 1.5}, "animal"),
        ({"filled": 0.15, "wide": 1.0}, "drifting"),
        ({"seen": 0.5}, "drifting"),
        ({"view_percent": 20.0, "wide": 5.0, "tall": 4.0}, "light"),
        ({"travelled": 0.1, "speed": 0.1}, "unclear"),
    ],
)
def test_each_kind_has_its_traits(changes, kind):
    assert kind_of(replace(WALKER, **changes))[0] == kind


def test_without_person_heights_less_is_sure():
    assert kind_of(WALKER)[1] == 1.0
    assert kind_of(replace(WALKER, measured=False))[1] == pytest.approx(0.8)


def sights_of(evidence):
    return Follower(GRID).feed(whole_channel(evidence, "foreground"), evidence.time_us, evidence.valid, evidence.gap)


def test_a_figure_that_walks_is_named_a_person():
    evidence = walk(line(10, 5))
    names = named(sights_of(evidence), evidence.time_us, np.full(GRID.rows, 7.0), GRID)
    assert [kind for kind, _ in names.values()] == ["person"]


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
    found = perspective(np.concatenate(rows), GRID)
    assert found.walkers == 5
    assert found.cells[[20, 32]] == pytest.approx([6.1, 10.1], abs=0.5)
    assert found.spread < 0.1
    far, near = found.marks(GRID)
    assert far[0][1] < near[0][1]
    assert near[1] * GRID.rows == pytest.approx(12, abs=0.8)
    assert perspective(np.concatenate(rows[:3]), GRID) is None  # too few to tell
    swaying = walk(lambda t: (40 + np.sin(t), 20))
    assert perspective(sights_of(swaying), GRID) is None
