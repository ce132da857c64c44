"""The command about when recordings were taken."""

from __future__ import annotations

import json
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

import click

from north_hush.cli.group import json_option, main, told
from north_hush.core.errors import SiteError

if TYPE_CHECKING:
    from north_hush.core.site.model import Site, View
    from north_hush.core.site.recording import Recording


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.option(
    "--example",
    metavar="RECORDING=TIME",
    help="Show how names say it by one: 'slip_14-06-26_150207.mkv=2026-06-14 15:02:07'. All of its view are dated by theirs.",
)
@click.option("--pattern", help="The same, written by hand: '{day}-{month}-{yy}_{hour}{minute}{second}'.")
@click.option("--view", "view_name", help="The view, where there are several (with --pattern).")
@json_option
@told
def taken(site_path: Path, example: str | None, pattern: str | None, view_name: str | None, as_json: bool) -> None:
    """Say when the recordings of a SITE were taken, or by what pattern their names say it."""
    from north_hush.core.footage.naming import check_pattern
    from north_hush.core.site.edits import date_by_names
    from north_hush.core.site.file import load_site
    from north_hush.core.site.saving import mark_of, save_site

    if example is not None and pattern is not None:
        raise click.UsageError("Say either --example or --pattern.")
    known, site = mark_of(site_path), load_site(site_path)
    if example is not None or pattern is not None:
        view, pattern = _shown(site, example) if example is not None else (_view(site, view_name), pattern or "")
        try:
            check_pattern(pattern)
        except ValueError as error:
            raise SiteError("--pattern", f"{error}.", "Nothing was written.") from error
        site = date_by_names(site, view.id, pattern)
        save_site(site, site_path, known)
    rows = [
        {"view": view.name, "path": held.path, "pattern": view.name_pattern or None, **_taken(held, site, site_path)}
        for view in site.views
        for held in view.recordings
    ]
    if as_json:
        click.echo(json.dumps({"recordings": rows}, indent=1))
        return
    for row in rows:
        click.echo(
            f"{row['view']}  {row['path']}  {row['taken_at'] or 'nobody knows when'}  {row['by'] or ''}".rstrip()
        )


def _taken(held: Recording, site: Site, site_path: Path) -> dict[str, str | None]:
    """When a recording was taken, and what says so."""
    from north_hush.core.errors import HushError
    from north_hush.core.footage.index import index_recording
    from north_hush.core.site.file import find_recording

    if held.taken_at is not None:
        return {"taken_at": held.taken_at.astimezone(site.zone).isoformat(), "by": "name or hand"}
    try:
        index = index_recording(find_recording(held, site_path))
    except HushError as error:
        return {"taken_at": None, "by": None, "error": str(error)}
    began = held.began(index, site.zone)
    return {
        "taken_at": None if began is None else began.astimezone(site.zone).isoformat(),
        "by": index.dates[0].source if index.dates else None,
    }


def _view(site: Site, name: str | None) -> View:
    from north_hush.core.handover.exchange import named_view

    return named_view(site, name)


def _shown(site: Site, example: str) -> tuple[View, str]:
    """The view of a recording, and the pattern by which its name says a time."""
    from north_hush.core.footage.naming import pattern_of

    name, _, text = example.rpartition("=")
    for view in site.views:
        held = next((one for one in view.recordings if name in (one.path, Path(one.path).name)), None)
        if held is None:
            continue
        try:
            return view, pattern_of(held.path, datetime.fromisoformat(text))
        except ValueError as error:
            raise SiteError(f"--example {example}", "ends in no time.", "Write it as 2026-06-14 15:02:07.") from error
    raise SiteError(f"--example {example}", "names no recording of the site.", "Write its name as the site has it.")
