"""The command that teaches kinds of one's own."""

from __future__ import annotations

import json
from pathlib import Path

import click

from north_hush.cli.group import json_option, main, told
from north_hush.core.errors import SiteError


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.argument("name", required=False)
@click.option("--recording", help="Path or name of the recording on which it is seen.")
@click.option("--track", type=int, help="Number of its track, as 'tracks' has it.")
@click.option("--forget", is_flag=True, help="Know the kind no longer.")
@json_option
@told
def teach(
    site_path: Path, name: str | None, recording: str | None, track: int | None, forget: bool, as_json: bool
) -> None:
    """Give a track of a SITE a NAME of your own, as "the ferry": what is alike is called so from then on. Without a NAME, print what
    was taught."""
    from north_hush.core.evaluate.evaluator import Evaluator
    from north_hush.core.evaluate.recordings import read_recording
    from north_hush.core.handover.events import named_recording
    from north_hush.core.site.file import load_site
    from north_hush.core.site.saving import mark_of, save_site
    from north_hush.core.site.teaching import forget_kind, teach

    known, site = mark_of(site_path), load_site(site_path)
    if name is not None and forget:
        wanted = name.strip().casefold()
        taught = [(view.id, held.id) for view in site.views for held in view.taught if held.name.casefold() == wanted]
        if not taught:
            raise SiteError(f"kind '{name}'", "was not taught.", "Without a name the command prints what was.")
        for view_id, kind in taught:
            site = forget_kind(site, view_id, kind)
        save_site(site, site_path, known)
    elif name is not None:
        if recording is None or track is None:
            raise click.UsageError("Say which: --recording and --track.")
        view, held = named_recording(site, site_path, recording)
        _, evidence = read_recording(view, held, site_path)
        example = Evaluator().example(evidence, view.plan, track, held.id)
        if example is None:
            raise SiteError(
                f"--track {track}", f"is none of {held.path} that could be named.", "See 'tracks' for those."
            )
        site = teach(site, view.id, name, example)
        save_site(site, site_path, known)
    elif forget or recording is not None or track is not None:
        raise click.UsageError("Say the NAME too.")
    rows = [
        {"view": view.name, "id": held.id, "name": held.name, "examples": len(held.examples)}
        for view in site.views
        for held in view.taught
    ]
    if as_json:
        click.echo(json.dumps({"kinds": rows}, indent=1))
        return
    for row in rows:
        click.echo(f"{row['view']}  {row['name']}  {row['examples']} examples")
    if not rows:
        click.echo("Nothing was taught.")
