"""Crossings of one line by paths made by hand: which count, when they were, and what is none."""

import numpy as np
import pytest

from north_hush.core.follow.crossings import WireWatch
from north_hush.core.follow.links import FRAME, NET, PATCH, PATH, SEEN, SIGHT_FIELDS, TALL, X, Y
from north_hush.core.grid import Grid
from north_hush.core.scene.items import SizeMark

GRID = Grid(960, 540)
CELL_PX = GRID.cell_source_px
LINE_Y, PERSON = 20.0, 6.0
"""In cells: the line lies across the whole picture, and a person is as tall everywhere."""
RATE = 10


def watch():
    y_frac = LINE_Y * CELL_PX / GRID.height
    tall_frac = PERSON * CELL_PX / GRID.height
    marks = [
        SizeMark(id=f"m{i}", name=f"m{i}", foot=(0.5, y), height_frac=tall_frac) for i, y in enumerate((0.35, 0.95))
    ]
    return WireWatch(((0.2, y_frac), (0.8, y_frac)), GRID, tuple(marks))


def path(number, at, tall, frames, *, seen_before=0, net=50.0):
    """Sights of one path: `at(i)` is its foot (x, y in cells) in frame i, `tall(i)` its height in person heights."""
    rows = np.zeros((len(frames), SIGHT_FIELDS))
    for row, frame in zip(rows, frames, strict=True):
        row[FRAME], row[PATH], row[PATCH], row[NET] = frame, number, 0, net
        row[X], row[Y] = at(frame)
        row[TALL], row[SEEN] = PERSON * tall(frame), seen_before + frame - frames[0] + 1
    return rows


def crossings(*paths):
    rows = np.concatenate(paths)
    rows = rows[np.lexsort((rows[:, PATH], rows[:, FRAME]))]
    time_us = np.arange(int(rows[:, FRAME].max()) + 1) * 1_000_000 // RATE
    return [(found.frame, found.direction, found.path) for found in watch().feed(rows, time_us)]


def upright(frame):
    return 1.0


def up(from_y, cells_per_frame, x=40.0):
    return lambda frame: (x, from_y - cells_per_frame * frame)


def test_a_walker_crosses_when_the_feet_pass_the_line():
    assert crossings(path(1, up(25, 0.2), upright, range(50))) == [(25, "b_to_a", 1)]
    assert crossings(path(1, up(15, -0.2), upright, range(50))) == [(25, "a_to_b", 1)]


def test_who_stood_on_the_line_and_begins_to_move_has_not_crossed():
    """At first only the upper body moves, so that the lower edge lies above the line; then the feet below it."""
    lower_edges = [18.6, 19.5, 20.1, 20.1, 20.3, 20.2, 20.4, 20.5, 20.4, 20.8]
    shares = [0.3, 0.6, 0.9] + [0.95] * 60

    def at(frame):
        return (40 - 0.4 * frame, lower_edges[frame] if frame < 10 else 21.0 + 0.1 * (frame - 10))

    assert crossings(path(1, at, lambda frame: shares[frame], range(40))) == []


def test_who_came_round_the_end_of_the_line_has_a_side_at_once():
    """A cyclist is followed long before he comes beside the line, and crosses it soon after."""

    def at(frame):
        return (10 + frame, 20.9 - 0.12 * max(0, frame - 6))

    assert [held[1:] for held in crossings(path(1, at, upright, range(40), seen_before=60))] == [("b_to_a", 1)]


def test_a_head_is_no_walker_of_its_own():
    """Somebody who goes straight away falls into two paths: the head, a little aside, and the feet below."""
    head = path(1, up(22, 0.1, x=40.5), lambda _: 0.15, range(70))
    feet = path(2, up(27, 0.1, x=40.0), lambda _: 0.2, range(90))
    assert [held[1:] for held in crossings(head, feet)] == [("b_to_a", 2)]
    far_aside = path(2, up(27, 0.1, x=48.0), lambda _: 0.2, range(90))
    assert sorted(held[2] for held in crossings(head, far_aside)) == [1, 2]


@pytest.mark.parametrize(
    ("tall", "heights_per_s", "crosses"),
    [(0.85, 3.0, False), (0.5, 2.4, False), (0.5, 1.0, True), (1.0, 3.0, True), (1.0, 8.0, False), (0.85, 1.5, True)],
)
def test_what_is_low_and_faster_than_it_could_run_is_a_bird(tall, heights_per_s, crosses):
    per_frame = heights_per_s * PERSON / RATE

    def at(frame):  # mostly across, so that it is seen beside the line for some frames
        return (20 + 0.9 * per_frame * (frame % 60), 22.0 - 0.18 * per_frame * frame)

    frames = range(0, min(60, int(55 / per_frame)))
    assert bool(crossings(path(1, at, lambda _: tall, frames, seen_before=20))) == crosses


def test_who_draws_something_crosses_when_he_does_and_not_what_he_draws():
    """The lower edge is the sledge's, a third of a height behind him; his feet are known after a few sights only."""
    found = crossings(path(1, up(25, 0.2), lambda _: 1.45, range(60)))
    alone = crossings(path(1, up(25 - 0.33 * PERSON, 0.2), upright, range(60)))
    assert [held[1:] for held in found] == [("b_to_a", 1)]
    assert abs(found[0][0] - alone[0][0]) <= 3


def test_what_joins_a_walker_for_a_moment_is_not_drawn_by_him():
    """Waves above the head make him tall for a second."""
    found = crossings(path(1, up(25, 0.1), lambda frame: 1.4 if 20 <= frame < 32 else 1.0, range(90)))
    assert found == [(50, "b_to_a", 1)]


def test_a_path_that_jumps_crosses_nothing():
    def at(frame):
        return (40.0, 22.0 if frame < 30 else 18.5)

    assert crossings(path(1, at, upright, range(60))) == []
