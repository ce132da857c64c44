"""What was left and what was taken, on small videos in which somebody comes and goes."""

import warnings

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays
from scipy import ndimage

from north_hush.core.ask.bodies import bodies_of, box_means, cover, hide, stirring, touching
from north_hush.core.ask.footage import ask_recording
from north_hush.core.ask.places import NEAR_S, Place
from north_hush.core.ask.question import Question
from north_hush.core.ask.settled import _each_once, _Found, settled_things
from north_hush.core.ask.settling import PIECE, joined_runs, steadily
from north_hush.core.ask.things import compile_things
from north_hush.core.ask.views import light_planes, middles
from north_hush.core.ask.visits import Change, tread, usual_open
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.follow.tracks import FOOT, FRAME, LEFT, RIGHT, TOP, X
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.options import EvidenceOptions
from north_hush.core.footage.passes import evidence_of
from north_hush.core.footage.reduce import FRAME_DTYPE
from north_hush.core.grid import Grid
from north_hush.core.scene.plan import Plan
from north_hush.core.site.edits import new_site
from tests.evidence_maker import evidence_of as made_up
from tests.footage_maker import write_video

WIDE, HIGH, FRAMES = 320, 180, 600
EVERYWHERE = ((0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0))


def pictures(*, thing_from, thing_to, comes=True, waits_s=3.0, begin_s=15.0, covered=(0, 0), shade=0):
    """A minute at 10 frames/s: somebody comes to the middle at 20 s, waits, and goes; a box lies there from one frame to another.
    Between two frames a hand is before the lens. His shadow darkens the ground beside his feet by so many grey levels."""
    rng = np.random.default_rng(4)
    ground = np.clip(110 + 6 * rng.standard_normal((HIGH, WIDE)), 0, 255)
    for number in range(FRAMES):
        picture = ground + rng.standard_normal((HIGH, WIDE))
        if thing_from <= number < thing_to:
            picture[118:132, 165:181] = 190
        at = number / 10 - begin_s
        if comes and 0 <= at < 10 + waits_s:
            x = 20 + 26 * at if at < 5 else 150 if at < 5 + waits_s else 150 - 26 * (at - 5 - waits_s)
            picture[132:146, round(x) + 4 : round(x) + 44] -= shade
            picture[84:132, round(x) : round(x) + 16] = 40
        if covered[0] <= number < covered[1]:
            picture = 60 + 20 * np.sin(np.arange(WIDE) / 40)[None, :] + rng.standard_normal((HIGH, WIDE))
        yield np.clip(np.round(picture), 0, 255).astype(np.uint8)


@pytest.fixture(scope="module")
def asked(tmp_path_factory):
    """Ask a video, which is made and analysed once."""
    folder, made = tmp_path_factory.mktemp("asked"), {}

    def ask(kind, place=EVERYWHERE, **more):
        key = str(sorted(more.items()))
        if key not in made:
            path = write_video(folder / f"{len(made)}.mkv", list(pictures(**more)))
            index = index_recording(Footage(path))
            made[key] = index, evidence_of(index, EvidenceOptions(), folder / "evidence"), Evaluator()
        index, evidence, evaluator = made[key]
        return ask_recording(Question(kind, place), index, evidence, new_site("Skerry Quay").views[0], evaluator)

    ask.made = made
    return ask


def test_a_box_that_was_put_down_was_left_and_not_taken(asked):
    found = asked("left", thing_from=215, thing_to=FRAMES)
    assert len(found) == 1
    assert found[0].start_s == pytest.approx(21.5, abs=3.0)  # seen once he who put it down has gone
    assert found[0].sure > 0.7
    assert found[0].before_s < 21.5 < found[0].after_s
    assert found[0].track is not None
    assert asked("taken", thing_from=215, thing_to=FRAMES) == []


def test_who_put_a_box_down_is_told_and_not_who_came_before(asked):
    found = asked("left", thing_from=215, thing_to=FRAMES)[0]
    _, evidence, evaluator = asked.made[str(sorted({"thing_from": 215, "thing_to": FRAMES}.items()))]
    sights = evaluator.apart(evidence, Plan()).of(found.track)
    at_s = evidence.seconds[sights[:, FRAME].astype(int)]
    assert at_s[0] < 21.5 < at_s[-1] + NEAR_S and np.ptp(sights[:, X]) > 4  # he came from elsewhere, and was there then


