"""Kinds of one's own: what is alike is called so, what is not keeps its name, and nothing asks for a kind that was taken away."""

import numpy as np
import pytest
from pydantic import ValidationError

from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.errors import SiteError
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.follow.tracks import FRAME, TRACK
from north_hush.core.scene.items import SizeMark
from north_hush.core.scene.kind import KINDS, Example, Taught, kind_word, kinds_text
from north_hush.core.scene.plan import Plan
from north_hush.core.site import edits, outcomes, teaching
from north_hush.core.site.model import Site, replaced
from tests.core.explain.test_reasons import lane_of
from tests.core.follow.test_owned import line, walk

MARKS = (SizeMark(id="s", name="Person", foot=(0.5, 0.8), height_frac=0.2),)


def example(evidence, plan=None):
    plan = plan or Plan()
    evaluator = Evaluator()
    track = int(evaluator.tracks(evidence, plan)[0, TRACK])
    return evaluator.example(evidence, plan, track, "recording-1")


def ferry(evidence):
    return Taught(id="kind-1", name="the ferry", examples=(example(evidence),))


def kinds(evidence, plan):
    return {kind for kind, _ in Evaluator().kinds(evidence, plan).values()}


def test_what_is_like_an_example_is_called_so_and_what_is_not_is_not():
    taught = ferry(walk(line(10, 10)))
    assert kinds(walk(line(10, 10.4)), Plan(taught=(taught,))) == {"kind-1"}
    assert "kind-1" not in kinds(walk(line(10, 10, y=40)), Plan(taught=(taught,)))  # elsewhere
    assert "kind-1" not in kinds(walk(line(70, -4), height=2, width=9), Plan(taught=(taught,)))


def test_an_example_outlasts_the_size_marks():
    evidence = walk(line(10, 10))
    taught = ferry(evidence)
    assert example(evidence, Plan(size_marks=MARKS)).traits == taught.examples[0].traits
    assert kinds(evidence, Plan(size_marks=MARKS, taught=(taught,))) == {"kind-1"}


def test_who_is_likely_of_a_taught_kind_is_less_likely_of_the_others_while_it_is_seen():
    evidence = walk(line(10, 10))
    plan, evaluator = Plan(taught=(ferry(evidence),)), Evaluator()
    chances = evaluator._following.chances(evidence, plan)
    last = evaluator.tracks(evidence, plan)[-1:]

    def chance(names):
        return chances.of(last[:, TRACK], last[:, FRAME], names)[0]

    assert chance(("kind-1",)) > 0.9
    assert chance(("kind-1", *KINDS)) == pytest.approx(1, abs=1e-3)
    assert chance(("kind-7",)) == 0  # taken away meanwhile


def test_a_zone_is_silent_for_a_kind_of_ones_own_that_is_not_ticked():
    evidence = walk(line(10, 10))
    others = tuple(kind for kind in KINDS if kind != "unclear")
    _, plan, lane = lane_of(evidence, kinds=others)
    assert len(lane.alarms) == 1
    taught = Plan(plan.zones, taught=(ferry(evidence),))
    assert Evaluator().lane(evidence, plan.zones[0], taught, {plan.zones[0].id: lane.settings}).alarms == []


def test_examples_are_whole_and_ids_are_known():
    with pytest.raises(ValidationError, match="20 numbers"):
        Example(recording="recording-1", at_s=0, traits=((1.0,),), feet=((0.5, 0.5),))
    row = (0.0,) * 20
    with pytest.raises(ValidationError, match="as many as rows"):
        Example(recording="recording-1", at_s=0, traits=(row,), feet=())
    assert ZoneSettings(kinds=("kind-2", "boat", "kind-1")).kinds == ("boat", "kind-1", "kind-2")
    with pytest.raises(ValidationError, match="'ferry' is no kind"):
        ZoneSettings(kinds=("ferry",))


@pytest.mark.parametrize("name", ["kind-0", "akind-1", "kind-1a", "boat"])
def test_an_id_is_whole(name):
    with pytest.raises(ValidationError, match="id"):
        Taught(id=name, name="the ferry", examples=(example(walk(line(10, 10))),))


def site_with(name="the ferry"):
    row = Example(recording="recording-1", at_s=2, traits=((0.5,) * 20,), feet=((0.5, 0.5),))
    site = edits.add_view(edits.new_site("Skerry Quay", "Slipway"), "Quay")
    return teaching.teach(site, "view-1", name, row), row


def test_two_kinds_of_a_view_have_not_one_id():
    site, _ = site_with()
    view = site.view("view-1")
    with pytest.raises(ValidationError, match="taught must differ, but there is more than one 'kind-1'"):
        replaced(view, taught=(*view.taught, view.taught[0].model_copy(update={"name": "the other ferry"})))


def test_the_same_name_is_one_more_example_and_another_view_has_its_own():
    site, row = site_with()
    site = teaching.teach(site, "view-1", " The Ferry ", row)
    (taught,) = site.view("view-1").taught
    assert (taught.id, taught.name, len(taught.examples)) == ("kind-1", "the ferry", 2)
    second = site.views[1].id
    site = teaching.teach(site, second, "the ferry", row)
    assert [held.id for held in site.view(second).taught] == ["kind-2"]
    assert teaching.kinds_called(site, "THE ferry") == ("kind-1", "kind-2")
    assert teaching.kinds_called(site, "boat") == ("boat",)
    assert Site.model_validate_json(site.model_dump_json()) == site


@pytest.mark.parametrize("name", ["", "  ", "person", "Vehicle"])
def test_names_that_are_none_or_known_are_refused(name):
    with pytest.raises(SiteError, match=r"has no name|is known already"):
        site_with(name)
    with pytest.raises(SiteError, match=r"is not known.*the ferry"):
        teaching.kinds_called(site_with()[0], "the bus")


def test_nothing_asks_for_a_kind_that_was_forgotten():
    site, _ = site_with()
    site = edits.set_dials(site, "view-1", "whole-picture", kinds=("boat", "kind-1"))
    site = outcomes.set_keep(site, "view-1", kinds=("kind-1",))
    assert kinds_text(("boat", "kind-1"), site.view("view-1").taught) == "boat, the ferry"
    site = teaching.forget_kind(site, "view-1", "kind-1")
    assert site.view("view-1").taught == ()
    assert site.view("view-1").tuning.of("whole-picture").kinds == ("boat",)
    assert site.view("view-1").outcome.keep.kinds == ()
    assert kind_word("kind-1") == "a kind taken away"


def test_a_track_that_is_none_is_no_example():
    evidence = walk(line(10, 10))
    assert Evaluator().example(evidence, Plan(), 99, "recording-1") is None
    assert np.isfinite(np.array(example(evidence).traits)).all()
    assert all(0 <= x <= 1 and 0 <= y <= 1 for x, y in example(evidence).feet)
