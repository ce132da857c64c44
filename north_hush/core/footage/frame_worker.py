"""The frame server as a child process, so that a file that crashes the decoder leaves the window alive.

Requests are JSON lines: first {"path", "frames_per_s", "orientation": {"rotation_deg", "flip"} or null}, then
{"want": "picture" | "difference" | "thumbnail", "frame", "box": [left, top, right, bottom] in fractions, to cut a thumbnail out
of the frame, or absent}. Each answer is a JSON line {"want", "frame", "width",
"height", "bytes", "privacy"} followed by that many bytes, 4 a pixel, or {"want", "frame", "error": {"subject", "what",
"remedy"}} alone. A difference comes after its picture, with {"difference_width", "difference_height"} and 1 byte a pixel.
The first answer, "open", carries the frame index and the fingerprint, see `index_message`. Of pictures only the newest request
is answered. Thumbnails have a decoder of their own, so that they come while the recording plays, and it plays on; the newest is
answered first, since it is what is in sight.

{"want": "memory", "slot_bytes"} maps memory that both share, see `shared`: from then on the pixels of a "picture" or
"difference" lie in a "slot" of it, and do not follow the answer; {"want": "taken", "slot"} says that they were read.

{"want": "privacy", "number", "items"} sets the privacy masks; everything answered from then on is blanked under them
and names their number. Only a "picture" or "difference" whose request says "bare": true is not. "still" is a picture
for saving, which is never bare.
"""

from __future__ import annotations

import json
import os
import sys
import threading
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from north_hush.core.errors import HushError
from north_hush.core.footage.confine import confine
from north_hush.core.footage.covering import covered_frame
from north_hush.core.footage.fingerprint import fingerprint
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.index_message import index_message
from north_hush.core.footage.options import Orientation
from north_hush.core.footage.server import FrameServer, cut_out, difference_of, picture_of
from north_hush.core.footage.shared import SharedWriter
from north_hush.core.footage.stamps_kept import kept_folder
from north_hush.core.grid import Grid
from north_hush.core.scene.items import Privacy
from north_hush.core.scene.privacy import blanked

THUMBNAIL_WIDTH_PX = 144
_SMALL_CACHE_BYTES = 48 * 1024**2
_answering = threading.Lock()


class _Requests:
    """The newest picture request, and the thumbnails and stills that are wanted."""

    def __init__(self, memory_fd: int) -> None:
        self._memory_fd = memory_fd
        self._changed = threading.Condition()
        self._shown: list[dict[str, Any]] = []
        self._small: list[dict[str, Any]] = []
        self.closed = False
        """Nobody asks any more."""
        self.privacy: tuple[int, tuple[Privacy, ...]] = (0, ())
        self.memory: SharedWriter | None = None

    def read(self) -> None:
        for line in sys.stdin:
            request = json.loads(line)
            if request["want"] == "taken":
                if self.memory is not None:
                    self.memory.free(request["slot"])
                continue
            with self._changed:
                if request["want"] == "memory":
                    with suppress(OSError, ValueError):  # then pixels follow their answers
                        self.memory = SharedWriter(self._memory_fd, request["slot_bytes"])
                elif request["want"] == "privacy":
                    self.privacy = request["number"], tuple(map(Privacy.model_validate, request["items"]))
                elif request["want"] in ("thumbnail", "still"):
                    self._small.append(request)
                else:
                    self._shown = [request]
                self._changed.notify_all()
        with self._changed:
            self.closed = True
            self._changed.notify_all()
        if self.memory is not None:
            self.memory.end()

    def next_shown(self) -> dict[str, Any] | None:
        """Wait for a picture to show; None at the end."""
        return self._next(lambda: self._shown)

    def next_small(self) -> dict[str, Any] | None:
        """Wait for a thumbnail or still; None at the end."""
        return self._next(lambda: self._small)

    def _next(self, waiting: Callable[[], list[dict[str, Any]]]) -> dict[str, Any] | None:
        with self._changed:
            while not (waiting() or self.closed):
                self._changed.wait()
            return None if self.closed else waiting().pop()


def serve(memory_fd: int) -> int:
    """Answer requests until standard input closes, with pixels in the memory of a descriptor; returns the exit code."""
    asked = sys.stdin.readline()
    if not asked:
        return 0  # closed before it was opened
    opening = json.loads(asked)
    confine([Path(opening["path"]), kept_folder()], [])
    try:
        index = index_recording(Footage(Path(opening["path"]), opening["frames_per_s"]))
        opened = np.frombuffer(index_message(index, fingerprint(index.footage)), np.uint8)
    except HushError as error:
        _answer({"want": "open", "frame": 0, "error": _parts(error)})
        return 1
    _answer({"want": "open", "frame": 0, "bytes": opened.nbytes}, opened)
    orientation = Orientation.model_validate(opening["orientation"]) if opening["orientation"] else None
    grid = index.grid(orientation)
    requests = _Requests(memory_fd)
    threading.Thread(target=requests.read, daemon=True).start()
    small = FrameServer(index, _SMALL_CACHE_BYTES)
    threading.Thread(target=_serve, args=(small, grid, requests, requests.next_small), daemon=True).start()
    _serve(FrameServer(index), grid, requests, requests.next_shown)
    return 0


def _serve(server: FrameServer, grid: Grid, requests: _Requests, wait_for: Callable[[], dict[str, Any] | None]) -> None:
    while (request := wait_for()) is not None:
        number, privacy = requests.privacy
        bare = bool(request.get("bare")) and request["want"] in ("picture", "difference")
        try:
            pixels = _pixels(server, grid, request, () if bare else privacy)
        except HushError as error:
            _answer({**request, "error": _parts(error)})
        else:
            size = {"width": pixels[0].shape[1], "height": pixels[0].shape[0]}
            for difference in pixels[1:]:
                size |= {"difference_width": difference.shape[1], "difference_height": difference.shape[0]}
            answer = {**request, "privacy": number, **size, "bytes": sum(held.nbytes for held in pixels)}
            shown = request["want"] in ("picture", "difference")
            slot = requests.memory.write(*pixels) if shown and requests.memory is not None else None
            if slot is not None:
                _answer({**answer, "slot": slot})
            elif not requests.closed:  # who waits for the end reads no pixels, of which a pipe holds few
                _answer(answer, *pixels)


def _pixels(
    server: FrameServer, grid: Grid, request: dict[str, Any], privacy: tuple[Privacy, ...]
) -> list[NDArray[np.uint8]]:
    place, want, box = request["frame"], request["want"], request.get("box")
    frame = covered_frame(server.frame(place), grid, privacy)
    small = want == "thumbnail" and box is None
    picture = blanked(picture_of(frame, grid, THUMBNAIL_WIDTH_PX if small else None), privacy)
    if box is not None:
        return [cut_out(picture, box)]
    if want != "difference":
        return [picture]
    before = covered_frame(server.frame(max(0, place - 1)), grid, privacy)
    return [picture, blanked(difference_of(frame, before, grid), privacy, grid.plane_extent)]


def _parts(error: HushError) -> dict[str, str]:
    return {"subject": error.subject, "what": error.what, "remedy": error.remedy}


def _answer(header: dict[str, Any], *pixels: NDArray[np.uint8]) -> None:
    out = sys.stdout.buffer
    try:
        with _answering:
            out.write(json.dumps(header).encode() + b"\n")
            for held in pixels:
                out.write(np.ascontiguousarray(held).data)
            out.flush()
    except BrokenPipeError:
        os._exit(1)  # the parent is gone; nobody is left to answer
