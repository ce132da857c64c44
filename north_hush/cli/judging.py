"""Commands about what settings are worth: scores, proposals, comparisons, truth, trials."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any, Literal

import click

from north_hush.cli.group import all_hours_option, json_option, main, tell_files, told


@main.command("score")
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@json_option
@click.option("--tuning", help="Use this tuning instead of the one in use.")
@all_hours_option
@told
def score_command(site_path: Path, as_json: bool, tuning: str | None, all_hours: bool) -> None:
    """Score a SITE's settings against its incidents, per recording and in all."""
    from north_hush.core.handover.report import Asked, site_scores
    from north_hush.core.site.file import load_site

    found = site_scores(Asked(load_site(site_path), site_path, tuning, all_hours))
    if as_json:
        click.echo(json.dumps(found, indent=1))
        return
    for note in found["notes"]:
        click.echo(note, err=True)
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
@json_option
@click.option("--take", is_flag=True, help="Write the first proposal of each view into the tuning in use.")
@click.option("--unseen", is_flag=True, help="Also score each recording under settings chosen on the others alone.")
@all_hours_option
@told
def propose(site_path: Path, as_json: bool, take: bool, unseen: bool, all_hours: bool) -> None:
    """Search quieter settings for a SITE that keep every incident."""
    from north_hush.core.handover.propose import find_proposals, proposal_row, taken, unseen_rows
    from north_hush.core.handover.report import Asked, hours_notes
    from north_hush.core.site.file import load_site
    from north_hush.core.site.saving import held_site, mark_of, save_site

    known = mark_of(site_path)
    site = load_site(site_path)
    asked = Asked(site, site_path, all_hours=all_hours)
    for note in hours_notes(asked):
        click.echo(note, err=True)
    with click.progressbar(length=1000, label="searching", file=sys.stderr) as bar:
        found = find_proposals(asked, lambda share: bar.update(round(1000 * share) - bar.pos))
    rows: list[dict[str, Any]] = [
        {"view": view.name, "proposals": [proposal_row(held) for held in proposals]} for view, proposals in found
    ]
    if unseen:
        for row, scored in zip(rows, unseen_rows(asked), strict=True):
            row["unseen"] = scored
    if take:
        with held_site(site_path):
            save_site(taken(site, found), site_path, known)
    if as_json:
        click.echo(json.dumps({"site": site.name, "views": rows, "taken": take}, indent=1))
        return
    for row in rows:
        for held in row["proposals"]:
            click.echo(f"{row['view']}  {held['aim']}: {_score_text(held)}; turns {len(held['changes'])} settings")
            for warning in held["warnings"]:
                click.echo(f"    {warning}")
        for path, scored in row.get("unseen", {}).items():
            said = _score_text(scored) if scored is not None else "the others know of no truth"
            click.echo(f"{row['view']}  {path} unseen: {said}")


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.argument("first", metavar="TUNING")
@click.argument("second", metavar="TUNING")
@json_option
@told
def compare(site_path: Path, first: str, second: str, as_json: bool) -> None:
    """Score two TUNINGs of a SITE on the same recordings; the second against the first, alarm by alarm."""
    from north_hush.core.handover.propose import compare_tunings
    from north_hush.core.site.file import load_site

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
@all_hours_option
@json_option
@told
def events(site_path: Path, out: Path, tuning: str | None, all_hours: bool, as_json: bool) -> None:
    """Write alarms, verdicts and scores of a SITE as CSV, JSON and iCalendar, and its events as WebVTT for each recording."""
    from north_hush.core.handover.events import write_events
    from north_hush.core.handover.report import Asked
    from north_hush.core.site.file import load_site

    tell_files(write_events(Asked(load_site(site_path), site_path, tuning, all_hours), out), as_json=as_json)


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.argument("recording")
@click.argument("truth_path", metavar="FILE", type=click.Path(path_type=Path))
@json_option
@told
def truth(site_path: Path, recording: str, truth_path: Path, as_json: bool) -> None:
    """Take the incidents in FILE (CSV or JSON: name, start_s, end_s) as the whole truth of a RECORDING of a SITE."""
    from north_hush.core.handover.events import take_truth
    from north_hush.core.site.file import load_site
    from north_hush.core.site.saving import held_site, save_site

    with held_site(site_path):
        site, notes = take_truth(load_site(site_path), site_path, recording, truth_path)
        save_site(site, site_path)
    if as_json:
        click.echo(json.dumps({"site": str(site_path), "recording": recording, "notes": notes}, indent=1))
        return
    for note in notes:
        click.echo(note, err=True)
    click.echo(site_path)


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.argument("recording")
@click.argument("list_path", metavar="FILE", type=click.Path(path_type=Path))
@click.option("--start", help="Column of the start; guessed from the names of the columns when left out.")
@click.option("--end", help="Column of the end.")
@click.option("--lasts", help="Column of the length in seconds, where no end is told.")
@click.option("--label", help="Column of what raised the alarm.")
@click.option(
    "--clock",
    type=click.Choice(["start", "day"]),
    default="start",
    help="Clock times without a date count from the start of the recording, or from midnight (UTC).",
)
@click.option("--shift", type=float, default=0.0, help="Seconds added to every time.")
@json_option
@told
def device(
    site_path: Path,
    recording: str,
    list_path: Path,
    start: str | None,
    end: str | None,
    lasts: str | None,
    label: str | None,
    clock: Literal["start", "day"],
    shift: float,
    as_json: bool,
) -> None:
    """Take the alarm list in FILE (CSV) as what the device itself raised in a RECORDING of a SITE, and compare with it."""
    from north_hush.core.handover.device_list import compare_device, take_device
    from north_hush.core.judge.device import Choice, guess_choice, read_alarm_table
    from north_hush.core.site.file import load_site
    from north_hush.core.site.saving import held_site, save_site

    table = read_alarm_table(list_path)
    guess = guess_choice(table)
    named = start is not None  # then only what is named counts
    choice = Choice(
        start or guess.start,
        end or ("" if named else guess.end),
        lasts or ("" if named else guess.lasts),
        label or ("" if named else guess.label),
        clock,
        shift,
    )
    with held_site(site_path):
        site, outside = take_device(load_site(site_path), site_path, recording, table, choice)
        save_site(site, site_path)
    found = compare_device(site, site_path, recording)
    if as_json:
        click.echo(json.dumps({**found, "outside": outside}, indent=1))
        return
    states = ", ".join(f"{count} {state}" for state, count in found["ledger"].items())
    click.echo(f"{found['path']}  device: {_score_text(found['device'])}; {outside} of its alarms lie outside")
    click.echo(f"{found['path']}  {found['tuning']}: {_score_text(found['now'])}; against the device {states}")


