"""A day open: 24 h at 10 frames/s, 3,600 cells, four zones and two wires, with its memory, in the core and in the window.

The evidence of the demo's five recordings is laid end to end with fresh noise, since to render a day would take hours. The file it
belongs to is one still picture whose packets are repeated, so that the window opens a recording of a day.
"""

from __future__ import annotations

import json
import os
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator, Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any

import av
import click
import numpy as np
from numpy.typing import NDArray

from bench.core import Row, row
from bench.memory import most_mb
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.evaluate.recordings import recording_evidence
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.fingerprint import fingerprint
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.options import EvidenceOptions
from north_hush.core.footage.room import folder_bytes
from north_hush.core.footage.store import evidence_key, read_evidence, stored_folder
from north_hush.core.footage.writing import StoreWriter
from north_hush.core.judge.incidents import Incident, Truth
from north_hush.core.scene.items import Zone
from north_hush.core.scene.outline import rectangle
from north_hush.core.scene.plan import Plan
from north_hush.core.site import edits
from north_hush.core.site.file import SUFFIX
from north_hush.core.site.model import Tuning, View
from north_hush.core.site.recording import Recording
from north_hush.core.site.saving import save_site
from north_hush.demo.site import demo_site, shipped_recordings

FRAMES_PER_S, HOURS, BLOCK = 10, 24, 4096
FRAMES = HOURS * 3600 * FRAMES_PER_S
_GROUP = 600
_SEED = 16
_DIALS = ZoneSettings(change_limit_grey=8.0, start_percent=4.0, clear_percent=2.0, confirm_frames=4, release_frames=20)
"""Such that a day has some thousand alarms."""


def still_day(path: Path) -> None:
    """A recording of a day at 960x540 in which nothing moves: one group of frames, its packets repeated."""
    with av.open(str(path), "w") as out:
        stream = out.add_stream(
            "libx264", rate=FRAMES_PER_S, options={"g": str(_GROUP), "bf": "0", "preset": "ultrafast"}
        )
        stream.width, stream.height, stream.pix_fmt = 960, 540, "yuv420p"
        picture = av.VideoFrame.from_ndarray(np.full((810, 960), 90, np.uint8), "yuv420p")
        packets = [packet for _ in range(_GROUP) for packet in stream.encode(picture)] + list(stream.encode())
        group = [(bytes(packet), packet.is_keyframe) for packet in packets]
        out.start_encoding()
        for number in range(FRAMES):
            data, key = group[number % _GROUP]
            packet = av.Packet(data)
            packet.stream, packet.is_keyframe = stream, key
            packet.pts = packet.dts = round(number / FRAMES_PER_S / stream.time_base)
            packet.time_base = stream.time_base
            out.mux(packet)


def day_evidence(path: Path, site_path: Path) -> Path:
    """Evidence of a day for the recording at a path, in the store; its folder."""
    footage = Footage(path)
    index, options = index_recording(footage), EvidenceOptions()
    key, grid = evidence_key(fingerprint(footage), options), index.grid(options.orientation, options.cell_px)
    if stored_folder(key).exists():
        return stored_folder(key)
    day = [Recording(id="r", path=str(held)) for held in shipped_recordings()]
    tiles = [
        held
        for held in (recording_evidence(View(id="view-1", name="day"), one, site_path) for one in day)
        if held.grid == grid
    ]
    writer, rng = StoreWriter(key, grid, options), np.random.default_rng(_SEED)
    written = 0
    while written < FRAMES:
        tile = tiles[int(rng.integers(len(tiles)))]
        count = min(BLOCK, FRAMES - written)
        picked = (int(rng.integers(len(tile.frames))) + np.arange(count)) % len(tile.frames)
        rows = tile.frames[picked].copy()
        numbers = np.arange(written, written + count)
        rows["pts"], rows["time_us"] = index.pts[numbers], index.time_us[numbers]
        rows["gap"], rows["valid"] = False, numbers > FRAMES_PER_S // 2
        soil = tile.soil
        assert soil is not None
        writer.add_block(rows, _noisy(tile, picked, rng), np.stack([soil.noise[-1], soil.luma[-1]]))
        written += count
    return writer.finish((), lambda: (np.zeros(grid.cells, np.uint16),) * 2)


def _noisy(tile: Evidence, picked: NDArray[np.int64], rng: np.random.Generator) -> Callable[[str], NDArray[np.uint8]]:
    """Values of some frames of a tile, each that is not zero a quarter of a grey level off at random."""

    def values(name: str) -> NDArray[np.uint8]:
        held = tile.values(name, 0, len(tile.frames))[:, picked]
        if name == "foreground":
            return held
        off = rng.integers(-1, 2, held.shape, np.int8)
        return np.where((held > 0) & (held < 255), (held.astype(np.int16) + off).astype(np.uint8), held)

    return values


