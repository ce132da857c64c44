"""A day of short clips: dated by their names, under hours, with one incident that lies out of them."""

import json
from itertools import pairwise

import pytest

from north_hush.core.site.file import load_site
from north_hush.core.site.timeline import timeline_of
from north_hush.demo.day import DAY, WINDOWS, clip_name, lay_out_day, spans_of
from north_hush.demo.script import write_script
from tests.cli.running import run


@pytest.fixture(scope="module")
def laid_out(tmp_path_factory):
    return lay_out_day(tmp_path_factory.mktemp("day"))


@pytest.mark.parametrize("seed", [3, 9, 31])
@pytest.mark.parametrize("name", ["night", "dusk", "afternoon"])
def test_clips_of_any_seed_do_not_overlap_and_are_no_longer_than_stated(seed, name):
    spans = sorted(spans_of(write_script(name, seed)).values())
    assert all(5 < end - start < 20.001 for start, end in spans)
    assert all(before[1] <= after[0] for before, after in pairwise(spans))


def test_the_clips_lie_on_one_day_by_their_names_alone(laid_out):
    site = load_site(laid_out)
    line = timeline_of(site.views[0].recordings)
    assert len(line.pieces) == len(WINDOWS) and line.undated == () and line.overlaps == ()
    assert line.days(site.zone) == [DAY]
    starts = [piece.start.astimezone(site.zone).time() for piece in line.pieces]
    assert starts == sorted(window.at for window in WINDOWS)
    assert all((laid_out.parent / "one day" / f"{clip_name(window)}.mp4").exists() for window in WINDOWS)


def test_one_incident_lies_out_of_hours_and_is_found(laid_out):
    found = json.loads(run("alarms", laid_out, "--json"))
    out = [(row["path"], name) for row in found["recordings"] for name in row.get("out_of_hours", ())]
    assert out == [("one day/slip_20260923_194130.mp4", "tractor with a boat trailer")]
    armed = [row for row in found["recordings"] if row["armed_s"] > 0]
    assert len(armed) == 9  # from eight in the evening to seven in the morning
    assert sum(len(row["alarms"]) for row in armed) > 0


def test_an_earlier_site_is_kept_unless_a_fresh_one_is_asked_for(laid_out):
    laid_out.write_text(laid_out.read_text().replace("one day", "my day", 1))
    before = laid_out.read_text()
    assert lay_out_day(laid_out.parent).read_text() == before
    assert lay_out_day(laid_out.parent, fresh=True).read_text() != before
