"""Commands about live cameras."""

from __future__ import annotations

import json
import signal
import sys
import threading
from pathlib import Path
from typing import Any

import click

from north_hush.cli.group import asked_password, json_option, main, told
from north_hush.core.errors import SiteError


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.option("--views", multiple=True, help="Watch this view alone, by name; may be given again.")
@click.option("--for", "seconds", type=click.FloatRange(0), help="End after so many seconds; else with Ctrl+C.")
@click.option("--speed", type=click.FloatRange(0.1, 64), default=1.0, help="Of recordings that are played as if live.")
@click.option("--check", is_flag=True, help="Open every camera once, say what comes, and end.")
@click.option("--events", "past", is_flag=True, help="Print what happened until now, and end.")
@click.option(
    "--states", is_flag=True, help="Print once a second how each camera is: levels, frames, how late they come."
)
@click.option(
    "--previews",
    type=click.Path(path_type=Path, file_okay=False),
    help="Write a small picture of each camera here, once a second.",
)
@click.option("--web", "web_text", metavar="[HOST:]PORT", help="Show a page for looking on, to the users of web-user.")
@click.option("--certificate", type=click.Path(path_type=Path), help="PEM certificate of that page.")
@click.option("--key", type=click.Path(path_type=Path), help="Its key, where it is not in the same file.")
@click.option("--inputs", "inputs_http", default="", metavar="[HOST:]PORT", help="Take input contacts over HTTP here.")
@click.option(
    "--inputs-broker", default="", metavar="HOST[:PORT]/TOPIC", help="Take input contacts from this topic (MQTT)."
)
@json_option
@told
def watch(
    site_path: Path,
    views: tuple[str, ...],
    seconds: float | None,
    speed: float,
    check: bool,
    past: bool,
    states: bool,
    previews: Path | None,
    web_text: str | None,
    certificate: Path | None,
    key: Path | None,
    inputs_http: str,
    inputs_broker: str,
    as_json: bool,
) -> None:
    """Watch the cameras of a SITE: alarms as they start and end, clips, messages, faults; one event a line."""
    from north_hush.core.watch.service import Service
    from north_hush.core.watch.store import read_events, watch_folder

    def tell(event: dict[str, Any]) -> None:
        click.echo(json.dumps(event) if as_json else _line(event))
        sys.stdout.flush()

    if past:
        for event in read_events(watch_folder(site_path) / "events.sqlite"):
            tell(event)
        return
    place = None
    if web_text is not None:
        from north_hush.core.watch.web import web_place

        place = web_place(web_text, certificate, key)
    service = Service(
        site_path, views, speed, states=states, previews=previews, web=place, inputs=(inputs_http, inputs_broker)
    )
    if check:
        _check(service, as_json=as_json)
        return
    stopped = threading.Event()
    before = {number: signal.signal(number, lambda *_: stopped.set()) for number in (signal.SIGINT, signal.SIGTERM)}
    try:
        service.run(seconds, tell, stopped)
    finally:
        for number, held in before.items():
            signal.signal(number, held)


def _line(event: dict[str, Any]) -> str:
    known = {name: value for name, value in event.items() if name not in ("time_utc", "view", "item", "what")}
    more = ", ".join(f"{name} {value}" for name, value in known.items())
    return f"{event['time_utc']}  {event['view']}  {event['what']}  {event['item']}  {more}".rstrip()


