"""The Hand over stage in the real window."""

import json
import shutil
import subprocess

import pytest
from PySide6.QtWidgets import QFileDialog

from north_hush.core.handover.card import card_text, find_card
from north_hush.core.judge.incidents import Incident, Truth
from north_hush.core.site import drawing, edits
from north_hush.core.site.file import load_site
from north_hush.desk.app import wait_until
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
    assert wait_until(lambda: panel.work.fit is not None, 60)
    return panel.work.fit


def written(panel):
    assert wait_until(lambda: not panel.writing.running, 120)
    return panel.said.text()


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
        handover.buttons[key].click()
        assert written(handover) == f"Written: {tmp_path / f'{key}.pdf'}"
        told = subprocess.run(["pdftotext", tmp_path / f"{key}.pdf", "-"], capture_output=True, text=True, check=True)
        assert word in told.stdout


def test_rules_go_out_and_come_in_as_one_step(handover, monkeypatch, tmp_path):
    target(monkeypatch, tmp_path / "rules.xml")
    handover.buttons["onvif"].click()
    written(handover)
    source(monkeypatch, tmp_path / "rules.xml")
    session = handover.window_.session
    handover.buttons["into"].click()
    assert [zone.name for zone in session.view.zones] == ["Slip", "Slip"]
    assert len(session.view.wires) == 2
    session.undo()
    assert len(session.view.zones) == 1
    (tmp_path / "rules.xml").write_text("no xml")
    handover.buttons["into"].click()
    assert "Nothing was taken" in handover.said.text() and len(session.view.zones) == 1


def test_a_pack_of_the_stretch_in_view_is_made_and_checked(handover, monkeypatch, tmp_path):
    handover.window_.trace.lanes[0].box.setXRange(1.0, 3.0, padding=0)
    target(monkeypatch, tmp_path / "pack.zip")
    handover.buttons["pack"].click()
    assert written(handover) == f"Written: {tmp_path / 'pack.zip'}"
    source(monkeypatch, tmp_path / "pack.zip")
    handover.buttons["verify"].click()
    assert "as they were packed" in written(handover)
    held = bytearray((tmp_path / "pack.zip").read_bytes())
    held[400] ^= 1
    (tmp_path / "pack.zip").write_bytes(held)
    handover.buttons["verify"].click()
    told = written(handover)
    assert "not as it was" in told and "events." in told
    assert handover.said.property("role") == "error"


def test_what_cannot_be_written_is_told(handover, monkeypatch, tmp_path):
    target(monkeypatch, tmp_path / "nowhere" / "report.html")
    handover.buttons["report"].click()
    assert "cannot be written" in written(handover)
    assert load_site(handover.window_.session.path).views[0].zones
