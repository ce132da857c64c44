"""Hours of a site as instants, for scripts; and the edits that state them."""

from __future__ import annotations

from datetime import date, datetime, timedelta
from typing import Any

from north_hush.core.errors import SiteError
from north_hush.core.evaluate.armed import us_of
from north_hush.core.evaluate.switched import tunings_on
from north_hush.core.hours.clock import EPOCH, US
from north_hush.core.hours.plan import KINDS, Hours
from north_hush.core.hours.spans import Spans, spans_of
from north_hush.core.scene.plan import watcher_id
from north_hush.core.site.edits import set_tuning_hours
from north_hush.core.site.model import Site, View, replaced
from north_hush.core.words import tr


def hours_rows(site: Site, first: date, last: date) -> dict[str, Any]:
    """When each of the three hours holds from the start of one day to the end of another on the site's clock, in UTC; of each view,
    and of each of its items that differs.

    Raises
    ------
    SiteError : the last day is before the first.
    HushError : a text cannot be turned into instants.
    """
    if last < first:
        raise SiteError(
            "--to", tr("is {last}, before {first}.", last=last, first=first), tr("Give the days in their order.")
        )
    zone = site.zone
    start_us = us_of(datetime(first.year, first.month, first.day, tzinfo=zone))
    after = last + timedelta(days=1)
    end_us = us_of(datetime(after.year, after.month, after.day, tzinfo=zone))

    def row(view: View, item: str | None, hours: Hours) -> dict[str, Any]:
        held = {kind: _written(hours.spans(kind, site.clock, start_us, end_us)) for kind in KINDS}
        return {"view": view.name, "item": item, **held}

    rows = []
    for view in site.views:
        rows.append(row(view, None, view.hours))
        names = {watcher_id(held): held.name for held in view.watchers}
        rows += [row(view, names.get(item, item), view.hours_of(item)) for item in view.item_hours]
    tunings = [
        {"view": view.name, "tuning": held.tuning.name, "on": _written(spans_of([(held.start_us, held.end_us)]))[0]}
        for view in site.views
        if view.by_hours
        for held in tunings_on(view, site.clock, start_us, end_us)
    ]
    return {"views": rows, **({"tunings": tunings} if tunings else {})}


def _written(spans: Spans) -> list[list[str]]:
    return [[(EPOCH + us * US).isoformat().replace("+00:00", "Z") for us in span] for span in spans.tolist()]


def with_tuning_hours(site: Site, name: str, text: str) -> Site:
    """The site with other hours for the tuning of a name, in every view that has one; '' takes them away.

    Raises
    ------
    SiteError : no view has such a tuning.
    pydantic.ValidationError : the text is no hours.
    """
    having = [view.id for view in site.views if any(held.name == name for held in view.tunings)]
    if not having:
        known = ", ".join(sorted({held.name for view in site.views for held in view.tunings}))
        raise SiteError(
            tr("tuning '{name}'", name=name),
            tr("is none of '{name}'.", name=site.name),
            tr("It has {known}.", known=known),
        )
    for view_id in having:
        site = set_tuning_hours(site, view_id, name, text or None)
    return site


def with_hours(site: Site, item: str | None, **texts: str | None) -> Site:
    """The site with other hours in every view, or for the item of a name where there is one. A text of '' takes the hours away.

    Raises
    ------
    SiteError : no view has an item of that name.
    pydantic.ValidationError : a text is no hours.
    """
    changes = {kind: text or None for kind, text in texts.items() if text is not None}
    if item is None:
        all_views = tuple(replaced(view, hours=replaced(view.hours, **changes)) for view in site.views)
        return replaced(site, views=all_views)
    views: list[View] = []
    found = False
    for view in site.views:
        held = next((held for held in view.watchers if item in (held.name, held.id, held.letter)), None)
        if held is not None:
            found = True
            hours = replaced(view.item_hours.get(held.id, Hours()), **changes)
            others = {key: kept for key, kept in view.item_hours.items() if key != held.id}
            view = replaced(view, item_hours=others if hours.plain else {**others, held.id: hours})  # noqa: PLW2901
        views.append(view)
    if not found:
        known = ", ".join(held.name for view in site.views for held in view.watchers) or "none"
        raise SiteError(
            tr("item '{item}'", item=item),
            tr("is no zone or wire of '{name}'.", name=site.name),
            tr("It has {known}.", known=known),
        )
    return replaced(site, views=tuple(views))
