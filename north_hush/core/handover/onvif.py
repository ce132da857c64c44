"""Zones and wires as ONVIF analytics configuration (ONVIF Analytics Service Specification, annexes A and B), and read back.

A zone that fires on motion becomes a cell motion rule, one that fires on entry a field, one on loitering a loitering rule, a wire a
line rule. Points are normalised: -1 to 1, x to the right, y up. Cells are counted from the upper left, row by row, packed (PackBits)
and in base 64. What such rules cannot hold is told in notes.
"""

from __future__ import annotations

import base64
import math
from dataclasses import dataclass
from xml.etree import ElementTree as ET

import numpy as np
from numpy.typing import NDArray

from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.handover.packbits import packed
from north_hush.core.handover.shapes import cells_of, polygon_of
from north_hush.core.scene.items import Watches, Wire, Zone
from north_hush.core.scene.outline import Point
from north_hush.core.site.model import Site, View
from north_hush.core.soap import TT

COLUMNS, ROWS = 22, 18
CORNERS_MOST = 32
GREY_MOST = 63.75
_DIRECTIONS: dict[Watches, str] = {"both": "Any", "broken": "Any", "a_to_b": "Right", "b_to_a": "Left"}
"""Seen from the first point to the last, side A is at the left: from A to B is to the right."""


@dataclass(frozen=True)
class Parameter:
    """A parameter of a rule: its XSD type, and its range where it has one."""

    kind: str
    low: int | None = None
    high: int | None = None
    choices: tuple[str, ...] = ()


PARAMETERS: dict[str, dict[str, Parameter]] = {
    "CellMotionDetector": {
        "MinCount": Parameter("xs:integer", 1, 1_000_000),
        "AlarmOnDelay": Parameter("xs:integer", 0, 3_600_000),
        "AlarmOffDelay": Parameter("xs:integer", 0, 3_600_000),
        "ActiveCells": Parameter("xs:base64Binary"),
    },
    "LineDetector": {
        "Direction": Parameter("tt:Direction", choices=("Any", "Left", "Right")),
        "Segments": Parameter("tt:PolylineArray"),
    },
    "FieldDetector": {"Field": Parameter("tt:PolygonConfiguration")},
    "LoiteringDetector": {
        "Field": Parameter("tt:PolygonConfiguration"),
        "TimeThreshold": Parameter("xs:integer", 1, 86_400),
    },
}
"""Parameters in a schema are generic: which ones a rule has, and of what type, is held to this table."""


def active_cells(filled: NDArray[np.bool_]) -> str:
    """Cells, (rows, columns) bool, packed and in base 64."""
    return base64.b64encode(packed(np.packbits(filled.ravel()).tobytes())).decode()


def sensitivity_of(change_limit_grey: float) -> int:
    """A change limit as sensitivity, 0 to 100, where more is more sensitive: by the logarithm, since limits are told apart by ratio."""
    return round(100 * (1 - math.log(max(1.0, change_limit_grey)) / math.log(GREY_MOST)))


def grey_of(sensitivity: float) -> float:
    """The change limit of a sensitivity, on the grain of quarters."""
    grey = float(GREY_MOST ** (1 - min(100.0, max(0.0, sensitivity)) / 100))
    return min(GREY_MOST, max(0.25, round(grey * 4) / 4))


def onvif_xml(site: Site, view: View, frame_ms: float) -> tuple[bytes, list[str]]:
    """The analytics configuration of a view under its tuning in use, and what of it such rules cannot hold.

    Parameters
    ----------
    frame_ms : the usual time between two frames, by which consecutive frames become a delay
    """
    ET.register_namespace("tt", TT)
    notes: list[str] = []
    root = _element(None, "VideoAnalyticsConfiguration", token=f"{view.id}")
    _element(root, "Name").text = view.name
    _element(root, "UseCount").text = "0"
    engine, rules = _element(root, "AnalyticsEngineConfiguration"), _element(root, "RuleEngineConfiguration")
    dials = {held.id: view.tuning.of(held.id) for held in view.watchers}
    moving = [zone for zone in view.zones if zone.fires == "motion"]
    if moving:
        limits = {dials[zone.id].change_limit_grey for zone in moving}
        if len(limits) > 1:
            notes.append(f"One sensitivity serves all zones: the most sensitive of {len(limits)} is taken.")
        _engine(engine, sensitivity_of(min(limits)))
    for zone in view.zones:
        _zone_rule(rules, view, zone, dials[zone.id], frame_ms, notes)
    for wire in view.wires:
        _wire_rule(rules, wire, notes)
    notes += _not_held(view, dials)
    ET.indent(root)
    return ET.tostring(root, encoding="utf-8", xml_declaration=True) + b"\n", notes


