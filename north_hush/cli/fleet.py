"""The command for many sites at once."""

from __future__ import annotations

import json
import os
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from north_hush.cli.group import json_option, main, told
from north_hush.core.progress import PROGRESS

if TYPE_CHECKING:
    from north_hush.core.fleet.overview import Card

_ORDERS = ("attention", "name", "nuisances", "to judge", "footage")
_WORKS = ("pass", "score", "propose", "report")


@main.command()
@click.argument("sites", metavar="SITE... WORK", nargs=-1, required=True)
@click.option("--jobs", type=click.IntRange(1, 256), help="Processes; as many as there are cores.")
@click.option("--engine", default="", help="dask://HOST:PORT: a Dask cluster whose workers see the same files.")
@click.option("--out", type=click.Path(path_type=Path, file_okay=False), help="Where reports go.")
@json_option
@told
def fleet(sites: tuple[str, ...], jobs: int | None, engine: str, out: Path | None, as_json: bool) -> None:
    """Work on all recordings of SITEs, side by side: pass, score, propose or report."""
    from north_hush.core.fleet.engine import run
    from north_hush.core.fleet.tasks import tasks_of

    *paths, work = sites
    if work not in _WORKS or not paths:
        raise click.UsageError(f"Say which sites, and then what to do: {', '.join(_WORKS)}.")
    tasks = tasks_of([Path(path) for path in paths], work, out)  # type: ignore[arg-type]
    rows: list[dict[str, Any]] = [{} for _ in tasks]
    for done, (place, row) in enumerate(run(tasks, jobs or os.cpu_count() or 1, engine), start=1):
        rows[place] = row
        PROGRESS.info("%d of %d: %s %s", done, len(tasks), Path(row["site"]).name, row["recording"] or row["view"])
    errors = [row for row in rows if "error" in row]
    if as_json:
        click.echo(json.dumps({"work": work, "tasks": rows, "errors": len(errors)}, indent=1))
        return
    for row in rows:
        click.echo(f"{Path(row['site']).name}  {row['view']}  {row['recording']}  {_said(row)}")


def _said(row: dict[str, Any]) -> str:
    if "error" in row:
        return str(row["error"])
    if row["work"] == "score":
        score = row["score"]
        return f"{score['met']} of {score['incidents']} met, {score['nuisance']} nuisances"
    if row["work"] == "propose":
        worth = f"{row['met']} of {row['incidents']} met, {row['nuisance']} nuisances"
        return f"{row['aim']}: {worth}, {len(row['changed'])} settings changed"
    return str(row.get("file") or f"{row['frames']} frames" + ("" if row["made"] else ", were there"))


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.option("--order", type=click.Choice(_ORDERS), default=_ORDERS[0], show_default=True)
@json_option
@told
def overview(site_path: Path, order: Any, as_json: bool) -> None:
    """Tell how every view of a SITE stands, what costs most attention first; nothing is analysed for it."""
    from north_hush.core.evaluate.evaluator import Evaluator
    from north_hush.core.fleet.overview import advice_over, in_order, plain_cards, worked_out
    from north_hush.core.site.file import load_site

    site, evaluator = load_site(site_path), Evaluator()
    cards: list[Card] = []
    for card in plain_cards(site):
        PROGRESS.info("%d of %d: %s", len(cards) + 1, len(site.views), card.name)
        cards.append(worked_out(card, site, site_path, evaluator))
    cards = in_order(cards, order)
    names = {card.view: card.name for card in cards}
    advice = [{"said": said, "views": [names[view] for view in views]} for said, views in advice_over(cards)]
    if as_json:
        click.echo(json.dumps({"views": [_row(card) for card in cards], "advice": advice}, indent=1))
        return
    for row in map(_row, cards):
        rate = "–" if row["nuisances_a_day"] is None else f"{row['nuisances_a_day']:.0f} nuisances a day"
        blind = f", blind: {', '.join(row['blind'])}" if row["blind"] else ""
        click.echo(
            f"{row['view']}: {row['met']} of {row['incidents']} met, {rate}, {row['to_judge']} to judge, "
            f"{row['analysed']} of {row['recordings']} analysed{blind}"
        )
        for error in row["failed"]:
            click.echo(f"  {error}")
    for held in advice:
        click.echo(f"{held['said']}: {', '.join(held['views'])}")


def _row(card: Card) -> dict[str, Any]:
    score = card.score
    assert score is not None
    return {
        "view": card.name,
        "recordings": card.recordings,
        "analysed": card.analysed,
        "footage_s": round(max(card.footage_s, score.footage_s), 3),
        "met": score.met,
        "incidents": score.incidents,
        "nuisance": score.nuisances,
        "nuisances_a_day": None if card.nuisances_a_day is None else round(card.nuisances_a_day, 3),
        "to_judge": card.to_judge,
        "blind": list(card.blind),
        "live": card.live,
        "clock_unmasked": card.clock_unmasked,
        "failed": list(card.failed),
    }
