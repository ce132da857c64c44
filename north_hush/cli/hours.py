"""The command about hours: when alarms count, footage is kept and people are told."""

from __future__ import annotations

import json
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING

import click
from pydantic import ValidationError

from north_hush.cli.group import json_option, main, tell_files, told
from north_hush.core.errors import SiteError

if TYPE_CHECKING:
    from north_hush.core.site.model import Site

_DATE = click.DateTime(["%Y-%m-%d"])


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.option("--item", help="The hours of this zone or wire, by name, instead of those of the views.")
@click.option("--armed", help="When alarms count, as opening hours: 'Mo-Fr 18:00-06:00; Sa,Su'. '' takes them away.")
@click.option("--recording", help="When footage is kept; written the same way.")
@click.option("--notifying", help="When people are told, while it is armed too.")
@click.option(
    "--tuning",
    "tunings",
    multiple=True,
    metavar="NAME=TEXT",
    help="When a tuning is on by itself, as 'night=sunset-sunrise'; 'night=' takes that away. May be given again.",
)
@click.option("--time-zone", help="IANA name of the site's time zone, as Atlantic/Faroe.")
@click.option("--place", help="LATITUDE,LONGITUDE of the site, for hours by the sun.")
@click.option("--holidays", type=click.Path(path_type=Path), help="An iCalendar file of the days that PH stands for.")
@click.option("--from", "first", type=_DATE, help="Give the hours as instants from this day on (with --to).")
@click.option("--to", "last", type=_DATE, help="To the end of this day.")
@click.option(
    "--ics", "calendar", type=click.Path(path_type=Path), help="Write them as an iCalendar file (with --from, --to)."
)
@json_option
@told
def hours(
    site_path: Path,
    item: str | None,
    armed: str | None,
    recording: str | None,
    notifying: str | None,
    tunings: tuple[str, ...],
    time_zone: str | None,
    place: str | None,
    holidays: Path | None,
    first: datetime | None,
    last: datetime | None,
    calendar: Path | None,
    as_json: bool,
) -> None:
    """State the hours of a SITE, or say when they hold."""
    from north_hush.core.handover.schedule import hours_rows, with_hours, with_tuning_hours
    from north_hush.core.hours.clock import read_holidays
    from north_hush.core.site.edits import set_place, set_time_zone
    from north_hush.core.site.file import describe_invalid, load_site
    from north_hush.core.site.model import replaced
    from north_hush.core.site.saving import held_site, mark_of, save_site

    known, site = mark_of(site_path), load_site(site_path)
    before = site
    try:
        site = set_time_zone(site, time_zone) if time_zone else site
        site = set_place(site, *_numbers(place)) if place is not None else site
        site = replaced(site, holidays=read_holidays(holidays)) if holidays else site
        site = with_hours(site, item, armed=armed, recording=recording, notifying=notifying)
        for stated in tunings:
            name, equals, text = stated.partition("=")
            if not equals:
                raise SiteError(f"--tuning {stated}", "is not NAME=TEXT.", "Write it as 'night=sunset-sunrise'.")
            site = with_tuning_hours(site, name.strip(), text.strip())
    except ValidationError as error:
        raise SiteError(str(site_path), describe_invalid(error), "Nothing was written.") from error
    if (first is None) != (last is None):
        raise SiteError("--from and --to", "are given together.", "Give both days.")
    rows = hours_rows(site, first.date(), last.date()) if first is not None and last is not None else None
    if calendar is not None:
        from north_hush.core.handover.calendar import hours_entries, write_calendar

        if rows is None:
            raise SiteError("--ics", "needs the days it is for.", "Give --from and --to.")
        write_calendar(calendar, f"{site.name}, hours", hours_entries(rows["views"]))
    if site != before:
        with held_site(site_path):
            save_site(site, site_path, known)
    if rows is None:
        if as_json:
            click.echo(json.dumps(_stated(site), indent=1))
        else:
            tell_files([site_path], as_json=False)
        return
    if as_json:
        click.echo(json.dumps(rows, indent=1))
        return
    for row in rows["views"]:
        for kind in ("armed", "recording", "notifying"):
            spans = ", ".join(f"{start} to {end}" for start, end in row[kind]) or "never"
            click.echo(f"{row['view']}  {row['item'] or 'all'}  {kind}: {spans}")
    for held in rows.get("tunings", ()):
        click.echo(f"{held['view']}  {held['tuning']} on: {held['on'][0]} to {held['on'][1]}")


def _stated(site: Site) -> dict[str, object]:
    """The texts as they stand."""
    return {
        "time_zone": site.time_zone,
        "place": None if site.place is None else site.place.model_dump(),
        "holidays": [day.isoformat() for day in site.holidays],
        "views": [
            {
                "view": view.name,
                **view.hours.model_dump(),
                "items": {item: held.model_dump() for item, held in view.item_hours.items()},
                "tunings": {held.name: held.hours for held in view.tunings if held.hours is not None},
            }
            for view in site.views
        ],
    }


def _numbers(place: str) -> tuple[float, float]:
    try:
        latitude, longitude = (float(part) for part in place.split(","))
    except ValueError as error:
        raise SiteError(f"--place {place}", "is not LATITUDE,LONGITUDE.", "Write it as 62.01,-6.77.") from error
    return latitude, longitude


def _utc(moment: datetime) -> str:
    return moment.astimezone(UTC).isoformat().replace("+00:00", "Z")


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@json_option
@told
def timeline(site_path: Path, as_json: bool) -> None:
    """Tell when the recordings of a SITE were, in order of time, with gaps and overlaps; no file is opened."""
    from north_hush.core.site.file import load_site
    from north_hush.core.site.timeline import timeline_of

    rows = []
    site = load_site(site_path)
    for view in site.views:
        held, paths = timeline_of(view.recordings), {one.id: one.path for one in view.recordings}
        rows.append(
            {
                "view": view.name,
                "pieces": [
                    {"recording": paths[one.recording], "start_utc": _utc(one.start), "end_utc": _utc(one.end)}
                    for one in held.pieces
                ],
                "gaps": [[_utc(start), _utc(end)] for start, end in held.gaps],
                "overlaps": [
                    {"recordings": [paths[one], paths[other]], "seconds": round(seconds, 3)}
                    for one, other, seconds in held.overlaps
                ],
                "undated": [paths[one] for one in held.undated],
            }
        )
    if as_json:
        click.echo(json.dumps({"views": rows}, indent=1))
        return
    for row, view in zip(rows, site.views, strict=True):
        click.echo(
            f"{view.name}: {len(row['pieces'])} recordings, {len(row['gaps'])} gaps, {len(row['overlaps'])} overlaps"
        )
        for piece in timeline_of(view.recordings).pieces:
            start, end = (at.astimezone(site.zone) for at in (piece.start, piece.end))
            name = next(one.path for one in view.recordings if one.id == piece.recording)
            click.echo(f"  {start:%Y-%m-%d %H:%M:%S} to {end:%H:%M:%S}  {name}")
        for undated in row["undated"]:
            click.echo(f"  no date  {undated}")
