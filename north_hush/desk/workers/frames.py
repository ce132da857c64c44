"""The window's end of the frame worker: ask for frames of one recording, get images back as signals."""

from __future__ import annotations

import json
import signal
import threading
from contextlib import suppress
from queue import SimpleQueue
from typing import Any, BinaryIO

import numpy as np
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from north_hush.core.errors import FootageError, HushError
from north_hush.core.footage.index import Footage, FrameIndex
from north_hush.core.footage.index_message import read_index_message
from north_hush.core.footage.options import Orientation
from north_hush.core.footage.shared import SharedReader
from north_hush.core.nursery import Forked, Nursery
from north_hush.core.scene.items import Privacy
from north_hush.core.words import tr

_BYTES_A_PIXEL = 5
"""A picture, and the difference that may come with it."""
NURSERY = Nursery("_frames")
"""Where each process comes from; it lives as long as the program."""


class FrameClient(QObject):
    """One child process that decodes one recording. Answers to requests that a newer one overtook never arrive."""

    opened = Signal(object, str)
    """FrameIndex and fingerprint."""
    picture = Signal(int, str, QImage, object)
    """Frame number, what was wanted ("picture" or "difference"), image, and the difference, (height, width) uint8 in grey
    levels, where it was wanted, else None."""
    thumbnail = Signal(int, object, QImage)
    """Frame number, the box it was cut out of, or None, and the picture."""
    still = Signal(int, QImage)
    """A frame for saving, blanked under privacy masks."""
    failed = Signal(object)
    """A HushError; the client stays usable unless the process is gone."""
    _arrived = Signal(str, tuple, dict)
    """From the thread that listens: the name of a signal above, what it carries, and the answer it came in."""

    def __init__(self, footage: Footage, orientation: Orientation | None, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._path = str(footage.path)
        self._closed = False
        self._privacy = 0
        self._bare = False
        turn = orientation.model_dump() if orientation else None
        self._arrived.connect(self._pass_on)
        self._sending = threading.Lock()
        self._again: dict[str, dict[str, Any]] = {
            "open": {"path": self._path, "frames_per_s": footage.frames_per_s, "orientation": turn}
        }
        """What another process would have to be told: opening, privacy masks, and the last picture that was asked for."""
        self._opened = self._restarted = False
        self._memory = SharedReader()
        self._process: Forked
        self._requests: SimpleQueue[tuple[Forked, bytes] | None] = SimpleQueue()
        """The window never waits for a pipe: a thread writes, also while the process does not read yet."""
        self._start_process()
        self._reader = threading.Thread(target=self._read, daemon=True)
        threading.Thread(target=self._write_all, daemon=True).start()

    def start(self) -> None:
        """Begin to listen to the process, once the signals are connected: it may be gone already, and that must be told."""
        self._reader.start()

    def _start_process(self) -> None:
        """Start a process and tell it everything that counts by now."""
        with self._sending:
            if not self._closed:
                self._process = Forked(NURSERY, self._memory.fd)
                for request in self._again.values():
                    self._put(request)

    @property
    def process_id(self) -> int | None:
        """None as long as the process is not there yet."""
        return self._process.pid

    def ask(self, frame: int, want: str, *, bare: bool = False, box: tuple[float, ...] | None = None) -> None:
        """Ask for a "picture", "difference", "thumbnail" or "still"; `bare` shows what lies under privacy masks. A thumbnail is
        of a box of the frame (left, top, right, bottom in fractions), or of all of it."""
        shown = want in ("picture", "difference")
        self._bare = bare if shown else self._bare
        request = {"want": want, "frame": frame, "bare": bare}
        self._send(request if box is None else {**request, "box": box}, "shown" if shown else "")

    def cover(self, privacy: tuple[Privacy, ...]) -> None:
        """Blank what privacy masks touch from now on. Pictures that were on their way without are dropped."""
        self._privacy += 1
        items = [item.model_dump(mode="json") for item in privacy]
        self._send({"want": "privacy", "number": self._privacy, "items": items}, "privacy")

    def close(self) -> None:
        """End the process; nothing is signalled from here on."""
        with self._sending:  # none is started from here on
            self._closed = True
            self._process.kill()
        self._requests.put(None)
        if self._reader.ident is None:  # nobody listened
            self._reader.start()
        if self._process.pid is not None:  # one that is not there yet ends once it is, and nobody waits for it
            self._reader.join(timeout=2)
        self._memory.close()

    def _send(self, request: dict[str, Any], keep_as: str = "") -> None:
        with self._sending:
            if keep_as:
                self._again[keep_as] = request
            self._put(request)

    def _put(self, request: dict[str, Any]) -> None:
        self._requests.put((self._process, json.dumps(request).encode() + b"\n"))

    def _write_all(self) -> None:
        """Write what is asked, until it is closed. What was for a process that is gone is lost with it: `_again` is told anew."""
        while (held := self._requests.get()) is not None:
            process, line = held
            with suppress(OSError, ValueError):  # the reader notices that a process is gone, and says so
                process.stdin.write(line)
                process.stdin.flush()
        with suppress(OSError):  # a request may still lie in the buffer
            self._process.stdin.close()

    def _pass_on(self, name: str, carried: tuple[Any, ...], answer: dict[str, Any]) -> None:
        """Signal in the window's thread what arrived, unless it was closed, or covered otherwise, while that was on its way."""
        stale = answer.get("privacy", self._privacy) != self._privacy or (answer.get("bare", False) and not self._bare)
        if not self._closed and not stale:
            getattr(self, name).emit(*carried)

    def _read(self) -> None:
        """Listen until the process ends; one that was opened and then went is started again, once."""
        process = self._process
        process.await_birth()
        with process.stdout as pipe:
            answered_error = self._listen(pipe)
        code = process.await_end()
        if self._closed:
            return
        if self._opened and not self._restarted and not answered_error:
            self._restarted = True
            self._start_process()
            self._read()
        elif not answered_error or code < 0:
            self._arrived.emit("failed", (_gone(self._path, code),), {})

    def _listen(self, pipe: BinaryIO) -> bool:
        """Pass answers on; whether the last one was an error."""
        answered_error = False
        try:
            for line in pipe:
                answer = json.loads(line)
                answered_error = "error" in answer
                if not self._closed:
                    self._tell(answer, pipe)
        except (OSError, ValueError, EOFError):
            pass  # a broken pipe ends in the same place as a closed one
        return answered_error

    def _share(self, index: FrameIndex) -> None:
        """Have pictures come through memory from now on; where there is none for it they go on coming through the pipe."""
        with suppress(OSError, ValueError):
            grid = index.grid()
            self._memory.size(_BYTES_A_PIXEL * grid.width * grid.height)
            self._send({"want": "memory", "slot_bytes": self._memory.slot_bytes}, "memory")

    def _tell(self, answer: dict[str, Any], pipe: BinaryIO) -> None:
        if "error" in answer:
            self._arrived.emit("failed", (HushError(**answer["error"]),), {})
            return
        in_memory = "slot" in answer
        data = self._memory.read(answer["slot"], answer["bytes"]) if in_memory else pipe.read(answer["bytes"])
        if len(data) < answer["bytes"]:
            raise EOFError
        if answer["want"] == "open":
            if not self._opened:
                self._opened = True
                index, fingerprint = read_index_message(bytes(data))
                self._share(index)
                self._arrived.emit("opened", (index, fingerprint), {})
            return
        self._show(answer, data)
        if in_memory:
            self._put({"want": "taken", "slot": answer["slot"]})

    def _show(self, answer: dict[str, Any], data: bytes | memoryview) -> None:
        """Pass on a picture, which is a copy of its own from here on."""
        width, height = answer["width"], answer["height"]
        image = QImage(data, width, height, width * 4, QImage.Format.Format_RGB32).copy()
        if answer["want"] == "thumbnail":
            box = answer.get("box")
            self._arrived.emit("thumbnail", (answer["frame"], box if box is None else tuple(box), image), answer)
        elif answer["want"] == "still":
            self._arrived.emit("still", (answer["frame"], image), answer)
        else:
            difference = None
            if answer["want"] == "difference":
                shape = answer["difference_height"], answer["difference_width"]
                difference = np.frombuffer(data, np.uint8, offset=4 * width * height).reshape(shape).copy()
            self._arrived.emit("picture", (answer["frame"], answer["want"], image, difference), answer)


def _gone(path: str, code: int) -> FootageError:
    """What to say of a process that went: on its own account, or because somebody ended it."""
    if -code in (signal.SIGKILL, signal.SIGTERM):
        return FootageError(
            path,
            tr("cannot be shown: its decoder was ended from outside (signal {code}), twice.", code=-code),
            tr("Free some memory, then put the recording on again."),
        )
    how = tr("signal {code}", code=-code) if code < 0 else tr("exit code {code}", code=code)
    return FootageError(
        path, tr("crashed the decoder ({how}).", how=how), tr("Convert it with another program, or export it again.")
    )
