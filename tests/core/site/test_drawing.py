"""Edits of what is drawn, sheets of items, migrations and mask files."""

import json

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image
from pydantic import ValidationError

from north_hush.core.detect.settings import FACTORY, ZoneSettings
from north_hush.core.errors import SiteError
from north_hush.core.grid import Grid
from north_hush.core.handover.masks import write_masks
from north_hush.core.scene.area import area_of, brushed, grid_raster, inverted
from north_hush.core.scene.handles import item_bounds, item_contains, rings, with_ring
from north_hush.core.scene.outline import rectangle
from north_hush.core.scene.painted import painted
from north_hush.core.site import drawing, edits
from north_hush.core.site.file import load_site
from north_hush.core.site.history import History
from north_hush.core.site.migrations import migrated
from north_hush.core.site.model import VERSION
from north_hush.core.site.sheet import paste_sheet, read_sheet, sheet_of, sheet_text
from tests.footage_maker import moving_square, write_video

V = "view-1"
BOX = rectangle((0.2, 0.2), (0.6, 0.6))
RASTER = grid_raster(Grid(64, 48))
SPOTTED = painted(np.eye(8, dtype=np.uint8) * 200)


def full_site():
    site = edits.new_site("Skerry Quay", "Slipway")
    site = drawing.add_zone(site, V, BOX, "Slip")
    site = drawing.add_zone(site, V, brushed((), RASTER, {1, 2, 40}), "Quay")
    site = drawing.add_wire(site, V, ((0.1, 0.5), (0.9, 0.5)), "Gate", watches="a_to_b")
    site = drawing.add_mask(site, V, BOX, "Nets", 60)
    site = drawing.add_mask(site, V, SPOTTED, "Painted")
    site = drawing.add_privacy(site, V, BOX, "Door")
    site = drawing.add_privacy(site, V, SPOTTED, "Window")
    site = drawing.add_size_mark(site, V, (0.5, 0.9), 0.3, "Near")
    return edits.put_settings(site, V, "factory", "zone-1", ZoneSettings(start_percent=2.0))


def test_every_kind_is_saved_and_read_again(tmp_path):
    site = full_site()
    path = tmp_path / "a.hush.json"
    path.write_text(site.model_dump_json())
    assert load_site(path) == site
    assert [item.id for item in site.views[0].items] == [
        "zone-1", "zone-2", "wire-1", "mask-1", "mask-2", "privacy-1", "privacy-2", "size-1",
    ]  # fmt: skip


ids = st.sampled_from([item.id for item in full_site().views[0].items])
sides = st.floats(-0.5, 0.5)
acts = st.lists(
    st.one_of(
        st.tuples(st.just("move"), ids, sides, sides),
        st.tuples(st.just("corner"), ids, st.floats(0, 1), st.floats(0, 1)),
        st.tuples(st.just("duplicate"), ids),
        st.tuples(st.just("remove"), ids),
        st.tuples(st.just("lock"), ids, st.booleans()),
        st.tuples(st.just("invert"), ids),
        st.tuples(st.just("brush"), ids, st.sets(st.integers(0, 191), min_size=1, max_size=5), st.booleans()),
        st.tuples(st.just("settings"), st.lists(ids, max_size=3)),
        st.tuples(st.just("paste"), st.sets(ids, max_size=4)),
        st.tuples(st.just("without"), st.sampled_from(["nothing", "whole_picture"])),
        st.tuples(st.just("only for"), st.sampled_from([None, (), ("zone-1",)])),
    ),
    max_size=12,
)


def done(site, act):
    kind, *what = act
    item = site.views[0].item(what[0]) if isinstance(what[0], str) else None
    if kind == "move":
        return drawing.move_items(site, V, [what[0]], what[1], what[2])
    if kind == "corner" and item is not None and rings(item):
        points = rings(item)[0].points
        return drawing.change_item(site, V, item.id, **with_ring(item, 0, ((what[1], what[2]), *points[1:])))
    if kind == "duplicate":
        return drawing.duplicate_item(site, V, what[0])
    if kind == "remove":
        return drawing.remove_items(site, V, [what[0]])
    if kind == "lock":
        return drawing.change_item(site, V, what[0], locked=what[1])
    if kind in ("invert", "brush") and getattr(item, "area", ()):
        area = inverted(item.area) if kind == "invert" else brushed(item.area, RASTER, what[1], rub_out=what[2])
        return drawing.change_item(site, V, item.id, area=area)
    if kind == "settings":
        return edits.paste_settings(site, V, FACTORY, what[0])
    if kind == "paste":
        return paste_sheet(site, V, sheet_of(site.views[0], what[0]))[0]
    if kind == "without":
        return drawing.watch_without_zones(site, V, what[0])
    if kind == "only for" and site.views[0].item("mask-1") is not None:
        names = what[0] if what[0] is None or site.views[0].item("zone-1") else ()
        return drawing.change_item(site, V, "mask-1", only_for=names)
    return site


