"""Commands about device cards: what there is, whether one makes sense, a new one, and scales learnt from a device's own alarms."""

from __future__ import annotations

import json
from pathlib import Path

import click

from north_hush.cli.group import json_option, main, tell_files, told
from north_hush.core.errors import SiteError


@main.group()
def card() -> None:
    """Device cards: what a device can take."""


@card.command("schema")
@told
def card_schema() -> None:
    """Print the JSON Schema of device cards."""
    from north_hush.core.handover.card import Card

    schema = {"$schema": "https://json-schema.org/draft/2020-12/schema", **Card.model_json_schema()}
    click.echo(json.dumps(schema, indent=1))


@card.command("list")
@json_option
@told
def card_list(as_json: bool) -> None:
    """The generic cards that come along."""
    from north_hush.core.handover.card import shipped_cards

    cards = shipped_cards()
    if as_json:
        rows = [{"card": key, "name": held.name, "says": held.says} for key, held in cards.items()]
        click.echo(json.dumps({"cards": rows}, indent=1))
        return
    for key, held in cards.items():
        click.echo(f"{key:24}  {held.says}")


@card.command("check")
@click.argument("card_path", metavar="CARD")
@json_option
@told
def card_check(card_path: str, as_json: bool) -> None:
    """Say whether a CARD makes sense, and what it can."""
    from north_hush.core.handover.card import find_card

    held = find_card(card_path)
    scales = [f"{scale.name} ({scale.low:g} to {scale.high:g})" for scale in held.scales]
    if as_json:
        click.echo(
            json.dumps(
                {"name": held.name, "zones": held.zones_most, "wires": held.wires_most, "scales": scales}, indent=1
            )
        )
    else:
        click.echo(
            f"{held.name}: {held.zones_most} zones as {held.shape}, {held.wires_most} lines, {', '.join(scales) or 'no dial'}"
        )


@card.command("new")
@click.argument("target", metavar="FILE", type=click.Path(path_type=Path))
@click.option("--like", default="rectangles-4", show_default=True, help="Begin with this card.")
@json_option
@told
def card_new(target: Path, like: str, as_json: bool) -> None:
    """Write a card to FILE, to be changed by hand."""
    from north_hush.core.handover.card import card_text, find_card
    from north_hush.core.site.whole import write_whole

    if target.exists():
        raise SiteError(str(target), "is there already.", "Choose another name.")
    try:
        write_whole(target, card_text(find_card(like)).encode())
    except OSError as error:
        raise SiteError(str(target), f"cannot be written ({error.strerror}).", "Check permissions.") from error
    tell_files([target], as_json=as_json)


@card.command("learn")
@click.argument("card_name", metavar="CARD")
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.option("--scale", "scale_name", required=True, help="Which scale, by its name on the card.")
@click.option(
    "--at", "at", multiple=True, required=True, metavar="RECORDING=VALUE",
    help="Where it stood while the device made the list of this recording; may be given again.",
)  # fmt: skip
@click.option("--view", "view_name", help="The view, by name; else the first.")
@click.option("--out", "target", type=click.Path(path_type=Path), help="Write the card with what was learnt.")
@json_option
@told
def card_learn(
    card_name: str,
    site_path: Path,
    scale_name: str,
    at: tuple[str, ...],
    view_name: str | None,
    target: Path | None,
    as_json: bool,
) -> None:
    """Learn a scale of a CARD from the device's own alarm lists beside the recordings of a SITE (see `north-hush device`)."""
    from north_hush.core.handover.card import card_text, find_card
    from north_hush.core.handover.learning import learn_site
    from north_hush.core.site.file import load_site
    from north_hush.core.site.whole import write_whole

    card, found = find_card(card_name), learn_site(
        find_card(card_name), scale_name, load_site(site_path), site_path, at, view_name
    )  # fmt: skip
    for note in found.notes:
        click.echo(note, err=True)
    if target is not None:
        scales = tuple(found.scale if held.name == scale_name else held for held in card.scales)
        write_whole(target, card_text(card.model_copy(update={"scales": scales})).encode())
    rows = [
        {
            "value": point.value,
            "ours": point.ours,
            "low": point.low,
            "high": point.high,
            "alarms": point.alarms,
            "like": round(point.like, 3),
            "tells": not point.why_not,
        }
        for point in found.points
    ]
    if as_json:
        told_all = {
            "scale": found.scale.model_dump(mode="json"),
            "points": rows,
            "next": found.next_value,
            "notes": found.notes,
        }
        click.echo(json.dumps(told_all, indent=1))
        return
    for row in rows:
        click.echo(
            f"{row['value']:g}: {row['ours']:g} ({row['low']:g} to {row['high']:g}), by {row['alarms']} alarms, {row['like']:.0%} alike"
        )
