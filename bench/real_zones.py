"""Entry on real footage: the halves of the picture on either side of a wire are zones, into which people come when they pass it.

`python -m bench.real_zones` lays them over the clip of `bench.real`, with the settings that a zone is born with which fires on entry.
The truth is that of the wires, so that it knows nothing of who comes in elsewhere; people within some seconds of one another are one.
"""

from __future__ import annotations

import json
import tempfile
from itertools import pairwise
from pathlib import Path
from typing import Any

import click
import platformdirs

from bench.real import REAL, TRUTH, fetched
from north_hush.core.detect.settings import FACTORY, ZoneSettings
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.evaluate.recordings import recording_evidence
from north_hush.core.scene.area import area_of
from north_hush.core.scene.items import Zone
from north_hush.core.scene.outline import rectangle
from north_hush.core.scene.plan import Plan
from north_hush.core.site.firing import born_settings
from north_hush.core.site.recording import Recording

WIDTH_PX = 768
_TOGETHER_S, _EARLY_S, _LATE_S = 3.0, 1.5, 3.0


def side_of(wire: dict[str, Any], way: str) -> Zone:
    """All that lies left or right of a wire that is drawn upright."""
    at = wire["points_px"][0][0] / WIDTH_PX
    corners = ((0.0, 0.0), (at, 1.0)) if way == "left" else ((at, 0.0), (1.0, 1.0))
    return Zone(id="zone-1", name=way, letter="A", area=area_of(rectangle(*corners)), fires="entry")


def entries(clip: Path, wires: list[dict[str, Any]], folder: Path, dials: ZoneSettings) -> dict[str, int]:
    """How many came in, how many were met, and alarms that are none of them."""
    evidence = recording_evidence(REAL, Recording(id="recording-1", path=str(clip)), folder / "real.north-hush")
    evaluator, found = Evaluator(), {"entries": 0, "met": 0, "others": 0}
    for wire in wires:
        for way in ("left", "right"):
            zone = side_of(wire, way)
            lane = evaluator.lane(evidence, zone, Plan(zones=(zone,)), {zone.id: dials})
            started = [alarm.onset_s for alarm in lane.alarms]
            started = [at for at in started if not any(first <= at <= last for first, last in wire["ignore_s"])]
            passed = sorted(at for at, whither in wire["crossings"] if whither == way)
            cuts = [n + 1 for n, (one, other) in enumerate(pairwise(passed)) if other - one >= _TOGETHER_S]
            parties = [passed[first:after] for first, after in pairwise([0, *cuts, len(passed)])]
            found["entries"] += len(parties)
            found["met"] += sum(
                any(party[0] - _EARLY_S <= at <= party[-1] + _LATE_S for at in started) for party in parties
            )
            found["others"] += sum(not any(one - _EARLY_S <= at <= one + _LATE_S for one in passed) for at in started)
    return found


@click.command()
@click.option(
    "--keep", type=click.Path(path_type=Path), help="Folder the clip is kept in; by default one of the cache."
)
def main(keep: Path | None) -> None:
    """Print a row as it is born, and one without limits of kinds, as JSON."""
    clip = fetched(keep or Path(platformdirs.user_cache_path("north-hush-real")))
    if clip is None:
        raise click.ClickException("The clip cannot be fetched here.")
    wires = json.loads(TRUTH.read_text("utf-8"))["wires"]
    with tempfile.TemporaryDirectory(prefix="north-hush-real-") as folder:
        for name, dials in (("born", born_settings("entry")), ("any kind", FACTORY)):
            click.echo(json.dumps({"dials": name, **entries(clip.absolute(), wires, Path(folder), dials)}))


if __name__ == "__main__":
    main()
