"""Making a wire print as a child process: one request as a JSON line in, JSON lines out, ended by closing its input.

Request   {"path", "frames_per_s", "orientation" or null, "line", "privacy"}
Answers   {"event": "progress", "frames", "expected"}   {"event": "done", "path"}   {"event": "cancelled"}
          {"event": "error", "subject", "what", "remedy"}
"""

from __future__ import annotations

import json
import sys
import threading
from contextlib import suppress
from pathlib import Path

from north_hush.core.errors import HushError
from north_hush.core.footage.confine import confine
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.options import Orientation
from north_hush.core.footage.pass_worker import say, watch_input
from north_hush.core.footage.wire_print import PrintOrder, keep_print, make_print, prints_folder, stored_print
from north_hush.core.scene.items import Privacy


def print_request(footage: Footage, order: PrintOrder) -> bytes:
    """What the parent writes to start a print."""
    request = {
        "path": str(footage.path),
        "frames_per_s": footage.frames_per_s,
        "orientation": order.orientation.model_dump() if order.orientation else None,
        "line": order.line,
        "privacy": [held.model_dump(mode="json") for held in order.privacy],
    }
    return json.dumps(request).encode() + b"\n"


def serve() -> int:
    """Answer the one request on standard input; returns the exit code."""
    request = json.loads(sys.stdin.readline())
    with suppress(OSError):
        prints_folder().mkdir(parents=True, exist_ok=True, mode=0o700)
    confine([Path(request["path"])], [prints_folder()])
    closed = threading.Event()
    threading.Thread(target=watch_input, args=(closed,), daemon=True).start()
    orientation = Orientation.model_validate(request["orientation"]) if request["orientation"] else None
    privacy = tuple(Privacy.model_validate(held) for held in request["privacy"])
    order = PrintOrder(tuple((x, y) for x, y in request["line"]), orientation, privacy)
    try:
        index = index_recording(Footage(Path(request["path"]), request["frames_per_s"]))
        expected = index.frames
        made = make_print(
            index, order, lambda frames: say(event="progress", frames=frames, expected=expected), closed.is_set
        )
        if made is None:
            say(event="cancelled")
            return 0
        target = stored_print(index, order)
        keep_print(made, target)
    except HushError as error:
        say(event="error", subject=error.subject, what=error.what, remedy=error.remedy)
        return 1
    say(event="done", path=str(target))
    return 0
