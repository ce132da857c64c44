"""ONVIF analytics configuration read into zones and wires. Nothing outside the file is looked at: no entities, no network."""

from __future__ import annotations

import base64
import binascii
from pathlib import Path
from xml.etree import ElementTree as ET

import numpy as np
from numpy.typing import NDArray

from north_hush.core.errors import SiteError
from north_hush.core.handover.onvif import COLUMNS, PARAMETERS, ROWS, grey_of
from north_hush.core.handover.packbits import unpacked
from north_hush.core.handover.shapes import brushed_cells
from north_hush.core.scene.items import Fires, Watches
from north_hush.core.scene.outline import Point
from north_hush.core.site import drawing, edits
from north_hush.core.site.firing import fire_on
from north_hush.core.site.model import Site

_BYTES_MAX = 8 * 1024**2
_CELLS_MAX = 100_000
_WAYS: dict[str, Watches] = {"Any": "both", "Left": "b_to_a", "Right": "a_to_b"}


def take_onvif(site: Site, view_id: str, path: Path) -> tuple[Site, list[str]]:
    """The site with the rules of a file as zones and wires of a view, beside those that are there; and what could not be taken.

    Raises
    ------
    SiteError : the file cannot be read, or a rule makes no sense; nothing is taken then.
    """
    root, notes = _root(path), list[str]()
    columns, rows, sensitivity = _layout(root, path)
    for rule in _all(root, "Rule"):
        name, kind = (rule.get("Name") or "Rule")[:60], _local(rule.get("Type") or "")
        where = f"{path}, rule '{name}'"
        if kind not in PARAMETERS:
            notes.append(f"{name}: rules of type {kind or 'none'} are unknown, and left out.")
            continue
        values = _values(rule, kind, where)
        if kind == "LineDetector":
            for line in _lines(rule, where):
                site = drawing.add_wire(site, view_id, line, name, watches=_WAYS[values.get("Direction", "Any")])
            continue
        if kind == "CellMotionDetector":
            filled = _cells(values.get("ActiveCells", ""), columns, rows, where)
            if not filled.any():
                notes.append(f"{name}: has no active cell.")
            site = drawing.add_zone(site, view_id, (brushed_cells(filled),), name)
            dials = {"start_percent": _percent(values, int(filled.sum())), "change_limit_grey": grey_of(sensitivity)}
        else:
            fires: Fires = "loitering" if kind == "LoiteringDetector" else "entry"
            site = drawing.add_zone(site, view_id, _polygon(rule, where), name)
            zone = site.view(view_id).zones[-1].id
            site = fire_on(site, view_id, zone, fires)
            dials = {"loiter_s": float(values["TimeThreshold"])} if "TimeThreshold" in values else {}
        if dials:
            site = edits.set_dials(site, view_id, site.view(view_id).zones[-1].id, **dials)
    return site, notes


def _root(path: Path) -> ET.Element:
    try:
        if path.stat().st_size > _BYTES_MAX:
            raise SiteError(str(path), "is larger than 8 MB, which no such configuration is.", "Choose another file.")
        data = path.read_bytes()
    except OSError as error:
        raise SiteError(str(path), f"cannot be read ({error.strerror}).", "Check the path.") from error
    if b"<!DOCTYPE" in data or b"<!ENTITY" in data:
        raise SiteError(str(path), "declares entities, which are not expanded.", "Take the declaration out.")
    try:
        return ET.fromstring(data)
    except (ET.ParseError, ValueError, LookupError) as error:
        raise SiteError(str(path), f"is not XML ({error}).", "Export it anew.") from error


def _local(name: str) -> str:
    """A name without its namespace or prefix."""
    return name.rsplit("}", 1)[-1].rsplit(":", 1)[-1]


def _all(parent: ET.Element, name: str) -> list[ET.Element]:
    return [held for held in parent.iter() if isinstance(held.tag, str) and _local(held.tag) == name]