@main.command()
@click.option("--seeds", type=click.IntRange(1, 100), default=10, show_default=True, help="How many seeds.")
@click.option("--first", type=click.IntRange(2, 2**31), default=21, show_default=True, help="The first seed.")
@json_option
@click.option("--carry", is_flag=True, help="Tune on one seed, score untouched on the next: SEEDS pairs of them.")
@click.option(
    "--keep", type=click.Path(path_type=Path), help="Keep the recordings in this folder, and use those in it."
)
@told
def trial(seeds: int, first: int, as_json: bool, carry: bool, keep: Path | None) -> None:
    """Score the demo's tunings, factory and tuned, on recordings of other seeds; or find settings on one and score them on
    the next."""
    from north_hush.demo.trial import run_carry, run_trial

    if carry:
        _tell_carried(run_carry(first, seeds, keep, lambda said: click.echo(said, err=True)), as_json=as_json)
        return

    found = run_trial(range(first, first + seeds), keep, lambda said: click.echo(said, err=True))
    if as_json:
        click.echo(json.dumps(found, indent=1))
        return
    for name, row in found["in_all"].items():
        click.echo(
            f"{name}: {_score_text(row)}; {row['nuisance_time_percent']} % of the time outside incidents in alarm"
        )
    row = found["crossings"]
    click.echo(f"crossings: {row['found']} of {row['crossings']} found, {row['false']} false ones, F1 {row['f1']}")
    for name, what in (("things", "things left and taken"), ("blindness", "times a camera was blind")):
        row = found[name]
        click.echo(f"{what}: {row['found']} of {row['to_find']} found, {row['false']} false ones in {row['hours']} h")


def _tell_carried(found: dict[str, Any], *, as_json: bool) -> None:
    if as_json:
        click.echo(json.dumps(found, indent=1))
        return
    for name in ("first_day", "second_day", "day_to_night"):
        row, before = found[name], found[name]["factory"]
        delay = f", median delay {row['delay_s']['median']} s" if row["delay_s"] else ""
        click.echo(
            f"{name.replace('_', ' ')}: {row['met']} of {row['incidents']} met, {row['nuisance']} nuisances "
            f"(factory {before['nuisance']}), {100 * row['quiet_time_in_alarm']:.2f} % of quiet time in alarm "
            f"(factory {100 * before['quiet_time_in_alarm']:.2f} %){delay}"
        )


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.option("--view", "name", default="", help="The view; the first one.")
@click.option("--before", default="", metavar="RECORDING", help="As the site names it; the oldest one.")
@click.option("--after", default="", metavar="RECORDING", help="The newest one.")
@json_option
@click.option("--tuning", help="Use this tuning instead of the one in use.")
@told
def since(site_path: Path, name: str, before: str, after: str, as_json: bool, tuning: str | None) -> None:
    """Say what changed between two recordings of a view: light, noise, restlessness, and the score under the same tuning."""
    from dataclasses import asdict

    from north_hush.core.errors import SiteError
    from north_hush.core.evaluate.evaluator import Evaluator
    from north_hush.core.handover.report import Asked
    from north_hush.core.handover.since import pair_of, season_of, words_of
    from north_hush.core.site.file import load_site

    site = load_site(site_path)
    view = next((held for held in site.views if name in ("", held.name, held.id)), None)
    if view is None:
        raise SiteError(
            f"--view {name}", "is none of the site.", f"It has {', '.join(held.name for held in site.views)}."
        )
    evaluator, asked = Evaluator(), Asked(site, site_path, tuning)
    seasons = [season_of(evaluator, asked, view, held) for held in pair_of(view, before, after)]
    used = next(used for held, used in asked.views() if held.id == view.id)
    limits = [used.of(item.id).change_limit_grey for item in view.watchers] or [
        used.of("whole-picture").change_limit_grey
    ]
    said = words_of(seasons[0], seasons[1], min(limits))
    if as_json:
        click.echo(
            json.dumps(
                {"view": view.name, "before": asdict(seasons[0]), "after": asdict(seasons[1]), "said": said}, indent=1
            )
        )
        return
    for season in seasons:
        click.echo(
            f"{season.recording}  brightness {season.luma_grey}, noise {season.noise_grey}, restless {season.restless_percent} %, "
            f"{season.alarms_an_hour} alarms an hour, {season.met} of {season.incidents} met"
        )
    click.echo("\n".join(said))
