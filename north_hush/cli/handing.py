"""Commands that hand settings over to devices and people."""

from __future__ import annotations

import json
import os
from datetime import UTC, datetime
from pathlib import Path

import click
from pydantic import ValidationError

from north_hush.cli.group import all_hours_option, asked_password, json_option, main, tell_files, told
from north_hush.core.errors import SiteError


@main.command()
@click.argument("path", metavar="SITE|FILE", type=click.Path(path_type=Path))
@click.option(
    "--out", "target", type=click.Path(path_type=Path), help="Write the rules of a SITE as ONVIF analytics XML."
)
@click.option("--into", "into", type=click.Path(path_type=Path), help="Read the rules of a FILE into this site.")
@click.option("--push", metavar="URL", help="Put the rules of a SITE into the device with this ONVIF device service.")
@click.option("--pull", metavar="URL", help="Take the rules of that device into the SITE.")
@click.option("--user", default="", help="Of the device; the password is asked for, or read from standard input.")
@click.option("--view", "view_name", help="The view, by name; else the first.")
@json_option
@told
def onvif(
    path: Path,
    target: Path | None,
    into: Path | None,
    push: str | None,
    pull: str | None,
    user: str,
    view_name: str | None,
    as_json: bool,
) -> None:
    """Write zones and wires as ONVIF analytics XML, or read them from such a file; put them into a device, or take them from it."""
    from north_hush.core.handover.exchange import pull_onvif, push_onvif, read_onvif, write_onvif
    from north_hush.core.handover.onvif_device import OnvifDevice

    if sum(held is not None for held in (target, into, push, pull)) != 1:
        raise SiteError("onvif", "needs one of --out, --into, --push and --pull.", "Give one of them.")
    if target is not None:
        notes = write_onvif(path, target, view_name)
    elif into is not None:
        notes = read_onvif(path, into, view_name)
    else:
        device = OnvifDevice(push or pull or "", user, asked_password() if user else "")
        notes = push_onvif(path, device, view_name) if push else pull_onvif(device, path, view_name)
    for note in notes:
        click.echo(note, err=True)
    files = [str(target or into)] if target or into else []
    if as_json:
        click.echo(json.dumps({"files": files, "notes": notes}, indent=1))
    else:
        tell_files([target or into or path], as_json=False)


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.option("--card", "card_name", required=True, help="A device card: a file, or one of `north-hush card list`.")
@click.option("--take", is_flag=True, help="Put what was found into the site, as a view of its own.")
@click.option("--tuning", help="Fit this tuning instead of the one in use.")
@click.option(
    "--merge",
    "merges",
    multiple=True,
    metavar="NAME+NAME",
    help="Merge these zones, where the device takes fewer; may be given again. What else has to be merged is chosen.",
)
@click.option(
    "--copy",
    "copies",
    multiple=True,
    metavar="VIEW",
    help="With --take: give this view the same numbers; may be given again.",
)
@all_hours_option
@json_option
@told
def fit(
    site_path: Path,
    card_name: str,
    take: bool,
    tuning: str | None,
    merges: tuple[str, ...],
    copies: tuple[str, ...],
    all_hours: bool,
    as_json: bool,
) -> None:
    """Find the nearest to a SITE's drawing and tuning that a device can take, and what it costs."""
    from north_hush.core.handover.card import find_card
    from north_hush.core.handover.exchange import named_view
    from north_hush.core.handover.fit_rows import copy_fit, fit_row, fit_site, fit_words, take_fit
    from north_hush.core.handover.report import Asked
    from north_hush.core.progress import PROGRESS
    from north_hush.core.site.file import load_site
    from north_hush.core.site.model import replaced
    from north_hush.core.site.saving import held_site, mark_of, save_site

    card, known, site = find_card(card_name), mark_of(site_path), load_site(site_path)
    said = [0.0]

    def report(share: float) -> None:
        if share - said[0] >= 0.25:
            said[0] = share
            PROGRESS.info("%.0f %% searched", 100 * share)

    if copies and not take:
        raise click.UsageError("--copy goes with --take.")
    together = tuple(tuple(name.strip() for name in text.split("+")) for text in merges)
    targets = [named_view(site, name) for name in copies]
    if targets:  # the numbers are those of the first view, measured on its own footage
        others = {view.id for view in targets}
        asked = replaced(site, views=tuple(view for view in site.views if view.id not in others))
        found = fit_site(Asked(asked, site_path, tuning, all_hours), card, report, together)[:1]
    else:
        found = fit_site(Asked(site, site_path, tuning, all_hours), card, report, together)
    if take:
        taken = [*found, *((view, copy_fit(found[0][1], view)) for view in targets)]
        for view, held in taken:
            site = take_fit(site, view, held)
        with held_site(site_path):
            save_site(site, site_path, known)
    if as_json:
        click.echo(json.dumps({"views": [fit_row(view, held) for view, held in found]}, indent=1))
        return
    for view, held in found:
        click.echo(f"{view.name}: {fit_words(held)}")
        for note in held.fitted.notes:
            click.echo(f"  {note}")
        for item, values in held.fitted.values.items():
            click.echo(f"  {item}: " + ", ".join(f"{name} {value:g}" for name, value in values.items()))
        if held.saves:
            best = held.saves[0]
            click.echo(f"  With {best.capability}: {best.score.met} met, {best.score.nuisances} nuisances")