def _values(rule: ET.Element, kind: str, where: str) -> dict[str, str]:
    """Simple parameters of a rule, held to the table."""
    values = {held.get("Name") or "": held.get("Value") or "" for held in _all(rule, "SimpleItem")}
    for name, known in PARAMETERS[kind].items():
        if name not in values:
            continue
        if known.kind == "xs:integer":
            try:
                number = int(values[name])
            except ValueError as error:
                raise SiteError(
                    where, f"has {name} '{values[name][:40]}', which is no whole number.", "Mend it."
                ) from error
            if (known.low is not None and number < known.low) or (known.high is not None and number > known.high):
                raise SiteError(where, f"has {name} {number}, out of {known.low} to {known.high}.", "Mend it.")
        if known.choices and values[name] not in known.choices:
            raise SiteError(where, f"has {name} '{values[name][:40]}', none of {', '.join(known.choices)}.", "Mend it.")
    return values


def _layout(root: ET.Element, path: Path) -> tuple[int, int, float]:
    """Columns and rows of the cells, and the sensitivity."""
    columns, rows, sensitivity = COLUMNS, ROWS, 50.0
    for layout in _all(root, "CellLayout"):
        try:
            columns, rows = int(layout.get("Columns") or ""), int(layout.get("Rows") or "")
        except ValueError as error:
            raise SiteError(f"{path}, CellLayout", "has no whole numbers of columns and rows.", "Mend it.") from error
        if not (columns > 0 and rows > 0 and columns * rows <= _CELLS_MAX):
            raise SiteError(f"{path}, CellLayout", f"has {columns} x {rows} cells.", "Mend it.")
    for module in _all(root, "AnalyticsModule"):
        for item in _all(module, "SimpleItem"):
            if item.get("Name") == "Sensitivity":
                try:
                    sensitivity = float(item.get("Value") or "")
                except ValueError as error:
                    raise SiteError(f"{path}, Sensitivity", "is no number.", "Mend it.") from error
    return columns, rows, sensitivity


def _cells(text: str, columns: int, rows: int, where: str) -> NDArray[np.bool_]:
    try:
        data = unpacked(base64.b64decode(text, validate=True), -(-columns * rows // 8))
    except (binascii.Error, ValueError) as error:
        raise SiteError(where, "has active cells that are not base 64.", "Mend it.") from error
    except SiteError as error:
        raise SiteError(where, f"has active cells that {error.what}", error.remedy) from error
    bits = np.unpackbits(np.frombuffer(data, np.uint8))[: columns * rows]
    if len(bits) < columns * rows:
        raise SiteError(where, f"has {len(bits)} active cells, and its layout {columns * rows}.", "Mend it.")
    return bits.reshape(rows, columns).astype(bool)


def _percent(values: dict[str, str], cells: int) -> float:
    """The start level of a least count of cells."""
    if "MinCount" not in values or not cells:
        return 0.5
    return min(100.0, max(0.01, round(100 * int(values["MinCount"]) / cells, 2)))


def _points(parent: ET.Element, where: str) -> tuple[Point, ...]:
    points = []
    for held in _all(parent, "Point"):
        try:
            x, y = (float(held.get(name) or "") for name in ("x", "y"))
        except ValueError as error:
            raise SiteError(where, "has a point without numbers.", "Mend it.") from error
        if not (-1.001 <= x <= 1.001 and -1.001 <= y <= 1.001):
            raise SiteError(where, f"has a point at {x:g}, {y:g}, outside -1 to 1.", "Mend it.")
        points.append((round(min(1.0, max(0.0, (x + 1) / 2)), 5), round(min(1.0, max(0.0, (1 - y) / 2)), 5)))
    return tuple(points)


def _polygon(rule: ET.Element, where: str) -> tuple[Point, ...]:
    points = next((_points(held, where) for held in _all(rule, "Polygon")), ())
    if len(points) < 3:
        raise SiteError(where, f"has a field of {len(points)} corners.", "A field has three at least.")
    return points


def _lines(rule: ET.Element, where: str) -> list[tuple[Point, ...]]:
    lines = [_points(held, where) for held in _all(rule, "Segment")]
    if not lines or any(len(line) < 2 for line in lines):
        raise SiteError(where, "has a line of fewer than two points.", "Mend it.")
    return lines
