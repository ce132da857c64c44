import errno
import json
import shutil
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from north_hush.core.detect.settings import FACTORY
from north_hush.core.errors import FootageError, SiteError
from north_hush.core.footage.fingerprint import fingerprint
from north_hush.core.footage.index import Footage
from north_hush.core.scene.area import area_of
from north_hush.core.site import drawing, edits, file
from north_hush.core.site.file import find_recording, load_site, site_schema, stored_path
from north_hush.core.site.history import History
from north_hush.core.site.model import Camera, Stream, replaced
from north_hush.core.site.recording import Recording
from north_hush.core.site.saving import backup_of, save_site
from tests.footage_maker import moving_square, write_video

TRIANGLE = ((0.1, 0.1), (0.9, 0.1), (0.5, 0.8))


@pytest.fixture
def site():
    made = drawing.add_zone(edits.new_site("Skerry Quay", "Slipway"), "view-1", TRIANGLE, "Slip")
    made = drawing.add_mask(made, "view-1", TRIANGLE, "Nets", 60)
    made = edits.set_dials(made, "view-1", "zone-1", start_percent=1.25, confirm_frames=4)
    return edits.add_view(made, "Net loft")


def test_saved_and_loaded_again_it_is_the_same(site, tmp_path):
    path = tmp_path / "a.hush.json"
    save_site(site, path)
    assert load_site(path) == site


def test_one_backup_is_kept(site, tmp_path):
    path = tmp_path / "a.hush.json"
    save_site(site, path)
    save_site(edits.rename_view(site, "view-1", "Other"), path)
    assert load_site(backup_of(path)) == site
    assert {"a.hush.json", "a.hush.json.before"} < {item.name for item in tmp_path.iterdir()}


def test_a_full_disk_keeps_the_file_before(site, tmp_path, monkeypatch):
    path = tmp_path / "a.hush.json"
    save_site(site, path)

    def full(_):
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(file.os, "fsync", full)
    with pytest.raises(SiteError, match="No space left"):
        save_site(edits.new_site("Other"), path)
    assert load_site(path) == site
    assert [item.name for item in tmp_path.iterdir()] == ["a.hush.json"]


def broken(site, change):
    held = json.loads(site.model_dump_json())
    change(held)
    return json.dumps(held)


def zone(held):
    return held["views"][0]["zones"][0]


def part(held):
    return zone(held)["area"][0]


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda h: h.update(colour="pink"), "colour: Extra inputs"),
        (lambda h: h.update(version=99), "of version 99, newer than this North Hush reads"),
        (lambda h: h.update(format="other"), "not a North Hush site file"),
        (lambda h: part(h).update(points=[[0, 0], [1, 1]]), r"zones\[0\]\.area\[0\]\.polygon\.points: Tuple should have at least 3"),
        (lambda h: part(h).update(points=[[0, 0]] * 100_000), r"zones\[0\]\.area\[0\]\.polygon\.points: Tuple .* at most 2000"),
        (lambda h: part(h)["points"].__setitem__(1, [float("nan"), 0]), r"zones\[0\]\.area\[0\]\.polygon\.points\[1\]\[0\]"),
        (lambda h: part(h)["points"].__setitem__(1, [1.5, 0]), r"points\[1\]\[0\]: Input should be less than .* 1 \(it is 1.5\)"),
        (lambda h: h["views"][0].update(tuning_in_use="night"), "tuning_in_use is 'night', but the tunings are factory"),
        (lambda h: h["views"].append(h["views"][0]), "more than one 'view-1'"),
        (lambda h: h.update(views=[]), "views: "),
        (lambda h: h["views"][0]["tunings"][0]["settings"]["zone-1"].update(clear_percent=50), "clear_percent is 50, above start"),
    ],
)  # fmt: skip
def test_nonsense_in_the_file_names_the_field(site, tmp_path, change, says):
    path = tmp_path / "a.hush.json"
    path.write_text(broken(site, change))
    with pytest.raises(SiteError, match=says) as error:
        load_site(path)
    assert error.value.subject == str(path)