def _write_page(html: str, title: str, target: Path) -> None:
    """Write a page as HTML, or as PDF by its ending."""
    from north_hush.core.site.whole import write_whole

    if target.suffix.lower() == ".pdf":
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
        from north_hush.desk.paper import write_pdf

        write_pdf(html, title, target)
        return
    if target.suffix.lower() not in (".html", ".htm"):
        raise SiteError(str(target), "is neither a page nor paper by its name.", "Let it end with .html or .pdf.")
    try:
        write_whole(target, html.encode())
    except OSError as error:
        raise SiteError(str(target), f"cannot be written ({error.strerror}).", "Check permissions.") from error


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.option("--card", "card_name", required=True, help="A device card: a file, or one of `north-hush card list`.")
@click.option("--out", "target", required=True, type=click.Path(path_type=Path), help="The sheet, .html or .pdf.")
@click.option("--tuning", help="Of this tuning instead of the one in use.")
@click.option(
    "--handed", metavar="NAME", help="Keep in the SITE that NAME handed it over; the next sheet tells what changed."
)
@click.option("--note", default="", help="Kept along with it.")
@json_option
@told
def sheet(
    site_path: Path, card_name: str, target: Path, tuning: str | None, handed: str | None, note: str, as_json: bool
) -> None:
    """Write a settings sheet of a SITE for a device: what changed since the last one, shapes, numbers, hours, and what to do in which
    order."""
    from north_hush.core.handover.card import find_card
    from north_hush.core.handover.fit_rows import fit_site
    from north_hush.core.handover.handed import hand_over, handed_of
    from north_hush.core.handover.report import Asked
    from north_hush.core.handover.sheet import sheet_html
    from north_hush.core.site.file import describe_invalid, load_site
    from north_hush.core.site.saving import held_site, mark_of, save_site

    known, site = mark_of(site_path), load_site(site_path)
    fits = fit_site(Asked(site, site_path, tuning), find_card(card_name), lambda share: None)
    _write_page(sheet_html(site, site_path, fits), f"{site.name}, settings", target)
    try:
        rows = {
            view.id: handed_of(view, held, datetime.now(UTC), "nobody" if handed is None else handed, note)
            for view, held in fits
        }
        if handed is not None:
            for view_id, row in rows.items():
                site = hand_over(site, view_id, row)
            with held_site(site_path):
                save_site(site, site_path, known)
    except ValidationError as error:
        raise SiteError("--handed", describe_invalid(error), "The sheet is written, and not kept.") from error
    if as_json:
        sheets = {view_id: row.model_dump(mode="json") for view_id, row in rows.items()}
        click.echo(json.dumps({"files": [str(target)], "sheets": sheets}, indent=1))
    else:
        tell_files([target], as_json=False)


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.option("--out", "target", required=True, type=click.Path(path_type=Path), help="The report, .html or .pdf.")
@click.option("--tuning", help="Of this tuning instead of the one in use.")
@click.option("--before", default="factory", show_default=True, help="The tuning it is compared with.")
@click.option("--card", "card_name", help="Tell what this device can really do of it, too.")
@json_option
@told
def report(
    site_path: Path, target: Path, tuning: str | None, before: str, card_name: str | None, as_json: bool
) -> None:
    """Write why these numbers: footage, drawing, before and after, causes, what is not covered, hours and outcome of a SITE."""
    from north_hush.core.handover.account import account_html
    from north_hush.core.handover.card import find_card
    from north_hush.core.handover.report import Asked
    from north_hush.core.site.file import load_site

    site = load_site(site_path)
    card = None if card_name is None else find_card(card_name)
    _write_page(account_html(Asked(site, site_path, tuning), before, card), f"{site.name}, report", target)
    tell_files([target], as_json=as_json)
