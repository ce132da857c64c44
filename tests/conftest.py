"""Every test has a cache, data and settings folder of its own."""

from __future__ import annotations

import os
import shutil

import pytest
from hypothesis import settings

from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.options import EvidenceOptions
from north_hush.core.footage.passes import make_evidence
from north_hush.core.memo import SHARED
from north_hush.demo.site import shipped_recordings

settings.register_profile("north-hush", deadline=None)  # the first call of a kernel loads the compiler
settings.load_profile("north-hush")


@pytest.fixture(autouse=True)
def _own_folders(tmp_path_factory, monkeypatch):
    SHARED.clear()
    home = tmp_path_factory.mktemp("home")
    monkeypatch.setenv("NORTH_HUSH_CACHE", str(home / "evidence"))
    monkeypatch.setenv("XDG_DATA_HOME", str(home / "data"))
    monkeypatch.setenv("XDG_CONFIG_HOME", str(home / "config"))
    monkeypatch.setenv("XDG_STATE_HOME", str(home / "state"))


@pytest.fixture(scope="session")
def demo_evidence(tmp_path_factory):
    """A cache folder that holds the evidence of the shipped demo."""
    cache = tmp_path_factory.mktemp("demo-cache")
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("NORTH_HUSH_CACHE", str(cache))
        for path in shipped_recordings():
            index = index_recording(Footage(path))
            make_evidence(index, EvidenceOptions(orientation=index.orientation))
    return cache


@pytest.fixture
def analysed_demo(demo_evidence):
    """The demo's evidence lies in this test's cache."""
    shutil.copytree(demo_evidence, os.environ["NORTH_HUSH_CACHE"])
