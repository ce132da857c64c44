"""What is worked out ahead of the next turn of a dial, and what is painted first when one is turned."""

import threading

import pytest

from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.memo import Memo
from north_hush.core.scene.plan import Plan
from north_hush.core.site import edits
from north_hush.desk.app import wait_until
from north_hush.desk.workers.background import Background
from north_hush.desk.workers.preparation import Preparation
from tests.core.advise.test_curves import bursts
from tests.desk.conftest import rest_judging, settle

ITEM = "whole-picture"
FOLLOWED = {ITEM: ZoneSettings(travel_percent=2.0)}
"""A travel limit needs paths, which depend on the change limit."""


@pytest.fixture
def work(qtbot):
    """A preparation with its thread."""
    failures = []
    background = Background(("ahead",))
    made = Preparation(background, "ahead", failures.append)
    yield made, lambda: wait_until(lambda: background.idle and not made.waiting, 60)
    background.close()
    assert failures == []


def test_every_limit_and_the_next_steps_are_prepared_for_each_recording(work):
    preparation, at_rest = work
    evaluator, plan = Evaluator(), Plan()
    held = [bursts((20, 3, 10, 20)), bursts((40, 5, 20, 30))]
    preparation.begin(evaluator, held, plan, FOLLOWED)
    assert preparation.waiting
    assert not evaluator.has_table(held[0], None, plan, FOLLOWED)
    assert at_rest()
    for evidence in held:
        assert evaluator.has_table(evidence, None, plan, FOLLOWED)
        assert not evaluator.prepare_next(evidence, plan, FOLLOWED)  # nothing is left to do


def test_what_was_begun_before_is_left(work, monkeypatch):
    preparation, at_rest = work
    evaluator, plan = Evaluator(), Plan()
    first, second = bursts((20, 3, 10, 20)), bursts((40, 5, 20, 30))
    made, going, go_on = [], threading.Event(), threading.Event()
    make_table = Evaluator.make_table

    def slowly(self, evidence, *what):
        made.append(evidence.key)
        going.set()
        assert go_on.wait(20)
        return make_table(self, evidence, *what)

    monkeypatch.setattr(Evaluator, "make_table", slowly)
    preparation.begin(evaluator, [first, second], plan, FOLLOWED)
    assert wait_until(going.is_set, 60)
    preparation.begin(evaluator, [second], plan, FOLLOWED)
    go_on.set()
    assert at_rest()
    assert made == [first.key, second.key]
    assert evaluator.prepare_next(first, plan, FOLLOWED)  # the paths of the first were never come to


def test_a_table_that_has_no_room_is_not_made_again(work):
    preparation, at_rest = work
    evaluator = Evaluator(Memo(1000))
    for _ in range(2):
        preparation.begin(evaluator, [bursts((20, 3, 10, 20))], Plan(), {})
        assert at_rest()
    assert not evaluator.has_table(bursts((20, 3, 10, 20)), None, Plan(), {})


def test_dropped_it_begins_nothing(work):
    preparation, at_rest = work
    evaluator, evidence = Evaluator(), bursts((20, 3, 10, 20))
    preparation.begin(evaluator, [evidence], Plan(), FOLLOWED)
    preparation.drop()
    assert at_rest()
    assert not evaluator.has_table(evidence, None, Plan(), FOLLOWED)


def turn(window, grey):
    window.session.do("Turn", lambda site: edits.set_dials(site, "view-1", "zone-1", change_limit_grey=grey))


def test_where_the_score_is_looked_at_it_is_painted_before_the_trace(judge_window):
    shown, lane = [], judge_window.trace.lanes[0]

    def limit_on_trace():
        return lane.lane.settings.change_limit_grey

    before = limit_on_trace()
    judge_window.judge.scores.changed.connect(lambda: shown.append(limit_on_trace()))
    turn(judge_window, 9.0)
    assert wait_until(lambda: limit_on_trace() == 9.0, 60)
    assert shown == [before]


def test_a_score_that_takes_long_holds_the_trace_up_for_a_moment_only(judge_window, monkeypatch):
    scores, go_on = judge_window.judge.scores, threading.Event()
    evaluate = scores._evaluate

    def slowly(view):
        assert go_on.wait(60)
        return evaluate(view)

    monkeypatch.setattr(scores, "_evaluate", slowly)
    turn(judge_window, 9.0)
    assert wait_until(lambda: judge_window.trace.lanes[0].lane.settings.change_limit_grey == 9.0, 60)
    assert not scores.settled
    go_on.set()
    rest_judging(judge_window)


def test_elsewhere_the_trace_follows_its_lanes_at_once(judge_window):
    judge_window.show_stage("tune")
    settle(judge_window)
    shown = []
    judge_window.comparison.changed.connect(
        lambda: shown.append(judge_window.trace.lanes[0].lane.settings.change_limit_grey)
    )
    turn(judge_window, 9.0)
    settle(judge_window)
    assert shown[0] == 9.0
