"""The command that asks footage."""

from __future__ import annotations

import json
from pathlib import Path

import click

from north_hush.cli.group import json_option, main, points_of, told
from north_hush.core.errors import SiteError

_QUESTIONS = ("moved", "passed", "went", "stayed", "left", "taken", "nothing")


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.argument("question", type=click.Choice(_QUESTIONS))
@click.option(
    "--place", required=True, help="Where: x,y;x,y;x,y... in fractions of the picture. Of 'went', where from."
)
@click.option("--to", default="", help="Where to, of 'went'; written like --place.")
@click.option("--way", help="An arrow, of 'passed': x,y;x,y, its tail and its head.")
@click.option("--seconds", type=float, help="The least time, of 'moved', 'stayed', 'left', 'taken' and 'nothing'.")
@json_option
@told
def ask(
    site_path: Path, question: str, place: str, to: str, way: str | None, seconds: float | None, as_json: bool
) -> None:
    """Ask all recordings of a SITE what happened at a place, with no settings made before."""
    from north_hush.core.ask.footage import ask_site
    from north_hush.core.ask.question import Question
    from north_hush.core.footage.index import clock_text
    from north_hush.core.site.file import load_site

    arrow = points_of(way, f"--way {way}") if way else ()
    if way and len(arrow) != 2:
        raise SiteError(f"--way {way}", "is not two points.", "Write its tail and its head, as 0.2,0.5;0.6,0.5.")
    asked = Question(
        question,  # type: ignore[arg-type]
        points_of(place, f"--place {place}"),
        points_of(to, f"--to {to}") if to else (),
        (arrow[0], arrow[1]) if way else None,
        seconds,
    )
    found = ask_site(load_site(site_path), site_path, asked)
    for row in found["errors"]:
        click.echo(f"{row['view']}  {row['recording']}  {row['error']}", err=True)
    if as_json:
        click.echo(json.dumps(found, indent=1))
        return
    for row in found["answers"]:
        when = f"{clock_text(row['start_s'] * 1e6)} to {clock_text(row['end_s'] * 1e6)}"
        click.echo(f"{row['view']}  {row['recording']}  {when}  {row['sure']:.0%} sure")
    if not found["answers"]:
        click.echo("Nothing of that kind.")
