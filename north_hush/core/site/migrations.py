"""Site files of older versions, brought up to date one version at a time."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from north_hush.core.site.model import VERSION

Held = dict[str, Any]


def migrated(held: Held) -> Held:
    """Return what a site file of any older version says, as the present version says it.

    Nonsense is left as it is; reading it as a site names the field.
    """
    while isinstance(held.get("version"), int) and held["version"] in _STEPS:
        held = {**_STEPS[held["version"]](held), "version": held["version"] + 1}
    return held


def _areas_and_lines(held: Held) -> Held:
    """Version 1 had one outline for each zone, wire and mask."""
    for view in _dicts(held.get("views")):
        for item in (*_dicts(view.get("zones")), *_dicts(view.get("masks"))):
            if "outline" in item:
                item["area"] = [{"kind": "polygon", "points": item.pop("outline")}]
        for wire in _dicts(view.get("wires")):
            if "outline" in wire:
                wire["line"] = wire.pop("outline")
    return held


def _incidents_as_truth(held: Held) -> Held:
    """Version 2 had incidents alone, and took them for all there were."""
    for view in _dicts(held.get("views")):
        for recording in _dicts(view.get("recordings")):
            incidents = recording.pop("incidents", [])
            if incidents:
                recording["truth"] = {"incidents": incidents, "complete": True}
    return held


def _as_it_is(held: Held) -> Held:
    """Version 3 knew no walk tests, device lists or replaced recordings, version 5 no passphrase, version 6 no hours, version 7 no
    outcome, version 8 no rules of sight, version 9 no tunings with hours, version 10 no patterns of names and no sheets handed over,
    version 11 no questions, version 12 no views that record along, version 13 no settled turns, version 14 no kinds that are
    reported alone, version 15 no hours of blindness; they lack nothing that must be there."""
    return held


def _items_of_incidents(held: Held) -> Held:
    """Version 4 had one item an incident, '' for any, and no places."""
    for view in _dicts(held.get("views")):
        for recording in _dicts(view.get("recordings")):
            truths = [recording.get("truth"), *(aside.get("truth") for aside in _dicts(recording.get("set_aside")))]
            for truth in _dicts(truths):
                for incident in _dicts(truth.get("incidents")):
                    item = incident.pop("item", "")
                    if item:
                        incident["items"] = [item]
    return held


def _dicts(values: object) -> Iterator[Held]:
    return (value for value in values if isinstance(value, dict)) if isinstance(values, list) else iter(())


_STEPS: dict[int, Callable[[Held], Held]] = {
    1: _areas_and_lines,
    2: _incidents_as_truth,
    3: _as_it_is,
    4: _items_of_incidents,
    5: _as_it_is,
    6: _as_it_is,
    7: _as_it_is,
    8: _as_it_is,
    9: _as_it_is,
    10: _as_it_is,
    11: _as_it_is,
    12: _as_it_is,
    13: _as_it_is,
    14: _as_it_is,
    15: _as_it_is,
}
assert max(_STEPS) == VERSION - 1
