"""Footage is asked from the command line."""

import json

import pytest

from north_hush.cli import asking
from north_hush.core.ask.question import KINDS
from tests.cli.running import run

LEFT_SIDE, RIGHT_SIDE = "0,0;0.4,0;0.4,1;0,1", "0.6,0;1,0;1,1;0.6,1"


@pytest.fixture
def site(tmp_path, recording):
    path = tmp_path / "a.hush.json"
    run("new", path, recording)
    return path


def asked(site, *args):
    return json.loads(run("ask", site, *args, "--json"))["answers"]


def test_a_square_that_moves_to_the_right_is_found_with_every_question(site):
    (went,) = asked(site, "went", "--place", LEFT_SIDE, "--to", RIGHT_SIDE)
    assert set(went) == {"view", "recording", "start_s", "end_s", "sure", "before_s", "after_s"}
    assert (went["view"], went["recording"]) == ("Camera 1", "slip.mkv")
    assert 1.0 <= went["start_s"] <= went["end_s"] <= 5.0
    assert asked(site, "went", "--place", RIGHT_SIDE, "--to", LEFT_SIDE) == []
    assert len(asked(site, "passed", "--place", "0.3,0;0.7,0;0.7,1;0.3,1", "--way", "0.4,0.5;0.6,0.5")) == 1
    assert asked(site, "passed", "--place", "0.3,0;0.7,0;0.7,1;0.3,1", "--way", "0.6,0.5;0.4,0.5") == []
    assert len(asked(site, "moved", "--place", LEFT_SIDE)) >= 1
    assert asked(site, "nothing", "--place", "0,0;0.2,0;0.2,0.2;0,0.2", "--seconds", "3")
    assert asked(site, "left", "--place", LEFT_SIDE) == []
    assert "Nothing of that kind" in run("ask", site, "stayed", "--place", LEFT_SIDE, "--seconds", "100")


def test_answers_are_limited_by_view_kind_light_and_day(site):
    place = ("moved", "--place", LEFT_SIDE)
    all_of = asked(site, *place)
    assert asked(site, *place, "--view", "Camera 1", "--light", "day") == all_of
    assert asked(site, *place, "--light", "night") == []
    assert asked(site, *place, "--since", "2026-01-01") == all_of
    assert asked(site, *place, "--until", "2025-12-31") == []
    assert "is none of" in run("ask", site, *place, "--view", "Pier", code=1)


def test_the_command_knows_every_question():
    assert asking._QUESTIONS == KINDS


@pytest.mark.parametrize(
    ("args", "what"),
    [
        (("moved", "--place", "0,0;1"), "is not x,y;x,y"),
        (("moved", "--place", "0,0;1,1"), "fewer than three corners"),
        (("moved", "--place", "2,2;3,2;3,3"), "outside the picture"),
        (("passed", "--place", LEFT_SIDE, "--way", "0.5,0.5"), "is not two points"),
        (("passed", "--place", LEFT_SIDE, "--way", "0.5,0.5;0.5,0.5"), "no length"),
        (("went", "--place", LEFT_SIDE), "fewer than three corners"),
        (("stayed", "--place", LEFT_SIDE, "--seconds", "-3"), "Give a time from 0 on"),
    ],
)
def test_what_cannot_be_asked_is_named(site, args, what):
    assert what in run("ask", site, *args, code=1)


def test_a_recording_that_is_gone_is_told_and_the_others_answer(site, recording):
    recording.unlink()
    found = json.loads(run("ask", site, "moved", "--place", LEFT_SIDE, "--json"))
    assert found["answers"] == []
    assert "slip.mkv" in found["errors"][0]["error"]
