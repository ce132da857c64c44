"""Commands about what settings are worth: scores, proposals, comparisons, truth, trials."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import click

from north_hush.cli.group import main, told


@main.command("score")
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
@click.option("--tuning", help="Use this tuning instead of the one in use.")
@told
def score_command(site_path: Path, as_json: bool, tuning: str | None) -> None:
    """Score a SITE's settings against its incidents, per recording and in all."""
    from north_hush.core.site.file import load_site
    from north_hush.core.site.report import site_scores

    found = site_scores(load_site(site_path), site_path, tuning)
    if as_json:
        click.echo(json.dumps(found, indent=1))
        return
    for row in (*found["recordings"], *found["in_all"]):
        what = row.get("path", "in all")
        click.echo(f"{row['view']}  {what}  " + (row.get("error") or _score_text(row)))


def _score_text(row: dict[str, Any]) -> str:
    if not row["incidents"]:
        return f"{row['alarms']} alarms; no incident is marked, so nothing can be said of them"
    text = (
        f"{row['met']} of {row['incidents']} incidents met, {row['nuisance']} nuisance alarms, {row['repeats']} repeats"
    )
    text += f", {row['not_judged']} alarms not judged" if row["not_judged"] else ""
    return text + (f"; missed: {', '.join(row['missed'])}" if row["missed"] else "")


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
@click.option("--take", is_flag=True, help="Write the first proposal of each view into the tuning in use.")
@told
def propose(site_path: Path, as_json: bool, take: bool) -> None:
    """Search quieter settings for a SITE that keep every incident."""
    from north_hush.core.site.file import load_site, save_site
    from north_hush.core.site.propose import find_proposals, proposal_row, taken

    site = load_site(site_path)
    with click.progressbar(length=1000, label="searching", file=sys.stderr) as bar:
        found = find_proposals(site, site_path, lambda share: bar.update(round(1000 * share) - bar.pos))
    rows: list[dict[str, Any]] = [
        {"view": view.name, "proposals": [proposal_row(held) for held in proposals]} for view, proposals in found
    ]
    if take:
        save_site(taken(site, found), site_path)
    if as_json:
        click.echo(json.dumps({"site": site.name, "views": rows, "taken": take}, indent=1))
        return
    for row in rows:
        for held in row["proposals"]:
            click.echo(f"{row['view']}  {held['aim']}: {_score_text(held)}; turns {len(held['changes'])} settings")
            for warning in held["warnings"]:
                click.echo(f"    {warning}")


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.argument("first", metavar="TUNING")
@click.argument("second", metavar="TUNING")
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
@told
def compare(site_path: Path, first: str, second: str, as_json: bool) -> None:
    """Score two TUNINGs of a SITE on the same recordings; the second against the first, alarm by alarm."""
    from north_hush.core.site.file import load_site
    from north_hush.core.site.propose import compare_tunings

    found = compare_tunings(load_site(site_path), site_path, first, second)
    if as_json:
        click.echo(json.dumps(found, indent=1))
        return
    for row in found["in_all"]:
        for name in (first, second):
            click.echo(f"{row['view']}  {name}: {_score_text(row[name])}")
    for row in found["recordings"]:
        states = ", ".join(f"{count} {state}" for state, count in row["ledger"].items())
        lost = f"; loses {', '.join(row['lost_incidents'])}" if row["lost_incidents"] else ""
        click.echo(f"{row['view']}  {row['path']}  {states}{lost}")


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.option("--out", required=True, type=click.Path(path_type=Path, file_okay=False), help="Folder for the files.")
@click.option("--tuning", help="Use this tuning instead of the one in use.")
@told
def events(site_path: Path, out: Path, tuning: str | None) -> None:
    """Write alarms, verdicts and scores of a SITE as CSV and JSON, and its events as WebVTT for each recording."""
    from north_hush.core.site.events import write_events
    from north_hush.core.site.file import load_site

    for path in write_events(load_site(site_path), site_path, out, tuning):
        click.echo(path)


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.argument("recording")
@click.argument("truth_path", metavar="FILE", type=click.Path(path_type=Path))
@told
def truth(site_path: Path, recording: str, truth_path: Path) -> None:
    """Take the incidents in FILE (CSV or JSON: name, start_s, end_s) as the whole truth of a RECORDING of a SITE."""
    from north_hush.core.site.events import take_truth
    from north_hush.core.site.file import load_site, save_site

    site, notes = take_truth(load_site(site_path), site_path, recording, truth_path)
    save_site(site, site_path)
    for note in notes:
        click.echo(note, err=True)
    click.echo(site_path)


@main.command()
@click.option("--seeds", type=click.IntRange(1, 100), default=10, show_default=True, help="How many seeds.")
@click.option("--first", type=click.IntRange(2, 2**31), default=21, show_default=True, help="The first seed.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
@click.option(
    "--keep", type=click.Path(path_type=Path), help="Keep the recordings in this folder, and use those in it."
)
@told
def trial(seeds: int, first: int, as_json: bool, keep: Path | None) -> None:
    """Score the demo's tunings, factory and tuned, on recordings of other seeds."""
    from north_hush.demo.trial import run_trial

    found = run_trial(range(first, first + seeds), keep, lambda said: click.echo(said, err=True))
    if as_json:
        click.echo(json.dumps(found, indent=1))
        return
    for name, row in found["in_all"].items():
        click.echo(
            f"{name}: {_score_text(row)}; {row['nuisance_time_percent']} % of the time outside incidents in alarm"
        )
