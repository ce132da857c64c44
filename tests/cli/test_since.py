"""What changed between two recordings of a view."""

import json
from datetime import UTC, datetime

import numpy as np
import pytest

from north_hush.core.handover.since import Season, words_of
from north_hush.core.site import edits
from north_hush.core.site.file import load_site
from north_hush.core.site.saving import mark_of, save_site
from tests.cli.running import run
from tests.footage_maker import moving_square, write_video


@pytest.fixture
def site(tmp_path):
    """Spring, and a brighter autumn whose sensor noise is larger."""
    chance = np.random.default_rng(1)
    autumn = [
        np.clip(frame.astype(int) + 60 + chance.normal(0, 12, frame.shape), 0, 255).astype(np.uint8)
        for frame in moving_square(120)
    ]
    spring = write_video(tmp_path / "spring.mkv", moving_square(120), options={"qp": "4"})
    later = write_video(tmp_path / "autumn.mkv", autumn, options={"qp": "4"})
    path = tmp_path / "slip.hush.json"
    run("new", path, later, spring, "--zone", "All=0,0;1,0;1,1;0,1")
    known, held = mark_of(path), load_site(path)
    for recording, month in zip(held.views[0].recordings, (10, 4), strict=True):
        held = edits.change_recording(held, "view-1", recording.id, taken_at=datetime(2026, month, 1, tzinfo=UTC))
    save_site(held, path, known)
    return path


def test_the_oldest_is_held_against_the_newest_and_what_to_look_at_is_said(site):
    told = json.loads(run("since", site, "--json"))
    before, after = told["before"], told["after"]
    assert (before["recording"], after["recording"]) == ("spring.mkv", "autumn.mkv")
    assert after["noise_grey"] > before["noise_grey"] and after["luma_grey"] > before["luma_grey"] + 40
    assert any("Noise rose" in line for line in told["said"]) and any(
        "Brightness went" in line for line in told["said"]
    )
    other = json.loads(run("since", site, "--before", "autumn.mkv", "--after", "spring.mkv", "--json"))
    assert other["before"] == after and not any("Noise rose" in line for line in other["said"])
    assert "spring.mkv" in run("since", site)


def test_what_is_not_there_is_named(site, tmp_path):
    assert "It has" in run("since", site, "--before", "winter.mkv", code=1)
    assert "is none of the site" in run("since", site, "--view", "Gate", code=1)
    alone = tmp_path / "alone.hush.json"
    run("new", alone, tmp_path / "spring.mkv", "--zone", "All=0,0;1,0;1,1;0,1")
    assert "no two recordings" in run("since", alone, code=1)


def test_words_name_the_limit_that_noise_has_reached():
    was = Season("a", None, 100.0, 1.0, 5.0, 10.0, 3, 3, 8.0, 2.0)
    now = Season("b", None, 104.0, 2.0, 12.0, 30.0, 3, 3, 28.0, 9.0)
    said = words_of(was, now, 3.0)
    assert said[1].startswith("The change limit of 3 lies within twice that") and len(said) == 4
    assert "within twice" not in " ".join(words_of(was, now, 4.5))
    assert words_of(was, was, 3.0) == ["Nothing that matters changed."]
