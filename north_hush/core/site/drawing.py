"""Named changes of what is drawn on a camera view: each takes a site and returns the changed one."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from north_hush.core.scene.area import Shape, area_of
from north_hush.core.scene.handles import moved
from north_hush.core.scene.items import (
    FIELDS,
    Item,
    Mask,
    Privacy,
    SizeMark,
    Watches,
    Wire,
    Zone,
    free_letter,
    free_number,
)
from north_hush.core.scene.outline import Point
from north_hush.core.scene.painted import Painted
from north_hush.core.scene.plan import WithoutZones
from north_hush.core.site.edits import free_id, in_view
from north_hush.core.site.model import Site, View, replaced
from north_hush.core.words import tr

_DUPLICATE_OFFSET_FRAC = 0.03


def add_item(site: Site, view_id: str, item: Item) -> Site:
    """Add an item as it is, behind the others of its kind."""
    return in_view(site, view_id, lambda view: _with_items(view, type(item), (*_items(view, type(item)), item)))


def add_zone(site: Site, view_id: str, shape: Shape, name: str | None = None) -> Site:
    """Add a zone with the next free letter; it starts with factory settings."""
    view = site.view(view_id)
    letter = free_letter({zone.letter for zone in view.zones})
    item_id = free_item_id(view, "zone")
    return add_item(
        site,
        view_id,
        Zone(id=item_id, name=name or tr("Zone {letter}", letter=letter), letter=letter, area=area_of(shape)),
    )


def add_wire(
    site: Site, view_id: str, line: tuple[Point, ...], name: str | None = None, watches: Watches = "broken"
) -> Site:
    """Add a tripwire with the next free number."""
    view = site.view(view_id)
    number = free_number({wire.letter for wire in view.wires})
    item_id = free_item_id(view, "wire")
    return add_item(
        site,
        view_id,
        Wire(id=item_id, name=name or tr("Wire {number}", number=number), letter=number, line=line, watches=watches),
    )


def add_mask(
    site: Site, view_id: str, shape: Shape | Painted, name: str | None = None, strength_percent: float = 100.0
) -> Site:
    """Add a mask for all zones and wires: an area, or painted pixels."""
    view = site.view(view_id)
    what: dict[str, Any] = {"painted": shape} if isinstance(shape, Painted) else {"area": area_of(shape)}
    return add_item(
        site,
        view_id,
        Mask(
            id=free_item_id(view, "mask"),
            name=name or _free_name(tr("Mask"), view.masks),
            strength_percent=strength_percent,
            **what,
        ),
    )


def add_privacy(site: Site, view_id: str, shape: tuple[Point, ...] | Painted, name: str | None = None) -> Site:
    """Add a privacy mask: a polygon, or painted pixels."""
    view = site.view(view_id)
    what: dict[str, Any] = {"painted": shape} if isinstance(shape, Painted) else {"outline": shape}
    item_id = free_item_id(view, "privacy")
    return add_item(site, view_id, Privacy(id=item_id, name=name or _free_name(tr("Privacy"), view.privacy), **what))


def add_size_mark(site: Site, view_id: str, foot: Point, height_frac: float, name: str | None = None) -> Site:
    """Add the height of a standing person at a place."""
    view = site.view(view_id)
    item_id = free_item_id(view, "size")
    mark = SizeMark(
        id=item_id, name=name or _free_name(tr("Person"), view.size_marks), foot=foot, height_frac=height_frac
    )
    return add_item(site, view_id, mark)


def change_item(site: Site, view_id: str, item_id: str, **changes: Any) -> Site:
    """Change fields of an item."""

    def change(view: View) -> View:
        item = view.item(item_id)
        if item is None:
            return view
        kind = type(item)
        return _with_items(
            view, kind, tuple(replaced(held, **changes) if held.id == item_id else held for held in _items(view, kind))
        )

    return in_view(site, view_id, change)


def move_items(site: Site, view_id: str, item_ids: Collection[str], dx: float, dy: float) -> Site:
    """Move items by fractions of the picture, each as far as it stays inside; locked ones stay."""
    view = site.view(view_id)
    for item_id in item_ids:
        item = view.item(item_id)
        if item is not None and not item.locked:
            site = change_item(site, view_id, item_id, **moved(item, dx, dy))
    return site


def remove_items(site: Site, view_id: str, item_ids: Collection[str]) -> Site:
    """Remove items, their settings from every tuning, and their names from masks that are only for them."""

    def remove(view: View) -> View:
        kept: dict[str, Any] = {
            field: tuple(item for item in getattr(view, field) if item.id not in item_ids) for field in FIELDS.values()
        }
        kept["masks"] = tuple(
            mask
            if mask.only_for is None
            else replaced(mask, only_for=tuple(name for name in mask.only_for if name not in item_ids))
            for mask in kept["masks"]
        )
        kept["tunings"] = tuple(
            replaced(tuning, settings={held: dials for held, dials in tuning.settings.items() if held not in item_ids})
            for tuning in view.tunings
        )
        return replaced(view, **kept)

    return in_view(site, view_id, remove)


def duplicate_item(site: Site, view_id: str, item_id: str) -> Site:
    """Add a copy of an item a little beside it, with the same settings in every tuning."""
    view = site.view(view_id)
    item = view.item(item_id)
    if item is None:
        return site
    copy = fresh_item(view, replaced(item, name=_copy_name(item.name), locked=False))
    copy = replaced(copy, **moved(copy, _DUPLICATE_OFFSET_FRAC, _DUPLICATE_OFFSET_FRAC))
    site = add_item(site, view_id, copy)
    return in_view(
        site,
        view_id,
        lambda view: replaced(
            view,
            tunings=tuple(
                replaced(tuning, settings={**tuning.settings, copy.id: tuning.settings[item_id]})
                if item_id in tuning.settings
                else tuning
                for tuning in view.tunings
            ),
        ),
    )


def watch_without_zones(site: Site, view_id: str, what: WithoutZones) -> Site:
    """Say what is watched while no zone is drawn: the whole picture, or deliberately nothing."""
    return in_view(site, view_id, lambda view: replaced(view, without_zones=what))


def fresh_item(view: View, item: Item) -> Item:
    """The same item under an id, and a letter, that are free in a view."""
    prefix = _PREFIXES[type(item)]
    changes: dict[str, str] = {"id": free_item_id(view, prefix)}
    taken = {watcher.letter for watcher in view.watchers}
    if isinstance(item, Zone) and item.letter in taken:
        changes["letter"] = free_letter(taken)
    if isinstance(item, Wire) and item.letter in taken:
        changes["letter"] = free_number(taken)
    return replaced(item, **changes)


def free_item_id(view: View, prefix: str) -> str:
    """An id that no item has. Ids are not used again while a tuning still holds settings under them."""
    taken = {item.id for item in view.items}
    return free_id(prefix, taken | {item_id for tuning in view.tunings for item_id in tuning.settings})


_PREFIXES = {Zone: "zone", Wire: "wire", Mask: "mask", Privacy: "privacy", SizeMark: "size"}
_NAME_MAX = 60
_COPY = " copy"


def _copy_name(name: str) -> str:
    return name if name.endswith(_COPY) else name[: _NAME_MAX - len(_COPY)] + _COPY


def _free_name(kind: str, held: tuple[Item, ...]) -> str:
    names = {item.name for item in held}
    return next(name for number in range(1, len(held) + 2) if (name := f"{kind} {number}") not in names)


def _items(view: View, kind: type[Item]) -> tuple[Item, ...]:
    items: tuple[Item, ...] = getattr(view, FIELDS[kind])
    return items


def _with_items(view: View, kind: type[Item], items: tuple[Item, ...]) -> View:
    return replaced(view, **{FIELDS[kind]: items})
