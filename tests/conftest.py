"""Every test has a cache, data and settings folder of its own."""

from __future__ import annotations

import pytest
from hypothesis import settings

settings.register_profile("north-hush", deadline=None)  # the first call of a kernel loads the compiler
settings.load_profile("north-hush")


@pytest.fixture(autouse=True)
def _own_folders(tmp_path_factory, monkeypatch):
    home = tmp_path_factory.mktemp("home")
    monkeypatch.setenv("NORTH_HUSH_CACHE", str(home / "evidence"))
    monkeypatch.setenv("XDG_DATA_HOME", str(home / "data"))
    monkeypatch.setenv("XDG_CONFIG_HOME", str(home / "config"))
    monkeypatch.setenv("XDG_STATE_HOME", str(home / "state"))
