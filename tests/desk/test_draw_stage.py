"""The Draw stage round its tools: proposals, privacy, images, copies, settings, history."""

import json

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QFileDialog, QMenu, QMessageBox

from north_hush.core.scene.mask_image import mask_image
from north_hush.core.scene.outline import rectangle
from north_hush.core.scene.privacy import BLANK_GREY
from north_hush.core.site import drawing, edits
from north_hush.core.site.firing import born_settings
from north_hush.core.site.sheet import read_sheet
from north_hush.desk import acts
from north_hush.desk.app import wait_until
from north_hush.desk.tune.alarms import said
from tests.desk.conftest import drag, on_picture, settle
from tests.desk.test_window import BAND, click, draw

YES, NO = QMessageBox.StandardButton.Yes, QMessageBox.StandardButton.No


@pytest.fixture
def drawn(qtbot, window):
    draw(qtbot, window, Qt.Key.Key_Z, *BAND)
    settle(window)
    return window


def do(window, edit, *args, **more):
    window.session.do("Test", lambda site: edit(site, "view-1", *args, **more))


def save_name(monkeypatch, path, chosen=""):
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(path), chosen))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(path), ""))


# --- restlessness -----------------------------------------------------------------------------------------------------


def restless(window):
    window.show_stage("draw")
    window.deck.restless = None
    window.picture.show_view("restless")
    assert wait_until(lambda: window.deck.restless is not None, 60)


def test_a_restless_place_is_proposed_changed_and_taken(qtbot, window):
    restless(window)
    board, canvas = window.picture.board, window.picture.canvas
    assert board.mode == "propose"
    click(qtbot, window, 0.5, 0.55)  # where the square passes
    region = board.proposal
    assert region.why == "restless"
    assert window.draw.proposal.take.isVisibleTo(window.draw)
    assert f"{region.cells} cells" in window.draw.proposal.said.text()
    corner = region.outline[0]
    drag(canvas, on_picture(window, *corner), on_picture(window, corner[0], corner[1] - 0.2))
    assert board.proposal.outline[0][1] == pytest.approx(corner[1] - 0.2, abs=0.02)
    taken = board.proposal.outline
    qtbot.keyClick(canvas, Qt.Key.Key_Return)
    assert window.session.view.masks[0].area[0].points == taken
    assert board.proposal is None
    click(qtbot, window, 0.5, 0.55)
    qtbot.keyClick(canvas, Qt.Key.Key_Escape)
    assert board.proposal is None
    click(qtbot, window, 0.5, 0.05)  # quiet ground
    assert board.proposal is None
    window.draw.proposal.in_view.click()
    window.trace.lanes[0].box.setXRange(0.0, 0.6, padding=0)
    window.deck.restless = None
    window.picture.measure_restlessness()
    assert wait_until(lambda: window.deck.restless is not None, 60)
    assert window.deck.restless.frames < 40
    window.picture.show_view("picture")
    assert board.mode == "arrange"


def test_the_map_says_what_a_cell_does(qtbot, window):
    restless(window)
    qtbot.mouseMove(window.picture.canvas, on_picture(window, 0.5, 0.55))
    window.picture._on_hover((0.5, 0.55))
    assert "changes in" in window.picture._readout()
    window.show_stage("tune")
    assert not window.picture.strip.tools.isVisibleTo(window.picture)


# --- privacy ----------------------------------------------------------------------------------------------------------


def shown_grey(window, x, y):
    image = window.picture.canvas._pixmap.toImage()
    return image.pixelColor(int(x * image.width()), int(y * image.height())).red()


def test_privacy_covers_what_is_shown_and_uncovering_is_asked_and_logged(drawn, monkeypatch, tmp_path):
    monkeypatch.setattr(acts, "acts_path", lambda: tmp_path / "log" / "acts.log")
    window = drawn
    do(window, drawing.add_privacy, rectangle((0.0, 0.0), (0.5, 0.5)), "Door")
    window.show_stage("draw")
    window.session.select("privacy-1")
    assert wait_until(lambda: shown_grey(window, 0.1, 0.1) == BLANK_GREY, 60)
    assert window.draw.uncover.button.isVisibleTo(window.draw)
    monkeypatch.setattr(QMessageBox, "question", lambda *a, **k: NO)
    window.draw.uncover.button.click()
    assert not window.deck.uncovered
    assert not (tmp_path / "log").exists()
    monkeypatch.setattr(QMessageBox, "question", lambda *a, **k: YES)
    window.draw.uncover.button.click()
    assert wait_until(lambda: shown_grey(window, 0.1, 0.1) != BLANK_GREY, 60)
    assert "privacy masks of view 'Slipway' uncovered" in (tmp_path / "log" / "acts.log").read_text()
    window.show_stage("tune")
    assert not window.deck.uncovered
    assert wait_until(lambda: shown_grey(window, 0.1, 0.1) == BLANK_GREY, 60)
    (tmp_path / "log" / "acts.log").unlink()
    (tmp_path / "log" / "acts.log").mkdir()
    window.show_stage("draw")
    window.draw.uncover.button.click()
    assert not window.deck.uncovered
    assert "cannot be written" in window.notice.text.text()


