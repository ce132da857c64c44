"""Fits of a site to a card as plain values, and taken into the site."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from north_hush.core.errors import SiteError
from north_hush.core.handover.card import Card
from north_hush.core.handover.device_plan import Groups, shaped
from north_hush.core.handover.fit import Fit, Fitted, fit_view, held_by, nearest_values
from north_hush.core.handover.propose import armed_cases
from north_hush.core.handover.report import Asked
from north_hush.core.handover.rows import score_row
from north_hush.core.judge.score import Score
from north_hush.core.scene.area import Brushed, Polygon
from north_hush.core.scene.items import Wire, Zone
from north_hush.core.site.edits import free_id
from north_hush.core.site.model import Site, Tuning, View, replaced
from north_hush.core.words import tr

DEVICE = "device"
"""The one tuning of a view that stands for what a device holds."""


def fit_site(
    asked: Asked, card: Card, report: Callable[[float], None], together: Groups = ()
) -> list[tuple[View, Fit]]:
    """Fit every view that has recordings to a card, under its tuning in use or the one that is asked for; zones that are named
    `together` are merged.

    Raises
    ------
    SiteError : no view has a recording, no view has the tuning, or one has not the zones that are to be merged.
    FootageError : a recording cannot be read.
    """
    found = []
    for view, used in asked.views():
        if [held.name for held in view.tunings] == [DEVICE]:
            continue  # a fit that was taken: it is no drawing of anybody's
        cases = armed_cases(asked, view)
        if cases:
            tuned = replaced(view, tuning_in_use=used.name)
            found.append((tuned, fit_view(tuned, cases, card, report, together)))
    if not found:
        raise SiteError(str(asked.path), tr("has no recording to fit on."), tr("Add one first."))
    return found


def fit_row(view: View, fit: Fit) -> dict[str, Any]:
    """A fit as plain values."""
    fitted = fit.fitted
    return {
        "view": view.name,
        "card": fit.card.name,
        "tuning": view.tuning_in_use,
        "zones": [_zone_row(zone, fit) for zone in fitted.plan.zones],
        "wires": [
            {"id": wire.id, "name": wire.name, "watches": wire.watches, "line": [list(point) for point in wire.line],
             "values": dict(fitted.values.get(wire.id, {}))}
            for wire in fitted.plan.wires
        ],
        "merged": [list(names) for names in fitted.merged],
        "score": score_row([fit.score]),
        "tuned": score_row([fit.tuned]),
        "losses": [{"incident": name, "saved_by": by or None} for name, by in fit.lost],
        "would_save": [
            {"capability": held.capability, "met": held.score.met, "nuisance": held.score.nuisances} for held in fit.saves
        ],
        "notes": list(fitted.notes),
    }  # fmt: skip


def _zone_row(zone: Zone, fit: Fit) -> dict[str, Any]:
    part = zone.area[0] if zone.area else None
    row: dict[str, Any] = {"id": zone.id, "name": zone.name, "fires": zone.fires}
    if isinstance(part, Polygon):
        row["corners"] = [list(point) for point in part.points]
    if isinstance(part, Brushed):
        row["cells"] = {"columns": part.columns, "rows": part.rows, "runs": [list(run) for run in part.runs]}
    return {**row, "values": dict(fit.fitted.values.get(zone.id, {}))}


def copy_fit(fit: Fit, target: View) -> Fit:
    """The numbers of a fit for another view's own drawing: an item takes those of the one with its name, else of the first of its kind;
    where there is none its own nearest. Nothing is measured of it, and its scores are empty."""
    scales = {name for values in fit.fitted.values.values() for name in values}
    card = fit.card.model_copy(
        update={"scales": tuple(held for held in fit.card.scales if held.name in scales), "excludes": ()}
    )
    plan, likes, merged, notes = shaped(target, card)
    values: dict[str, Mapping[str, float]] = {}
    for held in (*plan.zones, *plan.wires):
        alike = fit.fitted.plan.zones if isinstance(held, Zone) else fit.fitted.plan.wires
        like = next((one for one in alike if one.name == held.name), alike[0] if alike else None)
        values[held.id] = (
            nearest_values(card, [target.tuning.of(likes[held.id])])[0] if like is None else fit.fitted.values[like.id]
        )
    settings = {item: held_by(card, target.tuning.of(likes[item]), held) for item, held in values.items()}
    return Fit(fit.card, Fitted(plan, settings, values, merged, tuple(notes)), Score(), Score())


def take_fit(site: Site, view: View, fit: Fit) -> Site:
    """The site with the fit as a view of its own beside the one it was made for: what the device will watch, to be looked at and judged
    like any other."""
    fitted = fit.fitted
    name = f"{view.name}, {fit.card.name}"[:60]
    taken = {held.name for held in site.views}
    if name in taken:
        site = replaced(site, views=tuple(held for held in site.views if held.name != name))
    made = View(
        id=free_id("view", {held.id for held in site.views}),
        name=name,
        recordings=view.recordings,
        zones=fitted.plan.zones,
        wires=tuple(wire for wire in fitted.plan.wires if isinstance(wire, Wire)),
        masks=fitted.plan.masks,
        privacy=view.privacy,
        size_marks=view.size_marks,
        without_zones="nothing",
        hours=view.hours,
        tunings=(Tuning(name=DEVICE, settings=fitted.settings),),
        tuning_in_use=DEVICE,
    )
    return replaced(site, views=(*site.views, made))


def worth_words(fit: Fit) -> str:
    """What the device can really do, in numbers."""
    told = tr(
        "{met} of {incidents} incidents, {nuisances} nuisances",
        met=fit.score.met,
        incidents=fit.score.incidents,
        nuisances=fit.score.nuisances,
    )
    return tr("{told} (tuned: {met} and {nuisances})", told=told, met=fit.tuned.met, nuisances=fit.tuned.nuisances)


def fit_words(fit: Fit) -> str:
    """The same, with what is lost and why."""
    told = worth_words(fit)
    losses = [tr("{name} is lost", name=name) + (tr(" for want of {by}", by=by) if by else "") for name, by in fit.lost]
    return "; ".join([told, *losses])
