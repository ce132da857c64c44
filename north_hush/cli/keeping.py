"""Commands that keep and move sites: bundles, backups, and what changed."""

from __future__ import annotations

import json
from pathlib import Path

import click

from north_hush.cli.group import asked_password, json_option, main, told


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


@main.command("second-place")
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.option("--to", "target", help="A folder, sftp://[USER@]HOST/PATH, or a WebDAV address; '' for none.")
@click.option("--user", default="", help="Of a WebDAV server; the password is asked for, or read from standard input.")
@click.option("--in-file", is_flag=True, help="Keep the password in a file of your own instead of the keyring.")
@click.option("--test", is_flag=True, help="Copy the site file there now, and say what came of it.")
@json_option
@told
def second_place(site_path: Path, target: str | None, user: str, in_file: bool, test: bool, as_json: bool) -> None:
    """Say where clips of a SITE's live cameras are copied to as well; while it cannot be reached they wait."""
    from pydantic import ValidationError

    from north_hush.core.errors import SiteError
    from north_hush.core.outcome.passwords import keep_password, password_of
    from north_hush.core.outcome.rules import SecondPlace
    from north_hush.core.outcome.second_place import PASSWORD_NAME, copy_there
    from north_hush.core.site.file import describe_invalid, load_site
    from north_hush.core.site.model import replaced
    from north_hush.core.site.saving import mark_of, save_site

    known, site = mark_of(site_path), load_site(site_path)
    if target is not None:
        try:
            place = SecondPlace(to=target, user=user) if target else None
        except ValidationError as error:
            raise SiteError("--to", describe_invalid(error), "Nothing was written.") from error
        if user:
            keep_password(site.name, PASSWORD_NAME, asked_password(), in_file=in_file)
        site = replaced(site, second_place=place)
        save_site(site, site_path, known)
    held = site.second_place
    said = None
    if test:
        if held is None:
            raise SiteError(str(site_path), "has no second place.", "State one: --to FOLDER.")
        password = password_of(site.name, PASSWORD_NAME) if held.user else ""
        said = copy_there(held, site_path.resolve(), f"test/{site_path.name}", password)
    told_of = {"to": None if held is None else held.to, "user": "" if held is None else held.user, "said": said}
    if as_json:
        click.echo(json.dumps(told_of, indent=1))
    else:
        click.echo("  ".join(str(part) for part in (told_of["to"] or "no second place", said) if part))


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
