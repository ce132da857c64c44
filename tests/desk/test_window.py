"""The job from start to end in the real window, by mouse and keyboard."""

import json

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import QApplication, QFileDialog, QLabel

from north_hush.core.errors import SiteError
from north_hush.core.site import edits
from north_hush.core.site.file import load_site
from north_hush.core.site.saving import save_site
from north_hush.desk.app import wait_until
from north_hush.desk.opening import open_session
from north_hush.desk.session import Session
from tests.desk.conftest import drag, lane_point, on_picture, send_mouse, settle
from tests.footage_maker import flat, moving_square, write_image, write_video

LEFT, RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton


def click(qtbot, window, x, y, button=LEFT):
    qtbot.mouseClick(window.picture.canvas, button, pos=on_picture(window, x, y))


def draw(qtbot, window, key, *points):
    window.show_stage("draw")
    qtbot.keyClick(window, key)
    for point in points:
        click(qtbot, window, *point)
    qtbot.keyClick(window.picture.canvas, Qt.Key.Key_Return)
    settle(window)


BAND = ((0.05, 0.4), (0.95, 0.4), (0.95, 0.8), (0.05, 0.8))


def test_from_a_recording_to_a_quieter_alarm_list_and_back_again(qtbot, window, site_path, open_window):
    assert "No zone drawn yet" in window.picture.strip.note.text()
    draw(qtbot, window, Qt.Key.Key_Z, *BAND)
    zone = window.session.view.zones[0]
    assert np.allclose(zone.area[0].points, BAND, atol=0.01)
    assert window.picture.strip.note.text() == ""
    assert len(window.tune.alarms.alarms.rows) > 0

    window.show_stage("tune")
    plot = window.trace.lanes[0]
    line = plot.limits["start_percent"]
    top = plot.box.viewRange()[1][1]
    (left, right), _ = plot.box.viewRange()
    middle = (left + right) / 2
    before = len(window.deck.lanes[0].alarms)
    drag(plot.getViewWidget().viewport(), lane_point(plot, middle, line.value()), lane_point(plot, middle, top * 0.97))
    settle(window)
    after = window.session.view.tuning.of(zone.id)
    assert after.start_percent > 2
    assert before >= 1
    assert len(window.tune.alarms.alarms.rows) == 0
    assert window.session.history.names == ["Draw zone", "Move start level of Zone A"]

    qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    settle(window)
    assert len(window.tune.alarms.alarms.rows) == before
    qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    settle(window)
    alarms = [lane.alarms for lane in window.deck.lanes]
    saved = window.session.site
    window.close()
    assert load_site(site_path) == saved
    again = open_window(site_path)
    assert [lane.alarms for lane in again.deck.lanes] == alarms
    assert again.session.site == saved


def test_steps_are_exact_and_the_level_follows(qtbot, window):
    deck = window.deck
    for _ in range(20):
        qtbot.keyClick(window, Qt.Key.Key_Period)
    assert (deck.frame, deck.row) == (20, 20)
    lane = deck.lanes[0]
    assert window.picture.levels.level_text(lane) == f"{100 * lane.areas[20] / lane.total:.2f} %"
    qtbot.keyClick(window, Qt.Key.Key_Comma)
    assert deck.frame == 19
    qtbot.keyClick(window, Qt.Key.Key_End)
    assert deck.frame == 59
    qtbot.keyClick(window, Qt.Key.Key_Home)
    assert deck.frame == 0
    assert window.picture.levels.level_text(lane) == "warming up"


def test_every_step_shows_its_own_picture(qtbot, window):
    shown = []
    window.deck.shown.connect(lambda image, _: shown.append(image))
    seen = set()
    for frame in (20, 21, 22):
        shown.clear()
        window.deck.playhead.seek(frame)
        assert wait_until(lambda: bool(shown), 60)
        image = shown[-1]
        seen.add(
            max(range(160), key=lambda x: image.pixelColor(x, 56).red() + (image.pixelColor((x + 15) % 160, 56).red()))
        )
    assert len(seen) == 3


