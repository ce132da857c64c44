"""The commands that hand settings over."""

import json
import os
import shutil
import subprocess
from datetime import UTC, datetime

import pytest

from north_hush.core.scene.area import area_of
from north_hush.core.site import drawing, edits
from north_hush.core.site.file import load_site
from north_hush.core.site.saving import save_site
from north_hush.demo.standins.onvif_device import DeviceStandIn
from tests.cli.running import run


def test_rules_go_out_as_onvif_and_into_another_site(tmp_path, recording):
    site, other = tmp_path / "slip.hush.json", tmp_path / "other.hush.json"
    run("new", site, recording, "--zone", "Slip=0,0.5;1,0.5;1,1;0,1", "--crossing", "Gate=0.1,0.6;0.9,0.6")
    run("new", other, recording)
    told = json.loads(run("onvif", site, "--out", tmp_path / "rules.xml", "--json"))
    assert told["files"] == [str(tmp_path / "rules.xml")]
    run("onvif", tmp_path / "rules.xml", "--into", other)
    view = json.loads(other.read_text())["views"][0]
    assert [zone["name"] for zone in view["zones"]] == ["Slip"]
    assert (view["wires"][0]["name"], view["wires"][0]["watches"]) == ("Gate", "both")
    before = other.read_text()
    (tmp_path / "bad.xml").write_text("<a><CellLayout Columns='x' Rows='1'/></a>")
    assert "CellLayout" in run("onvif", tmp_path / "bad.xml", "--into", other, code=1)
    assert other.read_text() == before
    assert "Give one of them" in run("onvif", site, code=1)
    assert "is none of" in run("onvif", site, "--out", tmp_path / "x.xml", "--view", "Nowhere", code=1)


@pytest.fixture
def known(tmp_path, recording):
    """A site with two zones and a wire, of which it is known that one square passes."""
    path = tmp_path / "slip.hush.json"
    os.utime(recording, 2 * (datetime(2026, 6, 13, 12, tzinfo=UTC).timestamp(),))  # a Saturday, when it is armed
    zones = ("--zone", "Slip=0,0.45;1,0.45;1,0.75;0,0.75", "--zone", "Sky=0,0;1,0;1,0.3;0,0.3")
    run("new", path, recording, *zones, "--crossing", "Gate=0.5,0.3;0.5,0.9")
    (tmp_path / "truth.csv").write_text("name,start_s,end_s,items\nsquare,1.2,4.8,zone-1\n")
    run("truth", path, recording.name, tmp_path / "truth.csv")
    run("hours", path, "--armed", "Mo-Fr 18:10-06:00; Sa,Su", "--time-zone", "Atlantic/Faroe")
    return path


def fitted(path, card, *more):
    return json.loads(run("fit", path, "--card", card, "--json", *more))["views"][0]


def test_a_card_that_holds_everything_gives_the_tuning_itself(known):
    row = fitted(known, "everything")
    assert row["score"] == row["tuned"] and row["losses"] == [] and row["notes"] == []
    held = json.loads(known.read_text())["views"][0]
    assert [zone["corners"] for zone in row["zones"]] == [zone["area"][0]["points"] for zone in held["zones"]]
    values = row["zones"][0]["values"]
    assert (values["Change limit"], values["Start level"], values["Confirm"]) == (3.0, 0.5, 2)


def test_what_a_device_cannot_hold_is_told(known):
    row = fitted(known, "cells-22x18")
    assert row["merged"] == [["Slip", "Sky"]] and row["wires"] == []
    assert any("Gate" in note for note in row["notes"])
    cells = row["zones"][0]["cells"]
    assert (cells["columns"], cells["rows"]) == (22, 18)
    assert row["zones"][0]["values"]["Sensitivity"] in (0, 20, 40, 60, 80, 100)
    assert row["score"]["met"] == 1
    assert "the drawing as it is" in [held["capability"] for held in row["would_save"]]


