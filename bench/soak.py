"""Whether memory stays flat: a camera of a day and a half of footage, played sixteen times as fast, in one sitting.

    python -m bench.soak --minutes 120 --speed 16

The afternoon's small view is laid end to end (by remux with ffmpeg, a little more than is played), so that somebody is about all the
time and an alarm begins every few seconds of real time. Memory is what each process has for itself (`Private_*` of `smaps_rollup`).
"""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import click
import numpy as np

from bench.core import row
from bench.live import HALF, small
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.site import drawing, edits
from north_hush.core.site.cameras import camera_of
from north_hush.core.site.file import SUFFIX
from north_hush.core.site.model import replaced
from north_hush.core.site.saving import save_site
from north_hush.core.watch.nursery_worker import CAMERA

_SETTLED_SHARE = 0.1
"""Of the time: until then buffers fill and kernels are loaded."""


def laid_end_to_end(path: Path, seconds: float, target: Path) -> Path:
    """A recording of a minute again and again, as one file."""
    again = [
        "ffmpeg",
        "-v",
        "error",
        "-stream_loop",
        str(int(seconds / 60)),
        "-i",
        str(path),
        "-c",
        "copy",
        str(target),
    ]
    subprocess.run(again, check=True)
    return target


def private_mb(process: int) -> float:
    """Memory that a process has for itself."""
    told = Path(f"/proc/{process}/smaps_rollup").read_text("utf-8").splitlines()
    return sum(int(line.split()[1]) for line in told if line.startswith("Private_")) / 1024


def cameras_of(service: int) -> list[int]:
    """The processes of a service's cameras."""
    nursery = _children(service, "-f", "_cameras")
    return [camera for process in nursery for camera in _children(process, "-x", CAMERA)]


def _children(process: int, *named: str) -> list[int]:
    asked = ["pgrep", "-P", str(process), *named]
    return [int(word) for word in subprocess.run(asked, check=False, capture_output=True, text=True).stdout.split()]


def soaked(minutes: float, speed: float, folder: Path) -> dict[str, object]:
    """Watch for so long; memory by the minute, and what was told."""
    footage = laid_end_to_end(small(folder), 60 * minutes * speed + 600, folder / "long.mkv")
    site = drawing.add_item(edits.new_site("Bench"), "view-1", HALF)
    site = drawing.add_wire(site, "view-1", ((0.3, 0.6), (0.7, 0.6)), watches="both")
    site = edits.put_settings(site, "view-1", "factory", "zone-1", ZoneSettings(travel_percent=2.0))
    site = replaced(site, views=(replaced(site.views[0], camera=camera_of(f"Camera={footage}")[1]),))
    path = folder / f"soak{SUFFIX}"
    save_site(site, path)
    command = [sys.executable, "-m", "north_hush", "watch", str(path), "--json", "--speed", str(speed)]
    printed = folder / "printed.jsonl"
    with printed.open("w") as lines:
        service = subprocess.Popen([*command, "--for", str(60 * minutes)], stdout=lines)
    samples: list[tuple[float, float, float]] = []
    began = time.monotonic()
    while service.poll() is None:
        time.sleep(15)
        try:
            cameras = [private_mb(camera) for camera in cameras_of(service.pid)]
            samples.append((time.monotonic() - began, private_mb(service.pid), max(cameras, default=0.0)))
        except (OSError, ProcessLookupError):
            break
    service.wait()
    whats = [json.loads(line)["what"] for line in printed.read_text("utf-8").splitlines() if line.startswith("{")]
    return {"samples": samples, "told": {what: whats.count(what) for what in sorted(set(whats))}}


def slope_mb_per_h(times_s: np.ndarray, mb: np.ndarray) -> float:
    """How fast memory grows, by least squares, in MB an hour of real time."""
    return float(np.polyfit(times_s / 3600, mb, 1)[0])


@click.command()
@click.option("--minutes", default=120.0, show_default=True)
@click.option("--speed", default=16.0, show_default=True)
@click.option("--keep", type=click.Path(path_type=Path), help="Keep what was measured as JSON here.")
def main(minutes: float, speed: float, keep: Path | None) -> None:
    """Print how memory went."""
    with tempfile.TemporaryDirectory(prefix="north-hush-soak-") as folder:
        found = soaked(minutes, speed, Path(folder))
    if keep is not None:
        keep.write_text(json.dumps(found), "utf-8")
    times_s, service, camera = np.array(found["samples"]).T
    settled = times_s > _SETTLED_SHARE * times_s[-1]
    rows = [row("footage that went by", times_s[-1] * speed / 3600, "h", "32")]
    for name, mb in (("service", service), ("camera's process", camera)):
        rows += [
            row(f"memory of the {name}, median", float(np.median(mb[settled])), "MB", "<= 120"),
            row(f"the same, least and most: from {mb[settled].min():.0f} to", float(mb[settled].max()), "MB", ""),
            row("growing by", slope_mb_per_h(times_s[settled], mb[settled]), "MB/h", "flat"),
        ]
    for one in rows:
        click.echo(f"{one['what']:<60} {one['value']:>9.4g} {one['unit']:<4} {one['target']}")
    click.echo(json.dumps(found["told"]))


if __name__ == "__main__":
    main()
