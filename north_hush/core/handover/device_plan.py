"""The drawing of a view as a device takes it: its items, shapes and masks brought within a card."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from north_hush.core.errors import SiteError
from north_hush.core.handover.card import Card
from north_hush.core.handover.shapes import brushed_cells, cells_of, polygon_of, rectangle_of
from north_hush.core.scene.area import WHOLE_AREA, area_bounds, area_of
from north_hush.core.scene.items import Zone
from north_hush.core.scene.plan import Plan
from north_hush.core.site.model import View
from north_hush.core.words import tr, trn

Groups = tuple[tuple[str, ...], ...]
"""Zones that go together, by their ids or names."""


def shaped(
    view: View, card: Card, together: Groups = ()
) -> tuple[Plan, dict[str, str], tuple[tuple[str, ...], ...], list[str]]:
    """The drawing of a view as a card takes it: the plan, for each of its items the one whose settings it starts from, zones that
    were merged, and notes. Zones that are asked for `together` are merged first, whether they have to be or not.

    Raises
    ------
    SiteError : a zone that is asked for is none of the view, or there twice.
    """
    notes: list[str] = []
    merged: tuple[tuple[str, ...], ...] = ()
    zones, wires = list(view.zones), list(view.wires)
    whole = Zone(id="picture", name=tr("Whole picture"), letter="A", area=WHOLE_AREA)
    if card.shape == "picture":
        likes = {whole.id: zones[0].id if zones else whole.id}
        if zones:
            notes.append(tr("{count} zones become the whole picture.", count=len(zones)))
        zones = [whole] if card.zones_most else []
    else:
        groups = _grouped(_chosen(zones, together), view, card.zones_most)
        merged = tuple(tuple(zone.name for zone in group) for group in groups if len(group) > 1)
        notes += [tr("Merged into one zone: {join}.", join=", ".join(names)) for names in merged]
        dropped = [] if card.zones_most else [zone.name for zone in zones]
        notes += [tr("Left out, the device has no zones: {join}.", join=", ".join(dropped))] if dropped else []
        zones = [_one(group) for group in groups] if card.zones_most else []
        zones = [held for zone in zones if (held := _shaped_zone(zone, view, card, notes)) is not None]
        likes = {zone.id: zone.id for zone in zones}
    if len(wires) > card.wires_most:
        notes.append(
            tr("Left out, the device takes no more lines: ")
            + ", ".join(wire.name for wire in wires[card.wires_most :])
            + "."
        )
        wires = wires[: card.wires_most]
    if not card.directed:
        wires = [
            wire.model_copy(update={"watches": "both"}) if wire.watches in ("a_to_b", "b_to_a") else wire
            for wire in wires
        ]
    likes |= {wire.id: wire.id for wire in wires}
    masks = view.masks if card.masks == "image" or card.shape == "cells" else ()
    if view.masks and not masks and card.masks != "cells":
        notes.append(
            trn(
                "{count} mask is left out: the device has none.",
                "{count} masks are left out: the device has none.",
                len(view.masks),
                count=len(view.masks),
            )
        )
    if card.masks == "cells" and card.shape != "cells":
        filled = cells_of(WHOLE_AREA, view.masks, card.columns, card.rows)
        masks = tuple(
            mask.model_copy(update={"area": (brushed_cells(~filled),), "painted": None}) for mask in view.masks[:1]
        )
        notes.append(tr("Masks become cells of {columns} x {rows}.", columns=card.columns, rows=card.rows))
    if card.shape == "cells":
        masks = ()  # they are taken out of the zones' cells
    plan = Plan(tuple(zones), tuple(wires), tuple(masks), view.privacy, view.size_marks, "nothing")
    return plan, likes, merged, notes


def _chosen(zones: Sequence[Zone], together: Groups) -> list[list[Zone]]:
    """Zones in the groups that are asked for, the others each alone."""
    names = [name for group in together for name in group]
    for name in names:
        if not any(name in (zone.id, zone.name) for zone in zones):
            known = ", ".join(zone.name for zone in zones) or "none"
            raise SiteError(
                tr("zone '{name}'", name=name),
                tr("cannot be merged: there is none."),
                tr("There are {known}.", known=known),
            )
        if names.count(name) > 1:
            raise SiteError(tr("zone '{name}'", name=name), tr("is to be merged twice."), tr("Name each zone once."))
    groups = [[zone for zone in zones if zone.id in group or zone.name in group] for group in together]
    taken = {zone.id for group in groups for zone in group}
    return [*groups, *([zone] for zone in zones if zone.id not in taken)]


def _grouped(groups: list[list[Zone]], view: View, most: int) -> list[list[Zone]]:
    """Zones in as many groups as a device has; those go together whose settings differ least, and of these the nearest."""
    while len(groups) > max(1, most):
        pairs = [(first, second) for first in range(len(groups)) for second in range(first + 1, len(groups))]
        first, second = min(pairs, key=lambda pair: _apart(groups[pair[0]], groups[pair[1]], view))
        groups[first] += groups.pop(second)
    return groups


def _apart(first: Sequence[Zone], second: Sequence[Zone], view: View) -> tuple[bool, float, float]:
    one, other = view.tuning.of(first[0].id), view.tuning.of(second[0].id)
    ratio = abs(float(np.log(one.change_limit_grey / other.change_limit_grey))) + abs(
        float(np.log(one.start_percent / other.start_percent))
    )
    places = [
        np.array(area_bounds(group[0].area) or (0, 0, 0, 0)).reshape(2, 2).mean(axis=0) for group in (first, second)
    ]
    return first[0].fires != second[0].fires, round(ratio, 3), float(np.hypot(*(places[0] - places[1])))


def _one(group: Sequence[Zone]) -> Zone:
    """A group as one zone, by the name of all of them."""
    if len(group) == 1:
        return group[0]
    area = tuple(part for zone in group for part in zone.area)
    return group[0].model_copy(update={"area": area, "name": " + ".join(zone.name for zone in group)[:60]})


def _shaped_zone(zone: Zone, view: View, card: Card, notes: list[str]) -> Zone | None:
    """A zone in the card's shape; None when nothing of it is left."""
    if zone.fires not in card.fires:
        notes.append(
            tr(
                "{name}: the device cannot fire on {fires}, and fires on {fires2}.",
                name=zone.name,
                fires=zone.fires,
                fires2=card.fires[0],
            )
        )
        zone = zone.model_copy(update={"fires": card.fires[0]})
    if card.shape == "cells":
        filled = cells_of(
            zone.area, tuple(mask for mask in view.masks if mask.covers(zone.id)), card.columns, card.rows
        )
        if not filled.any():
            notes.append(
                tr(
                    "{name}: fills no cell of {columns} x {rows} by half, and is left out.",
                    name=zone.name,
                    columns=card.columns,
                    rows=card.rows,
                )
            )
            return None
        return zone.model_copy(update={"area": (brushed_cells(filled),)})
    points = rectangle_of(zone.area) if card.shape == "rectangle" else polygon_of(zone.area, card.corners_most)
    if not points:
        notes.append(tr("{name}: is empty, and left out.", name=zone.name))
        return None
    area = area_of(points)
    if area != zone.area:
        notes.append(
            tr(
                "{name}: becomes a {shape}{value}.",
                name=zone.name,
                shape=card.shape,
                value="" if card.shape == "rectangle" else tr(" of {count} corners", count=len(points)),
            )
        )
    return zone.model_copy(update={"area": area})
