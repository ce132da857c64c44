"""Commands that keep and move sites: bundles, backups, and what changed."""

from __future__ import annotations

import json
from pathlib import Path

import click

from north_hush.cli.group import json_option, main, told


@main.command()
@click.argument("files", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--out", type=click.Path(path_type=Path), help="Pack the site FILES into this one.")
@click.option("--recordings", is_flag=True, help="Pack their recordings too.")
@click.option("--into", type=click.Path(path_type=Path), help="Unpack the bundles FILES into this folder.")
@json_option
@told
def bundle(files: tuple[Path, ...], out: Path | None, recordings: bool, into: Path | None, as_json: bool) -> None:
    """Pack sites into one file with checksums, or unpack such a file: for another machine, or as a backup.

    Recordings that are not packed are found again by name and content below the folder of the site.
    """
    from north_hush.core.site.bundle import read_bundle, write_bundle

    if (out is None) == (into is None):
        raise click.UsageError("Say either --out FILE to pack, or --into FOLDER to unpack.")
    if out is not None:
        missing = write_bundle(files, out, recordings=recordings)
        for line in missing:
            click.echo(f"not there: {line}", err=True)
        click.echo(json.dumps({"bundle": str(out), "missing": missing}, indent=1) if as_json else out)
        return
    assert into is not None
    sites = [path for file in files for path in read_bundle(file, into)]
    click.echo(
        json.dumps({"sites": [str(path) for path in sites]}, indent=1) if as_json else "\n".join(map(str, sites))
    )


@main.command()
@click.argument("site", type=click.Path(path_type=Path))
@click.argument("earlier", required=False, type=click.Path(path_type=Path))
@json_option
@told
def changes(site: Path, earlier: Path | None, as_json: bool) -> None:
    """Say what changed in SITE since an EARLIER version; without one, since the version before the last save."""
    from north_hush.core.site.changes import changes as changes_between
    from north_hush.core.site.file import load_site
    from north_hush.core.site.saving import backup_of

    now, kept = load_site(site), backup_of(site)
    if earlier is None and not kept.exists():  # saved once only
        click.echo(json.dumps({"changes": []}, indent=1) if as_json else "There is no version before it.")
        return
    found = changes_between(load_site(earlier or kept), now)
    click.echo(json.dumps({"changes": found}, indent=1) if as_json else "\n".join(found) or "Nothing changed.")
