"""The command that asks footage."""

from __future__ import annotations

import json
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

import click

from north_hush.cli.group import json_option, main, points_of, told
from north_hush.core.errors import SiteError

if TYPE_CHECKING:
    from north_hush.core.site.questions import Light

_DATE = click.DateTime(["%Y-%m-%d"])
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
@click.option("--view", "view_names", multiple=True, help="Only recordings of this view (may be repeated).")
@click.option(
    "--kind", "names", multiple=True, help="Only of this kind, also of one that was taught (may be repeated)."
)
@click.option("--hours", default="24/7", show_default=True, help="Only at these hours, as 'Mo-Fr 18:00-06:00'.")
@click.option("--since", type=_DATE, help="From this day on, of the site's clock.")
@click.option("--until", type=_DATE, help="Up to this day.")
@click.option("--light", "lights", multiple=True, type=click.Choice(["day", "dusk", "night"]), help="Of recordings.")
@json_option
@told
def ask(
    site_path: Path,
    question: str,
    place: str,
    to: str,
    way: str | None,
    seconds: float | None,
    view_names: tuple[str, ...],
    names: tuple[str, ...],
    hours: str,
    since: datetime | None,
    until: datetime | None,
    lights: tuple[Light, ...],
    as_json: bool,
) -> None:
    """Ask all recordings of a SITE what happened at a place, with no settings made before."""
    from north_hush.core.ask.footage import ask_site
    from north_hush.core.ask.limits import AskLimits
    from north_hush.core.ask.question import Question
    from north_hush.core.footage.stamps import clock_text
    from north_hush.core.handover.exchange import named_view
    from north_hush.core.site.file import load_site
    from north_hush.core.site.teaching import kinds_called

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
    site = load_site(site_path)
    kinds = tuple(kind for name in names for kind in kinds_called(site, name))
    limits = AskLimits(kinds, hours, since.date() if since else None, until.date() if until else None, lights)
    found = ask_site(site, site_path, asked, limits, [named_view(site, name) for name in view_names])
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
