"""A first look at a long recording: key frames alone, ever closer together."""

import json
import shutil
import subprocess
import sys

import numpy as np
import pytest

from north_hush.core.footage.glance import WORTH_IT_FRAMES, changed_percent, glances
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.options import EvidenceOptions
from north_hush.core.footage.pass_worker import request_line
from tests.footage_maker import write_video

FRAMES, GROUP, FIRST, AFTER = 2000, 5, 900, 1000


@pytest.fixture(scope="module")
def long_file(tmp_path_factory):
    """A still place in which something large stands for ten of two hundred seconds, and that grows lighter all the while."""
    ground = np.random.default_rng(4).integers(60, 120, (12, 16)).repeat(8, 0).repeat(8, 1)

    def pictures():
        for number in range(FRAMES):
            picture = ground + number // 50
            if FIRST <= number < AFTER:
                picture = picture.copy()
                picture[20:70, 30:80] = 220
            yield picture.astype(np.uint8)

    options = {"g": str(GROUP), "bf": "0", "qp": "8", "preset": "ultrafast"}
    return write_video(tmp_path_factory.mktemp("long") / "long.mkv", list(pictures()), options=options)


def test_a_first_look_shows_where_something_stood_and_no_change_of_light(long_file):
    index = index_recording(Footage(long_file))
    found = list(glances(index, EvidenceOptions(), budget_s=60))
    assert [len(held.time_us) for held in found] == [48, 95, 189, 377, FRAMES // GROUP]
    last = found[-1]
    assert (np.diff(last.time_us) > 0).all() and index.key[np.searchsorted(index.time_us, last.time_us)].all()
    inside = (last.time_us >= index.time_us[FIRST]) & (last.time_us < index.time_us[AFTER])
    assert inside.sum() == (AFTER - FIRST) // GROUP
    assert last.percent[~inside].max() < 2
    assert np.median(last.percent[inside]) > 15
    assert found[0].percent.max() > 15  # the first round met it already


def test_it_ends_when_its_time_is_up_but_not_before_it_has_seen_all_of_it_once(long_file):
    index = index_recording(Footage(long_file))
    (only,) = glances(index, EvidenceOptions(), budget_s=0.0)
    assert len(only.time_us) == 48 and only.time_us[-1] > 0.95 * index.time_us[-1]


def test_it_ends_at_once_when_nobody_wants_it_any_more(long_file):
    index, asked = index_recording(Footage(long_file)), []
    assert list(glances(index, EvidenceOptions(), go_on=lambda: bool(asked.append(1)) or len(asked) < 5)) == []
    assert len(asked) == 5


def test_a_short_recording_gives_nothing(tmp_path):
    path = write_video(tmp_path / "short.mkv", [np.full((96, 128), 90, np.uint8)] * 40, options={"g": "2", "bf": "0"})
    assert list(glances(index_recording(Footage(path)), EvidenceOptions())) == []


def test_what_was_there_an_hour_ago_is_not_what_is_usual():
    """By day and by night the same place looks otherwise: neighbours that lie further away do not count."""
    hour_us = 3_600_000_000
    day, night = np.full(60, 1600), np.where(np.arange(60) < 30, 1600, 100)
    cells = np.array([day, night, day, night])
    near, far = np.arange(4) * 60_000_000, np.arange(4) * 2 * hour_us
    assert changed_percent(cells, near).max() >= 50
    assert changed_percent(cells, far).tolist() == [0, 0, 0, 0]


def test_the_pass_of_a_long_recording_begins_with_it(tmp_path, monkeypatch):
    monkeypatch.setenv("NORTH_HUSH_CACHE", str(tmp_path / "cache"))
    still, options = [np.full((32, 48), 90, np.uint8)] * 100, {"g": "100", "bf": "0", "preset": "ultrafast"}
    once, path = write_video(tmp_path / "once.mkv", still, options=options), tmp_path / "long.mkv"
    again = ["-stream_loop", str(WORTH_IT_FRAMES // 100 - 1), "-i", str(once), "-c", "copy", str(path)]
    subprocess.run(
        [shutil.which("ffmpeg") or pytest.skip("ffmpeg is not installed"), "-v", "error", *again], check=True
    )
    request = request_line(Footage(path), EvidenceOptions())
    command = [sys.executable, "-m", "north_hush", "_pass"]
    with subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE) as worker:
        worker.stdin.write(request)
        worker.stdin.flush()
        events = [json.loads(line) for line in worker.stdout]
        worker.stdin.close()
    kinds = [event["event"] for event in events]
    assert kinds[0] == "glance" and kinds[-1] == "done" and "glance" not in kinds[kinds.index("progress") :]
    looks = [event for event in events if event["event"] == "glance"]
    counts = [len(event["time_us"]) for event in looks]
    assert counts[0] == 48 and counts == sorted(set(counts))  # how far it came depends on the machine
    assert max(looks[-1]["percent"]) == 0
