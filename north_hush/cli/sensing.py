"""Commands about how well a camera sees, and what it hears."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from north_hush.cli.group import json_option, main, told
from north_hush.core.errors import HushError, SiteError

if TYPE_CHECKING:
    from north_hush.core.site.model import Site, View
    from north_hush.core.site.recording import Recording


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.option(
    "--set",
    "changes",
    multiple=True,
    metavar="KIND=START,CLEAR,SECONDS[,HOURS]|off|born",
    help="Change a rule first; HOURS as those of a view are written.",
)
@click.option("--view", "only", help="Change, and look at, this view alone.")
@json_option
@told
def sight(site_path: Path, changes: tuple[str, ...], only: str | None, as_json: bool) -> None:
    """Tell when the cameras of a SITE were blind: covered, moved, blurred, dark, bright, frozen. Levels are in percent."""
    from north_hush.core.evaluate.blind import blind_told
    from north_hush.core.evaluate.recordings import read_recording
    from north_hush.core.sight.rules import WORDS
    from north_hush.core.site.file import load_site
    from north_hush.core.site.saving import mark_of, save_site

    known, site = mark_of(site_path), load_site(site_path)
    if changes:
        site = _changed(site, changes, only)
        save_site(site, site_path, known)
    rows, errors = [], []
    for view, recording in _recordings(site, only):
        try:
            index, evidence = read_recording(view, recording, site_path)
            found = blind_told(evidence, view.sight_rules, site.clock, recording.began(index, site.zone))
        except HushError as error:
            errors.append({"view": view.name, "recording": recording.path, "error": str(error)})
            continue
        for one in found:
            end_us = one.end_us if one.end_us is not None else int(evidence.time_us[-1])
            rows.append(
                {
                    "view": view.name,
                    "recording": recording.path,
                    "kind": one.kind,
                    "start_s": round(one.start_us / 1e6, 3),
                    "end_s": round(end_us / 1e6, 3),
                    "lasts": one.end_us is None,
                    "peak_percent": round(one.peak_percent, 1),
                    "moved": list(one.moved),
                    "words": WORDS[one.kind],
                }
            )
    _tell(rows, errors, as_json=as_json, nothing="Every camera saw all the while.")


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.option(
    "--hears", type=click.Choice(["louder", "jump", "drop", "either", "dead"]), default="jump", show_default=True
)
@click.option(
    "--level",
    type=float,
    default=12.0,
    show_default=True,
    help="In dB: of full scale, of louder; else from the usual.",
)
@click.option(
    "--windows", type=click.IntRange(1, 600), default=2, show_default=True, help="Tenths of a second in a row."
)
@click.option("--plain", is_flag=True, help="Not as ears weigh it.")
@json_option
@told
def sound(site_path: Path, hears: str, level: float, windows: int, plain: bool, as_json: bool) -> None:
    """Tell what is heard in the recordings of a SITE that have sound."""
    from north_hush.core.footage.sound import sound_of
    from north_hush.core.sight.hearing import SoundRule, heard_in
    from north_hush.core.site.file import find_recording, load_site

    rule = SoundRule.model_validate({"hears": hears, "level_db": level, "windows": windows, "weighted": not plain})
    rows, errors = [], []
    for view, recording in _recordings(load_site(site_path), None):
        try:
            footage = find_recording(recording, site_path)
            levels = None if footage.is_folder else sound_of(footage.path)
        except HushError as error:
            errors.append({"view": view.name, "recording": recording.path, "error": str(error)})
            continue
        if levels is None:
            errors.append({"view": view.name, "recording": recording.path, "error": "has no sound."})
            continue
        for one in heard_in(levels, rule):
            rows.append(
                {
                    "view": view.name,
                    "recording": recording.path,
                    "kind": one.hears,
                    "start_s": round(one.start_us / 1e6, 3),
                    "end_s": round(one.end_us / 1e6, 3),
                    "peak_db": round(one.peak_db, 1),
                    "words": f"{one.hears}, {one.peak_db:.0f} dB",
                }
            )
    _tell(rows, errors, as_json=as_json, nothing="Nothing of that kind is heard.")


def _recordings(site: Site, only: str | None) -> Iterator[tuple[View, Recording]]:
    found = [view for view in site.views if only is None or only in (view.name, view.id)]
    if not found:
        raise SiteError(
            f"view '{only}'", f"is none of '{site.name}'.", f"It has {', '.join(v.name for v in site.views)}."
        )
    return ((view, recording) for view in found for recording in view.recordings)


def _changed(site: Site, changes: tuple[str, ...], only: str | None) -> Site:
    from north_hush.core.hours.clock import ALWAYS, check_hours
    from north_hush.core.sight.rules import BORN, KINDS, SightRule
    from north_hush.core.site import seeing

    for text in changes:
        kind, _, value = text.partition("=")
        if kind not in KINDS:
            raise SiteError(f"--set {text}", f"names '{kind}', which is no kind.", f"The kinds are {', '.join(KINDS)}.")
        rule: SightRule | None = BORN[kind]
        if value == "off":
            rule = None
        elif value != "born":
            try:
                start, clear, seconds, *rest = value.split(",", 3)
                hours = "".join(rest).strip()
                rule = SightRule(
                    start_percent=float(start), clear_percent=float(clear), for_s=float(seconds), hours=hours
                )
            except ValueError as error:
                raise SiteError(
                    f"--set {text}",
                    "is not KIND=START,CLEAR,SECONDS[,HOURS].",
                    "Percents from 0 to 100, CLEAR below START, or off.",
                ) from error
            try:
                check_hours(hours or ALWAYS)
            except ValueError as error:
                raise SiteError(f"--set {text}", f"{error}.") from error
        for view in [view.id for view in site.views if only is None or only in (view.name, view.id)]:
            site = seeing.set_sight(site, view, kind, rule)
    return site


def _tell(rows: list[dict[str, Any]], errors: list[dict[str, Any]], *, as_json: bool, nothing: str) -> None:
    from north_hush.core.footage.stamps import clock_text

    if as_json:
        click.echo(json.dumps({"found": rows, "errors": errors}, indent=1))
        return
    for row in errors:
        click.echo(f"{row['view']}  {row['recording']}  {row['error']}", err=True)
    for row in rows:
        when = f"{clock_text(row['start_s'] * 1e6)} to {clock_text(row['end_s'] * 1e6)}"
        click.echo(f"{row['view']}  {row['recording']}  {when}  {row['words']}")
    if not rows:
        click.echo(nothing)
