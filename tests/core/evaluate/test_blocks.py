"""Evidence in blocks answers as evidence in one piece does, and what is kept beside it spares reading it again."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.explain.restless import restlessness_over
from north_hush.core.follow.apart import tracks_apart
from north_hush.core.footage import evidence as evidence_module
from north_hush.core.memo import Memo
from north_hush.core.scene.area import WHOLE_AREA
from north_hush.core.scene.items import Wire, Zone
from north_hush.core.scene.plan import Plan
from tests.core.follow.test_owned import GRID, line, walk
from tests.evidence_maker import whole_channel

FRAMES = 60
ZONE = Zone(id="zone-1", letter="A", name="Slip", area=WHOLE_AREA)
WIRE = Wire(id="wire-1", letter="1", name="Gate", line=((0.5, 0.0), (0.5, 1.0)), watches="both")
PLAN = Plan(zones=(ZONE,), wires=(WIRE,))
SETTINGS = {"zone-1": ZoneSettings(change_limit_grey=5, start_percent=0.5, clear_percent=0.3, travel_percent=1.0)}


def in_blocks(evidence, counts, **more):
    """The same evidence in blocks of so many frames."""
    starts = np.cumsum([0, *counts])

    def load(name, number):
        return np.ascontiguousarray(whole_channel(evidence, name)[:, starts[number] : starts[number + 1]])

    return replace(evidence, key=f"{evidence.key} in {counts}", load=load, counts=tuple(counts), **more)


@st.composite
def cuts(draw):
    bounds = sorted(draw(st.sets(st.integers(1, FRAMES - 1), max_size=6)))
    return np.diff([0, *bounds, FRAMES]).tolist()


WHOLE = walk(line(5, 6), frames=FRAMES)


@given(cuts(), st.integers(0, FRAMES), st.integers(0, FRAMES))
def test_any_piece_of_it_is_that_of_the_whole(counts, one, other):
    first, after = sorted((one, other))
    parted, values = in_blocks(WHOLE, counts), whole_channel(WHOLE, "step")
    assert np.array_equal(parted.values("step", first, after), values[:, first:after])
    frames = np.unique(np.array([first, (first + after) // 2, max(first, after - 1)]).clip(0, FRAMES - 1))
    cells = np.arange(0, GRID.cells, 7)
    assert np.array_equal(parted.values_at("step", frames, cells), values[cells][:, frames])
    assert np.array_equal(whole_channel(parted.between(first, after), "step"), values[:, first:after])
    picked = np.arange(first, after, 2)
    again = parted.picked(f"picked {counts} {first} {after}", picked, parted.frames[picked])
    assert np.array_equal(whole_channel(again, "step"), values[:, picked])
    assert sum(part.shape[1] for _, part in parted.blocks("step")) == FRAMES


@given(cuts())
def test_lanes_and_tracks_are_those_of_the_whole(counts):
    parted = in_blocks(WHOLE, counts)
    assert np.array_equal(Evaluator(Memo()).tracks(parted, PLAN), Evaluator(Memo()).tracks(WHOLE, PLAN))
    for found, told in zip(
        Evaluator(Memo()).lanes(parted, PLAN, SETTINGS), Evaluator(Memo()).lanes(WHOLE, PLAN, SETTINGS), strict=True
    ):
        assert np.array_equal(found.areas, told.areas)
        assert found.alarms == told.alarms


def test_a_frame_is_shown_from_memory_and_never_waited_for():
    parted = in_blocks(WHOLE, [20, 20, 20])
    assert parted.held_at("step", 25) is None
    parted.values("step", 25, 26)
    assert np.array_equal(parted.held_at("step", 39), whole_channel(WHOLE, "step")[:, 39])
    assert parted.held_at("step", 40) is None
    parted.deflate()
    assert parted.held_at("step", 25) is None


def test_a_long_recording_is_swept_without_staying_in_memory(monkeypatch):
    monkeypatch.setattr(evidence_module.SHARED, "limit_bytes", WHOLE.grid.cells * FRAMES)
    parted = in_blocks(WHOLE, [30, 30])
    assert not parted.stays
    lanes = Evaluator(Memo()).lanes(parted, PLAN, SETTINGS)
    assert lanes[0].alarms == Evaluator(Memo()).lanes(WHOLE, PLAN, SETTINGS)[0].alarms
    assert parted.held_at("step", 0) is None


def test_of_a_long_recording_two_blocks_stay_wherever_it_is_looked_at(monkeypatch):
    monkeypatch.setattr(evidence_module.SHARED, "limit_bytes", WHOLE.grid.cells * FRAMES)
    parted, read = in_blocks(WHOLE, [10, 10, 10, 10, 10, 10]), []
    counted = replace(parted, load=lambda name, block: (read.append(block), parted.load(name, block))[1])
    picked = counted.values_at("step", np.arange(0, FRAMES, 3))
    assert np.array_equal(picked, whole_channel(WHOLE, "step")[:, ::3]) and read == [0, 1, 2, 3, 4, 5]
    assert [counted.held_at("step", frame) is not None for frame in range(5, FRAMES, 10)] == [False] * 4 + [True] * 2
    assert np.array_equal(counted.values("step", 45, 55), whole_channel(WHOLE, "step")[:, 45:55]) and len(read) == 6


def test_tables_and_tracks_outlive_the_process_that_made_them(tmp_path):
    parted = in_blocks(WHOLE, [30, 30], folder=tmp_path)
    first = Evaluator(Memo())
    told = first.lanes(parted, PLAN, SETTINGS)
    assert first.make_tables(parted, PLAN.watchers, PLAN, SETTINGS)
    shut = replace(parted, load=lambda name, block: pytest.fail("was read again"))
    again = Evaluator(Memo())
    assert all(again.has_table(shut, watcher, PLAN, SETTINGS) for watcher in PLAN.watchers)
    assert np.array_equal(again.tracks(shut, PLAN), first.tracks(parted, PLAN))
    assert again.lane(shut, WIRE, PLAN, SETTINGS).alarms == told[1].alarms
    for limit in (3.0, 7.25, 12.0, 63.75):
        dials = {"wire-1": ZoneSettings(change_limit_grey=limit)}
        assert np.array_equal(
            again.lane(shut, WIRE, PLAN, dials).areas, Evaluator(Memo()).lane(WHOLE, WIRE, PLAN, dials).areas
        )


def test_tracks_apart_and_kinds_outlive_it_too_and_are_those_of_the_whole(tmp_path):
    parted = in_blocks(WHOLE, [30, 30], folder=tmp_path)
    first = Evaluator(Memo())
    kinds = first.kinds(parted, PLAN)
    shut = replace(parted, load=lambda name, block: pytest.fail("was read again"))
    again = Evaluator(Memo())
    assert again.kinds(shut, PLAN) == kinds == Evaluator(Memo()).kinds(WHOLE, PLAN)
    apart, slow = again.apart(shut, PLAN), tracks_apart(np.asarray(first.tracks(parted, PLAN)))
    assert len(apart) == len(slow) == 1
    assert all(np.array_equal(mine, rows.astype(np.float32)) for mine, rows in zip(apart, slow, strict=True))


def test_starts_that_do_not_fit_the_tracks_they_lie_beside_are_made_anew(tmp_path):
    parted = in_blocks(WHOLE, [30, 30], folder=tmp_path)
    starts = Evaluator(Memo()).apart(parted, PLAN).starts
    for path in tmp_path.glob("kept-*.npy"):
        held = np.load(path)
        if held.dtype == np.int64 and held.ndim == 1:
            np.save(path, held + 7)
    assert Evaluator(Memo()).apart(parted, PLAN).starts.tolist() == starts.tolist()


def test_a_limit_no_dial_stands_on_is_worked_out_from_the_cells(tmp_path):
    parted = in_blocks(WHOLE, [30, 30], folder=tmp_path)
    evaluator = Evaluator(Memo())
    evaluator.make_tables(parted, PLAN.watchers, PLAN, {})
    dials = {"zone-1": ZoneSettings(change_limit_grey=12.25)}
    found = evaluator.lane(parted, ZONE, PLAN, dials)
    assert np.array_equal(found.areas, Evaluator(Memo()).lane(WHOLE, ZONE, PLAN, dials).areas)


def test_restlessness_of_a_long_recording_is_measured_in_stretches(monkeypatch):
    from north_hush.core.explain import restless

    monkeypatch.setattr(restless, "_STRETCH_FRAMES", 10)
    monkeypatch.setattr(restless, "_STRETCHES_MOST", 3)
    measured = restlessness_over(WHOLE, "step", 12)
    assert measured.frames == 30
    assert restlessness_over(WHOLE, "step", 12, (20, 40)).frames == 20
