"""Sheets that were handed over: kept with the view, and held against what is to be handed over now."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from north_hush.core.handover.fit import Fit
from north_hush.core.hours.clock import ALWAYS
from north_hush.core.hours.plan import KINDS
from north_hush.core.runs import runs_of
from north_hush.core.scene.area import Brushed, Polygon, filled_cells
from north_hush.core.scene.items import Wire, Zone
from north_hush.core.site.handed import HANDED_MOST, Handed, HandedItem
from north_hush.core.site.model import Site, View, replaced
from north_hush.core.words import tr

Change = tuple[str, str, str, str]
"""Of which item, what, what it was and what it is now; empty where there was or is nothing."""


def handed_of(view: View, fit: Fit, at: datetime, by: str, note: str = "") -> Handed:
    """What a sheet of a fit hands over.

    Raises
    ------
    pydantic.ValidationError : the name is empty or too long.
    """
    plan, values = fit.fitted.plan, fit.fitted.values
    items = tuple(
        HandedItem(name=held.name, shape=_shape(held), values=dict(values.get(held.id, {})))
        for held in (*plan.zones, *plan.wires)
    )
    hours = {kind: getattr(view.hours, kind) or ALWAYS for kind in KINDS}
    return Handed(at=at, by=by, note=note, card=fit.card.name, items=items, hours=hours)


def _shape(item: object) -> str:
    if isinstance(item, Wire):
        return _points(item.line)
    if not isinstance(item, Zone):
        return ""
    part = item.area[0] if item.area else None
    if isinstance(part, Polygon):
        return _points(part.points)
    if isinstance(part, Brushed):
        filled = filled_cells(part)
        rows = (
            f"{row + 1}: " + ",".join(f"{first + 1}-{after}" for first, after in runs_of(filled[row]))
            for row in range(part.rows)
            if filled[row].any()
        )
        return tr("{columns} x {rows} cells, ", columns=part.columns, rows=part.rows) + "; ".join(rows)
    return tr("the whole picture")


def _points(points: Sequence[tuple[float, float]]) -> str:
    return " ".join(f"{round(1000 * x)},{round(1000 * y)}" for x, y in points)


def last_handed(view: View, card: str) -> Handed | None:
    """The newest sheet of a view for a device; None where there is none."""
    return next((held for held in reversed(view.handed) if held.card == card), None)


def changes_since(before: Handed, now: Handed) -> list[Change]:
    """What is otherwise than it was handed over: items that came and went, shapes, numbers, hours."""
    was, is_ = ({item.name: item for item in held.items} for held in (before, now))
    found: list[Change] = [(name, tr("take away"), was[name].shape, "") for name in was if name not in is_]
    for name, item in is_.items():
        held = was.get(name)
        if held is None:
            found.append((name, "new", "", item.shape))
        elif held.shape != item.shape:
            found.append((name, "shape", held.shape, item.shape))
        values = {} if held is None else held.values
        found += [
            (name, dial, f"{values[dial]:g}" if dial in values else "", f"{value:g}")
            for dial, value in item.values.items()
            if values.get(dial) != value
        ]
    found += [
        (tr("Hours"), kind, before.hours.get(kind, ALWAYS), text)
        for kind, text in now.hours.items()
        if before.hours.get(kind, ALWAYS) != text
    ]
    return found


def hand_over(site: Site, view_id: str, handed: Handed) -> Site:
    """The site with one more sheet that was handed over; the oldest go when there are very many."""
    views = tuple(
        replaced(view, handed=(*view.handed, handed)[-HANDED_MOST:]) if view.id == view_id else view
        for view in site.views
    )
    return replaced(site, views=views)
