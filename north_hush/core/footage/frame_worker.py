"""The frame server as a child process, so that a file that crashes the decoder leaves the window alive.

Requests are JSON lines: first {"path", "frames_per_s", "rotation_deg", "flip"}, then
{"id", "want": "picture" | "difference" | "thumbnail", "frame"}. Each answer is a JSON line {"id", "want", "frame",
"width", "height", "bytes"} followed by that many bytes (4 a pixel for pictures and thumbnails, 1 for differences),
or {"id", "want", "frame", "error": {"subject", "what", "remedy"}} alone. Pictures go first, and only the newest
request for one is answered; thumbnails wait until there is nothing else to do.
"""

from __future__ import annotations

import json
import sys
import threading
from collections import deque
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from north_hush.core.errors import HushError
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.options import Orientation
from north_hush.core.footage.server import FrameServer, difference_of, picture_of

THUMBNAIL_WIDTH_PX = 144


class _Requests:
    """The newest picture request, and the thumbnails that wait behind it."""

    def __init__(self) -> None:
        self._changed = threading.Condition()
        self._shown: dict[str, Any] | None = None
        self._thumbnails: deque[dict[str, Any]] = deque()
        self._closed = False

    def read(self) -> None:
        for line in sys.stdin:
            request = json.loads(line)
            with self._changed:
                if request["want"] == "thumbnail":
                    self._thumbnails.append(request)
                else:
                    self._shown = request
                self._changed.notify()
        with self._changed:
            self._closed = True
            self._changed.notify()

    def next(self) -> dict[str, Any] | None:
        with self._changed:
            while not (self._shown or self._thumbnails or self._closed):
                self._changed.wait()
            if self._closed:
                return None
            if self._shown:
                request, self._shown = self._shown, None
                return request
            return self._thumbnails.popleft()


def serve() -> int:
    """Answer requests until standard input closes."""
    opening = json.loads(sys.stdin.readline())
    requests = _Requests()
    try:
        index = index_recording(Footage(Path(opening["path"]), opening["frames_per_s"]))
        server = FrameServer(index)
    except HushError as error:
        _answer({"id": 0, "want": "open", "frame": 0, "error": _parts(error)})
        return 1
    grid = index.grid(Orientation(rotation_deg=opening["rotation_deg"], flip=opening["flip"]))
    threading.Thread(target=requests.read, daemon=True).start()
    while (request := requests.next()) is not None:
        header = {"id": request["id"], "want": request["want"], "frame": request["frame"]}
        try:
            frame = server.frame(request["frame"])
            if request["want"] == "difference":
                pixels = difference_of(frame, server.frame(request["frame"] - 1), grid)
            else:
                width = THUMBNAIL_WIDTH_PX if request["want"] == "thumbnail" else None
                pixels = picture_of(frame, grid, width)
        except HushError as error:
            _answer({**header, "error": _parts(error)})
        else:
            _answer({**header, "width": pixels.shape[1], "height": pixels.shape[0], "bytes": pixels.nbytes}, pixels)
    return 0


def _parts(error: HushError) -> dict[str, str]:
    return {"subject": error.subject, "what": error.what, "remedy": error.remedy}


def _answer(header: dict[str, Any], pixels: NDArray[np.uint8] | None = None) -> None:
    out = sys.stdout.buffer
    out.write(json.dumps(header).encode() + b"\n")
    if pixels is not None:
        out.write(np.ascontiguousarray(pixels).data)
    out.flush()
