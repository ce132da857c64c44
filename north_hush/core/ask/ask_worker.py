"""Asking a recording in a child process, since pictures are decoded for it: one request as a JSON line in, answers as they are found.

Request   {"site": path, "view": a view as the site file has it, without recordings, "recording": the one asked, "question": {...}}
Answers   {"event": "part", "answers": [{start_s, end_s, sure, before_s, after_s}]}, stretch by stretch
          {"event": "done"}
          {"event": "error", "subject", "what", "remedy"}
"""

from __future__ import annotations

import json
import os
import sys
import threading
from contextlib import suppress
from dataclasses import asdict
from pathlib import Path

from north_hush.core.ask.footage import ask_in_parts
from north_hush.core.ask.question import Question, checked
from north_hush.core.errors import EvidenceError, HushError
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.evaluate.recordings import indexed_evidence
from north_hush.core.follow.kinds import compile_kinds
from north_hush.core.footage.cache import cache_folder
from north_hush.core.footage.confine import confine
from north_hush.core.footage.pass_worker import say, watch_input
from north_hush.core.grid import Grid
from north_hush.core.site.file import find_recording
from north_hush.core.site.model import View, replaced
from north_hush.core.site.recording import Recording
from north_hush.core.words import tr


def ask_request(site_path: Path, view: View, recording: Recording, question: Question) -> bytes:
    """What the parent writes to ask."""
    request = {
        "site": str(site_path),
        "view": replaced(view, recordings=()).model_dump(mode="json"),
        "recording": recording.model_dump(mode="json"),
        "question": asdict(question),
    }
    return json.dumps(request).encode() + b"\n"


def question_of(told: dict[str, object]) -> Question:
    """A question as it was written, lists for tuples."""
    place, to, way = (told[name] for name in ("place", "to", "way"))
    return Question(
        told["kind"],  # type: ignore[arg-type]
        tuple((x, y) for x, y in place),  # type: ignore[attr-defined]
        tuple((x, y) for x, y in to),  # type: ignore[attr-defined]
        None if way is None else tuple((x, y) for x, y in way),  # type: ignore[attr-defined,arg-type]
        told["seconds"],  # type: ignore[arg-type]
    )


def _end_when(closed: threading.Event) -> None:
    """End at once when nobody waits for the answer any more; what is kept on disk is written as a whole or not at all."""
    closed.wait()
    os._exit(1)


def serve() -> int:
    """Answer the one request on standard input; returns the exit code."""
    from north_hush.core.ask.things import compile_things  # takes as long to import as the window to paint

    request = json.loads(sys.stdin.readline())
    site_path, recording = Path(request["site"]), Recording.model_validate(request["recording"])
    closed = threading.Event()
    threading.Thread(target=watch_input, args=(closed,), daemon=True).start()
    threading.Thread(target=_end_when, args=(closed,), daemon=True).start()
    try:
        footage = find_recording(recording, site_path)
        with suppress(OSError):
            cache_folder().mkdir(parents=True, exist_ok=True, mode=0o700)
        compile_kinds(Grid(32, 16))
        compile_things()
        confine([footage.path], [cache_folder()])
        view = View.model_validate(request["view"])
        index, evidence = indexed_evidence(view, recording, site_path, lean=True)
        if evidence is None:
            raise EvidenceError(recording.path, tr("is not analysed yet."), tr("Wait for its pass, and ask again."))
        question = checked(question_of(request["question"]))
        for found in ask_in_parts(question, index, evidence, view, Evaluator()):
            say(event="part", answers=[asdict(held) for held in found])
    except HushError as error:
        say(event="error", subject=error.subject, what=error.what, remedy=error.remedy)
        return 1
    say(event="done")
    return 0
