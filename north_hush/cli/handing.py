"""Commands that hand settings over to devices and people."""

from __future__ import annotations

import json
from pathlib import Path

import click

from north_hush.cli.group import json_option, main, tell_files, told
from north_hush.core.errors import SiteError


@main.command()
@click.argument("path", metavar="SITE|FILE", type=click.Path(path_type=Path))
@click.option(
    "--out", "target", type=click.Path(path_type=Path), help="Write the rules of a SITE as ONVIF analytics XML."
)
@click.option("--into", "into", type=click.Path(path_type=Path), help="Read the rules of a FILE into this site.")
@click.option("--view", "view_name", help="The view, by name; else the first.")
@json_option
@told
def onvif(path: Path, target: Path | None, into: Path | None, view_name: str | None, as_json: bool) -> None:
    """Write zones and wires as ONVIF analytics XML, or read them from such a file."""
    from north_hush.core.handover.exchange import read_onvif, write_onvif

    if (target is None) == (into is None):
        raise SiteError("onvif", "is asked for neither or both of --out and --into.", "Give one of them.")
    notes = write_onvif(path, target, view_name) if target is not None else read_onvif(path, into or path, view_name)
    for note in notes:
        click.echo(note, err=True)
    if as_json:
        click.echo(json.dumps({"files": [str(target or into)], "notes": notes}, indent=1))
    else:
        tell_files([target or into or path], as_json=False)
