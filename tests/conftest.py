"""Every test has a cache, data and settings folder of its own."""

from __future__ import annotations

import pytest


@pytest.fixture(autouse=True)
def _own_folders(tmp_path_factory, monkeypatch):
    home = tmp_path_factory.mktemp("home")
    monkeypatch.setenv("NORTH_HUSH_CACHE", str(home / "evidence"))
    monkeypatch.setenv("XDG_DATA_HOME", str(home / "data"))
    monkeypatch.setenv("XDG_CONFIG_HOME", str(home / "config"))