def test_a_site_of_version_4_is_brought_up_to_date(site, tmp_path):
    """It had one item an incident, or '' for any; a time zone, places and cameras are new."""
    held = json.loads(edits.add_recording(site, "view-1", "slip.mkv").model_dump_json())
    truth = {"incidents": [{"name": "a", "start_s": 1, "end_s": 2, "item": ""},
                           {"name": "b", "start_s": 1, "end_s": 2, "item": "zone-1"}]}  # fmt: skip
    held["version"] = 4
    del held["time_zone"], held["views"][0]["camera"]
    recording = held["views"][0]["recordings"][0]
    recording |= {"truth": truth, "set_aside": [{"fingerprint": "x", "truth": truth}]}
    path = tmp_path / "a.hush.json"
    path.write_text(json.dumps(held))
    loaded = load_site(path).views[0].recordings[0]
    assert [one.items for one in loaded.truth.incidents] == [(), ("zone-1",)]
    assert loaded.set_aside[0].truth == loaded.truth


def test_a_site_of_version_9_has_tunings_without_hours(site, tmp_path):
    held = json.loads(site.model_dump_json())
    held["version"] = 9
    for view in held["views"]:
        del view["by_hours"]
        for tuning in view["tunings"]:
            del tuning["hours"]
    path = tmp_path / "a.hush.json"
    path.write_text(json.dumps(held))
    assert load_site(path) == site


def test_tunings_with_hours_are_kept_and_go_with_the_last_of_them(site, tmp_path):
    timed = edits.set_tuning_hours(edits.add_tuning(site, "view-1", "night"), "view-1", "night", "20:00-06:00")
    path = tmp_path / "a.hush.json"
    save_site(timed, path)
    assert load_site(path) == timed and timed.views[0].by_hours
    renamed = edits.rename_tuning(timed, "view-1", "night", "dark")
    assert renamed.views[0].tuning_named("dark").hours == "20:00-06:00"
    assert not edits.remove_tuning(timed, "view-1", "night").views[0].by_hours


def test_a_site_has_a_time_zone_and_a_view_room_for_a_camera(site, tmp_path):
    assert site.zone == ZoneInfo("UTC")
    held = edits.set_time_zone(site, "Atlantic/Faroe")
    with pytest.raises(ValidationError, match="'Mars/Olympus' is no IANA time zone"):
        edits.set_time_zone(site, "Mars/Olympus")
    streams = (Stream(address="rtsp://slip.example/small", use="analyse"), Stream(address="rtsp://slip.example/large"))
    held = edits.in_view(held, "view-1", lambda view: replaced(view, camera=Camera(source="rtsp", streams=streams)))
    path = tmp_path / "a.hush.json"
    save_site(held, path)
    assert load_site(path) == held


def test_what_is_not_json_points_to_the_backup(site, tmp_path):
    path = tmp_path / "a.hush.json"
    save_site(site, path)
    save_site(site, path)
    path.write_text("{ half a fi")
    with pytest.raises(SiteError, match=r"is not JSON.*a\.hush\.json\.before"):
        load_site(path)
    with pytest.raises(SiteError, match="is not there"):
        load_site(tmp_path / "gone.hush.json")


def test_schema_names_every_field():
    text = json.dumps(site_schema())
    assert "change_limit_grey" in text
    assert "tuning_in_use" in text


def test_recordings_are_stored_relative_and_found_after_a_move(tmp_path):
    footage = write_video(
        tmp_path / "site" / "takes" / "a.mkv" if (tmp_path / "site" / "takes").mkdir(parents=True) is None else None,
        moving_square(5),
    )
    site_path = tmp_path / "site" / "a.hush.json"
    recording = Recording(id="r", path=stored_path(footage, site_path), fingerprint=fingerprint(Footage(footage)))
    assert recording.path == "takes/a.mkv"
    (tmp_path / "site" / "old" / "deep").mkdir(parents=True)
    shutil.move(footage, tmp_path / "site" / "old" / "deep" / "a.mkv")
    write_video(footage.parent.parent / "a.mkv", moving_square(7))  # same name, other content
    assert find_recording(recording, site_path).path.parent.name == "deep"
    shutil.move(tmp_path / "site", tmp_path / "elsewhere")
    assert find_recording(recording, tmp_path / "elsewhere" / "a.hush.json").path.parent.name == "deep"
    shutil.rmtree(tmp_path / "elsewhere" / "old")
    with pytest.raises(FootageError, match="is not there"):
        find_recording(recording, tmp_path / "elsewhere" / "a.hush.json")


