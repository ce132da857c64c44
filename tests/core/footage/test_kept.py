"""Arrays kept beside evidence: found again, never half, never beyond the limit."""

import os

import numpy as np
import pytest

from north_hush.core.footage import kept
from north_hush.core.footage.kept import Keeping, find_kept, keep_rows, pieces

SHAPE, KIND = (3, 5), np.dtype(np.uint16)


def keep(folder, what="table", values=7):
    made = Keeping(folder, what, SHAPE, KIND)
    made.array[...] = values
    return made.finish()


def test_what_was_kept_is_found_again_and_lies_on_disk(tmp_path):
    assert find_kept(tmp_path, "table", SHAPE, KIND) is None
    made = keep(tmp_path)
    found = find_kept(tmp_path, "table", (None, 5), KIND)
    assert isinstance(made, np.memmap)
    assert np.array_equal(found, np.full(SHAPE, 7))
    assert find_kept(tmp_path, "another table", SHAPE, KIND) is None


def test_a_kernel_may_write_into_what_is_found_and_nothing_on_disk_changes(tmp_path):
    keep(tmp_path)[...] = 9
    assert (find_kept(tmp_path, "table", SHAPE, KIND) == 7).all()


@pytest.mark.parametrize(("shape", "kind"), [((3, 6), KIND), ((15,), KIND), (SHAPE, np.dtype(np.uint32))])
def test_what_does_not_fit_the_evidence_is_not_used(tmp_path, shape, kind):
    keep(tmp_path)
    assert find_kept(tmp_path, "table", shape, kind) is None


def test_one_that_is_cut_off_or_overwritten_is_not_used(tmp_path):
    keep(tmp_path)
    (path,) = tmp_path.iterdir()
    whole = path.read_bytes()
    for damaged in (whole[:-1], whole[:20], b"", b"nothing of ours"):
        path.write_bytes(damaged)
        assert find_kept(tmp_path, "table", SHAPE, KIND) is None
    keep(tmp_path, values=3)
    assert (find_kept(tmp_path, "table", SHAPE, KIND) == 3).all()


def test_what_was_begun_and_not_finished_is_never_found_and_leaves_nothing(tmp_path):
    begun = Keeping(tmp_path, "table", SHAPE, KIND)
    begun.array[...] = 1
    assert find_kept(tmp_path, "table", SHAPE, KIND) is None
    begun.discard()
    assert list(tmp_path.iterdir()) == []


@pytest.fixture(autouse=True)
def every_size_is_mapped(monkeypatch):
    monkeypatch.setattr(kept, "_READ_BYTES", 0)


@pytest.mark.parametrize("folder", [None, "gone"])
def test_without_a_folder_to_write_in_it_lasts_as_long_as_it_is_used(tmp_path, folder):
    made = keep(folder and tmp_path / folder)
    assert not isinstance(made, np.memmap)
    assert (made == 7).all()


def test_a_disk_that_is_full_costs_nothing_but_the_keeping(tmp_path, monkeypatch):
    def full(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "posix_fallocate", full)
    assert (keep(tmp_path) == 7).all()
    assert list(tmp_path.iterdir()) == []


def test_what_was_used_longest_ago_goes_first(tmp_path, monkeypatch):
    for number in range(4):
        keep(tmp_path, f"table {number}", number)
        for path in tmp_path.glob("kept-*"):
            os.utime(path, (path.stat().st_atime, path.stat().st_mtime - 10))
    find_kept(tmp_path, "table 0", SHAPE, KIND)
    size = next(tmp_path.glob("kept-*")).stat().st_size
    monkeypatch.setattr(kept, "FOLDER_LIMIT_BYTES", 3 * size)
    keep(tmp_path, "table 4", 4)
    left = [number for number in range(5) if find_kept(tmp_path, f"table {number}", SHAPE, KIND) is not None]
    assert left == [0, 3, 4]


def test_what_a_killed_process_had_begun_goes_after_a_day(tmp_path):
    old, young = tmp_path / ".kept-old.tmp", tmp_path / ".kept-young.tmp"
    for path in (old, young):
        path.write_bytes(b"half an array")
    os.utime(old, (0, 0))
    keep(tmp_path)
    assert not old.exists() and young.exists()


def test_an_array_of_nothing_is_nothing(tmp_path):
    kind = np.dtype(np.float64)
    assert Keeping(tmp_path, "tracks", (0, 13), kind).finish().shape == (0, 13)
    assert find_kept(tmp_path, "tracks", (None, 13), kind).shape == (0, 13)


@pytest.mark.parametrize("sizes", [[], [0], [3, 0, 5], [400]])
def test_rows_that_come_in_parts_are_kept_as_one(tmp_path, sizes, monkeypatch):
    monkeypatch.setattr(kept, "_ROWS_AT_ONCE", 100)
    monkeypatch.setattr(kept, "_READ_BYTES", 1000)
    kind, draw = np.dtype(np.float64), np.random.default_rng(len(sizes))
    parts = [draw.random((size, 4)) for size in sizes]
    told = np.concatenate([np.zeros((0, 4)), *parts])
    for folder in (tmp_path, None):
        made = keep_rows(folder, "rows", 4, kind, lambda: iter(parts))
        assert np.array_equal(made, told)
        assert np.array_equal(np.concatenate([np.zeros((0, 4)), *pieces(made)]), told)
    assert np.array_equal(find_kept(tmp_path, "rows", (None, 4), kind), told)
    assert len(list(tmp_path.iterdir())) == 1