def test_a_fit_is_taken_as_a_view_that_scores_as_it_said(known):
    row = fitted(known, "rectangles-4", "--take")
    views = json.loads(known.read_text())["views"]
    assert [view["name"] for view in views] == ["Camera 1", "Camera 1, Four rectangles"]
    scored = {view["view"]: view for view in json.loads(run("score", known, "--json"))["in_all"]}
    told = scored["Camera 1, Four rectangles"]
    assert {name: told[name] for name in ("met", "nuisance", "alarms")} == {
        name: row["score"][name] for name in ("met", "nuisance", "alarms")
    }
    fitted(known, "rectangles-4", "--take")  # again: it takes the place of the one before, and is not fitted itself
    again = [view["name"] for view in json.loads(known.read_text())["views"]]
    assert again == ["Camera 1", "Camera 1, Four rectangles"]


def test_a_sheet_holds_every_number_in_the_device_s_words(known, tmp_path):
    row = fitted(known, "rectangles-4")
    run("sheet", known, "--card", "rectangles-4", "--out", tmp_path / "sheet.html")
    html = (tmp_path / "sheet.html").read_text()
    assert "<script" not in html and "http" not in html.replace("data:image", "")
    for zone in row["zones"]:
        for x, y in zone["corners"]:
            assert f"<td>{round(x * 160)}</td><td>{round(y * 96)}</td>" in html
        assert f"<td>{zone['values']['Sensitivity']:g}</td>" in html
    assert "18:10" in html and "between steps of 30 min" in html
    assert "☐ Save." in html


@pytest.mark.skipif(shutil.which("pdftotext") is None, reason="poppler-utils is not installed")
def test_paper_says_the_same(known, tmp_path):
    run("sheet", known, "--card", "polygons-4", "--out", tmp_path / "sheet.pdf")
    told = subprocess.run(
        ["pdftotext", "-layout", tmp_path / "sheet.pdf", "-"], capture_output=True, text=True, check=True
    ).stdout
    for word in ("Four polygons", "Slip", "Sensitivity", "Frames in a row"):
        assert word in told, word
    run("report", known, "--out", tmp_path / "report.pdf")
    told = subprocess.run(
        ["pdftotext", "-layout", tmp_path / "report.pdf", "-"], capture_output=True, text=True, check=True
    ).stdout
    for word in ("The footage it rests on", "1 of 1", "What is not covered", "Mo-Fr 18:10-06:00", "Signatures"):
        assert word in told, word


def test_a_report_compares_with_the_tuning_before(known, tmp_path):
    run("report", known, "--out", tmp_path / "report.html")
    html = (tmp_path / "report.html").read_text()
    assert "Incidents met" in html and "Slip" in html and "never full" in html
    assert "neither a page nor paper" in run("report", known, "--out", tmp_path / "report.txt", code=1)
    assert "cannot be written" in run("report", known, "--out", tmp_path / "no" / "report.html", code=1)


def test_cards_are_listed_checked_and_written(tmp_path):
    cards = json.loads(run("card", "list", "--json"))["cards"]
    assert len(cards) == 10
    for held in cards:
        assert held["name"] in run("card", "check", held["card"])
    run("card", "new", tmp_path / "mine.json", "--like", "polygons-4")
    assert "4 zones as polygon" in run("card", "check", tmp_path / "mine.json")
    assert "is there already" in run("card", "new", tmp_path / "mine.json", code=1)
    (tmp_path / "mine.json").write_text('{"name": "x", "zones_most": 0}')
    assert "raises no alarm" in run("card", "check", tmp_path / "mine.json", code=1)


def test_rules_are_pushed_into_a_device_and_pulled_from_it(known):
    site = known
    with DeviceStandIn(password="lantern") as device:
        told = json.loads(run("onvif", site, "--push", device.url, "--user", "operator", "--json", typed="lantern\n"))
        assert told["files"] == [] and any(note.startswith("added:") for note in told["notes"])
        before = len(load_site(site).views[0].items)
        run("onvif", site, "--pull", device.url, "--user", "operator", typed="lantern\n")
        assert len(load_site(site).views[0].items) > before
        assert "refuses" in run("onvif", site, "--push", device.url, "--user", "operator", typed="no\n", code=1)
    assert "needs one of" in run("onvif", site, code=1)


