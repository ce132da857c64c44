"""A camera over HTTP (MJPEG): a recording at its own pace, again and again, with outages, stalls and losses on request."""

from __future__ import annotations

import base64
import io
import random
import threading
import time
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.server import FrameServer, picture_of
from north_hush.core.footage.stamps import US_PER_S

_BOUNDARY = "slipway"
_QUALITY = 85


class CameraStandIn:
    """Serves one recording. Use it as a context.

    Parameters
    ----------
    outage_s : every so many seconds the stream ends; 0 never
    stall_s : every so many seconds nothing comes for ten; 0 never
    loss : share of pictures that are cut off in the middle
    lag_s : so late every picture comes
    password : asked of the user "operator"; '' asks nobody
    once : it ends with the recording
    """

    def __init__(
        self,
        recording: Path,
        port: int = 0,
        *,
        outage_s: float = 0.0,
        stall_s: float = 0.0,
        loss: float = 0.0,
        lag_s: float = 0.0,
        password: str = "",
        once: bool = False,
    ) -> None:
        self.index = index_recording(Footage(recording))
        self.outage_s, self.stall_s, self.loss, self.lag_s, self.once = outage_s, stall_s, loss, lag_s, once
        self.password = password
        self.ending = threading.Event()
        self._jpegs: dict[int, bytes] = {}
        self._making = threading.Lock()
        self._server = FrameServer(self.index)
        self._web = ThreadingHTTPServer(("127.0.0.1", port), _handler(self))
        self._web.daemon_threads = True

    def __enter__(self) -> CameraStandIn:
        threading.Thread(target=self._web.serve_forever, daemon=True).start()
        return self

    def __exit__(self, *_: object) -> None:
        self.ending.set()
        self._web.shutdown()
        self._web.server_close()
        self._server.close()

    @property
    def url(self) -> str:
        """Address of the stream."""
        return f"http://127.0.0.1:{self._web.server_address[1]}/stream"

    def jpeg(self, number: int) -> bytes:
        """A frame as JPEG; kept, since it comes round again."""
        with self._making:
            if number not in self._jpegs:
                pixels = picture_of(self._server.frame(number), self.index.grid())
                out = io.BytesIO()
                Image.fromarray(np.ascontiguousarray(pixels[:, :, 2::-1])).save(out, "JPEG", quality=_QUALITY)
                self._jpegs[number] = out.getvalue()
            return self._jpegs[number]


def _handler(camera: CameraStandIn) -> type[BaseHTTPRequestHandler]:
    wanted = "Basic " + base64.b64encode(f"operator:{camera.password}".encode()).decode()

    class Handler(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            if camera.password and self.headers.get("Authorization") != wanted:
                self.send_response(401)
                self.send_header("WWW-Authenticate", 'Basic realm="camera"')
                self.end_headers()
                return
            if self.path != "/stream":
                self.send_error(404)
                return
            self.send_response(200)
            self.send_header("Content-Type", f"multipart/x-mixed-replace; boundary={_BOUNDARY}")
            self.end_headers()
            try:
                self._stream()
            except OSError:
                return  # whoever looked is gone

        def _stream(self) -> None:
            began, chance = time.monotonic(), random.Random(1)
            length_us = round(camera.index.duration_s * US_PER_S)
            stalled = 0
            for turn in range(1_000_000_000):
                for number in range(camera.index.frames):
                    at_s = (turn * length_us + int(camera.index.time_us[number])) / US_PER_S
                    if camera.ending.wait(max(0.0, at_s + camera.lag_s - (time.monotonic() - began))):
                        return
                    running_s = time.monotonic() - began
                    if camera.outage_s and running_s >= camera.outage_s:
                        return
                    if camera.stall_s and running_s >= camera.stall_s * (stalled + 1):
                        stalled += 1
                        if camera.ending.wait(10):
                            return
                    self._send(camera.jpeg(number), cut=chance.random() < camera.loss)
                if camera.once:
                    return

        def _send(self, data: bytes, *, cut: bool) -> None:
            sent = data[: len(data) // 2] if cut else data
            head = f"--{_BOUNDARY}\r\nContent-Type: image/jpeg\r\nContent-Length: {len(data)}\r\n\r\n"
            self.wfile.write(head.encode() + sent + b"\r\n")
            self.wfile.flush()

        def log_message(self, format: str, *args: Any) -> None:
            return

    return Handler