def day_site(folder: Path) -> Path:
    """A site with the day as its recording, four zones and the demo's two wires."""
    path, video = folder / f"day{SUFFIX}", folder / "day.mkv"
    if not video.exists():
        still_day(video)
    site = edits.add_recording(demo_site(shipped_recordings()[:1]), "view-1", video.name)
    view = site.views[0]
    zones = list(view.zones)
    while len(zones) < 4:
        left = 0.1 + 0.2 * len(zones)
        zones.append(
            Zone(
                id=f"zone-{90 + len(zones)}", letter="XYZW"[len(zones)], name=f"Zone {len(zones)}",
                area=_area((left, 0.3), (left + 0.15, 0.8)),
            )
        )  # fmt: skip
    spans = [Incident(name=str(at), start_s=at, end_s=at + 20) for at in range(600, HOURS * 3600, 1800)]
    held = view.recordings[-1].model_copy(update={"truth": Truth(incidents=tuple(spans), complete=True)})
    settings = {item.id: _DIALS for item in (*zones, *view.wires)}
    changed = view.model_copy(
        update={
            "zones": tuple(zones), "recordings": (held,), "tunings": (Tuning(name="day", settings=settings),),
            "tuning_in_use": "day",
        }
    )  # fmt: skip
    save_site(site.model_copy(update={"views": (changed,)}), path)
    day_evidence(video, path)
    return path


def _area(low: tuple[float, float], high: tuple[float, float]) -> Any:
    from north_hush.core.scene.area import area_of

    return area_of(rectangle(low, high))


# --- measured, each in a process of its own ---------------------------------------------------------------------------


def _opened(site_path: Path) -> tuple[Evidence, Plan, Mapping[str, ZoneSettings], Truth]:
    from north_hush.core.site.file import load_site

    view = load_site(site_path).views[0]
    footage = Footage(site_path.parent / view.recordings[0].path)
    evidence = read_evidence(stored_folder(evidence_key(fingerprint(footage), EvidenceOptions())))
    return evidence, view.plan, view.tuning.settings, view.recordings[0].truth


def measure_core(site_path: Path) -> dict[str, float]:
    """Lanes, a moved dial and a score of the day, with the memory that took."""
    found: dict[str, float] = {}
    began = time.perf_counter()
    evidence, plan, settings, truth = _opened(site_path)
    found["open_s"] = time.perf_counter() - began
    evaluator = Evaluator()
    began = time.perf_counter()
    for watcher in plan.zones:
        evaluator.make_tables(evidence, plan.watchers, plan, settings)
        evaluator.lane(evidence, watcher, plan, settings)
    found["zones_s"] = time.perf_counter() - began
    began = time.perf_counter()
    evaluator.tracks(evidence, plan)
    found["tracks_s"] = time.perf_counter() - began
    began = time.perf_counter()
    evaluator.lanes(evidence, plan, settings)
    found["lanes_s"] = time.perf_counter() - began
    found["alarms"] = sum(len(lane.alarms) for lane in evaluator.lanes(evidence, plan, settings))
    zone = plan.zones[0]
    turns = []
    for limit in np.arange(6.0, 10.0, 0.25):
        dials = {**settings, zone.id: _DIALS.turned(change_limit_grey=float(limit))}
        began = time.perf_counter()
        evaluator.lane(evidence, zone, plan, dials)
        turns.append(1000 * (time.perf_counter() - began))
    found["dial_ms"] = statistics.median(turns)
    week = [replace(evidence, key=f"{evidence.key} day {number}") for number in range(7)]
    for held in week:
        evaluator.evaluate(held, plan, settings, truth)
    began = time.perf_counter()
    for held in week:
        _ = evaluator.evaluate(held, plan, settings, truth).score
    found["week_ms"] = 1000 * (time.perf_counter() - began)
    found["mb"] = most_mb()
    return found


_PLACE, _TO = (
    tuple((x, y) for x, y in ((left, 0.4), (right, 0.4), (right, 1.0), (left, 1.0)))
    for left, right in ((0.1, 0.6), (0.65, 0.95))
)


def measure_ask(site_path: Path) -> dict[str, float]:
    """Questions to the day, each by a new evaluator: the slowest first answers, and the slowest of all answers."""
    from north_hush.core.ask.footage import ask_in_parts
    from north_hush.core.ask.question import Question
    from north_hush.core.footage.index import index_recording
    from north_hush.core.site.file import load_site

    evidence, _, _, _ = _opened(site_path)
    view = load_site(site_path).views[0]
    index = index_recording(Footage(site_path.parent / view.recordings[0].path))
    found = {"first_ms": 0.0, "all_ms": 0.0, "answers": 0.0}
    questions = [
        Question("went", _PLACE, to=_TO),
        *(Question(kind, _PLACE) for kind in ("moved", "passed", "stayed", "nothing")),
    ]
    for question in questions:
        began = time.perf_counter()
        for number, part in enumerate(ask_in_parts(question, index, evidence, view, Evaluator())):
            if number == 0:
                found["first_ms"] = max(found["first_ms"], 1000 * (time.perf_counter() - began))
            found["answers"] += len(part)
        found["all_ms"] = max(found["all_ms"], 1000 * (time.perf_counter() - began))
    found["mb"] = most_mb()
    return found


