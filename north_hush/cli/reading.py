"""Commands that read recordings and sites: evidence, alarms, masks, wire prints."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import click

from north_hush.cli.group import all_hours_option, json_option, main, tell_files, told

_LEVEL_COLUMNS = ("view", "path", "time_s", "time", "item", "name", "level_percent")


@main.command()
@click.argument("recording", type=click.Path(path_type=Path))
@json_option
@click.option("--fps", type=float, help="Frame rate of an image folder, in frames/s.")
@click.option("--rotate", type=click.Choice(["0", "90", "180", "270"]), help="Turn clockwise by degrees.")
@click.option("--flip", is_flag=True, help="Flip left to right.")
@told
def evidence(recording: Path, as_json: bool, fps: float | None, rotate: str | None, flip: bool) -> None:
    """Make or find the evidence of a RECORDING, and say what it is."""
    from north_hush.core.footage.fingerprint import fingerprint
    from north_hush.core.footage.index import Footage, index_recording
    from north_hush.core.footage.options import EvidenceOptions, Orientation
    from north_hush.core.footage.passes import make_evidence
    from north_hush.core.footage.room import folder_bytes
    from north_hush.core.footage.store import evidence_key, find_evidence, read_evidence, stored_folder

    index = index_recording(Footage(recording, fps))
    turn = (
        Orientation.model_validate({"rotation_deg": int(rotate or 0), "flip": flip})
        if rotate or flip
        else index.orientation
    )
    options = EvidenceOptions(orientation=turn)
    key = evidence_key(fingerprint(index.footage), options)
    held, folder = find_evidence(key), stored_folder(key)
    if held is None:
        made = make_evidence(index, options)
        assert made is not None
        folder = made[0]
        held = read_evidence(folder)
    facts = {
        "path": str(recording),
        "width": held.grid.width,
        "height": held.grid.height,
        "codec": index.codec,
        "frames": len(held.frames),
        "duration_s": round(held.duration_s, 3),
        "frames_per_s": round(index.frames_per_s, 3),
        "worst_interval_s": round(index.worst_interval_us / 1e6, 3),
        "taken_at": taken_at.isoformat() if (taken_at := index.taken_at()) else None,
        "bytes": folder_bytes(folder),
        "oddities": [*index.oddities, *held.oddities],
    }
    click.echo(
        json.dumps(facts, indent=1) if as_json else "\n".join(f"{name:>16}  {value}" for name, value in facts.items())
    )


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@json_option
@click.option("--tuning", help="Use this tuning instead of the one in use.")
@click.option(
    "--why", is_flag=True, help="With reasons: patch, path, likely cause, and the least turns that silence it."
)
@all_hours_option
@told
def alarms(site_path: Path, as_json: bool, tuning: str | None, why: bool, all_hours: bool) -> None:
    """List the alarms of a SITE's recordings under its settings."""
    from north_hush.core.footage.stamps import clock_text
    from north_hush.core.handover.report import Asked, site_alarms
    from north_hush.core.site.file import load_site

    found = site_alarms(Asked(load_site(site_path), site_path, tuning, all_hours), why=why)
    if as_json:
        click.echo(json.dumps(found, indent=1))
        return
    for note in found["notes"]:
        click.echo(note, err=True)
    for row in found["recordings"]:
        click.echo(f"{row['view']}  {row['path']}  " + (row.get("error") or f"{len(row['alarms'])} alarms"))
        for alarm in row.get("alarms", ()):
            length = alarm["end_s"] - alarm["start_s"]
            click.echo(
                f"  {clock_text(alarm['start_s'] * 1e6):>9}  {length:6.1f} s  peak {alarm['peak_percent']:6.2f} %  {alarm['name']}"
                + (f"  {_why_text(alarm['why'])}" if why else "")
            )


