"""Crossings of one line by tracks made by hand: which count, when they were, how sure they are, and what is none."""

from dataclasses import replace

import numpy as np
import pytest

from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.follow.crossing import counts, unmasked
from north_hush.core.follow.crossings import WireWatch
from north_hush.core.follow.tracks import (
    CELLS,
    FOOT,
    FRAME,
    HITS,
    HOW,
    LEFT,
    NET,
    OWN,
    RIGHT,
    SIGHT_FIELDS,
    STRENGTH,
    TOP,
    TRACK,
    UNSEEN,
    X,
    Y,
)
from north_hush.core.grid import Grid
from north_hush.core.scene.items import SizeMark, Wire

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
    """Sights of one track: `at(i)` is its foot (x, y in cells) in frame i, `tall(i)` its height in person heights."""
    rows = np.zeros((len(frames), SIGHT_FIELDS))
    for row, frame in zip(rows, frames, strict=True):
        x, foot = at(frame)
        high = PERSON * tall(frame)
        row[FRAME], row[TRACK], row[NET], row[HOW], row[STRENGTH] = frame, number, net, OWN, 2.5
        row[X], row[Y], row[TOP], row[FOOT] = x, foot - high / 2, foot - high, foot
        row[LEFT], row[RIGHT], row[CELLS] = x - 1.2, x + 1.2, 0.7 * 2.4 * high
        row[HITS] = seen_before + frame - frames[0] + 1
    return rows


def found(*paths):
    rows = np.concatenate(paths)
    rows = rows[np.lexsort((rows[:, TRACK], rows[:, FRAME]))]
    time_us = np.arange(int(rows[:, FRAME].max()) + 1) * 1_000_000 // RATE
    return watch().feed(rows, time_us)


def crossings(*paths):
    return [(held.frame, held.direction, held.track) for held in found(*paths)]


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


def test_who_stands_just_beyond_the_line_has_crossed_it_and_whose_feet_flicker_about_it_has_not():
    def comes(beyond):
        return path(1, lambda i: (50, LINE_Y - 4 + 0.2 * i if i < 20 else LINE_Y + beyond(i)), upright, range(60))

    (stands,) = crossings(comes(lambda i: 0.35 + 0.05 * (-1) ** i))
    assert stands[1:] == ("a_to_b", 1)
    assert abs(stands[0] - 20) <= 3
    assert crossings(comes(lambda i: 0.4 * (-1) ** i)) == []
    assert crossings(comes(lambda i: 0.15)) == []  # no nearer than that are feet known


def test_who_goes_less_than_a_cell_beyond_and_back_has_crossed_twice():
    there = path(1, lambda i: (50, LINE_Y - 4 + 0.2 * min(i, 23.5) - 0.2 * max(0, i - 30)), upright, range(60))
    assert [way for _, way, _ in crossings(there)] == ["a_to_b", "b_to_a"]


@pytest.mark.parametrize("beyond", [0.8, 1.2])
def test_who_turns_back_beyond_the_line_crosses_it_when_his_feet_do_both_times(beyond):
    """He goes 1.5 cells a second and rests for half a second at the turn; a straight way through all of it passes late."""
    leg, rest = beyond / 0.15, 5

    def at(frame):
        gone = frame - 60
        return 40, LINE_Y + min(0.15 * gone, beyond) - 0.15 * max(0.0, gone - leg - rest)

    there, back = crossings(path(0, at, upright, range(130)))
    assert [there[1], back[1]] == ["a_to_b", "b_to_a"]
    assert there[0] == pytest.approx(60, abs=2)
    assert back[0] == pytest.approx(60 + 2 * leg + rest, abs=2)


def test_who_came_round_the_end_of_the_line_has_a_side_at_once():
    """A cyclist is followed long before he comes beside the line, and crosses it soon after."""

    def at(frame):
        return (10 + frame, 20.9 - 0.12 * max(0, frame - 6))

    assert [held[1:] for held in crossings(path(1, at, upright, range(40), seen_before=60))] == [("b_to_a", 1)]