def test_a_hand_before_the_lens_shortly_after_takes_no_time_away_in_which_it_must_show(asked):
    found = asked("left", thing_from=215, thing_to=FRAMES, covered=(295, 475))
    assert len(found) == 1 and found[0].start_s == pytest.approx(21.5, abs=3.0)


def test_a_box_that_was_fetched_was_taken_and_not_left(asked):
    found = asked("taken", thing_from=0, thing_to=215)
    assert len(found) == 1
    assert found[0].start_s == pytest.approx(21.5, abs=3.0)
    assert asked("left", thing_from=0, thing_to=215) == []


def test_who_comes_waits_and_goes_leaves_nothing(asked):
    for kind in ("left", "taken"):
        assert asked(kind, thing_from=0, thing_to=0, waits_s=15.0) == []


@pytest.mark.parametrize("kind", ["left", "taken"])
def test_the_shadow_of_somebody_who_waits_is_no_thing(asked, kind):
    assert asked(kind, thing_from=0, thing_to=0, waits_s=15.0, shade=14) == []


def test_what_comes_by_itself_is_no_thing_that_somebody_left(asked):
    assert asked("left", thing_from=215, thing_to=FRAMES, comes=False) == []


def test_elsewhere_nothing_was_left(asked):
    corner = ((0.0, 0.0), (0.2, 0.0), (0.2, 0.3), (0.0, 0.3))
    assert asked("left", place=corner, thing_from=215, thing_to=FRAMES) == []


def test_what_was_left_at_the_very_begin_is_found_before_any_background_has_settled(asked):
    found = asked("left", thing_from=85, thing_to=FRAMES, begin_s=2.0)
    assert len(found) == 1 and found[0].start_s == pytest.approx(8.5, abs=4.0)


def test_a_hand_before_the_lens_shortly_before_is_no_hindrance_and_nothing_that_came(asked):
    found = asked("left", thing_from=365, thing_to=FRAMES, begin_s=30.0, covered=(150, 260))
    assert len(found) == 1 and found[0].start_s == pytest.approx(36.5, abs=4.0)
    for kind in ("left", "taken"):
        assert asked(kind, thing_from=0, thing_to=0, comes=False, covered=(200, 320)) == []


def test_asked_stretch_by_stretch_it_is_the_same_and_told_soon(asked, monkeypatch):
    whole = asked("left", thing_from=215, thing_to=FRAMES)
    monkeypatch.setattr("north_hush.core.ask.windows._WINDOW_S", 10.0)
    monkeypatch.setattr("north_hush.core.ask.windows.ROOM_S", 22.0)
    looked = []
    monkeypatch.setattr(
        "north_hush.core.ask.windows.settled_things",
        lambda stretch, *rest: looked.append(len(stretch.evidence.frames)) or settled_things(stretch, *rest),
    )
    from_another_corner = (*EVERYWHERE[1:], EVERYWHERE[0])
    assert asked("left", place=from_another_corner, thing_from=215, thing_to=FRAMES) == whole != []
    assert len(looked) == 6 and max(looked) < FRAMES


def test_a_stretch_looks_at_no_picture_for_what_happened_in_another(asked, monkeypatch):
    wanted = []
    monkeypatch.setattr("north_hush.core.ask.windows._WINDOW_S", 4.0)
    monkeypatch.setattr("north_hush.core.ask.windows.ROOM_S", 26.0)
    monkeypatch.setattr(
        "north_hush.core.ask.windows.settled_things",
        lambda stretch, look, between: wanted.append([]) or settled_things(stretch, Noting(look, wanted[-1]), between),
    )
    monkeypatch.setattr("north_hush.core.ask.windows._AT_ONCE", 1)  # in the order of time
    place = tuple((x, min(y, 0.98)) for x, y in EVERYWHERE)
    assert len(asked("left", place=place, thing_from=215, thing_to=FRAMES)) == 1
    looked = [bool(rows) for rows in wanted]
    assert any(looked) and not any(looked[:2] + looked[10:])  # he comes at 15 s, and has gone by 29 s


class Noting:
    """Pictures, with which were wanted."""

    def __init__(self, look, wanted):
        self.look, self.wanted = look, wanted

    def prepare(self, rows):
        rows = list(rows)
        self.wanted += rows
        self.look.prepare(rows)

    def __call__(self, row, box):
        return self.look(row, box)


