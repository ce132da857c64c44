"""What is set up for one view, given to others."""

from __future__ import annotations

from collections.abc import Collection
from typing import Literal, get_args

from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.scene.items import Watcher, Zone
from north_hush.core.site.edits import copy_hours, in_view, put_settings
from north_hush.core.site.model import Site, View, replaced

Copied = Literal["dials", "hours", "outcome"]
COPIED: tuple[Copied, ...] = get_args(Copied)


def copy_to(site: Site, source_id: str, view_ids: Collection[str], what: Collection[Copied]) -> Site:
    """The site with the dials, hours or outcome of a view given to others. Dials go to items of the same name, in the tuning each view
    uses, else those of the only zone, or wire, of the view they come from. Which views record along stays as it is."""
    source = site.view(source_id)
    for view_id in view_ids:
        if view_id == source_id:
            continue
        view = site.view(view_id)
        if "dials" in what:
            for item in view.watchers:
                settings = _settings_for(item, source)
                if settings is not None:
                    site = put_settings(site, view_id, view.tuning_in_use, item.id, settings)
        if "hours" in what:
            site = copy_hours(site, source_id, [view_id])
        if "outcome" in what:
            site = in_view(
                site, view_id, lambda held: replaced(held, outcome=replaced(source.outcome, along=held.outcome.along))
            )
    return site


def _settings_for(item: Watcher, source: View) -> ZoneSettings | None:
    """The dials an item takes over: of the one of its name, else of the only one of its kind; None where there is neither."""
    kind = [held for held in source.watchers if isinstance(held, Zone) == isinstance(item, Zone)]
    named = [held for held in kind if held.name.casefold() == item.name.casefold()]
    like = named or (kind if len(kind) == 1 else [])
    return source.tuning.of(like[0].id) if like else None