def test_thumbnails_are_asked_for_again_when_privacy_changes(drawn):
    drawn.show_stage("tune")
    model = drawn.tune.alarms.alarms

    def first():
        return model.data(model.index(0), Qt.ItemDataRole.DecorationRole)

    assert wait_until(lambda: first() is not None, 60)
    do(drawn, drawing.add_privacy, rectangle((0.0, 0.0), (1.0, 0.2)), "Sky")
    assert first() is None
    settle(drawn)
    assert wait_until(lambda: bool(model.rows) and first() is not None, 60)


def test_the_shown_frame_is_saved_covered_even_while_uncovered(drawn, monkeypatch, tmp_path):
    do(drawn, drawing.add_privacy, rectangle((0.0, 0.0), (0.5, 0.5)), "Door")
    drawn.deck.uncover(True)
    save_name(monkeypatch, tmp_path / "frame.png")
    drawn.draw.exchange.save_frame()
    assert wait_until((tmp_path / "frame.png").exists, 60)
    assert wait_until(lambda: (tmp_path / "frame.png").stat().st_size > 0, 60)
    frame = np.asarray(Image.open(tmp_path / "frame.png").convert("RGB"))
    assert frame.shape[:2] == tuple(reversed(drawn.picture.canvas.picture_size))
    assert (frame[:40, :60] == BLANK_GREY).all()
    save_name(monkeypatch, tmp_path / "gone" / "frame.png")
    drawn.draw.exchange.save_frame()
    assert wait_until(lambda: "frame.png" in drawn.notice.text.text(), 60)


# --- images and items ---------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(("name", "chosen"), [("m.png", ""), ("m.pgm", ""), ("m.pgm", "PGM, plain (*.pgm)")])
def test_masks_go_out_and_come_back(drawn, monkeypatch, tmp_path, name, chosen):
    do(drawn, drawing.add_mask, rectangle((0.1, 0.1), (0.5, 0.9)), "Nets", 40)
    save_name(monkeypatch, tmp_path / name, chosen)
    exchange = drawn.draw.exchange
    exchange.export_mask("detection", "black_watched")
    exchange.import_mask("black_watched")
    held = drawn.session.view.masks
    assert held[1].painted is not None
    assert drawn.session.item_id == held[1].id
    before = (tmp_path / name).read_bytes()
    do(drawn, drawing.remove_items, ["mask-1"])
    exchange.export_mask("detection", "black_watched")
    assert (tmp_path / name).read_bytes() == before
    do(drawn, drawing.add_privacy, rectangle((0.1, 0.1), (0.5, 0.9)), "Door")
    exchange.export_mask("privacy", "white_watched")
    exchange.import_privacy()
    assert drawn.session.view.privacy[1].painted is not None


def test_an_image_of_another_size_is_offered_to_be_rescaled(drawn, monkeypatch, tmp_path):
    path = tmp_path / "small.png"
    path.write_bytes(mask_image(np.full((3, 5), 255, np.uint8), "png"))
    asked = []
    monkeypatch.setattr(QMessageBox, "question", lambda *a, **k: asked.append(a[2]) or NO)
    drawn.draw.exchange.read_mask(path, "white_watched")
    assert "5 x 3 pixels, but the picture is" in asked[0]
    assert drawn.session.view.masks == ()
    monkeypatch.setattr(QMessageBox, "question", lambda *a, **k: YES)
    drawn.draw.exchange.read_mask(path, "white_watched")
    settle(drawn)
    assert drawn.deck.lanes[0].total == 0
    path.write_bytes(b"no image")
    drawn.draw.exchange.read_mask(path, "white_watched")
    assert "small.png" in drawn.notice.text.text()


