"""Live cameras as processes: how late an alarm is told over a network, and how many two cores hold."""

from __future__ import annotations

import json
import os
import resource
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path

from bench.core import Row, row
from bench.live import small
from bench.outages import camera_process, site_of, small_video
from bench.soak import cameras_of, private_mb
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.site import drawing, edits
from north_hush.core.site.cameras import camera_of
from north_hush.core.site.file import SUFFIX
from north_hush.core.site.model import Site, replaced
from north_hush.core.site.saving import save_site
from north_hush.demo.standins.camera import CameraStandIn
from north_hush.demo.standins.rtsp import RtspStandIn, has_rtsp

_HEARD_S, _CAMERAS, _HELD_S = 60.0, 20, 100.0


def told_late_ms(site: Site, folder: Path) -> list[float]:
    """From the arrival of the frame with which an alarm starts until it is read by whoever listens to the camera's process."""
    process = camera_process(site, folder)
    assert process.stdin is not None and process.stdout is not None
    threading.Timer(_HEARD_S, process.stdin.close).start()
    late = []
    for line in process.stdout:
        read_us, event = time.time_ns() // 1000, json.loads(line)
        if event["what"] == "alarm_start":
            late.append((read_us - event["time_us"]) / 1000)
    process.wait(30)
    return late[1:]  # the first one loads what nobody needed before


def glass() -> Iterator[Row]:
    """Over HTTP and over RTSP, both on this machine."""
    with tempfile.TemporaryDirectory() as folder:
        video = small_video(Path(folder) / "a.mkv")
        with CameraStandIn(video) as camera:
            late = told_late_ms(site_of(camera.url), Path(folder) / "http")
        yield row(f"MJPEG: frame arrived to alarm told, median of {len(late)}", statistics.median(late), "ms", "<= 100")
        yield row("the same, slowest", max(late), "ms", "")
        if has_rtsp():
            with RtspStandIn(video) as camera:
                late = told_late_ms(site_of(camera.url), Path(folder) / "rtsp")
            yield row(f"RTSP: the same, median of {len(late)}", statistics.median(late), "ms", "<= 100")
            yield row("the same, slowest", max(late), "ms", "")


def held() -> Iterator[Row]:
    """Twenty recordings of 640x360 played as cameras at ten frames a second, each with a zone that follows and a crossed wire."""
    with tempfile.TemporaryDirectory() as folder:
        again = Path(folder) / "again.mkv"
        loop = ["-stream_loop", "1", "-i", str(small(Path(folder))), "-c", "copy", str(again)]
        subprocess.run(["ffmpeg", "-v", "error", *loop], check=True)
        site = edits.new_site("Bench")
        for number in range(_CAMERAS):
            if number:
                site = edits.add_view(site, f"Gate {number}")
            view_id = site.views[-1].id
            site = drawing.add_zone(site, view_id, ((0, 0.4), (1, 0.4), (1, 1), (0, 1)), "Half")
            site = drawing.add_wire(site, view_id, ((0.3, 0.6), (0.7, 0.6)), watches="both")
            zone = site.views[-1].zones[0].id
            site = edits.put_settings(
                site, view_id, site.views[-1].tuning_in_use, zone, ZoneSettings(travel_percent=2.0)
            )
            filmed = replaced(site.views[-1], camera=camera_of(f"Camera={again}")[1])
            site = replaced(site, views=(*site.views[:-1], filmed))
        path = Path(folder) / f"many{SUFFIX}"
        save_site(site, path)
        yield from _watched(path)


def _watched(path: Path) -> Iterator[Row]:
    command = [sys.executable, "-m", "north_hush", "watch", str(path), "--json", "--states", "--for", str(_HELD_S)]
    before = resource.getrusage(resource.RUSAGE_CHILDREN)
    service = subprocess.Popen(command, stdout=subprocess.PIPE, text=True, env={**os.environ, "OMP_NUM_THREADS": "1"})
    assert service.stdout is not None
    mb: list[float] = []

    def look() -> None:
        time.sleep(_HELD_S * 0.8)
        mb.extend(private_mb(camera) for camera in cameras_of(service.pid))

    looking = threading.Thread(target=look)
    looking.start()
    last: dict[str, dict[str, float]] = {}
    for line in service.stdout:
        event = json.loads(line)
        if event["what"] == "state":
            last[event["view"]] = event
    service.wait()
    looking.join()
    after = resource.getrusage(resource.RUSAGE_CHILDREN)
    cpu_s = after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime
    frames = sum(held["frames"] for held in last.values())
    yield row("cameras of 640x360 at 10 frames/s on this machine", len(last), "", ">= 20")
    yield row("how late the latest is at the end", max(held["lag_ms"] for held in last.values()), "ms", "no growing")
    yield row("cores they take, starting included", cpu_s / _HELD_S, "", "")
    yield row("CPU a frame, all in all", 1000 * cpu_s / max(1, frames), "ms", "")
    yield row("memory of a camera's process of its own, median", statistics.median(mb), "MB", "<= 120")


BENCHMARKS: dict[str, Callable[[], Iterator[Row]]] = {"glass": glass, "held": held}
