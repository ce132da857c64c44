"""ONVIF analytics XML: known answers, its schema, and the way back."""

import base64

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from north_hush.core.errors import SiteError
from north_hush.core.handover.onvif import CORNERS_MOST, GREY_MOST, active_cells, grey_of, onvif_xml, sensitivity_of
from north_hush.core.handover.onvif_reading import take_onvif
from north_hush.core.handover.packbits import packed, unpacked
from north_hush.core.scene.area import Brushed, filled_cells
from north_hush.core.site import drawing, edits

SQUARE = ((0.25, 0.5), (0.75, 0.5), (0.75, 1.0), (0.25, 1.0))


def plan():
    site = drawing.add_zone(edits.new_site("Skerry Quay", "Slipway"), "view-1", SQUARE, "Slip")
    site = edits.set_dials(
        site,
        "view-1",
        "zone-1",
        start_percent=10.0,
        clear_percent=5.0,
        confirm_frames=3,
        release_frames=5,
        change_limit_grey=8.0,
    )
    site = drawing.add_zone(site, "view-1", SQUARE, "Gate")
    site = drawing.change_item(site, "view-1", "zone-2", fires="entry")
    site = drawing.add_zone(site, "view-1", ((0.1, 0.1), (0.2, 0.1), (0.2, 0.3)), "Bench")
    site = drawing.change_item(site, "view-1", "zone-3", fires="loitering")
    site = edits.set_dials(site, "view-1", "zone-3", loiter_s=25)
    return drawing.add_wire(site, "view-1", ((0.1, 0.6), (0.9, 0.6)), "Line", watches="a_to_b")


def written(tmp_path, site=None):
    site = site or plan()
    data, notes = onvif_xml(site, site.views[0], 100.0)
    path = tmp_path / "rules.xml"
    path.write_bytes(data)
    return path, notes


@pytest.mark.parametrize(
    ("cells", "text"),
    [
        (np.zeros((18, 22), bool), "zwA="),
        (np.ones((18, 22), bool), "0P8A8A=="),
        # The first row alone: 22 bits are FF FF FC, then 47 bytes of nothing.
        (np.arange(18 * 22).reshape(18, 22) < 22, base64.b64encode(b"\xff\xff\x00\xfc\xd2\x00").decode()),
    ],
)
def test_active_cells_are_packed_as_the_standard_does(cells, text):
    assert active_cells(cells) == text


RUNS = st.tuples(st.binary(min_size=1, max_size=1), st.integers(1, 400)).map(lambda held: held[0] * held[1])


@given(st.lists(st.one_of(st.binary(max_size=5), RUNS)))
def test_packed_bytes_come_back(parts):
    data = b"".join(parts)
    assert unpacked(packed(data), len(data)) == data


@pytest.mark.parametrize("data", [b"\x05ab", b"\xcf", packed(b"\0" * 60)])
def test_broken_or_longer_cells_are_refused(data):
    with pytest.raises(SiteError, match=r"cut off|more than"):
        unpacked(data, 50)


def test_sensitivity_runs_the_other_way_and_comes_back():
    assert sensitivity_of(1.0) == 100 and sensitivity_of(GREY_MOST) == 0
    assert [grey_of(sensitivity_of(grey)) for grey in (1.0, 8.0, 20.0)] == pytest.approx([1.0, 8.0, 20.0], rel=0.04)


def test_what_is_written_is_valid_against_the_schema(tmp_path):
    from pathlib import Path

    onvif = pytest.importorskip("onvif")
    etree = pytest.importorskip("lxml.etree")
    held = Path(onvif.__file__).parent / "wsdl" / "onvif.xsd"
    names = ("CellLayout", "PolylineArray", "PolygonConfiguration", "RuleEngineConfiguration")
    elements = "".join(f'<xs:element name="{name}" type="tt:{name}"/>' for name in names)
    tt = "http://www.onvif.org/ver10/schema"
    text = f'<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" xmlns:tt="{tt}" targetNamespace="{tt}">'
    schema = etree.XMLSchema(etree.fromstring(f'{text}<xs:include schemaLocation="{held}"/>{elements}</xs:schema>'))
    path, _ = written(tmp_path)
    document = etree.parse(str(path))
    assert schema.validate(document), schema.error_log
    parts = [found for name in names for found in document.iter(f"{{{tt}}}{name}")]
    assert len(parts) == 5
    for part in parts:
        assert schema.validate(etree.ElementTree(part)), (part.tag, schema.error_log)
    document.find(f".//{{{tt}}}Point").set("x", "left")
    assert not schema.validate(document)  # the schema looks at what lies deep within


