"""When recordings were taken, from the command line."""

import json

import pytest

from north_hush.core.site.file import load_site
from tests.cli.running import run
from tests.footage_maker import moving_square, write_video

NAMES = ("slip_14-06-26_150207.mkv", "slip_15-06-26_150211.mkv")


@pytest.fixture
def site(tmp_path):
    for place, name in enumerate(NAMES):
        write_video(tmp_path / name, moving_square(20 + place))
    run("new", tmp_path / "a.hush.json", *(tmp_path / name for name in NAMES))
    return tmp_path / "a.hush.json"


def rows(site, *options):
    return json.loads(run("taken", site, "--json", *options))["recordings"]


def test_one_example_dates_all(site):
    before = rows(site)
    assert [row["by"] for row in before] == ["file date", "file date"]
    after = rows(site, "--example", f"{NAMES[0]}=2026-06-14 15:02:07")
    assert [row["taken_at"] for row in after] == ["2026-06-14T15:02:07+00:00", "2026-06-15T15:02:11+00:00"]
    assert {row["pattern"] for row in after} == {"{day}-{month}-{yy}_{hour}{minute}{second}"}
    assert load_site(site).views[0].name_pattern == after[0]["pattern"]


def test_a_pattern_can_be_written_by_hand(site):
    assert rows(site, "--pattern", "{day}-{month}-{yy}_{hour}{minute}")[0]["taken_at"] == "2026-06-14T15:02:00+00:00"


@pytest.mark.parametrize(
    ("options", "said"),
    [
        (("--example", "slip_14-06-26_150207.mkv=yesterday"), "ends in no time"),
        (("--example", "quay.mkv=2026-06-14 15:02:07"), "names no recording"),
        (("--example", "slip_14-06-26_150207.mkv=2026-06-14 15:02:09"), "does not say 2026-06-14 15:02:09"),
        (("--pattern", "{when}"), "is no field"),
    ],
)
def test_what_shows_nothing_is_told_and_changes_nothing(site, options, said):
    before = site.read_bytes()
    assert said in run("taken", site, *options, code=1)
    assert site.read_bytes() == before
