"""A recording that follows on another begins with the background that one had, and its name says so."""

from datetime import UTC, datetime, timedelta

import numpy as np
import pytest

from north_hush.core.evaluate.recordings import options_of, read_recording
from north_hush.core.footage.fingerprint import fingerprint
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.store import evidence_key
from north_hush.core.site.model import View, replaced
from north_hush.core.site.recording import Recording
from tests.evidence_maker import whole_channel
from tests.footage_maker import flat, write_video

SIX = datetime(2026, 11, 23, 6, 0, tzinfo=UTC)


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    """Twenty seconds of an empty yard, and ten more in which somebody stands there from the first frame on."""
    place = tmp_path_factory.mktemp("led")
    stood = flat(90, 160, 96)
    stood[40:64, 64:80] = 200
    write_video(place / "a.mkv", [flat(90, 160, 96)] * 200)
    write_video(place / "b.mkv", [stood] * 100)
    return place


def held(folder, name, start_s, length_s):
    path = folder / f"{name}.mkv"
    return Recording(
        id=name, path=path.name, fingerprint=fingerprint(Footage(path)), stated_at=SIX + timedelta(seconds=start_s),
        length_s=length_s,
    )  # fmt: skip


def drift_at_two_seconds(view, recording, folder):
    evidence = read_recording(view, recording, folder / "a.hush.json")[1]
    return int(whole_channel(evidence, "drift")[:, 20].max()), evidence


def test_who_stands_there_from_the_first_frame_on_differs_from_what_was_before(folder):
    first, second = held(folder, "a", 0, 20.0), held(folder, "b", 20, 10.0)
    alone, _ = drift_at_two_seconds(View(id="v", name="v", recordings=(second,)), second, folder)
    led, evidence = drift_at_two_seconds(View(id="v", name="v", recordings=(first, second)), second, folder)
    assert alone == 0
    assert led == 255
    assert evidence.oddities == ()


@pytest.mark.parametrize("start_s", [23, 10, -30])
def test_a_gap_an_overlap_and_what_came_later_lead_nothing(folder, start_s):
    first, second = held(folder, "a", 0, 20.0), held(folder, "b", start_s, 10.0)
    view = View(id="v", name="v", recordings=(first, second))
    index = index_recording(Footage(folder / "b.mkv"))
    assert options_of(view, second, index, folder / "a.hush.json").lead == ()


def test_its_name_says_what_it_follows_on_and_the_evidence_of_either_is_kept(folder):
    first, second = held(folder, "a", 0, 20.0), held(folder, "b", 20, 10.0)
    both, alone = View(id="v", name="v", recordings=(first, second)), View(id="v", name="v", recordings=(second,))
    index = index_recording(Footage(folder / "b.mkv"))
    site = folder / "a.hush.json"
    keys = {evidence_key(second.fingerprint, options_of(view, second, index, site)) for view in (both, alone)}
    assert len(keys) == 2
    kept = {read_recording(view, second, site)[1].key for view in (both, alone)}
    assert kept == keys


def test_a_clock_put_right_by_less_than_half_a_second_leaves_the_evidence(folder):
    first, second = held(folder, "a", 0, 20.0), held(folder, "b", 20, 10.0)
    index, site = index_recording(Footage(folder / "b.mkv")), folder / "a.hush.json"
    later = replaced(second, clock_offset_s=0.4)
    options = [options_of(View(id="v", name="v", recordings=(first, one)), one, index, site) for one in (second, later)]
    assert options[0] == options[1]


def test_one_that_cannot_be_read_lends_nothing_and_is_told(folder, tmp_path):
    first = held(folder, "a", 0, 20.0)
    (tmp_path / "a.mkv").write_bytes(b"no recording")
    (tmp_path / "b.mkv").write_bytes((folder / "b.mkv").read_bytes() + b" ")
    second = replaced(held(folder, "b", 20, 10.0), fingerprint=fingerprint(Footage(tmp_path / "b.mkv")))
    evidence = read_recording(View(id="v", name="v", recordings=(first, second)), second, tmp_path / "s.hush.json")[1]
    assert evidence.oddities[0].startswith("begins without the background of a.mkv, which ")
    assert not whole_channel(evidence, "drift").any()


def test_files_of_a_few_seconds_lead_back_as_far_as_the_background_looks(folder):
    many = [replaced(held(folder, "a", 20 * number, 20.0), id=f"r{number}") for number in range(12)]
    view = View(id="v", name="v", recordings=tuple(reversed(many)))
    index = index_recording(Footage(folder / "a.mkv"))
    leads = options_of(view, many[-1], index, folder / "s.hush.json").lead
    assert [lead.ahead_s for lead in leads] == [20, 40, 60, 80, 100, 120]


def test_what_was_there_before_comes_from_whole_files_too(folder, tmp_path):
    """The last two minutes of a longer file count, and no earlier ones: what stood there once is forgotten."""
    once, empty = flat(90, 160, 96), flat(90, 160, 96)
    once[40:64, 64:80] = 200
    path = write_video(tmp_path / "a.mkv", [once] * 400 + [empty] * 260, fps=2)
    write_video(tmp_path / "b.mkv", [empty] * 60)
    first = Recording(id="a", path="a.mkv", fingerprint=fingerprint(Footage(path)), stated_at=SIX, length_s=330.0)
    second = replaced(held(tmp_path, "b", 330, 6.0))
    evidence = read_recording(View(id="v", name="v", recordings=(first, second)), second, tmp_path / "s.hush.json")[1]
    assert np.all(whole_channel(evidence, "drift") == 0)
