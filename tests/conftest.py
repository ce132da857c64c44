"""Every test has a cache, data and settings folder of its own."""

from __future__ import annotations

import fcntl
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
    """A cache folder that holds the evidence of the shipped demo; whichever worker is first makes it for all."""
    base = tmp_path_factory.getbasetemp()
    base = base.parent if os.environ.get("PYTEST_XDIST_WORKER") else base
    cache, whole = base / "demo-cache", base / "demo-cache.whole"
    with (base / "demo-cache.lock").open("w") as lock, pytest.MonkeyPatch.context() as patch:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not whole.exists():
            patch.setenv("NORTH_HUSH_CACHE", str(cache))
            for path in shipped_recordings():
                index = index_recording(Footage(path))
                make_evidence(index, EvidenceOptions(orientation=index.orientation))
            whole.touch()
    return cache


@pytest.fixture
def analysed_demo(demo_evidence):
    """The demo's evidence lies in this test's cache."""
    shutil.copytree(demo_evidence, os.environ["NORTH_HUSH_CACHE"])


FIRST = ("test_overview_stage.py", "test_parts.py", "test_appearance.py", "test_operator.py", "test_readme.py")
"""What changes the theme comes before there are many windows: each change dresses every widget there is, of closed windows too. Then
what takes longest, so that no worker is left with it alone."""


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Put some files first; the others stay in their order."""
    places = {name: place for place, name in enumerate(FIRST)}
    items.sort(key=lambda item: places.get(item.path.name, len(FIRST)))
