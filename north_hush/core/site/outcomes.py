"""Edits of what alarms lead to. Each takes a site and returns the changed one."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from north_hush.core.outcome.rules import Along, Outcome, Tell, Way
from north_hush.core.site.edits import in_view
from north_hush.core.site.model import Site, replaced


def set_outcome(site: Site, view_id: str, outcome: Outcome) -> Site:
    """Give a view its outcome.

    Raises
    ------
    pydantic.ValidationError : it tells by a way that the site has not.
    """
    return in_view(site, view_id, lambda view: replaced(view, outcome=outcome))


def set_keep(site: Site, view_id: str, **changes: Any) -> Site:
    """Change what is kept.

    Raises
    ------
    pydantic.ValidationError : a value is out of its range.
    """
    outcome = site.view(view_id).outcome
    return set_outcome(site, view_id, replaced(outcome, keep=replaced(outcome.keep, **changes)))


def set_naming(site: Site, view_id: str, **changes: Any) -> Site:
    """Change how files are called and written.

    Raises
    ------
    pydantic.ValidationError : the pattern makes no sense.
    """
    outcome = site.view(view_id).outcome
    return set_outcome(site, view_id, replaced(outcome, naming=replaced(outcome.naming, **changes)))


def tell_by(site: Site, view_id: str, way: str) -> Site:
    """Tell by a way; '' tells nobody. The first rule of telling keeps everything else."""
    outcome = site.view(view_id).outcome
    if not way:
        return set_outcome(site, view_id, replaced(outcome, tell=()))
    first = replaced(outcome.tell[0], way=way) if outcome.tell else Tell(way=way)
    return set_outcome(site, view_id, replaced(outcome, tell=(first, *outcome.tell[1:])))


def set_tell(site: Site, view_id: str, **changes: Any) -> Site:
    """Change the first rule of telling.

    Raises
    ------
    pydantic.ValidationError : a value is out of its range.
    """
    outcome = site.view(view_id).outcome
    return set_outcome(site, view_id, replaced(outcome, tell=(replaced(outcome.tell[0], **changes), *outcome.tell[1:])))


def put_way(site: Site, way: Way, before: str = "") -> Site:
    """Add a way, or put it in the place of one; rules that told by that one follow.

    Raises
    ------
    pydantic.ValidationError : another one has its name.
    """
    if not before:
        return replaced(site, ways=(*site.ways, way))
    renamed = {before: way.name}
    ways = tuple(way if held.name == before else held for held in site.ways)
    views = tuple(
        replaced(
            view,
            outcome=replaced(
                view.outcome,
                tell=tuple(
                    replaced(
                        tell,
                        way=renamed.get(tell.way, tell.way),
                        then=tuple(renamed.get(name, name) for name in tell.then),
                    )
                    for tell in view.outcome.tell
                ),
            ),
        )
        for view in site.views
    )
    return replaced(site, ways=ways, views=views)


def remove_way(site: Site, name: str) -> Site:
    """Take a way away, and the rules that told by it."""
    views = []
    for view in site.views:
        kept = tuple(
            replaced(tell, then=tuple(other for other in tell.then if other != name))
            for tell in view.outcome.tell
            if tell.way != name
        )
        views.append(replaced(view, outcome=replaced(view.outcome, tell=kept)))
    return replaced(site, views=tuple(views), ways=tuple(way for way in site.ways if way.name != name))


def record_along(site: Site, view_id: str, others: Collection[str]) -> Site:
    """Have other views, by id, record while alarms of a view run; those that did already keep the items they are limited to.

    Raises
    ------
    pydantic.ValidationError : one of them is no other view of the site.
    """
    outcome = site.view(view_id).outcome
    before = {held.view: held for held in outcome.along}
    along = tuple(before.get(other, Along(view=other)) for other in others)
    return set_outcome(site, view_id, replaced(outcome, along=along))