@settings(max_examples=80)
@given(
    arrays(np.uint8, st.tuples(st.integers(1, 4), st.integers(1, 60)), elements=st.integers(0, 4)),
    st.integers(2, 20),
    st.integers(1, 7),
)
def test_what_is_steadily_over_a_limit(settles, window, step):
    held = np.pad((settles >= 2).astype(int), ((0, 0), (window // 2, window)))
    shares = np.array([held[:, first : first + window].sum(axis=1) for first in range(0, settles.shape[1], step)]).T
    assert np.array_equal(steadily(settles, 2, window, step), shares * 10 >= 8 * window)


@settings(max_examples=80)
@given(
    arrays(bool, st.tuples(st.integers(1, 5), st.integers(1, 5), st.integers(1, 9))),
    arrays(bool, (5, 5), elements=st.booleans()),
)
def test_runs_are_joined_as_a_volume_is_labelled(volume, watched):
    rows, columns, times = volume.shape
    volume = volume & watched[:rows, :columns, None]
    cells = np.flatnonzero(watched[:rows, :columns])
    labels, _ = ndimage.label(volume, np.ones((3, 3, 3)))
    runs = joined_runs(volume.reshape(-1, times)[cells], cells, rows, columns)
    found, names = np.zeros((rows * columns, times), int), sorted(set(runs[:, PIECE].tolist()))
    for cell, first, after, piece in runs.tolist():
        found[cell, first:after] = names.index(piece) + 1
    assert np.array_equal(found.reshape(volume.shape), labels)


def found_at(rows, columns, span, side=1.0):
    pixels = np.zeros((60, 80), bool)
    pixels[rows, columns] = True
    change = Change(span[0], span[1], np.zeros((15, 20), bool))
    place = Place(change, np.zeros(900, bool), ([], []), ([span[0]], [span[1]]))
    return _Found(place, side, span[1], pixels)


def test_a_thing_at_the_rim_of_which_another_place_lies_is_one():
    bundle, top = found_at(slice(20, 30), slice(10, 30), (400, 450)), found_at(slice(17, 20), slice(18, 24), (460, 480))
    assert _each_once([top, bundle], 60) == [bundle]
    assert len(_each_once([top, bundle], 5)) == 2  # too late for one
    far, taken = (
        found_at(slice(0, 10), slice(10, 30), (400, 450)),
        found_at(slice(14, 20), slice(14, 26), (400, 450), -1),
    )
    assert len(_each_once([bundle, far, taken], 60)) == 3
    sliver = found_at(slice(17, 20), slice(18, 24), (400, 450), -1)
    assert _each_once([sliver, bundle], 60) == [bundle]  # the ground shows along its rim


def test_what_is_compiled_beforehand_is_all_a_confined_process_needs(asked):
    compile_things()
    kernels = (box_means, cover, hide, joined_runs, light_planes, middles, steadily, touching, tread, usual_open)
    before = [set(kernel.kernel().signatures) for kernel in kernels]
    place = tuple((x, min(y, 0.97)) for x, y in EVERYWHERE)
    assert len(asked("left", place=place, thing_from=215, thing_to=FRAMES)) == 1
    assert [set(kernel.kernel().signatures) for kernel in kernels] == before


def test_asked_again_no_picture_is_decoded(asked, monkeypatch):
    place = tuple((x, min(y, 0.99)) for x, y in EVERYWHERE)
    first = asked("left", place=place, thing_from=215, thing_to=FRAMES)
    monkeypatch.setattr("north_hush.core.ask.footage.FrameServer", None)
    assert asked("left", place=place, thing_from=215, thing_to=FRAMES) == first != []
    assert asked("taken", place=place, thing_from=215, thing_to=FRAMES) == []
    with pytest.raises(TypeError):  # of another place nothing is known
        asked("left", place=((0.3, 0.3), (1.0, 0.3), (1.0, 1.0)), thing_from=215, thing_to=FRAMES)


@settings(max_examples=60)
@given(
    arrays(np.uint8, st.tuples(st.integers(1, 5), st.integers(0, 6)), elements=st.sampled_from([0, 1, 2, 7, 255])),
    st.integers(0, 2),
    st.randoms(use_true_random=False),
)
def test_the_median_of_what_is_to_be_seen(values, first, random):
    frames = first + values.shape[1]
    cells = np.array(sorted(random.sample(range(8), len(values))))
    bodies = np.array([[random.random() < 0.3 for _ in range(frames)] for _ in range(8)], bool).reshape(8, frames)
    seen = np.array([random.random() < 0.8 for _ in range(frames)], bool)
    known = np.where(bodies[cells, first:] | ~seen[first:], np.nan, values)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # of rows in which nothing is
        expected = np.nanmedian(known, axis=1) if known.shape[1] else np.full(len(known), np.nan)
    assert np.array_equal(usual_open(values, bodies, seen, cells, first), expected, equal_nan=True)


BOXES = st.lists(st.tuples(*[st.floats(-3, 12, width=16)] * 4), min_size=1, max_size=6)


def sights_of(boxes):
    """A sight in each frame; a box is left, top, width and height."""
    sights = np.zeros((len(boxes), 13))
    for number, (left, top, width, height) in enumerate(boxes):
        sights[number, [FRAME, LEFT, RIGHT, TOP, FOOT]] = number, left, left + abs(width), top, top + abs(height)
    return sights


@settings(max_examples=60)
@given(BOXES)
def test_boxes_and_what_is_beside_them(boxes):
    sights, grid = sights_of(boxes), Grid(96, 64)
    around, trodden = np.zeros((grid.rows, grid.columns, len(boxes)), bool), np.zeros((grid.rows, grid.columns), bool)
    for number, left, right, top, foot in sights[:, [FRAME, LEFT, RIGHT, TOP, FOOT]].tolist():
        rows = slice(max(0, int(top - 1)), max(0, int(foot + 1) + 1))
        around[rows, max(0, int(left - 1)) : max(0, int(right + 1) + 1), int(number)] = True
        rows = slice(max(0, int(top - 1)), max(0, int(foot + 2) + 1))
        trodden[rows, max(0, int(left - 2)) : max(0, int(right + 2) + 1)] = True
    assert np.array_equal(bodies_of([sights], grid, len(boxes)), around.reshape(grid.cells, -1))
    held = np.zeros_like(trodden)
    tread(held, sights)
    assert np.array_equal(held, trodden)


@settings(max_examples=60)
@given(BOXES, arrays(np.uint8, (6, 8, 6)), st.integers(0, 3))
def test_the_mean_of_what_a_box_holds(boxes, step, up):
    sights = sights_of(boxes)
    found = box_means(np.ascontiguousarray(step[up:]), sights, up)
    for number, left, right, top, foot in sights[:, [FRAME, LEFT, RIGHT, TOP, FOOT]].tolist():
        top, foot = (min(max(up, int(side)), 5) for side in (top, foot))
        left, right = (min(max(0, int(side)), 7) for side in (left, right))
        part = step[top : foot + 1, left : right + 1, int(number)]
        assert found[int(number)] == pytest.approx(part.mean())


@settings(max_examples=60)
@given(BOXES)
def test_frames_in_which_somebody_stands_before_a_box(boxes):
    sights, hidden = sights_of(boxes), np.zeros(len(boxes), bool)
    hide(hidden, sights, 2.0, 4.0, 1.0, 3.0)
    across = (sights[:, LEFT] <= 5) & (sights[:, RIGHT] >= 1)
    expected = across & (sights[:, TOP] <= 4) & (sights[:, FOOT] >= 0)
    assert np.array_equal(hidden, expected) and np.array_equal(touching(sights, 2.0, 4.0, 1.0, 3.0), expected)


def test_where_nothing_stirs_a_track_is_of_no_body(tmp_path):
    rng = np.random.default_rng(3)
    grid, frames = Grid(320, 180), 50
    step = rng.integers(0, 4, (grid.cells, frames)).astype(np.uint8)
    step.reshape(grid.rows, grid.columns, frames)[2:6, 3:7, 30:] += 40
    rows = np.zeros(frames, FRAME_DTYPE)
    rows["time_us"] = np.arange(frames) * 100_000
    evidence = made_up(grid, rows, step)
    sights = np.zeros((frames, 13))
    sights[:, FRAME] = np.arange(frames)
    sights[:, [LEFT, RIGHT, TOP, FOOT]] = [3, 6, 2, 5]
    held = stirring(sights, evidence)[:, FRAME]
    assert held[0] == 20 and held[-1] == frames - 1  # a second before, at ten frames a second