def test_it_plays_at_the_chosen_speed_and_stops_at_the_end(qtbot, window):
    window.picture.transport.speed.setCurrentText("8×")
    qtbot.keyClick(window, Qt.Key.Key_Space)
    assert window.deck.playhead.playing
    assert wait_until(lambda: not window.deck.playhead.playing, 60)
    assert window.deck.frame == 59


def test_the_views_show_difference_and_cells_with_values(qtbot, window):
    differences = []
    window.deck.shown.connect(lambda _, difference: differences.append(difference))
    window.deck.playhead.seek(30)
    qtbot.keyClick(window, Qt.Key.Key_2)
    assert wait_until(lambda: bool(differences) and differences[-1] is not None, 60)
    assert differences[-1].max() > 10
    qtbot.keyClick(window, Qt.Key.Key_3)
    assert wait_until(lambda: differences[-1] is None, 60)
    values = window.picture.cells.values()
    assert values is not None
    assert values.max() > 40
    canvas = window.picture.canvas
    cell = window.deck.evidence.grid.cell_box(int(values.argmax()))
    send_mouse(canvas, QEvent.Type.MouseMove, canvas.to_widget((cell[0] + 0.01, cell[1] + 0.01)))
    assert window.picture._readout().startswith(f"{values.max() / 4:.2f} grey levels")


def test_alarm_list_goes_to_alarms_by_click_and_key(qtbot, window):
    draw(qtbot, window, Qt.Key.Key_Z, *BAND)
    window.show_stage("tune")
    rows = window.tune.alarms.alarms.rows
    listed = window.tune.alarms
    rect = listed.visualRect(listed.model().index(0))
    qtbot.mouseClick(listed.viewport(), LEFT, pos=rect.center())
    assert window.deck.frame == rows[0].alarm.start_frame
    window.deck.playhead.seek(0)
    qtbot.keyClick(window, Qt.Key.Key_BracketRight)
    assert window.deck.frame == rows[0].alarm.start_frame
    window.deck.playhead.seek(59)
    qtbot.keyClick(window, Qt.Key.Key_BracketLeft)
    assert window.deck.frame == rows[-1].alarm.start_frame
    assert wait_until(
        lambda: listed.model().data(listed.model().index(0), Qt.ItemDataRole.DecorationRole) is not None, 5
    )


def test_dials_turn_by_key_wheel_number_and_double_click(qtbot, window):
    window.show_stage("tune")
    dial = window.tune.dials["confirm_frames"]

    def value():
        return window.session.view.tuning.of("whole-picture").confirm_frames

    dial.track.setFocus()
    qtbot.keyClick(dial.track, Qt.Key.Key_Right)
    assert value() == 3
    dial.number.setValue(7)
    assert value() == 7
    assert dial.note.text() == "600 ms"
    qtbot.mouseDClick(dial.track, LEFT)
    assert value() == 2
    release = window.tune.dials["release_frames"]
    release.track.setFocus()
    qtbot.keyClick(release.track, Qt.Key.Key_Right)
    assert window.session.view.tuning.of("whole-picture").release_frames < 10  # right is quieter: ends sooner
    drag(window.tune.dials["start_percent"].track, QPointF(100, 10), QPointF(290, 10))
    settle(window)
    assert window.session.view.tuning.of("whole-picture").start_percent > 20
    assert window.session.history.names[-1] == "Start level of Whole picture"
    assert window.session.history.names.count("Start level of Whole picture") == 1


def test_clear_is_pushed_along_by_start(qtbot, window):
    window.tune.dials["start_percent"].number.setValue(0.1)
    assert window.session.view.tuning.of("whole-picture").clear_percent == 0.1
    assert window.tune.dials["clear_percent"].number.value() == 0.1


