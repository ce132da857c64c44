"""The Hand over stage in the real window."""

import json
import shutil
import subprocess

import pytest
from PySide6.QtPrintSupport import QPrintDialog, QPrinter
from PySide6.QtWidgets import QFileDialog, QMenu

from north_hush.core.handover.card import card_text, find_card, shipped_cards
from north_hush.core.judge.incidents import Incident, Truth
from north_hush.core.site import drawing, edits
from north_hush.core.site.file import load_site
from north_hush.desk.app import wait_until
from north_hush.desk.handover.card_editor import CardEditor
from tests.desk.conftest import settle


@pytest.fixture
def handover(judge_window):
    """The panel over a zone, a wire, and one known incident."""
    window = judge_window
    view, recording = window.session.view_id, window.session.view.recordings[0].id
    truth = Truth(incidents=(Incident(name="square", start_s=1.2, end_s=4.8, items=("zone-1",)),), complete=True)
    window.session.do("Known", lambda site: edits.change_recording(site, view, recording, truth=truth))
    window.session.do(
        "Wire", lambda site: drawing.add_wire(site, view, ((0.5, 0.3), (0.5, 0.9)), "Gate", watches="both")
    )
    settle(window)
    window.show_stage("handover")
    assert wait_until(lambda: window.scores.settled and bool(window.scores.standings), 60)
    panel = window.handover
    panel.window_ = window
    return panel


def choose(panel, key):
    panel.card.setCurrentIndex(panel.card.findData(key))
    panel.card.activated.emit(panel.card.currentIndex())


def fit(panel, key):
    choose(panel, key)
    panel.start.click()
    assert wait_until(lambda: panel.work.fit is not None and not panel.work.running, 60)
    return panel.work.fit


def written(panel):
    assert wait_until(lambda: not panel.papers.writing.running, 120)
    return panel.said.text()


def packed(window, path):
    assert wait_until(lambda: not window.packing.command.running, 120)
    return window.notice.text.text() == f"Sealed pack written: {path}" and path.exists()


def target(monkeypatch, path):
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))


def source(monkeypatch, path):
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(path), ""))


def test_a_fit_tells_numbers_losses_and_what_lacks(handover):
    found = fit(handover, "rectangles-4")
    assert handover.worth.text().startswith(f"{found.score.met} of 1 incidents")
    assert "Gate" in handover.lost.text()  # the device takes no line
    heads = [handover.values.horizontalHeaderItem(column).text() for column in range(handover.values.columnCount())]
    assert heads == ["Item", "Sensitivity", "Area"]
    assert handover.values.item(0, 0).text() == "Slip"
    assert float(handover.values.item(0, 1).text()) == found.fitted.values["zone-1"]["Sensitivity"]


def test_the_device_s_shapes_stand_on_the_picture_only_here(handover):
    canvas = handover.window_.picture.canvas
    bare = canvas.grab().toImage()
    fit(handover, "cells-22x18")
    wait_until(lambda: False, 0.1)
    assert canvas.grab().toImage() != bare
    handover.window_.show_stage("judge")
    wait_until(lambda: False, 0.1)
    handover.window_.show_stage("handover")
    choose(handover, "rectangle-1")
    assert handover.work.fit is None and not handover.take.isEnabled()


def test_another_tuning_makes_a_fit_void(handover):
    fit(handover, "rectangles-4")
    view = handover.window_.session.view_id
    handover.window_.session.do("Dial", lambda site: edits.set_dials(site, view, "zone-1", change_limit_grey=9.0))
    assert handover.work.fit is None and not handover.worth.isVisible()


def test_a_fit_is_taken_as_a_view_in_one_step(handover):
    fit(handover, "rectangles-4")
    session = handover.window_.session
    handover.take.click()
    assert [view.name for view in session.site.views] == ["Slipway", "Slipway, Four rectangles"]
    session.undo()
    assert len(session.site.views) == 1


def test_a_card_from_a_file_and_a_wrong_one(handover, monkeypatch, tmp_path):
    mine = tmp_path / "mine.json"
    mine.write_text(card_text(find_card("rectangle-1").model_copy(update={"name": "The old one"})))
    source(monkeypatch, mine)
    handover.card.setCurrentIndex(handover.card.count() - 1)
    handover.card.activated.emit(handover.card.count() - 1)
    assert handover.card.currentText() == "The old one"
    assert fit(handover, str(mine)).card.name == "The old one"
    held = json.loads(mine.read_text()) | {"zones_most": 0}
    mine.write_text(json.dumps(held))
    handover.card.activated.emit(handover.card.count() - 1)
    assert "raises no alarm" in handover.said.text()


