"""Cameras that go away again and again, and processes that are killed: what comes back, and what is lost.

    python -m bench.outages --outages 500 --kills 200

A camera's process is counted with its descriptors; a service with what it acknowledged (a line it printed), what its clips hold, and
which messages arrived. Children that are killed are cameras' processes and the service itself, in turn by chance.
"""

from __future__ import annotations

import json
import os
import random
import signal
import sqlite3
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

import av
import av.error
import click
import numpy as np

from bench.core import Row, row
from bench.soak import cameras_of
from north_hush.core.outcome.rules import Keep, Outcome, Tell, Way
from north_hush.core.scene.area import area_of
from north_hush.core.scene.items import Zone
from north_hush.core.scene.outline import rectangle
from north_hush.core.site import drawing, edits
from north_hush.core.site.cameras import camera_of
from north_hush.core.site.file import SUFFIX
from north_hush.core.site.model import Site, replaced
from north_hush.core.site.saving import save_site
from north_hush.core.watch.store import read_events, watch_folder
from north_hush.demo.standins.camera import CameraStandIn
from north_hush.demo.standins.postbox import Postbox

_WHOLE = Zone(id="zone-1", name="All", letter="A", area=area_of(rectangle((0.0, 0.0), (1.0, 1.0))))
_CAMERAS = 4
_ALONE = "from north_hush.core.watch.camera_worker import serve; raise SystemExit(serve())"
_EVERY_S = 10.0
"""Of the messages: every second alarm or so is collected, and waits while processes are killed."""
_WHAT_IS_SENT = ("alarm_start", "alarm_end", "clip", "notice", "fault", "picture", "sent")


def small_video(path: Path) -> Path:
    """A box that goes through a still picture and out of it, once in six seconds."""
    with av.open(str(path), "w") as out:
        stream = out.add_stream("libx264", rate=10, options={"preset": "veryfast", "bf": "0"})
        stream.width, stream.height, stream.pix_fmt = 160, 96, "yuv420p"
        for number in range(60):
            pixels = np.full((96, 160, 3), 90, np.uint8)
            if number < 30:
                pixels[40:64, number * 5 : number * 5 + 20] = 200
            out.mux(stream.encode(av.VideoFrame.from_ndarray(pixels, format="rgb24")))
        out.mux(stream.encode())
    return path


def site_of(address: str, mail: str = "") -> Site:
    """A camera, a zone of all of it, and a mail for every alarm where there is a server."""
    site = drawing.add_item(edits.new_site("Bench"), "view-1", _WHOLE)
    ways = (Way(name="office", kind="mail", address=mail, to="a@skerry.example", secure="none"),) if mail else ()
    tell = (Tell(way="office", every_s=_EVERY_S),) if mail else ()
    outcome = Outcome(tell=tell, keep=Keep(before_s=0.5, after_s=0.5))
    camera = camera_of(f"Camera={address}")[1]
    view = replaced(site.views[0], camera=camera, outcome=outcome)
    return replaced(site, ways=ways, views=(view,))


def camera_process(site: Site, folder: Path) -> subprocess.Popen[str]:
    """The process that watches the site's first camera, with its files in a folder of its own."""
    folder.mkdir()
    opening = {
        "site": site.model_dump(mode="json"), "view": site.views[0].model_dump(mode="json"), "by_hand": {},
        "password": "", "folder": str(folder), "speed": 1.0, "preview": str(folder / "preview.jpg"),
    }  # fmt: skip
    process = subprocess.Popen([sys.executable, "-c", _ALONE], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
    assert process.stdin is not None
    process.stdin.write(json.dumps(opening) + "\n")
    process.stdin.flush()
    return process


def outages(count: int) -> Iterator[Row]:
    """Every camera ends its stream after a third of a second, for as often as asked."""
    with (
        tempfile.TemporaryDirectory() as folder,
        CameraStandIn(small_video(Path(folder) / "a.mkv"), outage_s=0.3) as camera,
    ):
        site = site_of(camera.url)
        back: list[float] = []
        held: list[tuple[int, int]] = []

        def watch(place: int) -> None:
            process = camera_process(site, Path(folder) / str(place))
            assert process.stdin is not None and process.stdout is not None
            seen, first = 0, 0
            for line in process.stdout:
                event = json.loads(line)
                if event["what"] == "picture" and "after_s" in event:
                    seen += 1
                    back.append(event["after_s"])
                    if seen == 10:
                        first = descriptors(process.pid)
                    if seen == count // _CAMERAS:
                        held.append((first, descriptors(process.pid)))
                        break
            process.stdin.close()
            process.stdout.close()
            process.wait(30)

        watching = [threading.Thread(target=watch, args=(place,)) for place in range(_CAMERAS)]
        for one in watching:
            one.start()
        for one in watching:
            one.join()
    yield row("outages of four cameras that were over again", len(back), "", str(count))
    yield row("without a picture, the longest (1 s is the pause)", max(back), "s", "")
    yield row("descriptors more at the end than after ten, the most", max(b - a for a, b in held), "", "0")


def descriptors(process: int) -> int:
    """How many files a process holds open."""
    return len(list(Path(f"/proc/{process}/fd").iterdir()))


class Watched:
    """A service as a process of its own, and the lines it printed whole."""

    def __init__(self, path: Path) -> None:
        self.lines: list[dict[str, object]] = []
        command = [sys.executable, "-m", "north_hush", "watch", str(path), "--json"]
        self._process = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)
        self._reading = threading.Thread(target=self._read, daemon=True)
        self._reading.start()

    def _read(self) -> None:
        assert self._process.stdout is not None
        for line in self._process.stdout:
            if line.endswith("\n"):
                self.lines.append(json.loads(line))

    @property
    def runs(self) -> bool:
        return self._process.poll() is None

    def kill(self) -> None:
        self._process.kill()
        self._process.wait()
        self._reading.join()

    def kill_camera(self) -> bool:
        """Kill the process of its camera; whether there was one."""
        cameras = cameras_of(self._process.pid)
        for number in cameras:
            os.kill(number, signal.SIGKILL)
        return bool(cameras)

    def stop(self) -> None:
        self._process.send_signal(signal.SIGINT)
        self._process.wait(60)
        self._reading.join()