def test_a_scale_is_learnt_from_the_devices_own_list(tmp_path, known):
    site = known
    name = load_site(site).views[0].recordings[0].path
    table = tmp_path / "device.csv"
    table.write_text("start,end\n" + "".join(f"0:{second:02d},0:{second + 1:02d}\n" for second in range(1, 4)))
    assert "has no list" in run(
        "card", "learn", "polygons-4", site, "--scale", "Sensitivity", "--at", f"{name}=50", code=1
    )
    run("device", site, name, table, "--start", "start", "--end", "end")
    out = tmp_path / "learnt.json"
    told = json.loads(
        run("card", "learn", "polygons-4", site, "--scale", "Sensitivity", "--at", f"{name}=50", "--out", out, "--json")
    )
    (point,) = told["points"]
    assert point["value"] == 50 and point["alarms"] == 3 and not point["tells"] and told["next"] is not None
    assert json.loads(out.read_text())["name"] == "Four polygons"
    for at, scale, says in (
        (f"{name}=500", "Sensitivity", "is beyond"),
        ("other=5", "Sensitivity", "no recording of"),
        (f"{name}=5", "Gain", "is none of"),
    ):
        assert says in run("card", "learn", "polygons-4", site, "--scale", scale, "--at", at, code=1)


def changed_card(tmp_path, file, **changes):
    held = json.loads((tmp_path / "like.json").read_text())
    path = tmp_path / f"{file}.json"
    path.write_text(json.dumps({**held, **changes}))
    return path


@pytest.fixture
def like(tmp_path):
    run("card", "new", tmp_path / "like.json", "--like", "polygons-4")
    return tmp_path


def test_of_what_cannot_be_used_together_the_better_is_kept(known, like):
    """The incident is met by the zone or by the line; the zone "Sky" alone would miss it."""
    card = changed_card(like, "either", wires_most=4, excludes=[["zones", "wires"]], name="Zones or lines")
    row = fitted(known, card)
    assert bool(row["zones"]) != bool(row["wires"])
    assert row["score"]["met"] == 1
    assert any("cannot be used with" in note for note in row["notes"])
    both = fitted(known, changed_card(like, "both", wires_most=4, name="Zones and lines"))
    assert both["zones"] and both["wires"]
    dials = changed_card(like, "dials", excludes=[["Smallest object", "Frames in a row"]], name="One of two dials")
    (first, *_) = fitted(known, dials)["zones"]
    assert len({"Smallest object", "Frames in a row"} & set(first["values"])) == 1


def test_which_zones_are_merged_can_be_chosen(known, like):
    run("new", like / "three.hush.json", known.parent / "slip.mkv", *(
        part for name, left in (("One", 0.0), ("Two", 0.35), ("Three", 0.7))
        for part in ("--zone", f"{name}={left},0.45;{left + 0.3},0.45;{left + 0.3},0.75;{left},0.75")
    ))  # fmt: skip
    card = changed_card(like, "two", zones_most=2, name="Two polygons")
    site = like / "three.hush.json"
    chosen = fitted(site, card, "--merge", "One + Three")
    assert chosen["merged"] == [["One", "Three"]]
    assert fitted(site, card)["merged"] != [["One", "Three"]]
    assert "there is none" in run("fit", site, "--card", card, "--merge", "One+Four", code=1)
    assert "merged twice" in run("fit", site, "--card", card, "--merge", "One+Two", "--merge", "Two+Three", code=1)


