"""What live cameras cost: CPU a frame beyond bare decoding, and how late an alarm is told."""

from __future__ import annotations

import resource
import time
from collections.abc import Callable, Iterator
from fractions import Fraction
from pathlib import Path

import av

from bench.core import Row, row
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.scene.area import area_of
from north_hush.core.scene.items import Zone
from north_hush.core.scene.outline import rectangle
from north_hush.core.site import drawing, edits
from north_hush.core.watch.eye import Eye
from north_hush.core.watch.sources import LiveFrame
from north_hush.demo.site import demo_recording

FRAMES = 600
HALF = Zone(id="zone-1", name="Half", letter="A", area=area_of(rectangle((0.0, 0.4), (1.0, 1.0))))


def small(folder: Path) -> Path:
    """The afternoon at 640 x 360, as a camera's second stream."""
    target = folder / "small.mkv"
    with av.open(str(demo_recording("afternoon"))) as source, av.open(str(target), "w") as out:
        stream = out.add_stream("libx264", rate=10, options={"crf": "23", "preset": "veryfast", "bf": "0"})
        stream.width, stream.height, stream.pix_fmt = 640, 360, "yuv420p"
        for number, frame in enumerate(source.decode(video=0)):
            if number == FRAMES:
                break
            made = frame.reformat(width=640, height=360, format="yuv420p")
            made.pts, made.time_base = number, Fraction(1, 10)
            out.mux(stream.encode(made))
        out.mux(stream.encode())
    return target


def decoded(path: Path) -> Iterator[LiveFrame]:
    with av.open(str(path)) as source:
        source.streams.video[0].thread_count = 1
        for number, frame in enumerate(source.decode(video=0)):
            yield LiveFrame(frame, 1_800_000_000_000_000 + number * 100_000, bool(frame.key_frame))


def cpu_s(act: Callable[[], object]) -> float:
    before = resource.getrusage(resource.RUSAGE_SELF)
    act()
    after = resource.getrusage(resource.RUSAGE_SELF)
    return after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime


def eyes() -> Iterator[Row]:
    import tempfile

    with tempfile.TemporaryDirectory() as folder:
        path = small(Path(folder))
        site = drawing.add_item(edits.new_site("Bench"), "view-1", HALF)
        site = drawing.add_wire(site, "view-1", ((0.3, 0.6), (0.7, 0.6)), watches="both")
        site = edits.put_settings(site, "view-1", "factory", "zone-1", ZoneSettings(travel_percent=2.0))

        def look() -> None:
            eye = None
            for frame in decoded(path):
                eye = eye or Eye(site.views[0], site.clock, frame)
                eye.look(frame)

        look()  # compiles
        bare = min(cpu_s(lambda: [None for _ in decoded(path)]) for _ in range(3))
        whole = min(cpu_s(look) for _ in range(3))
        yield row("CPU of decoding a 640x360 frame", 1000 * bare / FRAMES, "ms", "")
        yield row("CPU beyond it: reduced, followed, a zone and a wire", 100 * (whole - bare) / bare, "%", "<= 120")
        slowest = []
        eye = None
        for frame in decoded(path):
            eye = eye or Eye(site.views[0], site.clock, frame)
            began = time.perf_counter()
            eye.look(frame)
            slowest.append(time.perf_counter() - began)
        yield row("from a decoded frame to its alarms, median", 1000 * sorted(slowest)[len(slowest) // 2], "ms", "")
        yield row("the same, the slowest of a hundred", 1000 * sorted(slowest)[-len(slowest) // 100], "ms", "<= 100")


BENCHMARKS: dict[str, Callable[[], Iterator[Row]]] = {"live": eyes}
