import errno
import json
from pathlib import Path

import numpy as np
import pytest

from north_hush.core.errors import EvidenceError
from north_hush.core.footage import writing
from north_hush.core.footage.fingerprint import fingerprint
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.options import STORED, EvidenceOptions
from north_hush.core.footage.passes import make_evidence
from north_hush.core.footage.store import evidence_key, find_evidence, read_evidence, read_partial
from tests.evidence_maker import whole_channel
from tests.footage_maker import moving_square, write_video


@pytest.fixture
def index(tmp_path):
    return index_recording(Footage(write_video(tmp_path / "a.mkv", moving_square(300))))


def test_what_is_stored_is_read_back(index):
    partial, seen = [], []

    def report(progress):
        seen.append(progress.frames)
        if progress.new_block:
            found = read_partial(progress.folder, "k", index.grid(), EvidenceOptions(), list(progress.block_frames))
            partial.append((found.frames.copy(), whole_channel(found, "step").copy()))

    folder, stored = make_evidence(index, EvidenceOptions(), report=report)
    whole = read_evidence(folder)
    assert stored
    assert seen == sorted(seen)
    assert len(partial) == 1
    frames, step = partial[0]
    assert len(frames) == 128
    assert np.array_equal(whole.frames[:128], frames)
    assert np.array_equal(whole_channel(whole, "step")[:, :128], step)
    assert all(whole_channel(whole, name).shape == (whole.grid.cells, 300) for name in STORED)


def test_a_killed_pass_is_never_taken_for_a_whole_one(index, tmp_path):
    key = evidence_key(fingerprint(index.footage), EvidenceOptions())
    folder, _ = make_evidence(index, EvidenceOptions())
    (folder / "index.json").unlink()
    with pytest.raises(EvidenceError, match="not finished"):
        read_evidence(folder)
    assert find_evidence(key) is None


def test_a_slower_pass_leaves_what_is_there_and_mends_what_is_damaged(index):
    """Somebody may be reading what another process has just made of the same recording."""
    folder, _ = make_evidence(index, EvidenceOptions())
    before = {path.name: path.stat().st_ino for path in folder.iterdir()}
    again, stored = make_evidence(index, EvidenceOptions())
    assert (again, stored) == (folder, True)
    assert {path.name: path.stat().st_ino for path in folder.iterdir()} == before
    (folder / "step-0000.zst").write_bytes(b"?")
    make_evidence(index, EvidenceOptions())
    assert len(read_evidence(folder).frames) == 300
    assert [path.name for path in folder.parent.iterdir() if path != folder] == []


@pytest.mark.parametrize("name", ["step-0000.zst", "frames-0001.zst"])
def test_damage_is_found(index, name):
    folder, _ = make_evidence(index, EvidenceOptions())
    data = bytearray((folder / name).read_bytes())
    data[len(data) // 2] ^= 1
    (folder / name).write_bytes(data)
    with pytest.raises(EvidenceError, match="is damaged"):
        read_evidence(folder)


def test_another_version_is_made_again(index):
    folder, _ = make_evidence(index, EvidenceOptions())
    held = json.loads((folder / "index.json").read_text())
    (folder / "index.json").write_text(json.dumps({**held, "version": 999}))
    with pytest.raises(EvidenceError, match="version 999"):
        read_evidence(folder)


def test_a_cancelled_pass_leaves_nothing(index, tmp_path):
    assert make_evidence(index, EvidenceOptions(), cancelled=lambda: True, root=tmp_path / "cache") is None
    assert list((tmp_path / "cache").iterdir()) == []


def test_a_cache_that_cannot_be_made_is_worked_around(index, tmp_path):
    (tmp_path / "file").write_text("in the way")
    folder, stored = make_evidence(index, EvidenceOptions(), root=tmp_path / "file" / "cache")
    assert not stored
    assert len(read_evidence(folder).frames) == 300


def test_a_disk_that_fills_up_is_worked_around_and_nothing_is_lost(index, tmp_path, monkeypatch):
    root, write = tmp_path / "cache", writing._write_whole

    def full(path: Path, data: bytes) -> None:
        if root in path.parents and "0001" in path.name:
            raise OSError(errno.ENOSPC, "No space left on device")
        write(path, data)

    monkeypatch.setattr(writing, "_write_whole", full)
    folder, stored = make_evidence(index, EvidenceOptions(), root=root)
    assert not stored
    assert len(read_evidence(folder).frames) == 300
    assert list(root.iterdir()) == []
