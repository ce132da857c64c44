"""Named changes of a site: each takes a site and returns the changed one. Desk, command line and advice share them."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.footage.options import Orientation
from north_hush.core.scene.items import Mask, Wire, Zone, free_letter, free_number
from north_hush.core.scene.outline import Point
from north_hush.core.site.model import Recording, Site, Tuning, View, replaced


def new_site(name: str, view_name: str = "Camera 1") -> Site:
    """Return a site with one empty camera view."""
    return Site(name=name, views=(View(id="view-1", name=view_name),))


def add_view(site: Site, name: str) -> Site:
    """Add an empty camera view."""
    view_id = free_id("view", {view.id for view in site.views})
    return replaced(site, views=(*site.views, View(id=view_id, name=name)))


def rename_view(site: Site, view_id: str, name: str) -> Site:
    """Rename a camera view."""
    return _in_view(site, view_id, lambda view: replaced(view, name=name))


def remove_view(site: Site, view_id: str) -> Site:
    """Remove a camera view with all that is drawn on it; its recordings stay on disk."""
    return replaced(site, views=tuple(view for view in site.views if view.id != view_id))


def add_recording(
    site: Site, view_id: str, path: str, *, fingerprint: str = "", frames_per_s: float | None = None
) -> Site:
    """Add a recording to a view; `path` as it is to be stored."""
    view = site.view(view_id)
    recording = Recording(
        id=free_id("recording", {held.id for held in view.recordings}),
        path=path,
        fingerprint=fingerprint,
        frames_per_s=frames_per_s,
    )
    return _in_view(site, view_id, lambda view: replaced(view, recordings=(*view.recordings, recording)))


def remove_recording(site: Site, view_id: str, recording_id: str) -> Site:
    """Take a recording off a view; the file itself stays."""
    return _in_view(
        site,
        view_id,
        lambda view: replaced(view, recordings=tuple(held for held in view.recordings if held.id != recording_id)),
    )


def change_recording(site: Site, view_id: str, recording_id: str, **changes: Any) -> Site:
    """Change fields of a recording, such as its path or clock offset."""

    def change(view: View) -> View:
        kept = (replaced(held, **changes) if held.id == recording_id else held for held in view.recordings)
        return replaced(view, recordings=tuple(kept))

    return _in_view(site, view_id, change)


def orient_recording(site: Site, view_id: str, recording_id: str, orientation: Orientation) -> Site:
    """Turn or flip a recording."""
    return change_recording(site, view_id, recording_id, orientation=orientation)


def add_zone(site: Site, view_id: str, outline: tuple[Point, ...], name: str | None = None) -> Site:
    """Add a zone with the next free letter; it starts with factory settings."""
    view = site.view(view_id)
    letter = free_letter({zone.letter for zone in view.zones})
    zone = Zone(id=_free_item_id(view, "zone"), name=name or f"Zone {letter}", letter=letter, outline=outline)
    return _in_view(site, view_id, lambda view: replaced(view, zones=(*view.zones, zone)))


def add_wire(site: Site, view_id: str, line: tuple[Point, ...], name: str | None = None) -> Site:
    """Add a tripwire with the next free number."""
    view = site.view(view_id)
    number = free_number({wire.letter for wire in view.wires})
    wire = Wire(id=_free_item_id(view, "wire"), name=name or f"Wire {number}", letter=number, outline=line)
    return _in_view(site, view_id, lambda view: replaced(view, wires=(*view.wires, wire)))


def add_mask(
    site: Site, view_id: str, outline: tuple[Point, ...], name: str | None = None, strength_percent: float = 100.0
) -> Site:
    """Add a mask for all zones."""
    view = site.view(view_id)
    mask = Mask(
        id=_free_item_id(view, "mask"),
        name=name or f"Mask {len(view.masks) + 1}",
        outline=outline,
        strength_percent=strength_percent,
    )
    return _in_view(site, view_id, lambda view: replaced(view, masks=(*view.masks, mask)))


def change_item(site: Site, view_id: str, item_id: str, **changes: Any) -> Site:
    """Change fields of a zone, wire or mask: its name, outline or strength."""

    def change(view: View) -> View:
        return replaced(
            view,
            zones=tuple(replaced(zone, **changes) if zone.id == item_id else zone for zone in view.zones),
            wires=tuple(replaced(wire, **changes) if wire.id == item_id else wire for wire in view.wires),
            masks=tuple(replaced(mask, **changes) if mask.id == item_id else mask for mask in view.masks),
        )

    return _in_view(site, view_id, change)


def remove_item(site: Site, view_id: str, item_id: str) -> Site:
    """Remove a zone, wire or mask, and its settings from every tuning."""

    def remove(view: View) -> View:
        return replaced(
            view,
            zones=tuple(zone for zone in view.zones if zone.id != item_id),
            wires=tuple(wire for wire in view.wires if wire.id != item_id),
            masks=tuple(mask for mask in view.masks if mask.id != item_id),
            tunings=tuple(
                replaced(tuning, settings={held: dials for held, dials in tuning.settings.items() if held != item_id})
                for tuning in view.tunings
            ),
        )

    return _in_view(site, view_id, remove)


def set_dials(site: Site, view_id: str, item_id: str, **dials: Any) -> Site:
    """Turn dials of an item in the tuning in use. Start and clear level give way to each other.

    Raises
    ------
    pydantic.ValidationError : a value is out of its range.
    """
    view = site.view(view_id)
    before = view.tuning.of(item_id)
    if "start_percent" in dials and "clear_percent" not in dials:
        dials["clear_percent"] = min(before.clear_percent, dials["start_percent"])
    if "clear_percent" in dials and "start_percent" not in dials:
        dials["start_percent"] = max(before.start_percent, dials["clear_percent"])
    return put_settings(site, view_id, view.tuning_in_use, item_id, replaced(before, **dials))


def put_settings(site: Site, view_id: str, tuning: str, item_id: str, settings: ZoneSettings) -> Site:
    """Give an item its settings in a named tuning."""

    def put(view: View) -> View:
        tunings = (
            replaced(held, settings={**held.settings, item_id: settings}) if held.name == tuning else held
            for held in view.tunings
        )
        return replaced(view, tunings=tuple(tunings))

    return _in_view(site, view_id, put)


def add_tuning(site: Site, view_id: str, name: str, like: str | None = None) -> Site:
    """Add a tuning and use it; `like` names the one whose dials it starts with."""

    def add(view: View) -> View:
        start = view.tuning_named(like).settings if like else {}
        return replaced(view, tunings=(*view.tunings, Tuning(name=name, settings=start)), tuning_in_use=name)

    return _in_view(site, view_id, add)


def use_tuning(site: Site, view_id: str, name: str) -> Site:
    """Use another tuning of the view."""
    return _in_view(site, view_id, lambda view: replaced(view, tuning_in_use=name))


def free_id(prefix: str, taken: set[str]) -> str:
    """Return prefix-1, prefix-2 ...: the first that is not taken."""
    number = 1
    while f"{prefix}-{number}" in taken:
        number += 1
    return f"{prefix}-{number}"


def _free_item_id(view: View, prefix: str) -> str:
    """Ids are not used again while a tuning still holds settings under them."""
    taken = {item.id for item in view.items}
    return free_id(prefix, taken | {item_id for tuning in view.tunings for item_id in tuning.settings})


def _in_view(site: Site, view_id: str, change: Callable[[View], View]) -> Site:
    return replaced(site, views=tuple(change(view) if view.id == view_id else view for view in site.views))