def _element(parent: ET.Element | None, name: str, **attributes: str) -> ET.Element:
    tag = f"{{{TT}}}{name}"
    return ET.Element(tag, attributes) if parent is None else ET.SubElement(parent, tag, attributes)


def _simple(parent: ET.Element, name: str, value: str | int) -> None:
    _element(parent, "SimpleItem", Name=name, Value=str(value))


def _engine(parent: ET.Element, sensitivity: int) -> None:
    module = _element(parent, "AnalyticsModule", Name="Cell motion engine", Type="tt:CellMotionEngine")
    parameters = _element(module, "Parameters")
    _simple(parameters, "Sensitivity", sensitivity)
    layout = _element(
        _element(parameters, "ElementItem", Name="Layout"), "CellLayout", Columns=str(COLUMNS), Rows=str(ROWS)
    )
    turn = _element(layout, "Transformation")
    _element(turn, "Translate", x="-1.0", y="-1.0")
    _element(turn, "Scale", x=f"{2 / COLUMNS:.6f}", y=f"{2 / ROWS:.6f}")


def _rule(parent: ET.Element, name: str, kind: str) -> ET.Element:
    return _element(_element(parent, "Rule", Name=name, Type=f"tt:{kind}"), "Parameters")


def _zone_rule(
    rules: ET.Element, view: View, zone: Zone, dials: ZoneSettings, frame_ms: float, notes: list[str]
) -> None:
    if zone.fires == "motion":
        masks = tuple(mask for mask in view.masks if mask.covers(zone.id))
        filled = cells_of(zone.area, masks, COLUMNS, ROWS)
        count = int(filled.sum())
        if not count:
            notes.append(f"{zone.name}: fills no cell of {COLUMNS} x {ROWS} by half, and alarms nowhere.")
        parameters = _rule(rules, zone.name, "CellMotionDetector")
        _simple(parameters, "MinCount", max(1, math.ceil(count * dials.start_percent / 100)))
        _simple(parameters, "AlarmOnDelay", round((dials.confirm_frames - 1) * frame_ms))
        _simple(parameters, "AlarmOffDelay", round(dials.release_frames * frame_ms))
        _simple(parameters, "ActiveCells", active_cells(filled))
        return
    outline = polygon_of(zone.area, CORNERS_MOST)
    if not outline:
        notes.append(f"{zone.name}: is empty, and left out.")
        return
    kind = "LoiteringDetector" if zone.fires == "loitering" else "FieldDetector"
    parameters = _rule(rules, zone.name, kind)
    if kind == "LoiteringDetector":
        _simple(parameters, "TimeThreshold", max(1, round(dials.loiter_s)))
    item = _element(parameters, "ElementItem", Name="Field")
    _points(_element(_element(item, "PolygonConfiguration"), "Polygon"), outline)
    if len(zone.area) > 1 or outline != getattr(zone.area[0], "points", None):
        notes.append(f"{zone.name}: its shape is simplified to one polygon with {len(outline)} corners.")


def _wire_rule(rules: ET.Element, wire: Wire, notes: list[str]) -> None:
    parameters = _rule(rules, wire.name, "LineDetector")
    _simple(parameters, "Direction", _DIRECTIONS[wire.watches])
    item = _element(parameters, "ElementItem", Name="Segments")
    _points(_element(_element(item, "PolylineArray"), "Segment"), wire.line)
    if wire.watches == "broken":
        notes.append(f"{wire.name}: must not be broken; a line rule tells crossings alone.")


def _points(parent: ET.Element, points: tuple[Point, ...]) -> None:
    for x, y in points:
        _element(parent, "Point", x=f"{2 * x - 1:.6f}", y=f"{1 - 2 * y:.6f}")


def _not_held(view: View, dials: dict[str, ZoneSettings]) -> list[str]:
    born = ZoneSettings()
    fields = {
        "size limits": ("size_min_percent", "size_max_percent", "size_min_heights", "size_max_heights"),
        "travel": ("travel_percent", "travel_heights"),
        "clear level": ("clear_percent",),
        "light guard": ("guard_percent",),
        "smoothing": ("smooth_frames",),
        "channel": ("channel",),
    }
    lost = [
        what
        for what, names in fields.items()
        if any(getattr(held, name) != getattr(born, name) for held in dials.values() for name in names)
    ]
    notes = [f"Not held by these rules: {', '.join(lost)}."] if lost else []
    if any(0 < mask.strength_percent < 100 for mask in view.masks):
        notes.append("Masks of part strength count wholly from half on, and not below.")
    if view.privacy:
        notes.append("Privacy masks are no analytics rules: set them as the device's own.")
    return notes