def kills(count: int) -> Iterator[Row]:
    """A service that tells of every alarm, killed by chance; then left alone until nothing waits."""
    draw = random.Random(20)
    with (
        tempfile.TemporaryDirectory() as folder,
        CameraStandIn(small_video(Path(folder) / "a.mkv")) as camera,
        Postbox() as box,
    ):
        path = Path(folder) / f"bench{SUFFIX}"
        save_site(site_of(camera.url, box.smtp), path)
        told: list[dict[str, object]] = []
        services = cameras = 0
        watched = Watched(path)
        while services + cameras < count:
            time.sleep(draw.uniform(1.0, 5.0))
            if draw.random() < 0.5:
                cameras += watched.kill_camera()
            else:
                watched.kill()
                services += 1
                told += watched.lines
                watched = Watched(path)
        time.sleep(20)
        stopped_s = time.time()
        watched.stop()
        told += watched.lines
        store = watch_folder(path) / "events.sqlite"
        kept = {_name(event) for event in read_events(store)}
        lost = [event for event in told if event["what"] in _WHAT_IS_SENT and _name(event) not in kept]
        with closing(sqlite3.connect(store)) as base:
            states = dict(base.execute("SELECT state, count(*) FROM notices GROUP BY state").fetchall())
            due = "SELECT count(*) FROM notices WHERE state != 'sent' AND due_us < ?"
            overdue = base.execute(due, ((stopped_s - 1) * 1e6,)).fetchone()[0]
            kept_messages = [json.loads(held) for (held,) in base.execute("SELECT message FROM notices")]
        starts = [event for event in read_events(store) if event["what"] == "alarm_start"]
        told_of = sum(len(held["facts"].get("starts", ())) for held in kept_messages)
        yield row("kills of the service", services, "", "")
        yield row("kills of its camera's process", cameras, "", "")
        yield row("events that were printed", len(told), "", "")
        yield row("of them not in the store", len(lost), "", "0")
        yield row("alarms", len(starts), "", "")
        yield row("alarms no message was made for", len(starts) - told_of, "", "0")
        waiting = sum(states.values()) - states.get("sent", 0)
        yield row("messages that were due and not taken by the server", overdue, "", "0")
        yield row("messages that were not due yet when it was stopped", waiting - overdue, "", "")
        yield row("mails that arrived for each message", len(box.arrived) / max(1, sum(states.values())), "", ">= 1")
        clips = sorted(watch_folder(path).rglob("*.mkv"))
        yield row("clips", len(clips), "", "")
        broken = [clip for clip in clips if not frames_of(clip)]
        yield row("clips that cannot be read", len(broken), "", "0")
        for clip in broken:
            click.echo(f"  {clip.name}: {clip.stat().st_size} bytes")


def _name(event: dict[str, object]) -> tuple[object, ...]:
    return event["time_utc"], event["view"], event["item"], event["what"]


def frames_of(clip: Path) -> int:
    """How many pictures a file gives; 0 where it cannot be opened."""
    try:
        with av.open(str(clip)) as held:
            return sum(1 for _ in held.decode(video=0))
    except (av.error.FFmpegError, OSError):
        return 0


@click.command()
@click.option("--outages", "outage_count", default=500, show_default=True)
@click.option("--kills", "kill_count", default=200, show_default=True)
def main(outage_count: int, kill_count: int) -> None:
    for rows in (outages(outage_count) if outage_count else (), kills(kill_count) if kill_count else ()):
        for one in rows:
            click.echo(f"{one['what']:<60} {one['value']:>9.4g} {one['unit']:<4} {one['target']}")


if __name__ == "__main__":
    main()
