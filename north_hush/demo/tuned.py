"""The demo's *tuned*: what the program itself finds from *factory*, on seeds that do not ship.

Made again with `python -m north_hush.demo.tuned --first 51 --seeds 3`; the same seeds give the same settings.
"""

from __future__ import annotations

import json
import sys
from importlib import resources
from pathlib import Path
from typing import Any

import click

from north_hush.core.detect.settings import ZoneSettings

_FILE = "tuned.json"


def tuned_settings() -> dict[str, ZoneSettings]:
    """Settings of the demo's zones and wires, by item."""
    held: dict[str, Any] = json.loads((resources.files("north_hush.demo") / "data" / _FILE).read_text("utf-8"))
    return {item: ZoneSettings.model_validate(dials) for item, dials in held["settings"].items()}


@click.command()
@click.option("--first", type=click.IntRange(2, 2**31), required=True, help="The first seed.")
@click.option("--seeds", type=click.IntRange(1, 20), required=True, help="How many seeds.")
@click.option(
    "--keep", type=click.Path(path_type=Path), help="Keep the recordings in this folder, and use those in it."
)
def find(first: int, seeds: int, keep: Path | None) -> None:
    """Search the demo's settings on some seeds and write them beside its recordings."""
    from dataclasses import replace

    from north_hush.core.advise.search import Search
    from north_hush.core.handover.propose import view_cases
    from north_hush.demo.trial import day_of_seed, kept_folder

    with kept_folder(keep) as folder:
        cases, view = [], None
        for seed in range(first, first + seeds):
            click.echo(f"seed {seed}", err=True)
            view, _ = day_of_seed(seed, folder)
            found = view_cases(view, folder / str(seed) / "site")
            cases += [replace(case, name=f"{seed} {case.name}") for case in found]
        assert view is not None  # there is at least one seed
        search = Search(cases, view.plan, view.tuning_named("factory").settings)
        settings = search.proposals()[0].settings
    text = {
        "made_by": f"python -m north_hush.demo.tuned --first {first} --seeds {seeds}",
        "settings": {item: held.model_dump(exclude_defaults=True) for item, held in settings.items()},
    }
    target = Path(str(resources.files("north_hush.demo") / "data" / _FILE))
    target.write_text(json.dumps(text, indent=1) + "\n", "utf-8")
    click.echo(target)


if __name__ == "__main__":
    sys.exit(find())
