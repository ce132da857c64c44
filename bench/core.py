"""What the core must reach: the pass against bare decoding, moved dials, single frames, and the naive loop."""

from __future__ import annotations

import statistics
import tempfile
import time
from collections.abc import Callable, Iterator
from functools import cache
from pathlib import Path
from typing import Any

import av
import numpy as np

from north_hush.core.advise.curves import WhatIf
from north_hush.core.advise.map import ResponseMap, response_map
from north_hush.core.detect.alarms import find_alarms
from north_hush.core.detect.dials import DIALS
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.options import EvidenceOptions
from north_hush.core.footage.passes import evidence_of, make_evidence
from north_hush.core.footage.reduce import FRAME_DTYPE
from north_hush.core.footage.room import folder_bytes
from north_hush.core.footage.server import FrameServer, picture_of
from north_hush.core.grid import Grid
from north_hush.core.judge.incidents import Incident, Truth
from north_hush.core.memo import Memo
from north_hush.core.prepare import compile_kernels
from north_hush.core.scene.area import area_of, shifted_area
from north_hush.core.scene.items import Zone
from north_hush.core.scene.outline import rectangle
from north_hush.core.scene.plan import Plan

PAIRS = 5
HOUR_FRAMES = 54_000
QUARTER = Zone(id="z", name="Quarter", letter="A", area=area_of(rectangle((0.25, 0.25), (0.75, 0.75))))

Row = dict[str, Any]


def row(what: str, value: float, unit: str, target: str) -> Row:
    return {"what": what, "value": value, "unit": unit, "target": target}


def seconds(act: Callable[[], object]) -> float:
    start = time.perf_counter()
    act()
    return time.perf_counter() - start


def median_ms(act: Callable[[], object], times: int = PAIRS) -> float:
    return 1000 * statistics.median(seconds(act) for _ in range(times))


@cache
def noisy_1080p() -> Path:
    """A 20 s 1080p H.264 recording with sensor noise and a key frame every 2 s."""
    path = Path(tempfile.mkdtemp(prefix="north-hush-bench-")) / "noisy.mp4"
    rng = np.random.default_rng(1)
    ground = rng.integers(60, 180, (27, 48)).repeat(40, axis=0).repeat(40, axis=1)
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=25, options={"g": "50", "crf": "25", "preset": "veryfast"})
        stream.width, stream.height, stream.pix_fmt = 1920, 1080, "yuv420p"
        noise = [rng.normal(0, 5, (1080, 1920)) for _ in range(8)]
        for i in range(500):
            picture = ground + np.roll(noise[i % 8], i * 37, axis=1)
            picture[400:700, 20 + 3 * i : 120 + 3 * i] = 210
            frame = av.VideoFrame.from_ndarray(np.clip(picture, 0, 255).astype(np.uint8), format="gray")
            container.mux(stream.encode(frame.reformat(format="yuv420p")))
        container.mux(stream.encode())
    return path


def decode_only(path: Path) -> None:
    with av.open(str(path)) as container:
        stream = container.streams.video[0]
        stream.thread_type = "AUTO"
        for _ in container.decode(stream):
            pass