def test_a_fit_is_copied_to_other_views(known):
    site = edits.add_view(load_site(known), "North")
    north = site.views[1].id
    for name, left in (("Sky", 0.0), ("Yard", 0.5)):
        box = ((left, 0.2), (left + 0.4, 0.2), (left + 0.4, 0.6), (left, 0.6))
        site = drawing.add_zone(site, north, box, name)
    save_site(site, known)
    run("fit", known, "--card", "polygons-4", "--take", "--copy", "North")
    views = load_site(known).views
    assert [view.name for view in views] == [
        views[0].name,
        "North",
        f"{views[0].name}, Four polygons",
        "North, Four polygons",
    ]
    source, copied = views[2], views[3]
    sky = next(zone.id for zone in source.zones if zone.name == "Sky")
    assert copied.tunings[0].of(copied.zones[0].id) == source.tunings[0].of(sky)  # by name
    assert copied.tunings[0].of(copied.zones[1].id) == source.tunings[0].of(source.zones[0].id)  # else as the first
    assert "goes with --take" in run("fit", known, "--card", "polygons-4", "--copy", "North", code=2)


def test_the_schema_of_cards_is_published_and_names_every_field_of_the_shipped_ones():
    from north_hush.core.handover.card import card_text, shipped_cards

    schema = json.loads(run("card", "schema"))
    assert schema["$schema"].startswith("https://json-schema.org/") and schema["additionalProperties"] is False
    scale = schema["$defs"]["Scale"]
    for held in shipped_cards().values():
        told = json.loads(card_text(held))
        assert set(told) <= set(schema["properties"])
        assert all(set(one) <= set(scale["properties"]) for one in told["scales"])
    assert schema["properties"]["shape"]["enum"] == ["polygon", "rectangle", "cells", "picture"]


def test_a_sheet_tells_what_changed_since_the_one_that_was_handed_over(known, tmp_path):
    def sheet(name, *more):
        told = json.loads(run("sheet", known, "--card", "polygons-4", "--out", tmp_path / name, "--json", *more))
        assert len(told["sheets"]) == 1
        return (tmp_path / name).read_text()

    assert "What changed" not in sheet("one.html")
    assert load_site(known).views[0].handed == ()
    sheet("two.html", "--handed", "J. Olsen", "--note", "first visit")
    (held,) = load_site(known).views[0].handed
    assert (held.by, held.note, held.card, len(held.items)) == ("J. Olsen", "first visit", "Four polygons", 2)
    assert "Nothing has changed since the sheet of" in sheet("three.html")
    run("hours", known, "--armed", "Mo-Fr 20:00-06:00")
    moved = area_of(((0.0, 0.0), (1.0, 0.0), (1.0, 0.25), (0.0, 0.25)))
    save_site(drawing.change_item(load_site(known), "view-1", "zone-2", area=moved), known)
    text = sheet("four.html", "--handed", "J. Olsen")
    assert "Mo-Fr 20:00-06:00" in text and "What changed" in text and "first visit" in text
    assert "<td>Sky</td><td>shape</td><td>0,0 1000,0 1000,300 0,300</td><td>0,0 1000,0 1000,250 0,250</td>" in text
    assert "--handed: " in run(
        "sheet", known, "--card", "polygons-4", "--out", tmp_path / "x.html", "--handed", "", code=1
    )
    run("report", known, "--out", tmp_path / "report.html")
    report = (tmp_path / "report.html").read_text()
    assert "What was decided" in report and "the first" in report and "Hours: armed" in report
    assert len(load_site(known).views[0].handed) == 2


def test_the_report_shows_why_not_other_numbers_and_what_a_device_can_do(known, tmp_path):
    save_site(edits.set_dials(load_site(known), "view-1", "zone-1", change_limit_grey=6.0, confirm_frames=3), known)
    run("report", known, "--out", tmp_path / "report.html", "--card", "rectangles-4")
    report = (tmp_path / "report.html").read_text()
    assert "A  Slip: change limit, chosen 6 grey levels" in report
    assert report.count("<img") == 3  # the drawing, and two curves
    assert "Into the device: Four rectangles" in report and "of 1 incidents" in report