def measure_window(site_path: Path) -> dict[str, float]:
    """From the start to a painted window, to all lanes, and from a turned dial to the painted trace."""
    from north_hush.desk.app import application, wait_until
    from north_hush.desk.session import Session
    from tests.seen_window import SeenWindow

    found: dict[str, float] = {}
    turned = site_path.with_name(f"turned{SUFFIX}")
    shutil.copy(site_path, turned)  # what is turned is saved
    application()
    began = time.perf_counter()
    window = SeenWindow(Session(turned))
    window.show()
    application().processEvents()
    window.grab()
    found["painted_s"] = time.perf_counter() - began
    deck = window.deck
    wait_until(lambda: bool(deck.evidence is not None and deck.lanes), 600_000)
    window.grab()
    found["lanes_s"] = time.perf_counter() - began
    found["lanes_mb"] = most_mb()
    wait_until(lambda: deck.settled, 900_000)
    zone = window.session.view.zones[0]
    window.session.select(zone.id)
    turns = []
    for _ in range(7):
        before = deck.lanes
        began = time.perf_counter()
        window.tune.dials["change_limit_grey"].number.stepUp()
        wait_until(lambda before=before: deck.lanes is not before, 60_000)
        window.trace.grab()
        turns.append(1000 * (time.perf_counter() - began))
    found["dial_ms"] = statistics.median(turns)
    found["mb"] = most_mb()
    window.close()
    return found


def _child(what: str, site_path: Path) -> dict[str, float]:
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    told = subprocess.run(
        [sys.executable, "-m", "bench.day", what, str(site_path)], env=environment, check=True, capture_output=True
    )
    return dict(json.loads(told.stdout.splitlines()[-1]))


def day(folder: Path | None = None) -> Iterator[Row]:
    """Every figure of a day; the first process makes what is kept beside the evidence, the second finds it."""
    held = folder or Path(tempfile.mkdtemp())
    os.environ["NORTH_HUSH_CACHE"] = str(held / "evidence")
    path = day_site(held)
    stored = next(one for one in (held / "evidence").iterdir() if folder_bytes(one) > 200 * 1024**2)
    yield row("a day: evidence on disk, an hour", folder_bytes(stored) / 1024**2 / HOURS, "MB", "")
    first = _child("core", path)
    again = _child("core", path)
    yield row("a day: alarms", again["alarms"], "", "some thousand")
    yield row("a day: opened from the store", again["open_s"], "s", "<= 3")
    yield row("a day: levels of four zones, first time", first["zones_s"], "s", "<= 10")
    yield row("a day: followed, first time", first["tracks_s"], "s", "")
    yield row("a day: levels and alarms of all, from what is kept", again["zones_s"] + again["lanes_s"], "s", "<= 10")
    yield row("a day: change limit moved, level and alarms", again["dial_ms"], "ms", "<= 200")
    yield row("seven such days scored", again["week_ms"], "ms", "<= 500")
    yield row("a day: memory of a process, first time", first["mb"], "MB", "<= 1,000")
    yield row("a day: memory of a process, from what is kept", again["mb"], "MB", "<= 1,000")
    _child("ask", path)
    asked = _child("ask", path)
    yield row("a day: five questions, the slowest first answers", asked["first_ms"], "ms", "<= 300")
    yield row("a day: the slowest of all answers", asked["all_ms"], "ms", "<= 1,000")
    yield row("a day: memory of a process that asks", asked["mb"], "MB", "<= 1,000")
    window = _child("window", path)
    yield row("a day: window painted", window["painted_s"], "s", "<= 3")
    yield row("a day: all lanes painted", window["lanes_s"], "s", "<= 10")
    yield row("a day: dial turned, trace painted", window["dial_ms"], "ms", "<= 200")
    yield row("a day: memory of the window's process", window["mb"], "MB", "<= 1,000")
    if folder is None:
        shutil.rmtree(held)


BENCHMARKS = {"day": day}


@click.command()
@click.argument("what", type=click.Choice(["core", "ask", "window", "make"]))
@click.argument("site_path", type=click.Path(path_type=Path))
def main(what: str, site_path: Path) -> None:
    """One measurement, as JSON; `make` lays the day out in a folder."""
    if what == "make":
        click.echo(day_site(site_path))
        return
    measure = {"core": measure_core, "ask": measure_ask, "window": measure_window}[what]
    click.echo(json.dumps(measure(site_path)))


if __name__ == "__main__":
    main()