def test_corners_items_and_masks(qtbot, window):
    draw(qtbot, window, Qt.Key.Key_Z, *BAND)
    zone = window.session.view.zones[0]
    start = on_picture(window, *zone.area[0].points[2])
    drag(window.picture.canvas, start, on_picture(window, 0.8, 0.9))
    moved = window.session.view.zones[0].area[0].points
    assert moved[2] == pytest.approx((0.8, 0.9), abs=0.01)
    assert moved[:2] == zone.area[0].points[:2]
    assert window.session.history.names[-1] == "Move corner of Zone A"
    drag(window.picture.canvas, on_picture(window, 0.4, 0.6), on_picture(window, 0.45, 0.6))
    assert window.session.view.zones[0].area[0].points[0][0] == pytest.approx(
        zone.area[0].points[0][0] + 0.05, abs=0.01
    )
    draw(qtbot, window, Qt.Key.Key_M, (0.3, 0.3), (0.7, 0.3), (0.7, 0.9), (0.3, 0.9))
    assert window.session.view.masks[0].name == "Mask 1"
    masked = window.deck.lanes[0].total
    window.draw.properties.strength.setValue(50)
    settle(window)
    assert window.session.view.masks[0].strength_percent == 50
    assert window.deck.lanes[0].total > masked
    qtbot.keyClick(window.picture.canvas, Qt.Key.Key_Delete)
    assert window.session.view.masks == ()
    for _ in range(len(window.session.history.names)):
        window.session.undo()
    assert window.session.view.items == ()


def test_saved_as_you_work_and_locked_against_a_second_window(qtbot, window, site_path):
    window.tune.dials["confirm_frames"].number.setValue(5)
    assert window.header.save_state.text() == "saving…"
    assert wait_until(lambda: window.header.save_state.text() == "saved", 60)
    held = json.loads(site_path.read_text())
    assert held["views"][0]["tunings"][0]["settings"]["whole-picture"]["confirm_frames"] == 5
    with pytest.raises(SiteError, match="open in another window"):
        Session(site_path)


def test_a_site_that_cannot_be_saved_says_so_and_keeps_the_work(qtbot, window, monkeypatch):
    def fail(site, path, known):
        raise SiteError(str(path), "cannot be written (No space left on device).", "Save elsewhere.")

    monkeypatch.setattr("north_hush.desk.session.save_site", fail)
    window.tune.dials["confirm_frames"].number.setValue(5)
    assert wait_until(lambda: window.header.save_state.text() == "not saved", 60)
    assert "No space left" in window.notice.text.text()
    assert window.session.view.tuning.of("whole-picture").confirm_frames == 5


def test_closing_with_work_that_cannot_be_saved_asks_and_offers_a_copy(qtbot, window, tmp_path, monkeypatch):
    def fail(site, path, known):
        raise SiteError(str(path), "cannot be written (No space left on device).", "Save elsewhere.")

    monkeypatch.setattr("north_hush.desk.session.save_site", fail)
    window.tune.dials["confirm_frames"].number.setValue(5)
    assert not window.close()
    assert window.isVisible()
    assert "The last changes are not saved" in window.notice.text.text()
    copy = tmp_path / "copy.hush.json"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_args: (str(copy), ""))
    qtbot.mouseClick(window.notice.answers[0], LEFT)
    assert not window.isVisible()
    assert json.loads(copy.read_text())["views"][0]["tunings"][0]["settings"]["whole-picture"]["confirm_frames"] == 5


def test_a_file_that_another_program_changed_is_asked_about(qtbot, window, site_path):
    theirs = site_path.read_text().replace('"name": "Camera 1"', '"name": "Theirs"')
    site_path.write_text(theirs)
    window.tune.dials["confirm_frames"].number.setValue(5)
    assert wait_until(lambda: "another program" in window.notice.text.text(), 60)
    assert [button.text() for button in window.notice.answers] == ["Keep mine", "Take theirs"]
    qtbot.mouseClick(window.notice.answers[1], LEFT)
    assert window.session.view.tuning.of("whole-picture").confirm_frames != 5
    assert site_path.read_text() == theirs


def test_dropped_files_are_added_and_bad_ones_named(qtbot, window, tmp_path):
    good = write_video(tmp_path / "second.mkv", moving_square(30))
    bad = tmp_path / "notes.txt"
    bad.write_text("no recording")
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(path)) for path in (tmp_path / "gone.mkv", good)])
    event = QDropEvent(QPointF(50, 50), Qt.DropAction.CopyAction, mime, LEFT, Qt.KeyboardModifier.NoModifier)
    entering = QDragEnterEvent(
        QPointF(50, 50).toPoint(), Qt.DropAction.CopyAction, mime, LEFT, Qt.KeyboardModifier.NoModifier
    )
    QApplication.sendEvent(window, entering)
    assert entering.isAccepted()
    QApplication.sendEvent(window, event)
    assert [held.path for held in window.session.view.recordings] == ["slip.mkv", "second.mkv"]
    assert wait_until(lambda: window.deck.index is not None and window.deck.index.frames == 30, 60)
    window.intake.add_recordings([bad])
    assert wait_until(lambda: window.notice.isVisible(), 60)
    assert "notes.txt" in window.notice.text.text()
    assert window.footage.recordings.count() == 3
    window.footage.remove.click()
    assert window.footage.recordings.count() == 2


