"""What a zone fires on, and the dials it is born with for that."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from north_hush.core.detect.settings import FACTORY, ZoneSettings
from north_hush.core.scene.items import Fires, Zone
from north_hush.core.scene.kind import WHO_COME
from north_hush.core.site import drawing, edits
from north_hush.core.site.model import Site

_VISITORS: Mapping[str, Any] = {"kinds": WHO_COME, "kind_sure_percent": 50.0}
"""Somebody comes or stays; a snowflake, a leaf or a patch of light does neither. More likely than not is enough."""
_BORN: Mapping[Fires, Mapping[str, Any]] = {
    "motion": {},
    "entry": _VISITORS,
    "loitering": {**_VISITORS, "channel": "drift"},  # who stands still has no step
}


def born_settings(fires: Fires) -> ZoneSettings:
    """The dials of a new zone that fires on something."""
    return FACTORY.turned(**_BORN[fires])


def fire_on(site: Site, view_id: str, zone_id: str, fires: Fires) -> Site:
    """Have a zone fire on something else. Dials that stand as they were born for what it fired on so far are born anew, in every
    tuning; what somebody turned stays."""
    view = site.view(view_id)
    zone = view.item(zone_id)
    if not isinstance(zone, Zone) or zone.fires == fires:
        return site
    was, becomes = born_settings(zone.fires), born_settings(fires)
    for tuning in view.tunings:
        held = tuning.of(zone_id)
        fields = _BORN[zone.fires].keys() | _BORN[fires].keys()
        turned = {field: getattr(becomes, field) for field in fields if getattr(held, field) == getattr(was, field)}
        site = edits.put_settings(site, view_id, tuning.name, zone_id, held.turned(**turned))
    return drawing.change_item(site, view_id, zone_id, fires=fires)