@pytest.mark.skipif(shutil.which("pdftotext") is None, reason="poppler-utils is not installed")
def test_sheet_and_report_are_written_as_paper(handover, monkeypatch, tmp_path):
    choose(handover, "rectangles-4")
    for key, word in (("sheet", "Numbers to type"), ("report", "What is not covered")):
        target(monkeypatch, tmp_path / f"{key}.pdf")
        handover.papers.buttons[key].click()
        assert written(handover) == f"Written: {tmp_path / f'{key}.pdf'}"
        told = subprocess.run(["pdftotext", tmp_path / f"{key}.pdf", "-"], capture_output=True, text=True, check=True)
        assert word in told.stdout


def test_rules_go_out_and_come_in_as_one_step(handover, monkeypatch, tmp_path):
    target(monkeypatch, tmp_path / "rules.xml")
    handover.papers.buttons["onvif"].click()
    written(handover)
    source(monkeypatch, tmp_path / "rules.xml")
    session = handover.window_.session
    handover.papers.buttons["into"].click()
    assert [zone.name for zone in session.view.zones] == ["Slip", "Slip"]
    assert len(session.view.wires) == 2
    session.undo()
    assert len(session.view.zones) == 1
    (tmp_path / "rules.xml").write_text("no xml")
    handover.papers.buttons["into"].click()
    assert "Nothing was taken" in handover.said.text() and len(session.view.zones) == 1


def test_a_pack_of_the_stretch_in_view_is_made_and_checked(handover, monkeypatch, tmp_path):
    handover.window_.trace.lanes[0].box.setXRange(1.0, 3.0, padding=0)
    target(monkeypatch, tmp_path / "pack.zip")
    handover.papers.buttons["pack"].click()
    assert packed(handover.window_, tmp_path / "pack.zip")
    source(monkeypatch, tmp_path / "pack.zip")
    handover.papers.buttons["verify"].click()
    assert "as they were packed" in written(handover)
    held = bytearray((tmp_path / "pack.zip").read_bytes())
    held[400] ^= 1
    (tmp_path / "pack.zip").write_bytes(held)
    handover.papers.buttons["verify"].click()
    told = written(handover)
    assert "not as it was" in told and "events." in told
    assert handover.said.property("role") == "error"


def test_the_nearest_comes_before_the_search_ends_and_stop_ends_it(handover):
    seen = []
    handover.work.changed.connect(lambda: seen.append((handover.work.running, handover.work.fit is not None)))
    found = fit(handover, "rectangles-4")
    assert wait_until(lambda: not handover.work.running, 60)
    assert (True, True) in seen  # there was an answer while it was still searched
    assert handover.work.fit is not None and found.card.name == "Four rectangles"
    assert wait_until(lambda: handover.take.isEnabled(), 5)


def test_zones_to_merge_are_chosen_from_a_menu(handover):
    session, view = handover.window_.session, handover.window_.session.view_id
    for left, name in ((0.0, "One"), (0.6, "Two")):
        box = ((left, 0.0), (left + 0.3, 0.0), (left + 0.3, 0.2), (left, 0.2))
        session.do("Zone", lambda site, box=box, name=name: drawing.add_zone(site, view, box, name))
    settle(handover.window_)
    assert wait_until(lambda: handover.window_.scores.settled, 60)
    fit(handover, "rectangle-1")
    assert wait_until(lambda: handover.merged.isVisible(), 60)
    assert all(name in handover.merged.text() for name in ("Slip", "One", "Two"))
    choose(handover, "rectangles-4")
    handover._begin((("Slip", "Two"),))
    assert wait_until(lambda: handover.work.fit is not None and not handover.work.running, 60)
    assert handover.work.fit.fitted.merged == (("Slip", "Two"),)
    handover.merged.click()
    menu = handover.findChildren(QMenu)[-1]
    assert "One + Two" in [action.text() for action in menu.actions()]


def test_a_fit_is_copied_to_another_view_in_one_step(handover):
    session = handover.window_.session
    session.do("View", lambda site: edits.add_view(site, "North"))
    north = session.site.views[1].id
    box = ((0.1, 0.1), (0.9, 0.1), (0.9, 0.9), (0.1, 0.9))
    session.do("Zone", lambda site: drawing.add_zone(site, north, box, "Yard"))
    fit(handover, "rectangles-4")
    assert wait_until(lambda: handover.copy.isEnabled(), 60)
    handover.copy.click()
    menu = handover.findChildren(QMenu)[-1]
    assert [action.text() for action in menu.actions()] == ["North"]
    menu.actions()[0].trigger()
    assert session.site.views[-1].name == "North, Four rectangles"
    assert (
        session.site.views[-1].tunings[0].of(session.site.views[-1].zones[0].id)
        == handover.work.fit.fitted.settings["zone-1"]
    )
    session.undo()
    assert len(session.site.views) == 2


