"""Many views: a site of 150 views with 30 recordings each, opened in the window on its overview."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

from bench.core import Row, row
from north_hush.core.site.file import SUFFIX
from north_hush.core.site.model import View, replaced
from north_hush.core.site.recording import Recording
from north_hush.core.site.saving import save_site

VIEWS, RECORDINGS = 150, 30


def many_views(path: Path) -> Path:
    """A site file of the demo's view, many times, its recordings named again and again."""
    from north_hush.demo.site import (  # the window, whose memory is measured, has no use for it
        demo_site,
        shipped_recordings,
    )

    site = demo_site(shipped_recordings())
    view = site.views[0]
    held = [
        _plain(view.recordings[number % len(view.recordings)]).model_copy(update={"id": f"recording-{number + 1}"})
        for number in range(RECORDINGS)
    ]

    def named(number: int) -> View:
        return view.model_copy(
            update={"id": f"view-{number + 1}", "name": f"Camera {number + 1}", "recordings": tuple(held)}
        )

    save_site(replaced(site, views=tuple(named(number) for number in range(VIEWS))), path)
    return path


def _plain(recording: Recording) -> Recording:
    """With incidents by time alone: boxes for every frame are the demo's, and nobody marks so many."""
    incidents = tuple(held.model_copy(update={"place": ()}) for held in recording.truth.incidents)
    return recording.model_copy(update={"truth": recording.truth.model_copy(update={"incidents": incidents})})


def many() -> Iterator[Row]:
    """The figures, in a process of its own."""
    with tempfile.TemporaryDirectory() as folder:
        path = many_views(Path(folder) / f"many{SUFFIX}")
        environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen", "XDG_CONFIG_HOME": folder}
        told = subprocess.run(
            [sys.executable, "-m", "bench.many_window", str(path)], env=environment, check=True, stdout=subprocess.PIPE
        )
        found = json.loads(told.stdout.splitlines()[-1])
    yield row("150 views of 30 recordings: cards painted", found["painted_s"], "s", "<= 3")
    yield row("  of so many views", found["cards"], "", "150")
    yield row("  memory of the window's process by then", found["mb"], "MB", "<= 400")


BENCHMARKS = {"many": many}
