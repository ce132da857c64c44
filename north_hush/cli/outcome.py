"""Commands about what alarms lead to: the replay, the clips themselves, and tests of the ways to tell."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import TYPE_CHECKING

import click

from north_hush.cli.group import all_hours_option, json_option, main, told
from north_hush.core.errors import HushError

if TYPE_CHECKING:
    from north_hush.core.outcome.ways.message import Message

_TUNING = click.option("--tuning", help="Use this tuning instead of the one in use.")


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@json_option
@_TUNING
@all_hours_option
@told
def outcome(site_path: Path, as_json: bool, tuning: str | None, all_hours: bool) -> None:
    """Replay what the alarms of a SITE lead to, and what a day of it costs."""
    from north_hush.core.handover.outcome import site_outcome
    from north_hush.core.handover.report import Asked
    from north_hush.core.site.file import load_site

    found = site_outcome(Asked(load_site(site_path), site_path, tuning, all_hours))
    if as_json:
        click.echo(json.dumps(found, indent=1))
        return
    for note in found["notes"]:
        click.echo(note, err=True)
    for row in found["recordings"]:
        if "error" in row:
            click.echo(f"{row['view']}  {row['recording']}  {row['error']}")
            continue
        kept = sum(clip["kept"] for clip in row["clips"])
        sent = sum(notice["sent"] for notice in row["notices"])
        click.echo(
            f"{row['view']}  {row['recording']}  {row['alarms']} alarms: {kept} clips, {len(row['clips']) - kept} held back, "
            f"{len(row['snapshots'])} snapshots, {sent} messages"
        )
    for day in found["views"]:
        click.echo(
            f"{day['view']}  a day: {day['clips']['a_day']:.0f} clips, {day['clip_hours']:.1f} h of them, "
            f"{day['gb_a_day']:.2f} GB, {day['messages']['a_day']:.0f} messages (from {day['footage_h']:.2f} h of footage)"
        )
        for other, seconds in day["along"].items():
            click.echo(f"{day['view']}  {other} records along for {seconds / 60:.1f} min of this footage")
    disk = found["disk"]
    full = disk["full_after_days"]
    click.echo(
        f"Disk of {disk['size_gb']:g} GB: "
        + (f"full after {full} days; then it goes round" if full else f"never full; {disk['used_gb']:.1f} GB are used")
    )
    for row in disk["kept"]:
        click.echo(
            f"{row['view']}  keeps clips of {row['clips_days']} days, continuous footage of {row['continuous_days']}"
        )


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.option("--out", "folder", required=True, type=click.Path(path_type=Path, file_okay=False), help="Where to.")
@click.option("--only", help="Clips of this view, zone or wire alone, by name.")
@click.option("--stamp", is_flag=True, help="Burn the time into the picture; encodes anew.")
@click.option("--dry-run", is_flag=True, help="Say what would be cut, and write nothing.")
@json_option
@_TUNING
@all_hours_option
@told
def clips(
    site_path: Path,
    folder: Path,
    only: str | None,
    stamp: bool,
    dry_run: bool,
    as_json: bool,
    tuning: str | None,
    all_hours: bool,
) -> None:
    """Cut the clips and snapshots that the alarms of a SITE lead to out of its recordings."""
    from north_hush.core.handover.clips import site_clips
    from north_hush.core.handover.report import Asked
    from north_hush.core.site.file import load_site

    asked = Asked(load_site(site_path), site_path, tuning, all_hours)
    rows = []
    for row in site_clips(asked, folder, only=only, stamp=stamp, dry=dry_run):
        rows.append(row)
        if not as_json:
            what = row["file"] or "-"
            click.echo(f"{row['start_s']:9.1f} to {row['end_s']:9.1f} s  {row['recording']}  {what}  {row['why']}")
    if as_json:
        click.echo(json.dumps(rows, indent=1))


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.option("--test", "test_way", metavar="WAY", help="Send a test by this way, and say what the other side said.")
@click.option("--password", "password_way", metavar="WAY", help="Read the password of this way from standard input.")
@click.option("--in-file", is_flag=True, help="Keep the password in a file of your own instead of the keyring.")
@click.option("--out", "folder", type=click.Path(path_type=Path, file_okay=False), help="Write the pictures here.")
@json_option
@_TUNING
@told
def notify(
    site_path: Path,
    test_way: str | None,
    password_way: str | None,
    in_file: bool,
    folder: Path | None,
    as_json: bool,
    tuning: str | None,
) -> None:
    """Show what the first message of each rule of a SITE says; test a way, or state its password."""
    from north_hush.core.handover.notice import site_notices, trial_message
    from north_hush.core.handover.report import Asked
    from north_hush.core.outcome.passwords import keep_password, password_of
    from north_hush.core.outcome.ways import send
    from north_hush.core.site.file import load_site

    asked = Asked(load_site(site_path), site_path, tuning)
    if password_way is not None:
        way = asked.site.way(password_way)
        password = click.prompt("Password", hide_input=True, err=True) if sys.stdin.isatty() else sys.stdin.readline()
        where = keep_password(asked.site.name, way.name, password.rstrip("\n"), in_file=in_file)
        click.echo(json.dumps({"way": way.name, "kept": where}) if as_json else f"Kept {where}.")
    if test_way is not None:
        way = asked.site.way(test_way)
        message = trial_message(asked, way)
        said = send(way, message, password_of(asked.site.name, way.name))
        row = {"way": way.name, "kind": way.kind, "subject": message.subject, "key": message.key, "said": said}
        click.echo(json.dumps(row, indent=1) if as_json else f"{way.name}: {said}")
    if test_way is None and password_way is None:
        rows = [
            {**row, "way": way.name, "kind": way.kind, "subject": message.subject, "text": message.text,
             "short": message.short, "pictures": _written(message, number, folder)}
            for number, (way, _, message, row) in enumerate(site_notices(asked), start=1)
        ]  # fmt: skip
        if as_json:
            click.echo(json.dumps({"notices": rows}, indent=1))
            return
        for row in rows:
            click.echo(f"{row['way']} ({row['kind']})  {row['subject']}\n{row['text']}\n")
        if not rows:
            click.echo("Nobody is told of anything.")


def _written(message: Message, number: int, folder: Path | None) -> list[str]:
    """Names of a message's pictures; their paths where they are written into a folder."""
    if folder is None:
        return [picture.name for picture in message.pictures]
    paths = [folder / f"{number:02d}-{picture.name}" for picture in message.pictures]
    try:
        folder.mkdir(parents=True, exist_ok=True)
        for path, picture in zip(paths, message.pictures, strict=True):
            path.write_bytes(picture.data)
    except OSError as error:
        raise HushError(str(folder), f"cannot be written ({error.strerror}).", "Check permissions.") from error
    return [str(path) for path in paths]