def _check(service: Any, *, as_json: bool) -> None:
    from north_hush.core.outcome.passwords import password_of
    from north_hush.core.watch.source_kinds import open_source
    from north_hush.core.watch.sources import SourceLost

    rows = []
    for view in service.site.views:
        for stream in view.camera.streams if view.camera is not None else ():
            row = {"view": view.name, "address": stream.address, "use": stream.use}
            try:
                source = open_source(view.camera.source, stream, password_of(service.site.name, view.name))
                try:
                    picture = next(source.frames).picture
                finally:
                    source.close()
                rows.append({**row, "width": picture.width, "height": picture.height, "format": picture.format.name})
            except SourceLost as error:
                rows.append({**row, "error": str(error)})
    if as_json:
        click.echo(json.dumps({"streams": rows}, indent=1))
    else:
        for row in rows:
            click.echo(
                f"{row['view']}  {row['address']}  " + str(row.get("error") or f"{row['width']} x {row['height']}")
            )
    if any("error" in row for row in rows):
        raise SystemExit(1)


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.argument("do", metavar="WHAT")
@click.option("--view", default="", help="Of this view, by name; else of all that are watched.")
@click.option("--minutes", type=click.FloatRange(0, 24 * 60, min_open=True), default=30.0, show_default=True)
@click.option("--act", type=click.Choice(["start", "stop", "new"]), default="start", help="Of record, and of contact.")
@click.option("--text", default="", help="What a reply or a press says, or which contact.")
@json_option
@told
def control(site_path: Path, do: str, view: str, minutes: float, act: str, text: str, as_json: bool) -> None:
    """Ask the service that watches a SITE for something.

    WHAT is state; arm, disarm or walk (a walk test) for some minutes; hours (as the hours say again); record; reply (nobody further is
    told); press (tell people now); contact (an input went on: start, or off: stop); reload; stop; or subscribe, to all that happens.
    """
    from north_hush.core.watch.control import ask, follow, order_of

    order = order_of({"do": do, "view": view, "minutes": minutes, "act": act, "text": text})
    if do == "subscribe":
        for event in follow(site_path):
            click.echo(json.dumps(event) if as_json else _line(event))
            sys.stdout.flush()
        return
    answer = ask(site_path, order)
    if as_json:
        click.echo(json.dumps(answer, indent=1))
    else:
        for row in answer.get("views", []):
            click.echo(row if isinstance(row, str) else "  ".join(f"{name} {value}" for name, value in row.items()))


@main.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--go", is_flag=True, help="Let it go with the others again.")
@told
def hold(file: Path, go: bool) -> None:
    """Keep a recorded FILE whatever its age and the disk say."""
    from north_hush.core.watch.retention import hold as mark

    mark(file, stays=not go)
    click.echo(f"{file}: {'goes with the others' if go else 'stays'}.")


@main.command("web-user")
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.argument("name")
@click.option("--view", "views", multiple=True, help="They see this camera, by name; may be given again. Else all.")
@click.option("--remove", is_flag=True, help="Take them away.")
@told
def web_user(site_path: Path, name: str, views: tuple[str, ...], remove: bool) -> None:
    """Let NAME look at a watched SITE over the web; the password is asked for, or read from standard input."""
    from north_hush.core.site.file import load_site
    from north_hush.core.watch.store import watch_folder
    from north_hush.core.watch.web_users import web_users

    users = web_users(watch_folder(site_path.resolve()))
    if remove:
        users.remove(name)
        click.echo(f"{name} may not look any more.")
        return
    known = [view.name for view in load_site(site_path).views]
    for view in views:
        if view not in known:
            raise SiteError(f"--view {view}", "is no view of this site.", f"It has {', '.join(known)}.")
    password = asked_password()
    users.add(name, password, views)
    click.echo(f"{name} may look at {', '.join(views) or 'all cameras'}.")


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.option("--view", "name", default="", help="Of this view, by name; else of all that have a tuning in the shade.")
@json_option
@told
def shade(site_path: Path, name: str, as_json: bool) -> None:
    """Compare what was told of a SITE's cameras with what a tuning in the shade would have told, since it runs."""
    from dataclasses import asdict

    from north_hush.core.site.file import load_site
    from north_hush.core.watch.shade import compared
    from north_hush.core.watch.store import read_events, watch_folder

    site = load_site(site_path)
    events = list(read_events(watch_folder(site_path) / "events.sqlite"))
    views = [view for view in site.views if view.camera is not None and name in ("", view.name, view.id)]
    if name and not views:
        known = ", ".join(view.name for view in site.views if view.camera is not None)
        raise SiteError(f"--view {name}", "has no camera.", f"These have one: {known}." if known else "None has one.")
    weeks = [(view, week) for view in views if (week := compared(events, view.name)) is not None]
    if as_json:
        rows = [
            {**asdict(week), "since": week.since.isoformat(), "until": week.until.isoformat(),
             "hours": round((week.until - week.since).total_seconds() / 3600, 2)}
            for _, week in weeks
        ]  # fmt: skip
        click.echo(json.dumps({"views": rows}, indent=1))
        return
    for view, week in weeks:
        hours = (week.until - week.since).total_seconds() / 3600
        click.echo(f"{week.view}  {week.tuning} in the shade for {hours:.1f} h")
        for row in week.items:
            told, shaded = f"{row.told} told ({row.told_s:.0f} s)", f"{row.shade} in the shade ({row.shade_s:.0f} s)"
            click.echo(f"  {view.names.get(row.item, row.item)}  {told}, {shaded}; {row.both} of both")
    if not weeks:
        click.echo("No tuning runs in the shade.", err=True)