@settings(max_examples=60)
@given(acts)
def test_any_sequence_undone_gives_the_first_document(sequence):
    first = full_site()
    history = History(first)
    for act in sequence:
        history.do(act[0], done(history.site, act))
        assert type(first).model_validate_json(history.site.model_dump_json()) == history.site
    steps, last = len(history.names), history.site
    history.go_to(0)
    assert history.site == first
    assert len(history.undone_names) == steps
    history.go_to(steps)
    assert history.site == last


def test_locked_items_stay_where_they_are():
    site = drawing.change_item(full_site(), V, "zone-1", locked=True)
    assert drawing.move_items(site, V, ["zone-1"], 0.1, 0.1) == site
    moved = drawing.move_items(site, V, ["zone-1", "wire-1"], 0.0, 0.1).views[0]
    assert moved.zones[0].area == site.views[0].zones[0].area
    assert moved.wires[0].line == ((0.1, 0.6), (0.9, 0.6))


def test_a_moved_item_stays_inside_the_picture():
    view = drawing.move_items(full_site(), V, ["zone-1", "privacy-1", "size-1"], 0.9, -0.9).views[0]
    assert item_bounds(view.zones[0]) == (0.6, 0.0, 1.0, 0.4)
    assert item_bounds(view.privacy[0]) == (0.6, 0.0, 1.0, 0.4)
    assert view.size_marks[0].head == (1.0, 0.0)


def test_deleting_a_zone_leaves_no_trace_of_it():
    site = drawing.change_item(full_site(), V, "mask-1", only_for=("zone-1", "wire-1"))
    view = drawing.remove_items(site, V, ["zone-1"]).views[0]
    assert view.masks[0].only_for == ("wire-1",)
    assert "zone-1" not in view.tuning.settings
    view = drawing.remove_items(site, V, ["zone-1", "wire-1"]).views[0]
    assert view.masks[0].only_for == ()  # for none, not suddenly for all
    with pytest.raises(ValidationError, match="is only for 'gone', which is no zone or wire"):
        drawing.change_item(site, V, "mask-1", only_for=("gone",))


def test_a_duplicate_has_its_own_letter_and_the_same_settings():
    site = drawing.duplicate_item(full_site(), V, "zone-1")
    copy = site.views[0].zones[-1]
    assert (copy.id, copy.letter, copy.name) == ("zone-3", "C", "Slip copy")
    assert site.views[0].tuning.of(copy.id) == site.views[0].tuning.of("zone-1")
    wire = drawing.duplicate_item(site, V, "wire-1").views[0].wires[-1]
    assert (wire.letter, wire.watches) == ("2", "a_to_b")
    assert drawing.duplicate_item(site, V, "gone") == site


def test_handles_by_kind():
    view = full_site().views[0]
    assert [len(ring.points) for item in view.items for ring in rings(item)] == [4, 2, 4, 4, 2]
    mark = view.size_marks[0]
    raised = drawing.change_item(full_site(), V, mark.id, **with_ring(mark, 0, (mark.foot, (0.4, 0.5))))
    assert raised.views[0].size_marks[0].foot == (0.4, 0.9)
    assert raised.views[0].size_marks[0].height_frac == pytest.approx(0.4)
    assert item_contains(view.privacy[0], 0.3, 0.3)
    assert not item_contains(view.privacy[0], 0.9, 0.3)
    assert item_contains(view.masks[1], 0.9, 0.3)
    assert not item_contains(view.wires[0], 0.5, 0.5)


def test_there_are_only_so_many_wires():
    site = edits.new_site("Skerry Quay")
    for _ in range(99):
        site = drawing.add_wire(site, V, ((0, 0), (1, 1)))
    with pytest.raises(SiteError, match="tripwires: are 99 already"):
        drawing.add_wire(site, V, ((0, 0), (1, 1)))


# --- sheets -----------------------------------------------------------------------------------------------------------