def test_the_drawing_comes_back(tmp_path):
    path, notes = written(tmp_path)
    assert any("clear level" in note for note in notes)
    site, unknown = take_onvif(edits.new_site("Other"), "view-1", path)
    assert unknown == []
    view = site.views[0]
    slip, gate, bench = view.zones
    assert (slip.name, gate.name, bench.name) == ("Slip", "Gate", "Bench")
    assert isinstance(slip.area[0], Brushed)
    cells = filled_cells(slip.area[0])
    assert cells[9:, 6:16].all() and cells.sum() in (9 * 11, 9 * 10, 9 * 12)
    dials = view.tuning.of(slip.id)
    assert dials.start_percent == pytest.approx(10, abs=1) and dials.change_limit_grey == pytest.approx(8, rel=0.04)
    assert gate.fires == "entry" and np.allclose(gate.area[0].points, SQUARE, atol=1e-4)
    assert bench.fires == "loitering" and view.tuning.of(bench.id).loiter_s == 25
    assert view.wires[0].watches == "a_to_b" and np.allclose(view.wires[0].line, ((0.1, 0.6), (0.9, 0.6)), atol=1e-4)
    again, _ = take_onvif(edits.new_site("Third"), "view-1", written(tmp_path, site)[0])
    assert [zone.area for zone in again.views[0].zones] == [zone.area for zone in view.zones]
    assert [wire.line for wire in again.views[0].wires] == [wire.line for wire in view.wires]


def test_a_mask_takes_its_cells_out_and_many_corners_become_few(tmp_path):
    site = drawing.add_mask(plan(), "view-1", ((0, 0), (1, 0), (1, 0.75), (0, 0.75)))
    found, _ = take_onvif(edits.new_site("Other"), "view-1", written(tmp_path, site)[0])
    assert not filled_cells(found.views[0].zones[0].area[0])[:13].any()
    turns = np.linspace(0, 2 * np.pi, 90, endpoint=False)
    ring = tuple((0.5 + 0.3 * float(np.cos(t)), 0.5 + 0.3 * float(np.sin(t))) for t in turns)
    site = drawing.change_item(drawing.add_zone(plan(), "view-1", ring, "Ring"), "view-1", "zone-4", fires="entry")
    path, notes = written(tmp_path, site)
    found, _ = take_onvif(edits.new_site("Other"), "view-1", path)
    assert 8 <= len(found.views[0].zones[-1].area[0].points) <= CORNERS_MOST
    assert any(note.startswith("Ring: its shape is simplified") for note in notes)


RULE = '<a xmlns:t="http://www.onvif.org/ver10/schema"><t:Rule Name="R" Type="tt:{}"><t:Parameters>{}</t:Parameters></t:Rule></a>'


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("no xml", "is not XML"),
        ('<!DOCTYPE a [<!ENTITY b SYSTEM "file:///etc/passwd">]><a>&b;</a>', "entities"),
        (RULE.format("FieldDetector", '<t:Polygon><t:Point x="3" y="0"/></t:Polygon>'), "rule 'R'.*outside"),
        (RULE.format("FieldDetector", '<t:Polygon><t:Point x="a" y="0"/></t:Polygon>'), "without numbers"),
        (RULE.format("FieldDetector", ""), "0 corners"),
        (RULE.format("LineDetector", ""), "fewer than two"),
        (RULE.format("LineDetector", '<t:SimpleItem Name="Direction" Value="Up"/>'), "none of Any"),
        (RULE.format("CellMotionDetector", '<t:SimpleItem Name="ActiveCells" Value="?"/>'), "base 64"),
        (RULE.format("CellMotionDetector", '<t:SimpleItem Name="ActiveCells" Value="AP8="/>'), "8 active cells"),
        (RULE.format("CellMotionDetector", '<t:SimpleItem Name="MinCount" Value="0"/>'), "out of 1"),
        (RULE.format("CellMotionDetector", '<t:SimpleItem Name="MinCount" Value="x"/>'), "no whole number"),
        ('<a><CellLayout Columns="0" Rows="9"/></a>', "0 x 9 cells"),
        ('<a><CellLayout Columns="999999" Rows="9999"/></a>', "cells"),
    ],
)
def test_files_from_elsewhere_are_held_to_the_rules(tmp_path, text, says):
    path = tmp_path / "rules.xml"
    path.write_text(text)
    with pytest.raises(SiteError, match=says):
        take_onvif(edits.new_site("Other"), "view-1", path)


def test_unknown_rules_and_namespaces_are_told_and_left_out(tmp_path):
    path = tmp_path / "rules.xml"
    path.write_text('<a xmlns="urn:elsewhere"><Rule Name="Faces" Type="x:FaceFinder"/></a>')
    site, notes = take_onvif(edits.new_site("Other"), "view-1", path)
    assert site == edits.new_site("Other") and "FaceFinder" in notes[0]