def test_items_by_clipboard_file_and_to_another_view(qtbot, drawn, monkeypatch, tmp_path):
    window = drawn
    qtbot.keyClick(window, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    assert read_sheet(QGuiApplication.clipboard().text(), "clipboard").zones[0].name == "Zone A"
    qtbot.keyClick(window, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    assert [zone.letter for zone in window.session.view.zones] == ["A", "B"]
    assert window.session.item_id == "zone-2"
    QGuiApplication.clipboard().setText("rain at the quay")
    qtbot.keyClick(window, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    assert "clipboard: holds no items" in window.notice.text.text()
    save_name(monkeypatch, tmp_path / "all.items.json")
    window.draw.exchange.save_items()
    assert len(json.loads((tmp_path / "all.items.json").read_text())["zones"]) == 2
    window.draw.exchange.load_items()
    assert len(window.session.view.zones) == 4
    (tmp_path / "all.items.json").write_bytes(b"\xff\xfe")
    window.draw.exchange.load_items()
    assert "all.items.json" in window.notice.text.text()
    window.session.do("View", lambda site: edits.add_view(site, "Net loft"))
    menu = window.draw.in_out.menu()
    window.draw.exchange.fill(menu)
    menu.findChild(QMenu).actions()[0].trigger()
    assert len(window.session.site.views[1].zones) == 2


def test_settings_are_copied_pasted_and_started_from_a_scene(qtbot, drawn):
    window, ctrl_shift = drawn, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
    do(window, edits.set_dials, "zone-1", start_percent=7.0)
    for _ in range(2):
        do(window, drawing.add_zone, rectangle((0.1, 0.1), (0.3, 0.3)))
    window.draw.paste_settings()  # nothing copied yet
    window.session.select("zone-1")
    qtbot.keyClick(window, Qt.Key.Key_C, ctrl_shift)
    window.session.select_many(("zone-2", "zone-3"))
    qtbot.keyClick(window, Qt.Key.Key_V, ctrl_shift)
    tuning = window.session.view.tuning
    assert tuning.of("zone-2").start_percent == tuning.of("zone-3").start_percent == 7.0
    window.draw._fill_settings()
    scenes = [action for action in window.draw.settings.menu().actions() if action.text().startswith("Start as")]
    assert len(scenes) == 4
    assert all(action.toolTip().endswith(".") for action in scenes)
    scenes[0].trigger()
    assert window.session.view.tuning.of("zone-2").start_percent == 0.4
    assert window.session.history.undo_name == "Starting values: quiet room"


def test_a_mask_is_made_to_count_for_one_zone(qtbot, drawn):
    do(drawn, drawing.add_mask, rectangle((0.0, 0.0), (1.0, 1.0)), "All")
    settle(drawn)
    assert drawn.deck.lanes[0].total == 0
    drawn.show_stage("draw")
    drawn.session.select("mask-1")
    properties = drawn.draw.properties
    assert properties.only_for.text() == "all zones and wires"
    properties._on_only_for("zone-1", True)
    assert properties.only_for.text() == "Zone A"
    properties._on_only_for("zone-1", False)
    assert properties.only_for.text() == "none of them"
    settle(drawn)
    assert drawn.deck.lanes[0].total > 0
    properties._fill_only_for()
    properties.only_for.menu().actions()[0].trigger()
    assert drawn.session.view.masks[0].only_for is None


def test_what_a_zone_fires_on_is_part_of_it(drawn):
    properties = drawn.draw.properties
    drawn.show_stage("draw")
    drawn.session.select("zone-1")
    assert not properties.loiter_s.isVisibleTo(properties)
    properties.fires.setCurrentIndex(2)
    properties.fires.activated.emit(2)
    assert drawn.session.view.zones[0].fires == "loitering"
    assert drawn.session.view.tuning.of("zone-1") == born_settings("loitering")
    assert properties.reports.isVisible() and properties.reports.text().startswith("person, people")
    assert drawn.session.view.tuning.of("zone-1").channel == "drift"  # who stands still has no step
    assert drawn.session.history.undo_name == "What Zone A fires on"
    assert properties.loiter_s.isVisibleTo(properties)
    properties.loiter_s.setValue(25)
    assert drawn.session.view.tuning.of("zone-1").loiter_s == 25
    settle(drawn)
    assert drawn.deck.lanes[0].alarms == []


def test_a_wire_given_a_way_alarms_on_crossings_and_says_which(window):
    do(window, drawing.add_wire, ((0.5, 0.1), (0.5, 0.95)), "Gate", watches="both")
    do(window, edits.set_dials, "wire-1", change_limit_grey=8.0)
    do(window, drawing.change_item, "wire-1", side_a="Quay", side_b="Water")
    settle(window)
    lane = window.deck.lanes[1]
    assert [alarm.direction for alarm in lane.alarms] == ["b_to_a"]
    window.show_stage("tune")
    window.session.select("wire-1")
    row = next(row for row in window.tune.alarms.alarms.rows if row.lane is lane)
    assert said(row, window.session.view.wires[0]) == "crossed, Water to Quay"
    assert window.tune.dials["start_percent"].isHidden()
    assert not window.tune.dials["sure_percent"].isHidden()
    assert window.tune.crossing_note.isVisibleTo(window.tune)
    window.session.select("")
    window.tune.zone.setCurrentIndex(0)
    assert not window.tune.dials["start_percent"].isHidden()
    assert window.tune.dials["sure_percent"].isHidden()


def test_a_duplicate_and_the_history_list(qtbot, drawn):
    qtbot.keyClick(drawn, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
    assert drawn.session.view.item(drawn.session.item_id).name == "Zone A copy"
    header = drawn.header
    header._fill_history()
    names = [action.text() for action in header.history.menu().actions()]
    assert names == ["Duplicate Zone A", "Draw zone", "Opened"]
    header.history.menu().actions()[2].trigger()
    assert drawn.session.view.zones == ()
    header._fill_history()
    actions = header.history.menu().actions()
    assert [action.isChecked() for action in actions] == [False, False, True]
    actions[0].trigger()
    assert len(drawn.session.view.zones) == 2
