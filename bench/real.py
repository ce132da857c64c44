"""Followed crossings on real footage: people on a path, with the truth that was read off it frame by frame.

`python -m bench.real CLIP TRUTH` lays the wires of a truth file over a clip and counts their crossings, either way, one to one
within the file's tolerance. The clip and its truth are fetched and lie outside the project.
"""

from __future__ import annotations

import json
import tempfile
from pathlib import Path
from typing import Any

import click

from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.evaluate.recordings import recording_evidence
from north_hush.core.scene.items import Wire
from north_hush.core.scene.plan import Plan
from north_hush.core.site.model import Recording
from north_hush.demo.trial import CROSSING_SETTINGS

WAYS = {"a_to_b": "left", "b_to_a": "right"}
"""Of a wire that is drawn from top to bottom."""


def paired(true_s: list[float], found_s: list[float], tolerance_s: float) -> int:
    """How many found times pair with true ones, each once, nearest first."""
    near = sorted((abs(t - f), i, j) for i, t in enumerate(true_s) for j, f in enumerate(found_s))
    used: set[tuple[str, int]] = set()
    for apart, i, j in near:
        if apart <= tolerance_s and ("true", i) not in used and ("found", j) not in used:
            used |= {("true", i), ("found", j)}
    return len(used) // 2


def crossings(clip: Path, wire: dict[str, Any], size: tuple[int, int], folder: Path) -> list[tuple[float, str]]:
    """When a wire was passed and whither, "left" or "right"; what is to be ignored is left out."""
    (ax, ay), (bx, by) = wire["points_px"]
    line = tuple((x / size[0], y / size[1]) for x, y in ((ax, ay), (bx, by)))
    held = Wire(id="wire-1", letter="1", name=wire["name"], line=line, watches="both")
    evidence = recording_evidence(Recording(id="recording-1", path=str(clip)), folder / "real.north-hush")
    lane = Evaluator().lane(evidence, held, Plan(wires=(held,)), {held.id: CROSSING_SETTINGS})
    times = [(alarm.onset_s, WAYS[str(alarm.direction)]) for alarm in lane.alarms]
    return [(at, way) for at, way in times if not any(first <= at <= last for first, last in wire["ignore_s"])]


def told_of(crossed: list[tuple[float, str]], way: str) -> list[float]:
    """Times of the crossings of one way."""
    return [at for at, whither in crossed if whither == way]


@click.command()
@click.argument("clip", type=click.Path(exists=True, path_type=Path))
@click.argument("truth", type=click.Path(exists=True, path_type=Path))
@click.option("--size", type=(int, int), default=(768, 576), show_default=True)
def main(clip: Path, truth: Path, size: tuple[int, int]) -> None:
    """Print a row for each wire as JSON."""
    told = json.loads(truth.read_text("utf-8"))
    with tempfile.TemporaryDirectory(prefix="north-hush-real-") as folder:
        for wire in told["wires"]:
            found = crossings(clip.absolute(), wire, size, Path(folder))
            true = [(at, way) for at, way in wire["crossings"]]
            met = sum(paired(told_of(true, way), told_of(found, way), told["tolerance_s"]) for way in WAYS.values())
            f1 = 2 * met / max(1, len(true) + len(found))
            row = {"crossings": len(true), "found": met, "false": len(found) - met, "f1": round(f1, 3)}
            click.echo(json.dumps({"wire": wire["name"], **row}))


if __name__ == "__main__":
    main()
