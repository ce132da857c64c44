"""Questions about who moved where, on tracks made by hand."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from north_hush.core.ask.moves import Moves, spells
from north_hush.core.ask.question import Question, cells_of, checked
from north_hush.core.errors import HushError
from north_hush.core.follow.apart import apart_of
from north_hush.core.follow.tracks import FOOT, FRAME, HITS, HOW, LEFT, OWN, RIGHT, SIGHT_FIELDS, TOP, TRACK, X
from north_hush.core.grid import Grid

GRID = Grid(320, 180)
TIME_S = np.arange(600) / 10.0  # a minute at 10 frames/s
LEFT_SIDE = ((0.0, 0.0), (0.3, 0.0), (0.3, 1.0), (0.0, 1.0))
RIGHT_SIDE = ((0.7, 0.0), (1.0, 0.0), (1.0, 1.0), (0.7, 1.0))


def walker(number, start_s, way):
    """Sights of somebody 8 cells tall and 3 wide whose feet go along (second, x, y) in fractions of the picture."""
    first, last = round(10 * (start_s + way[0][0])), round(10 * (start_s + way[-1][0]))
    frames = np.arange(first, last + 1)
    at = frames / 10 - start_s
    seconds, x, y = (np.array(part) for part in zip(*way, strict=True))
    sights = np.zeros((len(frames), SIGHT_FIELDS))
    sights[:, FRAME], sights[:, TRACK], sights[:, HOW], sights[:, HITS] = frames, number, OWN, 50
    sights[:, X], sights[:, FOOT] = np.interp(at, seconds, x) * GRID.columns, np.interp(at, seconds, y) * GRID.rows
    sights[:, LEFT], sights[:, RIGHT], sights[:, TOP] = sights[:, X] - 1.5, sights[:, X] + 1.5, sights[:, FOOT] - 8
    return sights


ACROSS = walker(1, 5, ((0, 0.05, 0.6), (10, 0.95, 0.6)))
BACK = walker(2, 30, ((0, 0.95, 0.6), (10, 0.05, 0.6)))
WAITS = walker(3, 44, ((0, 0.5, 0.6), (2, 0.2, 0.6), (12, 0.2, 0.6), (14, 0.5, 0.6)))


def asked(kind, place=LEFT_SIDE, tracks=(ACROSS, BACK, WAITS), **more):
    moves = Moves(apart_of(tracks), {1: ("person", 0.9), 2: ("animal", 0.8), 3: ("unclear", 0.7)}, TIME_S, GRID)
    return moves.answers(checked(Question(kind, place, **more)))


def test_who_went_from_here_to_there_and_when():
    found = asked("went", to=RIGHT_SIDE)
    assert [one.track for one in found] == [1]
    assert found[0].start_s == pytest.approx(5 + 10 * 0.25 / 0.9, abs=0.3)  # he leaves the left side
    assert found[0].end_s == pytest.approx(5 + 10 * 0.65 / 0.9, abs=0.3)  # and comes to the right one
    assert found[0].sure == 0.9
    assert found[0].before_s == pytest.approx(found[0].start_s - 1)
    assert [one.track for one in asked("went", place=RIGHT_SIDE, to=LEFT_SIDE)] == [2]


def test_which_way_somebody_passed():
    middle = ((0.35, 0.0), (0.65, 0.0), (0.65, 1.0), (0.35, 1.0))
    right, left = ((0.4, 0.5), (0.6, 0.5)), ((0.6, 0.5), (0.4, 0.5))
    assert {one.track for one in asked("passed", place=middle, way=right)} == {1, 3}  # 3 comes back
    assert {one.track for one in asked("passed", place=middle, way=left)} == {2, 3}
    assert {one.track for one in asked("passed", place=middle)} == {1, 2, 3}
    assert asked("passed", place=middle, way=((0.5, 0.2), (0.5, 0.9))) == []  # nobody goes down the picture


def test_who_stayed_and_where_nothing_happened():
    assert [one.track for one in asked("stayed", seconds=8)] == [3]
    assert asked("stayed", seconds=20) == []
    assert {one.track for one in asked("moved")} == {1, 2, 3}
    quiet = asked("nothing", seconds=10)
    assert [(round(one.start_s), round(one.end_s)) for one in quiet] == [(8, 37)]
    assert asked("nothing", tracks=(), seconds=10)[0].end_s == pytest.approx(59.9)


def spells_by_hand(inside, at_s):
    """Stretches of one track, one sight after the other."""
    found = []
    for place in np.flatnonzero(inside).tolist():
        if found and at_s[place] - at_s[found[-1][1]] <= 1.5:
            found[-1] = (found[-1][0], place)
        else:
            found.append((place, place))
    return found


@given(st.lists(st.lists(st.booleans(), min_size=1, max_size=30), min_size=1, max_size=5))
def test_spells_of_all_tracks_are_those_of_each_by_itself(tracks):
    at_s, rows = np.arange(200) * 0.5, []
    for number, inside in enumerate(tracks):
        sights = np.zeros((len(inside), SIGHT_FIELDS))
        sights[:, FRAME], sights[:, TRACK] = 7 * number + np.arange(len(inside)), number
        rows.append(sights)
    apart = apart_of(rows)
    found = spells(np.concatenate([np.array(inside) for inside in tracks]), apart, at_s)
    slow = [
        (number, int(apart.starts[number]) + first, int(apart.starts[number]) + last)
        for number, inside in enumerate(tracks)
        for first, last in spells_by_hand(inside, at_s[rows[number][:, FRAME].astype(int)])
    ]
    assert list(zip(found.track.tolist(), found.first.tolist(), found.last.tolist(), strict=True)) == slow


@given(st.lists(st.integers(1, 9), max_size=30), st.integers(1, 20))
def test_tracks_in_parts_are_all_tracks(lengths, sights):
    tracks = []
    for number, length in enumerate(lengths):
        rows = np.zeros((length, SIGHT_FIELDS))
        rows[:, TRACK], rows[:, FRAME] = number, np.arange(length)
        tracks.append(rows)
    parts = list(apart_of(tracks).parts(sights))
    assert [number for part in parts for number in part.numbers.tolist()] == list(range(len(lengths)))
    again = [rows for part in parts for rows in part]
    assert all(np.array_equal(mine, rows) for mine, rows in zip(again, tracks, strict=True))


@pytest.mark.parametrize(
    ("question", "what"),
    [
        (Question("moved", ((0.1, 0.1), (0.2, 0.2))), "fewer than three corners"),
        (Question("moved", ((2.0, 2.0), (3.0, 2.0), (3.0, 3.0))), "outside the picture"),
        (Question("passed", LEFT_SIDE, way=((0.5, 0.5), (0.5, 0.5))), "no length"),
        (Question("went", LEFT_SIDE), "fewer than three corners"),
        (Question("stayed", LEFT_SIDE, seconds=-1), "is -1"),
    ],
)
def test_what_cannot_be_asked_is_said(question, what):
    with pytest.raises(HushError, match=what):
        checked(question)


def test_a_place_smaller_than_a_cell_is_the_cell_it_lies_in():
    tiny = ((0.5, 0.5), (0.504, 0.5), (0.504, 0.505))
    assert cells_of(tiny, GRID).sum() in (1, 2)
