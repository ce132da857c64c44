"""The command for many sites at once."""

from __future__ import annotations

import json
import os
from pathlib import Path
from typing import Any

import click

from north_hush.cli.group import json_option, main, told
from north_hush.core.progress import PROGRESS

_WORKS = ("pass", "score", "propose", "report")


@main.command()
@click.argument("sites", metavar="SITE... WORK", nargs=-1, required=True)
@click.option("--jobs", type=click.IntRange(1, 256), help="Processes; as many as there are cores.")
@click.option("--engine", default="", help="dask://HOST:PORT: a Dask cluster whose workers see the same files.")
@click.option("--out", type=click.Path(path_type=Path, file_okay=False), help="Where reports go.")
@json_option
@told
def fleet(sites: tuple[str, ...], jobs: int | None, engine: str, out: Path | None, as_json: bool) -> None:
    """Work on all recordings of SITEs, side by side: pass, score, propose or report."""
    from north_hush.core.fleet.engine import run
    from north_hush.core.fleet.tasks import tasks_of

    *paths, work = sites
    if work not in _WORKS or not paths:
        raise click.UsageError(f"Say which sites, and then what to do: {', '.join(_WORKS)}.")
    tasks = tasks_of([Path(path) for path in paths], work, out)  # type: ignore[arg-type]
    rows: list[dict[str, Any]] = [{} for _ in tasks]
    for done, (place, row) in enumerate(run(tasks, jobs or os.cpu_count() or 1, engine), start=1):
        rows[place] = row
        PROGRESS.info("%d of %d: %s %s", done, len(tasks), Path(row["site"]).name, row["recording"] or row["view"])
    errors = [row for row in rows if "error" in row]
    if as_json:
        click.echo(json.dumps({"work": work, "tasks": rows, "errors": len(errors)}, indent=1))
        return
    for row in rows:
        click.echo(f"{Path(row['site']).name}  {row['view']}  {row['recording']}  {_said(row)}")


def _said(row: dict[str, Any]) -> str:
    if "error" in row:
        return str(row["error"])
    if row["work"] == "score":
        score = row["score"]
        return f"{score['met']} of {score['incidents']} met, {score['nuisance']} nuisances"
    if row["work"] == "propose":
        worth = f"{row['met']} of {row['incidents']} met, {row['nuisance']} nuisances"
        return f"{row['aim']}: {worth}, {len(row['changed'])} settings changed"
    return str(row.get("file") or f"{row['frames']} frames" + ("" if row["made"] else ", were there"))