def test_a_sheet_that_is_handed_over_is_kept_and_can_be_taken_back(handover, monkeypatch, tmp_path):
    choose(handover, "rectangles-4")
    target(monkeypatch, tmp_path / "sheet.html")
    handover.papers.by.setText("J. Olsen")
    handover.papers.note.setText("first visit")
    handover.papers.buttons["sheet"].click()
    assert written(handover).endswith("Kept as handed over by J. Olsen.")
    (held,) = handover.window_.session.view.handed
    assert (held.by, held.note, held.card) == ("J. Olsen", "first visit", "Four rectangles")
    handover.papers.buttons["sheet"].click()
    written(handover)
    assert "Nothing has changed since the sheet of" in (tmp_path / "sheet.html").read_text()
    handover.window_.session.undo()
    assert len(handover.window_.session.view.handed) == 1


def test_a_card_is_written_in_the_window_and_used(handover, monkeypatch, tmp_path, qtbot):
    choose(handover, "rectangles-4")
    handover.edit.click()
    editor = handover.findChild(CardEditor)
    assert wait_until(editor.isVisible, 5) and editor.wrong.text() == ""
    assert editor.check() == find_card("rectangles-4")  # what is shown is what the card says
    editor.name.setText("Mine")
    editor.counts["zones_most"].setValue(0)
    assert "raises no alarm" in editor.wrong.text() and not editor.save.isEnabled()
    editor.counts["zones_most"].setValue(2)
    editor.scales.item(0, 7).setText("1:40, 50:8, 100:9")
    assert "goes up and down" in editor.wrong.text()
    editor.scales.item(0, 7).setText("1:40, x")
    assert "cannot be read" in editor.wrong.text()
    editor.scales.item(0, 7).setText("1:40, 100:2")
    target(monkeypatch, tmp_path / "mine.json")
    editor.save.click()
    assert handover.card.currentText() == "Mine"
    held = find_card(str(tmp_path / "mine.json"))
    assert (held.zones_most, held.scales[0].table) == (2, ((1.0, 40.0), (100.0, 2.0)))
    assert fit(handover, str(tmp_path / "mine.json")).card.name == "Mine"


@pytest.mark.parametrize("key", sorted(shipped_cards()))
def test_every_shipped_card_stands_in_the_editor_as_it_is(qtbot, tmp_path, key):
    editor = CardEditor(find_card(key), tmp_path)
    qtbot.addWidget(editor)
    assert editor.check() == find_card(key)


def test_an_alarm_and_an_incident_are_packed_from_their_lists(handover, monkeypatch, tmp_path):
    window = handover.window_
    window.show_stage("tune")
    alarms, incidents = window.tune.alarms, window.judge.incidents
    alarms.setCurrentIndex(alarms.alarms.index(0))
    incidents.setCurrentRow(0)
    for name, rows in (("alarm", alarms), ("incident", incidents)):
        target(monkeypatch, tmp_path / f"{name}.zip")
        next(action for action in rows.actions() if action.text() == "Sealed pack…").trigger()
        assert packed(window, tmp_path / f"{name}.zip")
    target(monkeypatch, tmp_path / "nowhere" / "x.zip")
    next(action for action in alarms.actions() if action.text() == "Sealed pack…").trigger()
    assert wait_until(lambda: not window.packing.command.running, 60)
    assert "Sealed pack" in window.notice.text.text() and "nowhere" in window.notice.text.text()


def test_a_sheet_is_printed_on_the_printer_that_is_chosen(handover, monkeypatch, tmp_path):
    def chosen(dialog):
        printer = dialog.printer()
        printer.setOutputFormat(QPrinter.OutputFormat.PdfFormat)
        printer.setOutputFileName(str(tmp_path / "printed.pdf"))
        return QPrintDialog.DialogCode.Accepted

    monkeypatch.setattr(QPrintDialog, "exec", chosen)
    choose(handover, "rectangles-4")
    handover.papers.print_paper("sheet")
    assert written(handover) == "Printed."
    assert (tmp_path / "printed.pdf").read_bytes().startswith(b"%PDF")


def test_what_cannot_be_written_is_told(handover, monkeypatch, tmp_path):
    target(monkeypatch, tmp_path / "nowhere" / "report.html")
    handover.papers.buttons["report"].click()
    assert "cannot be written" in written(handover)
    assert load_site(handover.window_.session.path).views[0].zones
