"""What the engine gains from a second core, and what it costs beside doing the same by hand."""

from __future__ import annotations

import os
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator, Sequence
from pathlib import Path

from bench.core import Row, row
from north_hush.core.site.file import SUFFIX, load_site
from north_hush.core.site.model import View, replaced
from north_hush.core.site.saving import save_site
from north_hush.demo.site import lay_out_demo, shipped_recordings

_COPIES = 3
_BY_HAND = """
import sys
from pathlib import Path
from north_hush.core.evaluate.recordings import read_recording
from north_hush.core.site.file import load_site
for name in sys.argv[1:]:
    site = load_site(Path(name))
    for view in site.views:
        for recording in view.recordings:
            read_recording(view, recording, Path(name))
"""
_DECODE = """
import sys, av
for name in sys.argv[1:]:
    with av.open(name) as held:
        held.streams.video[0].thread_count = 1
        for frame in held.decode(video=0):
            pass
"""


def engine() -> Iterator[Row]:
    """The passes of the demo's recordings. Bare decoding says what a second core of this machine is worth at all: two threads of one
    core share what is in it."""
    with tempfile.TemporaryDirectory() as folder:
        sites = [_site_of_copies(Path(folder))]
        fleet = ["-m", "north_hush", "fleet", *sites, "pass", "--json", "--jobs"]
        by_hand = _seconds(["-c", _BY_HAND, *sites], one_core=True)
        one = _seconds([*fleet, "1"], one_core=True)
        two = _seconds([*fleet, "2"])
        yield row("passes of fifteen recordings by tasks, two cores against one", one[0] / two[0], "x", ">= 1.8")
        yield row(
            "CPU that tasks cost beside the same in a loop, one core", 100 * (one[1] / by_hand[1] - 1), "%", "<= 3"
        )
    files = [str(path) for path in shipped_recordings()]
    alone, _ = _seconds(["-c", _DECODE, *files], one_core=True)
    began = time.perf_counter()
    both = [subprocess.Popen([sys.executable, "-c", _DECODE, *files[part::2]]) for part in (0, 1)]
    for process in both:
        process.wait()
    yield row(
        "bare decoding in two processes against one, on this machine", alone / (time.perf_counter() - began), "x", ""
    )


def _site_of_copies(folder: Path) -> str:
    """The demo's recordings three times; each copy ends with an empty box of its own, so that it is another file."""
    site, views = load_site(lay_out_demo(folder, fresh=True)), list[View]()
    for copy in range(_COPIES):
        view = site.views[0]
        named = [(held, f"{copy}-{Path(held.path).name}") for held in view.recordings]
        for held, name in named:
            box = (9 + copy).to_bytes(4, "big") + b"free" + bytes(1 + copy)
            (folder / name).write_bytes((folder / held.path).read_bytes() + box)
        recordings = tuple(replaced(held, path=name, fingerprint="") for held, name in named)
        views.append(replaced(view, id=f"view-{copy + 1}", name=f"Camera {copy + 1}", recordings=recordings))
    path = folder / f"copies{SUFFIX}"
    save_site(replaced(site, views=tuple(views)), path)
    return str(path)


def _seconds(arguments: Sequence[str], *, one_core: bool = False) -> tuple[float, float]:
    """How long Python takes with an empty cache, and its CPU time, that of all its processes together."""
    with tempfile.TemporaryDirectory() as cache:
        environment = {**os.environ, "NORTH_HUSH_CACHE": cache}
        core = min(os.sched_getaffinity(0))
        began, used = time.perf_counter(), _cpu_s()
        subprocess.run(
            [sys.executable, *arguments], env=environment, check=True, capture_output=True,
            preexec_fn=(lambda: os.sched_setaffinity(0, {core})) if one_core else None,
        )  # fmt: skip
        return time.perf_counter() - began, _cpu_s() - used


def _cpu_s() -> float:
    used = resource.getrusage(resource.RUSAGE_CHILDREN)
    return used.ru_utime + used.ru_stime


BENCHMARKS = {"fleet": engine}