def test_items_go_to_another_view_with_their_settings():
    site = edits.add_view(drawing.change_item(full_site(), V, "mask-1", only_for=("zone-1",)), "Net loft")
    sheet = read_sheet(sheet_text(sheet_of(site.views[0], {"zone-1", "mask-1", "size-1"})), "clipboard")
    after, added = paste_sheet(site, "view-2", sheet)
    loft = after.views[1]
    assert set(added) == {"zone-1", "mask-1", "size-1"}
    assert loft.zones[0].area == site.views[0].zones[0].area
    assert loft.masks[0].only_for == ("zone-1",)
    assert loft.tuning.of("zone-1").start_percent == 2.0
    again, added = paste_sheet(after, "view-2", sheet)
    assert [zone.letter for zone in again.views[1].zones] == ["A", "B"]
    assert again.views[1].masks[1].only_for == (again.views[1].zones[1].id,)
    lone, _ = paste_sheet(site, "view-2", sheet_of(site.views[0], {"mask-1"}))
    assert lone.views[1].masks[0].only_for == ()


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("half a {", "holds no items: it is not JSON"),
        ("[1]", "holds JSON, but no North Hush items"),
        ('{"format": "north-hush-items", "version": 2, "zones": [{"id": "z"}]}', r"zones\[0\]\.name"),
        ('{"format": "north-hush-items", "version": 2, "wires": [{"id": "w", "name": "W", "letter": "1", "line": [[0,0]]}]}',
         r"wires\[0\]\.line: Tuple should have at least 2"),
        ('{"format": "north-hush-items", "version": 9}', "version"),
        ("[" * 100_000, "not JSON"),
    ],
)  # fmt: skip
def test_what_is_no_items_is_refused_in_words(text, says):
    with pytest.raises(SiteError, match=says) as error:
        read_sheet(text, "clipboard")
    assert error.value.subject == "clipboard"


# --- files ------------------------------------------------------------------------------------------------------------


def test_a_site_of_version_1_is_brought_up_to_date(tmp_path):
    old = {
        "format": "north-hush-site", "version": 1, "name": "Skerry Quay",
        "views": [{
            "id": V, "name": "Slipway",
            "zones": [{"id": "zone-1", "name": "Slip", "letter": "A", "outline": [[0, 0], [1, 0], [1, 1]]}],
            "wires": [{"id": "wire-1", "name": "Gate", "letter": "1", "outline": [[0, 0], [1, 1]]}],
            "masks": [{"id": "mask-1", "name": "Nets", "outline": [[0, 0], [1, 0], [1, 1]], "strength_percent": 40}],
        }],
    }  # fmt: skip
    path = tmp_path / "old.hush.json"
    path.write_text(json.dumps(old))
    view = load_site(path).views[0]
    assert view.zones[0].area == area_of(((0, 0), (1, 0), (1, 1)))
    assert view.wires[0].line == ((0, 0), (1, 1))
    assert (view.wires[0].watches, view.masks[0].strength_percent) == ("broken", 40)
    assert migrated({"version": 1, "views": [7, {"zones": "none"}]})["version"] == VERSION


def test_incidents_of_version_2_are_the_whole_truth():
    incidents = [{"name": "walks", "start_s": 1.0, "end_s": 2.0}]
    views = [{"recordings": [{"id": "r", "incidents": incidents}, {"id": "s", "incidents": []}]}]
    recordings = migrated({"version": 2, "views": views})["views"][0]["recordings"]
    assert recordings[0]["truth"] == {"incidents": incidents, "complete": True}
    assert "truth" not in recordings[1]


def test_masks_are_written_at_the_pictures_size(tmp_path):
    write_video(tmp_path / "slip.mkv", moving_square(3))
    site_path = tmp_path / "a.hush.json"
    site = edits.add_recording(full_site(), V, "slip.mkv")
    written = write_masks(site, site_path, tmp_path / "out")
    assert [path.name for path in written] == ["skerry-quay-slipway-detection.png", "skerry-quay-slipway-privacy.png"]
    detection = Image.open(written[0])
    assert detection.mode == "L"
    assert detection.size == Image.open(written[1]).size == (160, 96)
    assert np.asarray(detection)[40, 80] == 255 - 153
    plain = write_masks(site, site_path, tmp_path / "out", "pgm-plain", "black_watched")[0]
    assert plain.read_bytes().startswith(b"P2\n160 96\n255\n")
    with pytest.raises(SiteError, match="has no recording"):
        write_masks(full_site(), site_path, tmp_path / "out")
    (tmp_path / "file").write_text("")
    with pytest.raises(SiteError, match="cannot be written"):
        write_masks(site, site_path, tmp_path / "file" / "out")
