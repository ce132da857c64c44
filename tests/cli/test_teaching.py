"""Kinds of one's own from the command line."""

import json

import pytest

from tests.cli.running import run


@pytest.fixture
def site(tmp_path, recording):
    path = tmp_path / "a.hush.json"
    run("new", path, recording)
    return path


def tracks(site):
    return json.loads(run("tracks", site, "--json"))["recordings"][0]["tracks"]


def test_a_track_that_is_named_is_called_so_everywhere_until_it_is_forgotten(site):
    assert "Nothing was taught" in run("teach", site)
    (square,) = tracks(site)
    told = json.loads(run("teach", site, "the cart", "--recording", "slip.mkv", "--track", square["id"], "--json"))
    assert told == {"kinds": [{"view": "Camera 1", "id": "kind-1", "name": "the cart", "examples": 1}]}
    (named,) = tracks(site)
    assert (named["kind"], named["sure"]) == ("the cart", 1.0)
    place = ("moved", "--place", "0,0;1,0;1,1;0,1")
    assert len(json.loads(run("ask", site, *place, "--kind", "The cart", "--json"))["answers"]) == 1
    assert json.loads(run("ask", site, *place, "--kind", "boat", "--json"))["answers"] == []
    run("teach", site, "The Cart", "--forget")
    assert tracks(site)[0]["kind"] == square["kind"]


@pytest.mark.parametrize(
    ("args", "code", "what"),
    [
        (("the cart",), 2, "--recording and --track"),
        (("--forget",), 2, "Say the NAME"),
        (("the cart", "--recording", "slip.mkv", "--track", "99"), 1, "none of slip.mkv"),
        (("the cart", "--recording", "pier.mkv", "--track", "0"), 1, "pier.mkv"),
        (("boat", "--recording", "slip.mkv", "--track", "1"), 1, "known already|none of"),
        (("the cart", "--forget"), 1, "was not taught"),
    ],
)
def test_what_cannot_be_taught_says_why_and_changes_nothing(site, args, code, what):
    before = site.read_bytes()
    said = run("teach", site, *args, code=code)
    assert any(part in said for part in what.split("|"))
    assert site.read_bytes() == before


def test_a_kind_nobody_taught_is_no_kind_to_ask_for(site):
    said = run("ask", site, "moved", "--place", "0,0;1,0;1,1", "--kind", "the ferry", code=1)
    assert "is not known" in said and "person" in said
