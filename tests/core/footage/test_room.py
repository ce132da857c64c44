"""A cache that is full: values go first, those used longest ago before others, and what was worked out of them stays."""

import os

import numpy as np
import pytest

from north_hush.core.errors import EvidenceError
from north_hush.core.footage import passes, room
from north_hush.core.footage.fingerprint import fingerprint
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.kept import find_kept, keep_rows
from north_hush.core.footage.options import LIVE, STORED, EvidenceOptions
from north_hush.core.footage.passes import evidence_of, make_evidence
from north_hush.core.footage.store import evidence_key, find_evidence, known_evidence, read_evidence
from tests.evidence_maker import whole_channel
from tests.footage_maker import moving_square, write_video

FLOAT = np.dtype(np.float64)


@pytest.fixture
def index(tmp_path):
    return index_recording(Footage(write_video(tmp_path / "a.mkv", moving_square(300))))


def made(index, drift_window_s, age_s=0):
    """Evidence that was used so long ago."""
    folder, _ = make_evidence(index, EvidenceOptions(drift_window_s=drift_window_s))
    os.utime(folder, (1_700_000_000 - age_s,) * 2)
    return folder


def lean_of(folder, monkeypatch):
    """The same folder once the cache was too small for its values."""
    with monkeypatch.context() as small:
        small.setattr(room, "LIMIT_BYTES", sum(map(room.folder_bytes, folder.parent.iterdir())) - 1)
        room.trim(folder.parent, keep=folder.parent / "another")
    assert room.is_lean(folder)
    return folder


def test_values_used_longest_ago_go_and_what_was_worked_out_of_them_stays(index, monkeypatch):
    older, newer = made(index, 10, age_s=200), made(index, 20, age_s=100)
    keep_rows(older, "tracks", 2, FLOAT, lambda: [np.ones((3, 2))])
    os.utime(older, (1_700_000_000 - 200,) * 2)
    monkeypatch.setattr(room, "LIMIT_BYTES", room.folder_bytes(older) + room.folder_bytes(newer) - 1)
    room.trim(older.parent, keep=newer.parent / "another")
    assert room.is_lean(older)
    assert not room.is_lean(newer)
    assert not [path for path in older.iterdir() if path.name.split("-")[0] in STORED]
    assert np.array_equal(find_kept(older, "tracks", (None, 2), FLOAT), np.ones((3, 2)))
    assert older.stat().st_mtime < newer.stat().st_mtime  # to be emptied is not to be used
    assert len(read_evidence(newer).frames) == 300


def test_where_that_is_not_enough_the_oldest_go_altogether_and_the_latest_never(index, monkeypatch):
    older, newer = made(index, 10, age_s=200), made(index, 20, age_s=100)
    monkeypatch.setattr(room, "LIMIT_BYTES", 1000)
    latest = made(index, 30)
    assert not older.exists()
    assert not newer.exists()
    assert len(read_evidence(latest).frames) == 300


def test_lean_evidence_tells_facts_of_frames_but_no_values_and_only_who_can_do_without_gets_it(index, monkeypatch):
    folder = made(index, 10)
    whole = read_evidence(folder)
    lean_of(folder, monkeypatch)
    options, named = EvidenceOptions(drift_window_s=10), fingerprint(index.footage)
    with pytest.raises(EvidenceError, match="let go"):
        read_evidence(folder)
    assert known_evidence(named, options) is None
    held = known_evidence(named, options, lean=True)
    assert held.lean
    assert not held.whole
    assert held.key != whole.key
    assert np.array_equal(held.frames, whole.frames)
    assert np.array_equal(held.soil.noise, whole.soil.noise)
    with pytest.raises(EvidenceError, match="let go"):
        held.values("step", 0, 1)


def test_whole_evidence_comes_before_what_is_left_of_that_of_a_live_camera(index, monkeypatch):
    live = EvidenceOptions(drift_window_s=10, lead=(LIVE,))
    key = evidence_key(fingerprint(index.footage), live)
    folder = made(index, 10)
    lean_of(folder.rename(folder.with_name(key)), monkeypatch)
    options = EvidenceOptions(drift_window_s=10)
    assert known_evidence(fingerprint(index.footage), options, lean=True).lean
    made(index, 10)
    assert not known_evidence(fingerprint(index.footage), options, lean=True).lean


def test_a_folder_that_was_being_emptied_when_the_power_went_is_lean(index, monkeypatch):
    folder = made(index, 10)
    (folder / "lean").touch()
    next(folder.glob("drift-*")).unlink()
    assert find_evidence(folder.name) is None
    assert find_evidence(folder.name, lean=True).lean
    lean_of(folder, monkeypatch)
    assert not list(folder.glob("step*"))


def test_values_made_again_are_the_same_and_what_was_kept_is_beside_them(index, monkeypatch):
    folder = made(index, 10)
    before = {name: whole_channel(read_evidence(folder), name).copy() for name in STORED}
    keep_rows(folder, "tracks", 2, FLOAT, lambda: [np.ones((3, 2))])
    lean_of(folder, monkeypatch)
    assert made(index, 10) == folder
    again = read_evidence(folder)
    assert not again.lean
    assert all(np.array_equal(whole_channel(again, name), before[name]) for name in STORED)
    assert np.array_equal(find_kept(folder, "tracks", (None, 2), FLOAT), np.ones((3, 2)))


def test_a_command_makes_them_again_once_one_is_asked_for(index, monkeypatch):
    folder, options = made(index, 10), EvidenceOptions(drift_window_s=10)
    before = whole_channel(read_evidence(folder), "step").copy()
    lean_of(folder, monkeypatch)
    passed = []

    def counted(*given, **more):
        passed.append(given)
        return make_evidence(*given, **more)

    monkeypatch.setattr(passes, "make_evidence", counted)
    held = evidence_of(index, options)
    assert held.whole
    assert not passed
    assert np.array_equal(np.concatenate([values for _, values in held.blocks("step")], axis=1), before)
    assert np.array_equal(held.values("drift", 5, 9), read_evidence(folder).values("drift", 5, 9))
    assert len(passed) == 1
