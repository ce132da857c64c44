"""The evidence pass as a child process: one request as a JSON line in, JSON lines out, ended by closing its input.

Request   {"path", "frames_per_s", "options"}
Answers   {"event": "glance", "time_us", "percent"}
          {"event": "progress", "frames", "expected", "folder", "block_frames", "new_block"}
          {"event": "done", "folder", "stored"}      {"event": "cancelled"}
          {"event": "error", "subject", "what", "remedy"}
"""

from __future__ import annotations

import json
import os
import sys
import tempfile
import threading
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import asdict
from pathlib import Path
from typing import Any

from north_hush.core.compiled import spare_linear_algebra
from north_hush.core.errors import HushError
from north_hush.core.footage.cache import cache_folder
from north_hush.core.footage.confine import confine
from north_hush.core.footage.glance import WORTH_IT_FRAMES, glances
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.leftovers import SPARE, clear_left_behind, owned_folder
from north_hush.core.footage.options import EvidenceOptions
from north_hush.core.footage.passes import Progress, make_evidence
from north_hush.core.footage.reduce import compile_reducer
from north_hush.core.grid import Grid


def request_line(footage: Footage, options: EvidenceOptions) -> bytes:
    """What the parent writes to start the pass."""
    request = {"path": str(footage.path), "frames_per_s": footage.frames_per_s, "options": options.model_dump()}
    return json.dumps(request).encode() + b"\n"


def serve() -> int:
    """Answer the one request on standard input; returns the exit code."""
    request = json.loads(sys.stdin.readline())
    spare_linear_algebra()
    with spare_folder():
        return _serve(request)


@contextmanager
def spare_folder() -> Iterator[None]:
    """A temporary folder of the window that started this: what does not fit into the cache lasts as long as that."""
    temporary = Path(tempfile.gettempdir())
    clear_left_behind(temporary)
    try:
        tempfile.tempdir = str(owned_folder(SPARE, temporary, os.getppid()))
    except OSError:
        yield  # nothing can be kept outside the cache; that is told when it is needed
        return
    try:
        yield
    finally:
        with suppress(OSError):
            Path(tempfile.tempdir).rmdir()  # unless something lies in it


def _serve(request: dict[str, Any]) -> int:
    compile_reducer(Grid(32, 16))  # compiled code is kept on disk where a confined process must not write
    with suppress(OSError):
        cache_folder().mkdir(parents=True, exist_ok=True, mode=0o700)
    options = EvidenceOptions.model_validate(request["options"])
    confine(
        [Path(request["path"]), *(Path(held.path) for held in options.lead)],
        [cache_folder(), Path(tempfile.gettempdir())],
    )
    closed = threading.Event()
    threading.Thread(target=watch_input, args=(closed,), daemon=True).start()
    try:
        index = index_recording(Footage(Path(request["path"]), request["frames_per_s"]))
        if index.frames >= WORTH_IT_FRAMES:
            for found in glances(index, options, go_on=lambda: not closed.is_set()):
                say(
                    event="glance",
                    time_us=found.time_us.tolist(),
                    percent=[round(float(held), 2) for held in found.percent],
                )
        made = make_evidence(index, options, report=_report, cancelled=closed.is_set)
    except HushError as error:
        say(event="error", subject=error.subject, what=error.what, remedy=error.remedy)
        return 1
    if made is None:
        say(event="cancelled")
    else:
        say(event="done", folder=str(made[0]), stored=made[1])
    return 0


def watch_input(closed: threading.Event) -> None:
    """Set an event once the parent has closed our input."""
    while os.read(0, 4096):
        pass
    closed.set()


def _report(progress: Progress) -> None:
    say(event="progress", **{**asdict(progress), "folder": str(progress.folder)})


def say(**event: Any) -> None:
    """Answer the parent with one line."""
    try:
        sys.stdout.write(json.dumps(event) + "\n")
        sys.stdout.flush()
    except BrokenPipeError:
        os._exit(1)  # the parent is gone; nobody is left to tell
