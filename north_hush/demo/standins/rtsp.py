"""A camera over RTSP, where GStreamer's server is installed: a recording, again and again for an hour."""

from __future__ import annotations

import heapq
import subprocess
import tempfile
import threading
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import av

from north_hush.core.errors import HushError
from north_hush.core.footage.index import Footage, FrameIndex, index_recording
from north_hush.core.footage.source import open_video
from north_hush.core.outcome.cutting import timed

_SYSTEM_PYTHON = "/usr/bin/python3"
_NEEDS = (
    "gi.require_version('Gst', '1.0'); gi.require_version('GstRtspServer', '1.0'); "
    "from gi.repository import Gst, GstRtspServer"
)
PACKAGES = (
    "python3-gi gir1.2-gstreamer-1.0 gir1.2-gst-rtsp-server-1.0 gstreamer1.0-rtsp gstreamer1.0-plugins-base "
    "gstreamer1.0-plugins-good gstreamer1.0-plugins-bad"
)
_LASTS_S, _READY_S = 3600.0, 20.0
_SOUND = "aac"


def has_rtsp() -> bool:
    """Whether GStreamer's server is installed."""
    try:
        asked = [_SYSTEM_PYTHON, "-c", f"import gi; {_NEEDS}"]
        return subprocess.run(asked, capture_output=True, timeout=_READY_S, check=False).returncode == 0
    except (OSError, subprocess.TimeoutExpired):
        return False


class RtspStandIn:
    """Serves one recording over RTSP, over TCP or over UDP alone. Use it as a context.

    Raises
    ------
    HushError : GStreamer's server is not installed, or does not start.
    """

    def __init__(
        self, recording: Path, port: int = 0, *, password: str = "", lasts_s: float = _LASTS_S, udp: bool = False
    ) -> None:
        self._folder = tempfile.TemporaryDirectory(prefix="north-hush-camera-")
        index = index_recording(Footage(recording))
        path = Path(self._folder.name) / "stream.mkv"
        sound = _again_and_again(index, path, lasts_s)
        script = Path(__file__).with_name("rtsp_server.py")
        user = "operator" if password else ""
        try:
            self._process = subprocess.Popen(
                [_SYSTEM_PYTHON, str(script), str(path), index.codec, sound, str(port), user, password, "udp" if udp else "tcp"],
                stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
            )  # fmt: skip
        except OSError as error:
            raise HushError("camera over RTSP", f"needs the system's Python ({error.strerror}).", _hint()) from error
        self._port = self._ready()

    def _ready(self) -> str:
        """The port, once it listens."""
        late = threading.Timer(_READY_S, self._process.kill)
        late.start()
        assert self._process.stdout is not None and self._process.stderr is not None
        line = self._process.stdout.readline().strip()
        late.cancel()
        if not line.isdigit():
            said = self._process.stderr.read().strip().splitlines()
            self._folder.cleanup()
            raise HushError("camera over RTSP", f"does not start ({said[-1] if said else 'no word'}).", _hint())
        return line

    @property
    def url(self) -> str:
        """Address of the stream."""
        return f"rtsp://127.0.0.1:{self._port}/stream"

    def __enter__(self) -> RtspStandIn:
        return self

    def __exit__(self, *_: object) -> None:
        self.kill()
        self._folder.cleanup()

    def kill(self) -> None:
        """As a camera that loses its power."""
        self._process.kill()
        self._process.wait()


def _hint() -> str:
    return f"Install it: sudo apt-get install --no-install-recommends {PACKAGES}"


def _again_and_again(index: FrameIndex, target: Path, lasts_s: float) -> str:
    """Copy a recording one time after the other into a file that lasts so long; the codec of its sound, '' for none that is served."""
    with av.open(str(index.footage.path)) as held:
        heard = held.streams.audio[0].codec.name if held.streams.audio else ""
    codec = heard if heard == _SOUND else ""
    with av.open(str(target), "w", format="matroska") as out:
        made: dict[str, Any] = {}
        for turn in range(max(1, round(lasts_s / index.duration_s))):
            with (
                open_video(index.footage.path, threads=1) as (source, video),
                av.open(str(index.footage.path)) as other,
            ):
                tracks = [timed(source.demux(video), video, index)]
                made["video"] = made.get("video") or out.add_stream_from_template(video)
                if codec:
                    made["audio"] = made.get("audio") or out.add_stream_from_template(other.streams.audio[0])
                    tracks.append(_heard(other, index.duration_s))
                for packet in heapq.merge(*tracks, key=lambda one: one.pts * one.time_base):
                    shift = round(turn * index.duration_s / packet.time_base)
                    packet.pts, packet.dts = packet.pts + shift, packet.dts + shift
                    packet.stream = made[packet.stream.type]
                    out.mux(packet)
    return codec


def _heard(container: Any, duration_s: float) -> Iterator[Any]:
    """Packets of the sound of a recording, as far as it has pictures."""
    for packet in container.demux(container.streams.audio[0]):
        if packet.pts is not None and 0 <= packet.pts * packet.time_base < duration_s:
            yield packet