def _why_text(reasons: dict[str, Any]) -> str:
    text = f"{reasons['looks_like']} ({reasons['sure']:.0%} sure)"
    turns = reasons["silenced_by"]
    return text + (f"; silenced by {turns[0]['dial']} {turns[0]['value']:g}" if turns else "")


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.option("--csv", "as_csv", is_flag=True, help="Print CSV with a header.")
@click.option("--over", type=click.FloatRange(0, 100), default=0.0, help="Only levels of at least so many percent.")
@click.option("--tuning", help="Use this tuning instead of the one in use.")
@json_option
@told
def levels(site_path: Path, as_csv: bool, over: float, tuning: str | None, as_json: bool) -> None:
    """Print the level of every zone and wire of a SITE in each frame, for those who tune by reading values."""
    import csv

    from north_hush.core.handover.report import Asked, site_levels
    from north_hush.core.judge.table_file import plain_cell
    from north_hush.core.site.file import load_site

    rows = site_levels(Asked(load_site(site_path), site_path, tuning), over)
    if as_json:
        click.echo(json.dumps({"levels": [dict(zip(_LEVEL_COLUMNS, row, strict=True)) for row in rows]}))
        return
    if as_csv:
        writer = csv.writer(sys.stdout, lineterminator="\n")
        writer.writerow(_LEVEL_COLUMNS)
        writer.writerows([plain_cell(value) for value in row] for row in rows)
        return
    for _, path, at_s, clock, _, name, level in rows:
        click.echo(f"{path}  {at_s:10.3f} s  {clock}  {level:8.3f} %  {name}")


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print JSON, with the course of each.")
@told
def tracks(site_path: Path, as_json: bool) -> None:
    """Print what was followed on the recordings of a SITE: what it is, when it came and went, and its course."""
    from north_hush.core.handover.tracks import site_tracks
    from north_hush.core.site.file import load_site

    found = site_tracks(load_site(site_path), site_path)
    if as_json:
        click.echo(json.dumps(found))
        return
    for row in found["recordings"]:
        click.echo(f"{row['path']}  {row['error'] if 'error' in row else len(row['tracks'])} tracks")
        for track in row.get("tracks", ()):
            when = f"{track['start_s']:9.2f} s to {track['end_s']:9.2f} s"
            click.echo(f"  {track['id']:>5}  {when}  {track['kind']:<12} {100 * track['sure']:3.0f} % sure")


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.option("--out", required=True, type=click.Path(path_type=Path, file_okay=False), help="Folder for the images.")
@click.option("--format", "kind", type=click.Choice(["png", "pgm", "pgm-plain"]), default="png", show_default=True)
@click.option(
    "--polarity",
    type=click.Choice(["white-watched", "black-watched"]),
    default="white-watched",
    show_default=True,
    help="What white, or black, stands for; grey is part strength.",
)
@json_option
@told
def masks(site_path: Path, out: Path, kind: str, polarity: str, as_json: bool) -> None:
    """Write the detection and privacy masks of a SITE's views as images of exactly the picture's size."""
    from north_hush.core.handover.masks import write_masks
    from north_hush.core.site.file import load_site

    written = write_masks(load_site(site_path), site_path, out, kind, polarity.replace("-", "_"))  # type: ignore[arg-type]
    tell_files(written, as_json=as_json)


@main.command("print")
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.option("--out", required=True, type=click.Path(path_type=Path, file_okay=False), help="Folder for the pictures.")
@json_option
@told
def print_wires(site_path: Path, out: Path, as_json: bool) -> None:
    """Write the wire prints of a SITE's tripwires over its recordings as PNG, marked with their alarms."""
    from north_hush.core.handover.prints import write_prints
    from north_hush.core.site.file import load_site

    tell_files(write_prints(load_site(site_path), site_path, out), as_json=as_json)


@main.command()
@told
def schema() -> None:
    """Print the JSON Schema of the site file."""
    from north_hush.core.site.file import site_schema

    click.echo(json.dumps(site_schema(), indent=1))
