"""Kernels: compiled at the first call, kept on disk where that may be written."""

import numpy as np
import pytest
from numba.core.errors import TypingError

from north_hush.core import compiled as compiled_module
from north_hush.core.prepare import compile_kernels, is_prepared, mark_prepared


def doubled(values):
    total = 0
    for value in values:
        total += 2 * value
    return total


def test_a_process_that_may_not_write_compiles_for_itself(monkeypatch):
    """The decoders are confined: what they have to compile they cannot keep, and go on with it."""
    from numba.core import caching

    tried = []

    def refused(*_):
        tried.append(1)
        raise PermissionError(13, "Permission denied", "__pycache__")

    monkeypatch.setattr(caching.FunctionCache, "save_overload", refused)
    kernel = compiled_module.compiled(doubled)
    assert kernel(np.arange(4)) == 12
    assert tried == [1]
    assert kernel(np.arange(5)) == 20
    assert tried == [1]


def test_where_no_folder_can_be_written_kernels_are_compiled_all_the_same(monkeypatch):
    """A kernel that a confined process calls first of all: there is no place to keep it in, which is no reason to fail."""
    from numba.core import caching

    class Nowhere(caching.CacheImpl):
        _locator_classes = ()

    monkeypatch.setattr(caching.FunctionCache, "_impl_class", type("None", (caching.CodeLibraryCacheImpl, Nowhere), {}))
    with pytest.raises(RuntimeError, match="no locator"):
        caching.FunctionCache(doubled)
    assert compiled_module.compiled(doubled)(np.arange(4)) == 12


def test_all_kernels_are_there_after_preparing(monkeypatch, tmp_path):
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path))
    assert not is_prepared()
    compile_kernels()
    mark_prepared()
    assert is_prepared()
    monkeypatch.setattr("north_hush.core.prepare.__version__", "9.9.9")
    assert not is_prepared()


def test_an_error_of_the_work_itself_is_no_matter_of_the_cache():
    kernel = compiled_module.compiled(doubled)
    with pytest.raises(TypingError):
        kernel(None)


def test_the_follower_is_ready_before_a_process_is_confined():
    """What is compiled later would want to write on the disk."""
    from north_hush.core.follow.tracks import compile_follower
    from north_hush.core.grid import Grid

    sights = compile_follower(Grid(32, 16))
    assert len(sights) == 3  # it was found, and paired again in each frame after
    assert len(set(sights[:, 1])) == 1
