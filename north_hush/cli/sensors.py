"""Commands about sensors beside the picture: what is listened to, and when contacts were on."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any, Literal

import click
from pydantic import ValidationError

from north_hush.cli.group import json_option, main, told
from north_hush.core.errors import SiteError


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.option("--add", metavar="NAME", help="Listen to one more thing, called NAME.")
@click.option("--sound", type=click.Choice(["louder", "jump", "drop", "either", "dead"]), help="It listens to sound.")
@click.option("--level", type=float, help="In dB: of full scale, of louder; else from the usual.")
@click.option("--windows", type=click.IntRange(1, 600), help="Tenths of a second in a row.")
@click.option("--contact", help="It is the input contact of this name.")
@click.option("--role", type=click.Choice(["start", "need", "veto"]), default="start", show_default=True,
              help="It raises alarms by itself, is needed beside motion, or silences motion.")  # fmt: skip
@click.option("--within", type=float, default=5.0, show_default=True, help="How near to motion, in seconds.")
@click.option("--item", "items", multiple=True, help="Only this zone or wire, by name; may be given again.")
@click.option("--remove", metavar="NAME", help="Listen to NAME no more.")
@click.option("--view", "view_name", help="The view, by name; else the first.")
@json_option
@told
def sensors(
    site_path: Path,
    add: str | None,
    sound: str | None,
    level: float | None,
    windows: int | None,
    contact: str | None,
    role: Literal["start", "need", "veto"],
    within: float,
    items: tuple[str, ...],
    remove: str | None,
    view_name: str | None,
    as_json: bool,
) -> None:
    """Say what a view of a SITE listens to beside its picture: sound, or input contacts; and what each does."""
    from north_hush.core.handover.exchange import named_view
    from north_hush.core.site.file import describe_invalid, load_site
    from north_hush.core.site.saving import mark_of, save_site
    from north_hush.core.site.sensing import add_sensor, remove_sensor, sensor_named

    known, site = mark_of(site_path), load_site(site_path)
    view = named_view(site, view_name)
    if remove is not None:
        site = remove_sensor(site, view.id, sensor_named(view, remove).id)
    if add is not None:
        rule: dict[str, Any] = {"hears": sound, "level_db": level, "windows": windows}
        fields: dict[str, Any] = {"role": role, "within_s": within, "contact": contact or ""}
        fields["sound"] = {name: value for name, value in rule.items() if value is not None} if sound else None
        ids = {held.name: held.id for held in view.watchers} | {held.id: held.id for held in view.watchers}
        for name in items:
            if name not in ids:
                raise SiteError(f"--item {name}", "is no zone or wire of the view.", f"It has {', '.join(ids)}.")
        try:
            site = add_sensor(site, view.id, add, **fields, items=tuple(ids[name] for name in items))
        except ValidationError as error:
            raise SiteError(f"--add {add}", describe_invalid(error), "Nothing was written.") from error
    if add is not None or remove is not None:
        save_site(site, site_path, known)
    rows = [{"view": held.name, **sensor.model_dump(mode="json")} for held in site.views for sensor in held.sensors]
    if as_json:
        click.echo(json.dumps({"sensors": rows}, indent=1))
        return
    for row in rows:
        what = f"contact {row['contact']}" if row["contact"] else f"sound, {row['sound']['hears']}"
        click.echo(f"{row['view']}  {row['name']}  {what}  {row['role']}, within {row['within_s']:g} s")


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.argument("recording")
@click.argument("table_path", metavar="FILE", type=click.Path(path_type=Path))
@click.option("--contact", help="All rows are of this contact; else a column says which.")
@click.option("--clock", type=click.Choice(["start", "day"]), default="start", show_default=True,
              help="Clock times without a date count from the start of the recording, or from midnight.")  # fmt: skip
@json_option
@told
def contacts(
    site_path: Path,
    recording: str,
    table_path: Path,
    contact: str | None,
    clock: Literal["start", "day"],
    as_json: bool,
) -> None:
    """Take from FILE (CSV: start, end, name) when input contacts were on over a RECORDING of a SITE."""
    from dataclasses import replace

    from north_hush.core.handover.device_list import take_contacts
    from north_hush.core.judge.device import guess_choice, read_alarm_table
    from north_hush.core.site.file import load_site
    from north_hush.core.site.saving import held_site, save_site

    table = read_alarm_table(table_path)
    choice = replace(guess_choice(table), clock=clock)
    with held_site(site_path):
        site, taken, outside = take_contacts(load_site(site_path), site_path, recording, table, choice, contact)
        save_site(site, site_path)
    names = sorted({held.label for held in taken})
    if as_json:
        click.echo(
            json.dumps({"recording": recording, "times": len(taken), "contacts": names, "outside": outside}, indent=1)
        )
    else:
        click.echo(f"{len(taken)} times of {', '.join(names) or 'no contact'}; {outside} lie outside the recording")
