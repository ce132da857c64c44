"""`sight` and `sound` on recordings, as scripts run them."""

import json
from datetime import UTC, datetime

import numpy as np
import pytest

from north_hush.core.site.file import load_site
from north_hush.core.site.model import replaced
from north_hush.core.site.saving import mark_of, save_site
from tests.cli.running import run
from tests.core.sight.test_hearing import RATE, tone, written
from tests.core.sight.test_sight import covered, plain
from tests.footage_maker import write_video


@pytest.fixture
def site(tmp_path):
    rng = np.random.default_rng(1)
    frames = [
        np.clip((covered if 100 <= n < 160 else plain)(n / 10) + 2 * rng.standard_normal((96, 160)), 0, 255)
        for n in range(240)
    ]
    video = write_video(tmp_path / "slip.mkv", [frame.astype(np.uint8) for frame in frames], options={"qp": "10"})
    path = tmp_path / "slip.hush.json"
    run("new", path, video, "--zone", "All=0,0;1,0;1,1;0,1")
    return path


def test_a_covered_lens_is_told_and_its_rule_can_be_changed(site):
    told = json.loads(run("sight", site, "--json"))
    (found,) = told["found"]
    assert found["kind"] == "covered" and not found["lasts"] and told["errors"] == []
    assert found["start_s"] == pytest.approx(10, abs=1) and found["end_s"] == pytest.approx(16, abs=1)
    assert "the lens is covered" in run("sight", site)
    assert "saw all the while" in run("sight", site, "--set", "covered=off")
    assert load_site(site).views[0].sight == {"covered": None}
    run("sight", site, "--set", "covered=born", "--set", "moved=40,20,3")
    held = load_site(site).views[0]
    assert set(held.sight) == {"moved"} and held.sight_rules["moved"].for_s == 3
    dated = replaced(held.recordings[0], taken_at=datetime(2026, 11, 23, 9, tzinfo=UTC))  # a Monday
    save_site(replaced(load_site(site), views=(replaced(held, recordings=(dated,)),)), site, mark_of(site))
    assert "the lens is covered" in run("sight", site, "--set", "covered=60,40,1,Mo-Fr 08:00-12:00,13:00-17:00")
    assert load_site(site).views[0].sight_rules["covered"].hours == "Mo-Fr 08:00-12:00,13:00-17:00"
    assert "saw all the while" in run("sight", site, "--set", "covered=60,40,1,Sa-Su 08:00-17:00")


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ("covered=60,40,1,Mo 25", "'Mo 25' is no hours"),
        ("fog=off", "which is no kind"),
        ("covered=9", "is not KIND="),
        ("covered=10,20,1", "is not KIND="),
    ],
)
def test_rules_that_make_no_sense_are_told(site, change, says):
    assert says in run("sight", site, "--set", change, code=1)
    assert "is none of" in run("sight", site, "--view", "Nowhere", code=1)


def test_a_noise_is_heard_and_footage_without_sound_is_told(tmp_path, site):
    samples = np.concatenate([tone(300, 15, 0.003), tone(2000, 0.5, 0.5), tone(300, 5, 0.003)])
    loud = written(tmp_path / "loud.mkv", samples)
    path = tmp_path / "loud.hush.json"
    run("new", path, loud)
    (found,) = json.loads(run("sound", path, "--hears", "jump", "--json"))["found"]
    assert (found["start_s"], found["end_s"]) == pytest.approx((15.0, 15.5), abs=0.11)
    assert "Nothing of that kind" in run("sound", path, "--hears", "dead")
    assert json.loads(run("sound", site, "--json"))["errors"][0]["error"] == "has no sound."
    assert RATE == 48_000
