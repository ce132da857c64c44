"""How blunt the constants of following are: F1 over pooled crossings when each is turned by 30 % down and up.

`python -m bench.blunt --seeds 51,52 --keep DIR` turns what is read from tracks over the tracks of some demo seeds and the real clip,
and follows them anew for each turned constant of following, in a process of its own, since compiled kernels hold their constants.
"""

from __future__ import annotations

import importlib
import json
import os
import subprocess
import sys
import tempfile
from contextlib import contextmanager
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
from north_hush.core.site.model import View
from north_hush.core.site.recording import Recording
from north_hush.demo.site import demo_site
from north_hush.demo.trial import day_of_seed, made
from north_hush.demo.truth import Truth

FOLLOW = "north_hush.core.follow."
FOLLOWING = {
    "tracks": ("_SETTLES_S", "_SIZE_SETTLES_S", "_SHARED_TRUST", "_UNSEEN_S", "_SHARED_S", "_NEW_UNSEEN_S"),
    "sharing": ("_FIT_STEP", "_FIT_STAY"),
    "pairing": ("_GATE_CELLS", "_GATE_WIDE", "_GATE_TALL", "_GATE_CELLS_PER_S", "_GATE_ROWS_PER_S", "_UNLIKE"),
    "parting": ("_GUIDE_TALL", "_LYING", "_VALLEY", "_PIECE_CELLS", "_PIECE_TALL", "_UPRIGHT"),
}
"""Constants of compiled kernels, which are part of every track."""
RULES = {
    "approach": ("_STANDS_CELLS", "_STANDS_US", "_FITTED_US"),
    "crossings": (
        "_DEAD_BAND_CELLS", "_OVERHANG_CELLS", "_OVERHANG_TALL", "_TRAVEL_LEAST_CELLS", "_KNOWN_LEAST_US", "_FIRST_SIDE_US",
        "_OFF_LINE_CELLS", "_TWIN_US", "_TWIN_TALL",
    ),
    "halves": ("_ABOVE", "_BESIDE", "_TALL_MOST"),
    "heights": ("_WINDOW_US",),
    "certainty": (
        "_SEEN", "_TURMOIL_PER_S", "_KNOWN_CALM_S", "_KNOWN_IN_TURMOIL_S", "_WAY_IN_TURMOIL", "_ONLY_SHARED", "_FILLED",
        "_STRENGTH", "_FAST_HEIGHTS_PER_S", "_VIEW_PERCENT", "_HEIGHTS",
    ),
}  # fmt: skip
"""Constants of what is read from tracks that are there."""
LIMIT = "limit of foreground"

REAL = View(id="view-1", name="real")


WAYS_TURNED = (0.7, 1.3)


@contextmanager
def turning(module, name, factor):
    """Turn a constant while it is tried; compiled kernels take what it is when they run first."""
    held = importlib.import_module(FOLLOW + module)
    usual = getattr(held, name)
    setattr(held, name, turned(usual, factor))
    try:
        yield
    finally:
        setattr(held, name, usual)


def turned(value, factor):
    """A constant turned; of a pair of limits both."""
    if isinstance(value, tuple):
        return tuple(held * factor for held in value)
    return round(value * factor) if isinstance(value, int) else value * factor


def courses_of(seeds, crowds, keep, factor):
    """What each line is tried on: whether on the real clip, and what `tally` takes."""
    days = [day_of_seed(seed, keep) for seed in seeds]
    regattas = [made("regatta", seed, keep / str(seed)) for seed in crowds]
    for view, paths in [*days, *((demo_site([path]).views[0], [path]) for path in regattas)]:
        for path, case in zip(paths, view_cases(view, paths[0].parent / "site"), strict=True):
            truth = Truth.model_validate_json(path.with_suffix(".truth.json").read_text("utf-8"))
            sights = followed(case.evidence, view.plan, factor)
            for wire in view.wires:
                true = [(held.time_s, held.direction) for held in truth.crossings if held.wire == wire.name]
                yield False, (case.evidence, sights, wire.line, view.plan.size_marks, true, ())
    told, clip = json.loads(TRUTH.read_text("utf-8")), fetched(Path(platformdirs.user_cache_path("north-hush-real")))
    if clip is not None:
        with tempfile.TemporaryDirectory() as folder:
            recording = Recording(id="recording-1", path=str(clip))
            held = recording_evidence(REAL, recording, Path(folder) / "real.north-hush")
        sights = followed(held, None, factor)
        for wire in told["wires"]:
            true = [
                (at, next(way for way, name in WAYS.items() if name == whither)) for at, whither in wire["crossings"]
            ]
            yield True, (held, sights, line_of(wire, (768, 576)), (), true, wire["ignore_s"], told["tolerance_s"])


def tell(name, factor, courses):
    """Print how many crossings there are, and F1 over all of them, over the seeds' and over the real clip's."""
    counted = np.zeros((2, 3), int)
    for real, course in courses:
        counted[int(real)] += tally(*course)
    both = counted.sum(axis=0)
    row = {"constant": name, "factor": factor, "crossings": int(both[[0, 2]].sum()), "f1": f1_of(both)}
    click.echo(json.dumps({**row, "demo": f1_of(counted[0]), "real": f1_of(counted[1])}))


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
@click.option("--crowds", default="", help="Seeds of regatta days, with commas.")
@click.option("--keep", type=click.Path(path_type=Path), required=True)
@click.option("--only", nargs=2, help="One module and its constant, for a process of its own.")
@click.option("--factor", type=float, default=1.0)
def main(seeds: str, crowds: str, keep: Path, only: tuple[str, str] | None, factor: float) -> None:
    """Print a row for each constant and way as JSON."""
    numbers = [[int(seed) for seed in held.split(",") if seed] for held in (seeds, crowds)]
    if only is not None:
        with turning(*only, factor):
            tell(" ".join(only), factor, courses_of(*numbers, keep, 1.0))
        return
    courses = list(courses_of(*numbers, keep, 1.0))
    tell("as they are", 1.0, courses)
    for module, names in RULES.items():
        for name in names:
            for way in WAYS_TURNED:
                with turning(module, name, way):
                    tell(f"{module} {name}", way, courses)
    del courses
    for way in WAYS_TURNED:
        tell(LIMIT, way, courses_of(*numbers, keep, way))
    for module, names in FOLLOWING.items():
        for name in names:
            for way in WAYS_TURNED:
                what = ["--seeds", seeds, "--crowds", crowds, "--keep", str(keep)]
                turned_so = ["--only", module, name, "--factor", str(way)]
                with tempfile.TemporaryDirectory() as cache:
                    command = [sys.executable, "-m", "bench.blunt", *what, *turned_so]
                    subprocess.run(command, env={**os.environ, "NUMBA_CACHE_DIR": cache}, check=True)


if __name__ == "__main__":
    main()
