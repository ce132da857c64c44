"""Followed crossings on real footage: people on a path, with the truth that was read off it frame by frame.

`python -m bench.real` lays the wires of a truth file over a clip, with the settings a new wire has, and counts their crossings,
either way, one to one within the file's tolerance, best over all. The clip is fetched; it is no part of the project.
"""

from __future__ import annotations

import json
import shutil
import subprocess
import tempfile
from pathlib import Path
from typing import Any

import click
import numpy as np
import platformdirs
from scipy.optimize import linear_sum_assignment

from north_hush.core.detect.settings import FACTORY, ZoneSettings
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.evaluate.recordings import recording_evidence
from north_hush.core.scene.items import Wire
from north_hush.core.scene.plan import Plan
from north_hush.core.site.model import View
from north_hush.core.site.recording import Recording

REAL = View(id="view-1", name="real")
WAYS = {"a_to_b": "left", "b_to_a": "right"}
"""Of a wire that is drawn from top to bottom."""


CLIP, PACKAGE = "vtest.avi", "opencv-doc"
TRUTH = Path(__file__).with_name("real_truth.json")


def paired(true_s: list[float], found_s: list[float], tolerance_s: float) -> int:
    """How many found times pair with true ones, each once, as many as can."""
    near = np.abs(np.subtract.outer(true_s, found_s)) <= tolerance_s
    rows, columns = linear_sum_assignment(near, maximize=True)
    return int(near[rows, columns].sum())


def line_of(wire: dict[str, Any], size: tuple[int, int]) -> tuple[tuple[float, float], ...]:
    """A wire of the truth in fractions of the picture."""
    return tuple((x / size[0], y / size[1]) for x, y in wire["points_px"])


def crossings(
    clip: Path, wire: dict[str, Any], size: tuple[int, int], folder: Path, dials: ZoneSettings = FACTORY
) -> list[tuple[float, str]]:
    """When a wire was passed and whither, "left" or "right"; what is to be ignored is left out."""
    held = Wire(id="wire-1", letter="1", name=wire["name"], line=line_of(wire, size), watches="both")
    evidence = recording_evidence(REAL, Recording(id="recording-1", path=str(clip)), folder / "real.north-hush")
    lane = Evaluator().lane(evidence, held, Plan(wires=(held,)), {held.id: dials})
    times = [(alarm.onset_s, WAYS[str(alarm.direction)]) for alarm in lane.alarms]
    return [(at, way) for at, way in times if not any(first <= at <= last for first, last in wire["ignore_s"])]


def told_of(crossed: list[tuple[float, str]], way: str) -> list[float]:
    """Times of the crossings of one way."""
    return [at for at, whither in crossed if whither == way]


def fetched(folder: Path) -> Path | None:
    """The clip, brought into a folder if it is not there; None where it cannot be had."""
    clip = folder / CLIP
    if clip.exists():
        return clip
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(prefix="north-hush-real-") as work:
        try:
            subprocess.run(["apt-get", "download", PACKAGE], cwd=work, check=True, capture_output=True)
            (package,) = Path(work).glob("*.deb")
            subprocess.run(["dpkg-deb", "-x", str(package), f"{work}/x"], check=True, capture_output=True)
            (found,) = Path(work).glob(f"x/**/{CLIP}")
            shutil.copy(found, clip)
        except (OSError, subprocess.CalledProcessError, ValueError):
            return None
    return clip


def figures(wire: dict[str, Any], found: list[tuple[float, str]], tolerance_s: float) -> dict[str, float]:
    """How many crossings of a wire were found, and how many are false."""
    true = [(at, way) for at, way in wire["crossings"]]
    met = sum(paired(told_of(true, way), told_of(found, way), tolerance_s) for way in WAYS.values())
    return {
        "crossings": len(true),
        "found": met,
        "false": len(found) - met,
        "precision": round(met / max(1, len(found)), 3),
        "recall": round(met / max(1, len(true)), 3),
        "f1": round(2 * met / max(1, len(true) + len(found)), 3),
    }


@click.command()
@click.option(
    "--keep", type=click.Path(path_type=Path), help="Folder the clip is kept in; by default one of the cache."
)
@click.option("--size", type=(int, int), default=(768, 576), show_default=True)
@click.option("--kind", "kinds", multiple=True, help="Report this kind alone (may be repeated).")
def main(keep: Path | None, size: tuple[int, int], kinds: tuple[str, ...]) -> None:
    """Print a row for each wire as JSON."""
    clip = fetched(keep or Path(platformdirs.user_cache_path("north-hush-real")))
    if clip is None:
        raise click.ClickException(f"The clip {CLIP} of Debian's package {PACKAGE} cannot be fetched here.")
    told = json.loads(TRUTH.read_text("utf-8"))
    with tempfile.TemporaryDirectory(prefix="north-hush-real-") as folder:
        for wire in told["wires"]:
            found = crossings(clip.absolute(), wire, size, Path(folder), FACTORY.turned(kinds=kinds))
            click.echo(json.dumps({"wire": wire["name"], **figures(wire, found, told["tolerance_s"])}))


if __name__ == "__main__":
    main()
