"""Stamps of long recordings are kept, and read again where anything is other than it was."""

import os

import numpy as np
import pytest

from north_hush.core.footage import index as index_module
from north_hush.core.footage import stamps_kept
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.stamps_kept import PacketStamps, keep_stamps, kept_folder, known_stamps
from tests.footage_maker import moving_square, write_video


@pytest.fixture
def recording(tmp_path, monkeypatch):
    monkeypatch.setattr(stamps_kept, "_FRAMES_LEAST", 10)
    return write_video(tmp_path / "long.mkv", moving_square(40))


def refused(*_):
    raise AssertionError("read again")


def test_a_recording_that_is_as_it_was_is_not_read_again(recording, monkeypatch):
    first = index_recording(Footage(recording))
    assert len(list(kept_folder().glob("*.npz"))) == 1
    monkeypatch.setattr(index_module, "_packet_stamps", refused)
    again = index_recording(Footage(recording))
    assert np.array_equal(first.pts, again.pts) and np.array_equal(first.time_us, again.time_us)
    assert np.array_equal(first.key, again.key) and (first.stamped, first.shown, first.exact) == (
        again.stamped,
        again.shown,
        again.exact,
    )


def test_one_that_changed_or_whose_cache_is_damaged_is(recording):
    index_recording(Footage(recording))
    os.utime(recording, (1, 1))
    assert known_stamps(recording) is None
    index_recording(Footage(recording))
    (file,) = [path for path in kept_folder().glob("*.npz") if known_stamps(recording) is not None][:1]
    for path in kept_folder().glob("*.npz"):
        path.write_bytes(file.read_bytes()[:100])
    assert known_stamps(recording) is None
    assert index_recording(Footage(recording)).frames == 40


def test_short_ones_are_not_kept_and_missing_stamps_stay_missing(recording, tmp_path, monkeypatch):
    held = PacketStamps([0, None, 20], [True, False, False], [2], False)
    keep_stamps(recording, held)
    assert known_stamps(recording) is None
    monkeypatch.setattr(stamps_kept, "_FRAMES_LEAST", 3)
    keep_stamps(recording, held)
    found = known_stamps(recording)
    assert (found.stamps, found.keys, found.resets, found.shown) == (held.stamps, held.keys, held.resets, held.shown)
    assert known_stamps(tmp_path / "nowhere.mkv") is None


def test_the_oldest_go(recording, monkeypatch):
    monkeypatch.setattr(stamps_kept, "_KEPT_MOST", 2)
    held = PacketStamps([0] * 20, [True] * 20, [], True)
    for second in range(4):
        os.utime(recording, (second, second))
        keep_stamps(recording, held)
        for place, file in enumerate(sorted(kept_folder().glob("*.npz"), key=lambda path: path.stat().st_mtime)):
            os.utime(file, (place, place))
    assert len(list(kept_folder().glob("*.npz"))) == 2 and known_stamps(recording) is not None