def test_start_and_clear_give_way_to_each_other(site):
    up = edits.set_dials(site, "view-1", "zone-1", clear_percent=3.0)
    assert up.view("view-1").tuning.of("zone-1").start_percent == 3.0
    down = edits.set_dials(up, "view-1", "zone-1", start_percent=0.5)
    assert down.view("view-1").tuning.of("zone-1").clear_percent == 0.5


def test_tunings_are_named_copies(site):
    night = edits.add_tuning(site, "view-1", "night", like="factory")
    night = edits.set_dials(night, "view-1", "zone-1", confirm_frames=9)
    assert night.view("view-1").tuning_named("factory").of("zone-1").confirm_frames == 4
    assert edits.use_tuning(night, "view-1", "factory").view("view-1").tuning.of("zone-1").confirm_frames == 4
    with pytest.raises(ValidationError, match="more than one 'night'"):
        edits.add_tuning(night, "view-1", "night")


def test_a_deleted_zone_takes_its_settings_along_and_ids_are_not_used_again(site):
    gone = drawing.remove_items(site, "view-1", ["zone-1"])
    assert gone.view("view-1").tuning.settings == {}
    assert gone.view("view-1").tuning.of("zone-1") == FACTORY
    assert site.view("view-1").zones[0].letter == "A"
    assert drawing.add_zone(site, "view-1", TRIANGLE).view("view-1").zones[1].letter == "B"


acts = st.lists(
    st.one_of(
        st.tuples(st.just("zone"), st.integers(0, 3)),
        st.tuples(st.just("mask"), st.integers(0, 3)),
        st.tuples(st.just("remove"), st.integers(0, 5)),
        st.tuples(st.just("dial"), st.integers(1, 50)),
        st.tuples(st.just("undo"), st.integers(1, 3)),
        st.tuples(st.just("redo"), st.integers(1, 3)),
    ),
    max_size=25,
)


@settings(max_examples=60)
@given(acts)
def test_any_sequence_undone_gives_the_first_site(sequence):
    first = edits.new_site("Skerry Quay")
    history = History(first)
    for act, number in sequence:
        site = history.site
        items = [item.id for item in site.views[0].items]
        if act == "zone":
            history.do("Draw zone", drawing.add_zone(site, "view-1", TRIANGLE))
        elif act == "mask":
            history.do("Draw mask", drawing.add_mask(site, "view-1", TRIANGLE, strength_percent=10 * number))
        elif act == "remove" and items:
            history.do("Delete", drawing.remove_items(site, "view-1", [items[number % len(items)]]))
        elif act == "dial":
            history.do("Start", edits.set_dials(site, "view-1", "whole-picture", start_percent=float(number)))
        for _ in range(number if act == "undo" else 0):
            history.go_to(len(history.names) - 1)
        for _ in range(number if act == "redo" else 0):
            history.go_to(len(history.names) + 1)
    last, steps = history.site, len(history.names)
    for _ in range(steps):
        history.go_to(len(history.names) - 1)
    assert history.site == first
    assert not history.undo_name
    for _ in range(steps):
        history.go_to(len(history.names) + 1)
    assert history.site == last


def test_a_drag_is_one_step(site):
    history = History(site)
    for x in (0.2, 0.3, 0.4):
        moved = ((x, 0.1), *TRIANGLE[1:])
        history.do("Move corner", drawing.change_item(history.site, "view-1", "zone-1", area=area_of(moved)), drag="d1")
    assert history.names == ["Move corner"]
    assert history.go_to(len(history.names) - 1) == site
    assert not history.do("Nothing", site)
