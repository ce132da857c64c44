"""Run the benchmarks and print a table; `--json FILE` writes the figures too."""

from __future__ import annotations

import json
from pathlib import Path

import click

from bench import cameras, core, day, fleet, folder, hours, large, live, many, outcome, pictures, window


@click.command()
@click.option("--json", "target", type=click.Path(path_type=Path), help="Write the figures to this file.")
@click.option("--only", help="Run only the benchmarks whose name holds this.")
def main(target: Path | None, only: str | None) -> None:
    results = []
    for name, run in {
        **window.BENCHMARKS,
        **large.BENCHMARKS,
        **core.BENCHMARKS,
        **outcome.BENCHMARKS,
        **pictures.BENCHMARKS,
        **live.BENCHMARKS,
        **cameras.BENCHMARKS,
        **day.BENCHMARKS,
        **many.BENCHMARKS,
        **folder.BENCHMARKS,
        **hours.BENCHMARKS,
        **fleet.BENCHMARKS,
    }.items():
        if only and only not in name:
            continue
        for row in run():
            results.append(row)
            click.echo(f"{row['what']:<66} {row['value']:>9.3g} {row['unit']:<6} target {row['target']}")
    if target:
        target.write_text(json.dumps(results, indent=1) + "\n")


if __name__ == "__main__":
    main()