def test_two_pieces_of_one_body_cross_once_and_one_walker_behind_another_twice():
    one = path(1, up(25, 0.2), upright, range(70))
    beside = path(2, up(25.4, 0.2, x=41.0), lambda _: 0.6, range(70))
    assert [held[1:] for held in crossings(one, beside)] == [("b_to_a", 1)]
    behind = path(2, up(27, 0.2), upright, range(70))
    assert [held[2] for held in crossings(one, behind)] == [1, 2]


def test_who_is_hidden_for_two_seconds_has_crossed_and_who_is_away_for_long_is_somebody_else():
    whole = path(1, up(24, 0.1), upright, range(90))
    for away, times in ((range(30, 50), 1), (range(20, 80), 0)):
        rows = whole.copy()
        rows[away, HOW] = UNSEEN
        rows = rows if times else np.delete(rows, away, axis=0)
        assert len(found(rows)) == times


def test_a_line_is_passed_to_the_knees_as_to_the_soles_but_not_far_beyond_its_end():
    def across(y):
        return path(1, lambda frame: (40 + 0.4 * frame, y), upright, range(50))

    upright_line = WireWatch(((50 / 80, 10 / 45), (50 / 80, 20 / 45)), GRID)
    for foot, times in ((19.0, 1), (21.5, 1), (26.0, 0)):
        upright_line = WireWatch(((50 / 80, 10 / 45), (50 / 80, 20 / 45)), GRID)
        assert len(upright_line.feed(across(foot), np.arange(50) * 100_000)) == times


def test_a_gull_is_fast_a_speck_is_low_and_neither_is_sure():
    def sure(tall, heights_per_s):
        per_frame = heights_per_s * PERSON * tall / RATE

        def at(frame):
            return (20 + 0.9 * per_frame * frame % 60, 26.0 - 0.18 * per_frame * frame)

        return found(path(1, at, lambda _: tall, range(int(7 / 0.18 / per_frame) + 12), seen_before=20))[0].sure

    assert sure(1.0, 2.0) == 1.0
    assert sure(1.0, 14.0) < 0.3
    assert sure(0.3, 1.0) == 0.0


def test_a_wire_reports_by_way_certainty_and_size():
    wire = Wire(id="w", name="Gate", letter="1", line=((0.2, 0.5), (0.8, 0.5)), watches="both")
    (held,) = found(path(1, up(25, 0.2), upright, range(60)))
    assert held.size_percent == pytest.approx(100 * 0.7 * 2.4 * PERSON / GRID.cells)
    assert held.heights == pytest.approx(1.0)
    assert counts(held, wire, ZoneSettings())
    assert not counts(held, wire.model_copy(update={"watches": "a_to_b"}), ZoneSettings())
    assert not counts(replace(held, sure=0.49), wire, ZoneSettings())
    assert counts(replace(held, sure=0.49), wire, ZoneSettings(sure_percent=45))
    assert not counts(held, wire, ZoneSettings(size_min_percent=1.0))
    assert not counts(held, wire, ZoneSettings(size_max_percent=0.1))
    heights = ZoneSettings(things_in="heights", size_min_heights=1.2)
    assert not counts(held, wire, heights)
    assert counts(replace(held, heights=None), wire, heights)  # where no person stands upright it refuses nothing


def test_what_a_mask_covers_is_not_crossed():
    weights = np.full(GRID.cells, 255, np.uint8)
    held = found(path(1, up(25, 0.2), upright, range(60)))
    assert unmasked(held, weights, GRID) == held
    weights[GRID.cell_at(*held[0].place)] = 0
    assert unmasked(held, weights, GRID) == []


def test_what_joins_a_walker_above_changes_nothing():
    """Waves above the head make him tall for a second."""
    joined = path(1, up(25, 0.1), lambda frame: 1.4 if 20 <= frame < 32 else 1.0, range(90))
    assert crossings(joined) == [(50, "b_to_a", 1)]
