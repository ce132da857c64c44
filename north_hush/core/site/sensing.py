"""Edits of sensors: what is listened to beside the picture."""

from __future__ import annotations

from typing import Any

from north_hush.core.errors import SiteError
from north_hush.core.sight.sensors import Sensor
from north_hush.core.site.edits import free_id, in_view
from north_hush.core.site.model import Site, View, replaced
from north_hush.core.words import tr


def sensor_named(view: View, name: str) -> Sensor:
    """A sensor by id or name.

    Raises
    ------
    SiteError : there is none of that name.
    """
    found = next((held for held in view.sensors if name in (held.id, held.name)), None)
    if found is None:
        known = ", ".join(held.name for held in view.sensors) or "none"
        raise SiteError(
            tr("sensor '{name}'", name=name),
            tr("is none of '{name}'.", name=view.name),
            tr("It has {known}.", known=known),
        )
    return found


def add_sensor(site: Site, view_id: str, name: str, **fields: Any) -> Site:
    """Listen to one more thing.

    Raises
    ------
    pydantic.ValidationError : it makes no sense.
    """
    view = site.view(view_id)
    taken = {held.id for held in (*view.items, *view.sensors)}
    sensor = Sensor(id=free_id("sensor", taken), name=name, **fields)
    return in_view(site, view_id, lambda view: replaced(view, sensors=(*view.sensors, sensor)))


def change_sensor(site: Site, view_id: str, sensor_id: str, **changes: Any) -> Site:
    """Change what a sensor listens to, or what it does.

    Raises
    ------
    pydantic.ValidationError : it makes no sense.
    """

    def changed(view: View) -> View:
        held = tuple(replaced(one, **changes) if one.id == sensor_id else one for one in view.sensors)
        return replaced(view, sensors=held)

    return in_view(site, view_id, changed)


def remove_sensor(site: Site, view_id: str, sensor_id: str) -> Site:
    """Listen to something no more; hours of its own go with it."""

    def without(view: View) -> View:
        hours = {item: held for item, held in view.item_hours.items() if item != sensor_id}
        return replaced(view, sensors=tuple(one for one in view.sensors if one.id != sensor_id), item_hours=hours)

    return in_view(site, view_id, without)
