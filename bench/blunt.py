"""How blunt the constants of following are: F1 over pooled crossings when each is turned by 30 % down and up.

`python -m bench.blunt --seeds 51,52 --keep DIR` follows the recordings of some demo seeds and the real clip anew for each turned
constant, in a process of its own, since compiled kernels hold their constants.
"""

from __future__ import annotations

import importlib
import json
import os
import subprocess
import sys
import tempfile
from pathlib import Path

import click
import numpy as np
import platformdirs

from bench.real import TRUTH, WAYS, fetched, line_of, paired
from north_hush.core.detect.settings import FACTORY
from north_hush.core.evaluate.recordings import recording_evidence
from north_hush.core.follow.crossing import counts
from north_hush.core.follow.crossings import WireWatch
from north_hush.core.follow.tracks import Follower, uncovered
from north_hush.core.footage.options import FOREGROUND, QUARTERS
from north_hush.core.handover.propose import view_cases
from north_hush.core.scene.items import Wire
from north_hush.core.site.model import Recording, View
from north_hush.demo.trial import day_of_seed
from north_hush.demo.truth import Truth

FOLLOW = "north_hush.core.follow."
CONSTANTS = {
    "limit of foreground": None,
    **{f"tracks {name}": (FOLLOW + "tracks", name) for name in
       ("_SETTLES_S", "_SIZE_SETTLES_S", "_SHARED_TRUST", "_UNSEEN_S", "_SHARED_S", "_NEW_UNSEEN_S")},
    **{f"sharing {name}": (FOLLOW + "sharing", name) for name in ("_FIT_STEP", "_FIT_STAY")},
    **{f"pairing {name}": (FOLLOW + "pairing", name) for name in
       ("_GATE_CELLS", "_GATE_WIDE", "_GATE_TALL", "_GATE_CELLS_PER_S", "_GATE_ROWS_PER_S", "_UNLIKE")},
    **{f"crossings {name}": (FOLLOW + "crossings", name) for name in
       ("_DEAD_BAND_CELLS", "_STANDS_CELLS", "_STANDS_US", "_OVERHANG_CELLS", "_OVERHANG_TALL", "_TRAVEL_LEAST_CELLS", "_FITTED_US",
        "_TWIN_US", "_TWIN_TALL")},
    **{f"certainty {name}": (FOLLOW + "certainty", name) for name in
       ("_SEEN", "_TURMOIL_PER_S", "_KNOWN_CALM_S", "_KNOWN_IN_TURMOIL_S", "_FILLED", "_STRENGTH", "_FAST_HEIGHTS_PER_S",
        "_VIEW_PERCENT", "_HEIGHTS")},
}  # fmt: skip

REAL = View(id="view-1", name="real")


def turned(value, factor):
    """A constant turned; of a pair of limits both."""
    if isinstance(value, tuple):
        return tuple(held * factor for held in value)
    return round(value * factor) if isinstance(value, int) else value * factor


def scored(seeds, keep, factor):
    """Met, false and missed crossings, over the seeds and over the real clip."""
    demo, real = np.zeros(3, int), np.zeros(3, int)
    for seed in seeds:
        view, paths = day_of_seed(seed, keep)
        for path, case in zip(paths, view_cases(view, keep / str(seed) / "site"), strict=True):
            truth = Truth.model_validate_json(path.with_suffix(".truth.json").read_text("utf-8"))
            sights = followed(case.evidence, view.plan, factor)
            for wire in view.wires:
                true = [(held.time_s, held.direction) for held in truth.crossings if held.wire == wire.name]
                demo += tally(case.evidence, sights, wire.line, view.plan.size_marks, true, ())
    told, clip = json.loads(TRUTH.read_text("utf-8")), fetched(Path(platformdirs.user_cache_path("north-hush-real")))
    if clip is not None:
        with tempfile.TemporaryDirectory() as folder:
            held = recording_evidence(
                REAL,
                Recording(id="recording-1", path=str(clip)),
                Path(folder) / "real.north-hush",
            )
        sights = followed(held, None, factor)
        for wire in told["wires"]:
            true = [
                (at, next(way for way, name in WAYS.items() if name == whither)) for at, whither in wire["crossings"]
            ]
            real += tally(held, sights, line_of(wire, (768, 576)), (), true, wire["ignore_s"], told["tolerance_s"])
    return demo, real


def followed(evidence, plan, factor):
    """Sights of all tracks, with the limit of foreground turned by a factor."""
    values = evidence.values(FOREGROUND, 0, len(evidence.frames))
    if plan is not None:
        values = uncovered(values, plan.privacy, evidence.grid)
    if factor != 1:
        values = (np.minimum(values / factor, 255).astype(np.uint8) & 254) | (values & 1)
    quarters = evidence.values(QUARTERS, 0, len(evidence.frames))
    return Follower(evidence.grid).feed(values, quarters, evidence.time_us, evidence.valid, evidence.gap)


def tally(evidence, sights, line, marks, true, ignored, tolerance_s=0.8):
    """Met, false and missed crossings of one line, either way."""
    wire = Wire(id="wire-1", letter="1", name="line", line=line, watches="both")
    found = [
        (held.passed_us / 1e6, held.direction)
        for held in WireWatch(line, evidence.grid, marks).feed(sights, evidence.time_us)
        if counts(held, wire, FACTORY) and not any(a <= held.passed_us / 1e6 <= b for a, b in ignored)
    ]
    met = sum(
        paired([at for at, told in true if told == way], [at for at, told in found if told == way], tolerance_s)
        for way in WAYS
    )
    return np.array([met, len(found) - met, len(true) - met])


def f1_of(counted):
    met, false, missed = (int(value) for value in counted)
    return round(2 * met / max(1, 2 * met + false + missed), 3)


@click.command()
@click.option("--seeds", required=True, help="Demo seeds, with commas.")
@click.option("--keep", type=click.Path(path_type=Path), required=True)
@click.option("--only", help="One constant, for the process of its own.")
@click.option("--factor", type=float, default=1.0)
def main(seeds: str, keep: Path, only: str | None, factor: float) -> None:
    """Print a row for each constant and way as JSON."""
    if only is not None:
        place = CONSTANTS.get(only)
        if place is not None:
            module = importlib.import_module(place[0])
            setattr(module, place[1], turned(getattr(module, place[1]), factor))
        demo, real = scored([int(seed) for seed in seeds.split(",")], keep, factor if place is None else 1.0)
        row = {"constant": only, "factor": factor, "crossings": int((demo + real)[[0, 2]].sum())}
        click.echo(json.dumps({**row, "f1": f1_of(demo + real), "demo": f1_of(demo), "real": f1_of(real)}))
        return
    for name, place in CONSTANTS.items():
        for way in (0.7, 1.0, 1.3) if name == "limit of foreground" else (0.7, 1.3):
            command = [sys.executable, "-m", "bench.blunt", "--seeds", seeds, "--keep", str(keep)]
            with tempfile.TemporaryDirectory() as cache:
                compiled = place is not None and place[0].endswith(("tracks", "pairing", "sharing"))
                held = {**os.environ, **({"NUMBA_CACHE_DIR": cache} if compiled else {})}
                subprocess.run([*command, "--only", name, "--factor", str(way)], env=held, check=True)


if __name__ == "__main__":
    main()