def test_an_image_folder_asks_for_its_rate(qtbot, window, tmp_path, monkeypatch):
    folder = tmp_path / "stills"
    folder.mkdir()
    for i in range(8):
        write_image(folder / f"{i}.pgm", flat(100 + 10 * (i % 2)))
    monkeypatch.setattr("north_hush.desk.intake.QInputDialog.getDouble", lambda *args: (4.0, True))
    monkeypatch.setattr("north_hush.desk.intake.QFileDialog.getExistingDirectory", lambda *args: str(folder))
    window.footage.add_folder.click()
    assert wait_until(lambda: window.deck.index is not None and window.deck.index.frames == 8, 60)
    assert window.deck.index.frames_per_s == 4.0
    monkeypatch.setattr("north_hush.desk.intake.QInputDialog.getDouble", lambda *args: (4.0, False))
    other = tmp_path / "more"
    other.mkdir()
    window.intake.add_recordings([other])
    assert "frame rate is not known" in window.notice.text.text()


def test_turning_and_the_clock(qtbot, window):
    window.footage.turn.setCurrentIndex(1)
    assert window.session.view.recordings[0].orientation.rotation_deg == 90
    assert wait_until(lambda: window.deck.evidence is not None and window.deck.evidence.grid.width == 96, 60)
    assert window.picture.canvas.picture_size == (96, 160)
    taken = window.picture.transport.place.text()
    window.footage.clock.setValue(3600)
    window.deck.playhead.seek(1)
    assert window.picture.transport.place.text()[:12] != taken[:12]


def test_facts_are_shown(window):
    text = " ".join(label.text() for label in window.footage.facts.findChildren(QLabel))
    for part in ("160 × 96 pixels", "10 frames/s", "median 100 ms, worst 100 ms", "0:06.0, 60 frames", "h264"):
        assert part in text


def test_camera_views_keep_their_own_items(qtbot, window, monkeypatch):
    draw(qtbot, window, Qt.Key.Key_Z, *BAND)
    monkeypatch.setattr("north_hush.desk.header.QInputDialog.getText", lambda *args, **kwargs: ("Net loft", True))
    window.header._on_view(window.header.view.findText("New camera view…"))
    assert window.session.view.name == "Net loft"
    assert window.session.view.zones == ()
    assert window.deck.recording is None
    window.picture.canvas.grab()
    window.session.show_view("view-1")
    assert len(window.session.view.zones) == 1
    assert wait_until(lambda: bool(window.deck.lanes), 60)


def test_recordings_alone_open_as_a_new_site(qtbot, recording, open_window):
    session = open_session((recording,), None)
    assert session.path.exists()
    assert session.view.recordings[0].fingerprint
    path = session.path
    session.close()
    window = open_window(path)
    assert window.deck.index.frames == 60


def test_a_tuning_is_chosen(qtbot, site_path, open_window):
    site = load_site(site_path)
    site = edits.add_tuning(site, "view-1", "night")
    site = edits.set_dials(site, "view-1", "whole-picture", start_percent=100)
    save_site(site, site_path)
    window = open_window(site_path)
    assert len(window.deck.lanes[0].alarms) == 0
    window.tune.tunings.box.setCurrentText("factory")
    settle(window)
    assert len(window.deck.lanes[0].alarms) > 0


def test_the_style_sheet_is_the_window_s_and_changes_with_the_theme(window):
    """An application's is worked out anew for all of a part whenever it is laid into another, and for windows that are closed."""
    before = window.styleSheet()
    window.change_theme()
    assert before and window.styleSheet() not in ("", before)
    assert QApplication.instance().styleSheet() == ""
