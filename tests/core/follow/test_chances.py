"""What a track is likely to be while it is seen: named by what was seen until then, live as on a recording."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.follow.apart import apart_of, tracks_apart
from north_hush.core.follow.chances import NAMED_AT, LiveChances, chances_of
from north_hush.core.follow.taught import example_of
from north_hush.core.follow.tracks import FRAME, HOW, OWN, TRACK
from north_hush.core.scene.items import SizeMark, Wire
from north_hush.core.scene.kind import KINDS, Taught
from north_hush.core.scene.plan import Plan
from north_hush.core.scene.stature import person_cells
from tests.core.explain.test_reasons import lane_of
from tests.core.follow.test_owned import GRID, SETTINGS, line, walk
from tests.evidence_maker import sights_of

MARKS = (SizeMark(id="s", name="Person", foot=(0.5, 0.8), height_frac=0.2),)
ALL = tuple(kind for kind in KINDS if kind != "unclear")


@given(st.integers(0, 2**32 - 1), st.booleans())
@settings(max_examples=25)
def test_live_and_replay_say_the_same_in_every_frame(seed, marked):
    rng = np.random.default_rng(seed)
    ways = [line(rng.uniform(0, 80), rng.uniform(-10, 10), rng.uniform(10, 40), rng.uniform(-3, 3)) for _ in range(3)]
    evidence = walk(*ways)
    sights = sights_of(evidence)
    person = person_cells(MARKS if marked else (), GRID)
    tracks = tracks_apart(sights)
    named = example_of(tracks[0].astype(np.float32), evidence.time_us, GRID, "recording-1") if tracks else None
    taught = (Taught(id="kind-1", name="the ferry", examples=(named,)),) if named is not None else ()
    chances = chances_of(apart_of(tracks), evidence.time_us, person, GRID, taught)
    live, kinds = LiveChances(person, GRID, taught), ("kind-1", *rng.choice(ALL, 3, replace=False))
    for frame, now_us in enumerate(evidence.time_us.tolist()):
        here = sights[sights[:, FRAME] == frame]
        live.feed(here, now_us)
        assert (live.of(here[:, TRACK], kinds) == chances.of(here[:, TRACK], here[:, FRAME], kinds)).all()


def test_a_thing_is_named_by_what_was_seen_until_then_and_by_nothing_later():
    evidence = walk(line(10, 10))
    sights = sights_of(evidence)
    person = person_cells(MARKS, GRID)

    def told(rows):
        apart = apart_of(tracks_apart(rows))
        return chances_of(apart, evidence.time_us, person, GRID).of(rows[:, TRACK], rows[:, FRAME], ALL[:2])

    whole = told(sights)
    own = np.cumsum(sights[:, HOW] == OWN)
    assert (whole[own < NAMED_AT[0]] == 0).all()
    assert (whole[own >= NAMED_AT[0]] > 0).all()
    for until in (9, 23, 41):
        part = sights[sights[:, FRAME] <= until]
        assert told(part) == pytest.approx(whole[: len(part)])


def test_what_no_track_holds_is_of_no_kind_and_all_kinds_together_are_sure():
    evidence = walk(line(10, 10))
    sights = sights_of(evidence)
    chances = chances_of(apart_of(tracks_apart(sights)), evidence.time_us, person_cells((), GRID), GRID)
    last = sights[-1:]
    assert chances.of(last[:, TRACK], last[:, FRAME], ALL) == pytest.approx(1, abs=1e-3)
    assert chances.of(np.array([-1.0, 900.0]), last[[0, 0], FRAME], ALL).tolist() == [0, 0]
    nothing = chances_of(apart_of([]), evidence.time_us, person_cells((), GRID), GRID)
    assert nothing.of(last[:, TRACK], last[:, FRAME], ALL).tolist() == [0]


def test_a_live_track_is_kept_until_its_last_name_and_no_longer_than_it_is_seen():
    live, row = LiveChances(person_cells((), GRID), GRID), sights_of(walk(line(10, 10)))[20:21]
    for number in range(NAMED_AT[-1] + 20):
        live.feed(row, number * 100_000)
        (held,) = live._seen.values()
        assert len(held.sights) == min(number + 1, NAMED_AT[-1])  # nobody asked yet
    assert live.of(row[:, TRACK], ALL) == pytest.approx(1, abs=1e-3)
    assert held.sights == []  # what it was named last stays
    assert live.of(row[:, TRACK], ALL) == pytest.approx(1, abs=1e-3)
    live.feed(row[:0], 120_000_000)
    assert live._seen == {}


def test_a_zone_that_reports_a_kind_alone_refuses_the_others_and_says_so():
    evidence = walk(line(10, 10))
    evaluator, plan, lane = lane_of(evidence)
    assert len(lane.alarms) == 1
    likely = max(_chance(evaluator, evidence, plan, kind) for kind in ALL)
    most = next(kind for kind in ALL if _chance(evaluator, evidence, plan, kind) == likely)
    others = tuple(kind for kind in ALL if kind != most)
    _, _, reported = lane_of(evidence, kinds=(most,), kind_sure_percent=99.9 * likely)
    assert len(reported.alarms) == 1
    assert reported.alarms[0].start_frame > lane.alarms[0].start_frame  # it has to be named first
    evaluator, plan, refused = lane_of(evidence, kinds=others, kind_sure_percent=100 * (1 - likely) + 40)
    assert refused.alarms == []
    assert {stretch.limit for stretch in evaluator.refusals(evidence, plan, refused).stretches} == {"kind_sure_percent"}
    _, _, anything = lane_of(evidence, kinds=others, kind_sure_percent=0)
    assert anything.alarms == lane.alarms


def _chance(evaluator, evidence, plan, kind):
    sights = evaluator.tracks(evidence, plan)
    dials = ZoneSettings(kinds=(kind,))
    return evaluator._following.chances(evidence, plan).of(sights[-1:, TRACK], sights[-1:, FRAME], dials.kinds)[0]


def test_a_wire_reports_the_crossings_of_its_kinds():
    evidence = walk(line(10, 10))
    wire = Wire(id="w", letter="1", name="Gate", line=((0.5, 0.0), (0.5, 1.0)), watches="both")
    plan, evaluator = Plan(wires=(wire,)), Evaluator()

    def alarms(**dials):
        held = SETTINGS.model_copy(update={"sure_percent": 0.0, **dials})
        return evaluator.lane(evidence, wire, plan, {"w": held}).alarms

    (crossed,) = alarms()
    (told,) = evaluator.crossings(evidence, wire, plan)
    for kind in ALL:
        likely = evaluator._following.chances(evidence, plan).of(
            np.array([told.track]), np.array([told.told_frame]), (kind,)
        )[0]
        assert alarms(kinds=(kind,), kind_sure_percent=99.9 * likely) == [crossed]
        assert likely == 1 or alarms(kinds=(kind,), kind_sure_percent=min(100, 100 * likely + 0.1)) == []


def test_a_line_that_must_not_be_broken_asks_what_breaks_it():
    evidence = walk(line(10, 10))
    wire = Wire(id="w", letter="1", name="Gate", line=((0.5, 0.1), (0.5, 0.9)))
    plan, evaluator = Plan(wires=(wire,)), Evaluator()

    def lane(**dials):
        return evaluator.lane(evidence, wire, plan, {"w": SETTINGS.model_copy(update=dials)})

    (broken,) = lane().alarms
    likely = {kind: _chance(evaluator, evidence, plan, kind) for kind in ALL}
    most = max(likely, key=likely.get)
    assert lane(kinds=ALL).alarms == [broken]  # it was named long before it came there
    others = lane(kinds=tuple(kind for kind in ALL if kind != most), kind_sure_percent=100 * (1 - likely[most]) + 40)
    assert others.alarms == []
    refused = evaluator.refusals(evidence, plan, others)
    assert {stretch.limit for stretch in refused.stretches} == {"kind_sure_percent"}
    middle = refused.at(broken.start_frame + 1)[0]
    assert middle.foot[0] == pytest.approx(0.5, abs=0.08)


def test_kinds_are_kept_in_order_and_unclear_is_none():
    assert ZoneSettings(kinds=("vehicle", "person", "vehicle")).kinds == ("person", "vehicle")
    with pytest.raises(ValidationError, match="unclear"):
        ZoneSettings(kinds=("unclear",))
    assert not ZoneSettings(kinds=("person",), kind_sure_percent=0).follows