@cache
def hour(frames: int = HOUR_FRAMES) -> Evidence:
    """Made-up evidence: noise in every cell, and a bright visitor now and then."""
    rng = np.random.default_rng(2)
    grid = Grid(960, 540) if frames == HOUR_FRAMES else Grid(120, 120)
    rows = np.zeros(frames, FRAME_DTYPE)
    rows["time_us"] = np.arange(frames) * 66_667
    rows["valid"] = True
    values = rng.integers(0, 9, (grid.cells, frames), np.uint8)
    middle = range(grid.cells // 2 - 50, grid.cells // 2 + 50)
    for start in range(300, frames - 200, 1500):
        values[middle, start : start + 90] += 30
    return Evidence(f"{frames} frames", grid, EvidenceOptions(), rows, lambda name, block: values)


def the_pass() -> Iterator[Row]:
    path = noisy_1080p()
    index, root = index_recording(Footage(path)), Path(tempfile.mkdtemp())
    make_evidence(index, EvidenceOptions(), root=root)
    ratios = []
    for _ in range(PAIRS):
        bare = seconds(lambda: decode_only(path))
        whole = seconds(lambda: make_evidence(index, EvidenceOptions(), root=root))
        ratios.append(bare / whole)
    yield row(
        "whole pass over noisy 1080p H.264, share of bare decoding speed", statistics.median(ratios), "", ">= 0.75"
    )
    yield row("  frames a second of the pass", index.frames / whole, "1/s", "")


def moved_dial() -> Iterator[Row]:
    for title, frames, target in (
        ("1 h at 15 fps", HOUR_FRAMES, "<= 20"),
        ("24 h at 15 fps (900 cells)", 24 * HOUR_FRAMES, "<= 200"),
    ):
        evidence = hour(frames)
        zone = QUARTER if frames == HOUR_FRAMES else None
        evaluator, plan = Evaluator(Memo(4 * 1024**3)), Plan(zones=(zone,) if zone else ())
        evaluator.make_table(evidence, zone, plan, {})
        limits = iter(np.arange(0.5, 60, 0.25))

        def turn(evaluator=evaluator, plan=plan, evidence=evidence, zone=zone, limits=limits) -> None:
            settings = ZoneSettings(change_limit_grey=float(next(limits)))
            evaluator.lanes(evidence, plan, {zone.id if zone else "whole-picture": settings})

        turn()
        yield row(f"change limit moved, {title}: level and alarms", median_ms(turn, 9), "ms", target)


def redrawn_zone() -> Iterator[Row]:
    evidence, shifts = hour(), iter(np.linspace(0, 0.2, 50))
    list(evidence.blocks("step"))

    def moved() -> Zone:
        shift = float(next(shifts))
        return QUARTER.model_copy(update={"area": shifted_area(QUARTER.area, -shift, 0)})

    evaluator = Evaluator()
    yield row(
        "zone redrawn, 1 h: its level", median_ms(lambda: evaluator.lane(evidence, moved(), Plan(), {})), "ms", "<= 60"
    )
    yield row(
        "zone redrawn, 1 h: its survival table",
        median_ms(lambda: evaluator.make_table(evidence, moved(), Plan(), {})),
        "ms",
        "<= 600",
    )


def alarms_alone() -> Iterator[Row]:
    times_us = np.arange(HOUR_FRAMES) * 66_667
    areas = np.random.default_rng(4).integers(0, 400, HOUR_FRAMES)
    valid, gap = np.ones(HOUR_FRAMES, bool), np.zeros(HOUR_FRAMES, bool)
    find_alarms(areas, valid, gap, 14_400, ZoneSettings(), times_us)
    yield row(
        "alarms of 1 h from its level",
        median_ms(lambda: find_alarms(areas, valid, gap, 14_400, ZoneSettings(), times_us), 20),
        "ms",
        "",
    )


def response() -> Iterator[Row]:
    """A response map over an hour, at its own resolution; the figure is for 4,000 points at that rate."""
    evidence, evaluator = hour(), Evaluator()
    list(evidence.blocks("step"))
    plan, settings = Plan(zones=(QUARTER,)), ZoneSettings()
    evaluator.make_table(evidence, QUARTER, plan, {QUARTER.id: settings})
    spans = [Incident(name=str(start), start_s=start, end_s=start + 20) for start in range(100, 3500, 170)]
    what_if = WhatIf(evaluator, evidence, QUARTER, plan, settings, Truth(incidents=tuple(spans), complete=True))
    dials = {dial.field: dial for dial in DIALS}
    made: list[ResponseMap | None] = []
    took = seconds(lambda: made.append(response_map(what_if, dials["change_limit_grey"], dials["start_percent"])))
    points = made[0].unwanted.size if made[0] is not None else 1
    yield row("4,000 settings of the level dials over 1 h, scored", 4000 * took / points, "s", "<= 2")
    curve = seconds(lambda: what_if.curve(dials["confirm_frames"]))
    yield row("response curve of one dial over 1 h", 1000 * curve, "ms", "")


def naive_loop() -> Iterator[Row]:
    """Decode, subtract and count again for every setting, as one would write it at first."""
    path = noisy_1080p()

    def again(limit: float) -> list[float]:
        levels, before = [], None
        with av.open(str(path)) as container:
            for frame in container.decode(video=0):
                grey = frame.to_ndarray(format="gray").astype(np.int16)
                if before is not None:
                    levels.append(100 * float((np.abs(grey - before) >= limit).mean()))
                before = grey
        return levels

    index = index_recording(Footage(path))
    evidence, evaluator = evidence_of(index, EvidenceOptions(), Path(tempfile.mkdtemp())), Evaluator()
    evaluator.make_table(evidence, None, Plan(), {})
    naive = seconds(lambda: again(8))
    limits = iter(np.arange(1, 60, 0.25))
    ours = statistics.median(
        seconds(
            lambda: evaluator.lanes(
                evidence, Plan(), {"whole-picture": ZoneSettings(change_limit_grey=float(next(limits)))}
            )
        )
        for _ in range(20)
    )
    yield row("20 s of 1080p, one more setting by the naive loop", 1000 * naive, "ms", "")
    yield row("  the same by North Hush, times faster", naive / ours, "x", "")


def single_frames() -> Iterator[Row]:
    index = index_recording(Footage(noisy_1080p()))
    grid = index.grid()

    def show(server: FrameServer, place: int) -> None:
        picture_of(server.frame(place), grid)

    cold = []
    for place in (149, 249, 349, 199, 99):
        server = FrameServer(index)
        show(server, place + 1)
        server._cache.clear()
        server._held_bytes = 0
        cold.append(1000 * seconds(lambda server=server, place=place: show(server, place)))
    server = FrameServer(index)
    show(server, 240)
    back = statistics.median(1000 * seconds(lambda place=place: show(server, place)) for place in range(239, 205, -1))
    show(server, 250)
    forward = statistics.median(1000 * seconds(lambda place=place: show(server, place)) for place in range(251, 290))
    yield row("one frame back in 1080p, in the cached group", back, "ms", "<= 50")
    yield row("one frame back in 1080p, cold", statistics.median(cold), "ms", "<= 600")
    yield row("one frame forward in 1080p", forward, "ms", "<= 30")


def evidence_size() -> Iterator[Row]:
    """Size on disk of the demo's evidence, scaled to an hour at 15 frames/s."""
    from north_hush.demo.site import shipped_recordings

    for path in shipped_recordings():
        index, root = index_recording(Footage(path)), Path(tempfile.mkdtemp())
        folder, _ = make_evidence(index, EvidenceOptions(), root=root)
        hour_bytes = folder_bytes(folder) / index.frames * HOUR_FRAMES
        yield row(f"evidence of {path.stem}, scaled to 1 h at 15 fps", hour_bytes / 1e6, "MB", "<= 200")


def demo_rendering() -> Iterator[Row]:
    """Painting and encoding of the demo's recordings, without the painting of the empty place before."""
    from north_hush.demo.catalogue import RECORDINGS
    from north_hush.demo.encode import record
    from north_hush.demo.render import frame_times
    from north_hush.demo.script import write_script

    out = Path(tempfile.mkdtemp())
    record(write_script("night", 1, 2), out)
    for name in RECORDINGS:
        script = write_script(name, 1, 40)
        taken = seconds(lambda script=script: record(script, out))
        yield row(f"rendering {name}, 960x540, frames a second", len(frame_times(script)) / taken, "1/s", ">= 25")


compile_kernels()
BENCHMARKS = {
    "pass": the_pass,
    "dial": moved_dial,
    "redraw": redrawn_zone,
    "alarms": alarms_alone,
    "response": response,
    "naive": naive_loop,
    "frames": single_frames,
    "size": evidence_size,
    "rendering": demo_rendering,
}
