"""Sound and contacts in the window: added, turned, heard as lanes, taken back."""

import av
import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog

from north_hush.core.sight.sight import Blind
from north_hush.core.site import drawing, edits
from north_hush.core.site.saving import save_site
from north_hush.desk.app import wait_until
from north_hush.desk.footage.seen import SeenBox
from north_hush.desk.footage.sight import SightDialog
from tests.desk.conftest import settle
from tests.footage_maker import moving_square, write_video


@pytest.fixture
def loud(tmp_path, open_window):
    """Six seconds with a moving square, and a burst of noise from 3 s to 3.5 s."""
    write_video(tmp_path / "still.mkv", moving_square(60), options={"qp": "1", "g": "20", "bf": "0"})
    rng, rate = np.random.default_rng(1), 48_000
    sound = 0.002 * rng.standard_normal(6 * rate)
    sound[3 * rate : int(3.5 * rate)] *= 100
    with av.open(str(tmp_path / "still.mkv")) as source, av.open(str(tmp_path / "loud.mkv"), "w") as out:
        video = out.add_stream_from_template(source.streams.video[0])
        audio = out.add_stream("pcm_s16le", rate=rate, layout="mono")
        for packet in source.demux(video=0):
            if packet.dts is not None:
                packet.stream = video
                out.mux(packet)
        samples = (np.clip(sound, -1, 1) * 32767).astype(np.int16)
        for first in range(0, len(samples), 4800):
            frame = av.AudioFrame.from_ndarray(samples[None, first : first + 4800], format="s16", layout="mono")
            frame.sample_rate, frame.pts = rate, first
            out.mux(audio.encode(frame))
        out.mux(audio.encode())
    site = edits.add_recording(edits.new_site("Skerry Quay", "Slipway"), "view-1", "loud.mkv")
    save_site(site, tmp_path / "a.hush.json")
    window = open_window(tmp_path / "a.hush.json")
    window.show_stage("footage")
    return window


def lane(window, kind):
    return next((held for held in window.deck.lanes if held.kind == kind), None)


def test_sound_is_a_lane_with_alarms_and_is_turned_by_keyboard(loud, qtbot):
    box = loud.footage.sensors
    assert not box.rows.isVisible() and not box.fields.isVisible()
    box.listen.setFocus()
    qtbot.keyClick(box.listen, Qt.Key.Key_Space)
    settle(loud)
    heard = lane(loud, "sound")
    assert [round(one.start_s, 1) for one in heard.alarms] == [pytest.approx(3.0, abs=0.11)]
    assert heard.percent(heard.alarms[0].peak_area) > 50
    qtbot.waitUntil(lambda: "12 dB: 1" in box.would.text(), timeout=10_000)
    box.level.setFocus()
    box.level.selectAll()
    qtbot.keyClicks(box.level, "60")
    qtbot.keyClick(box.level, Qt.Key.Key_Return)
    settle(loud)
    assert loud.session.view.sensors[0].sound.level_db == 60 and lane(loud, "sound").alarms == []
    qtbot.waitUntil(lambda: "60 dB: 0" in box.would.text(), timeout=10_000)
    loud.session.undo()
    settle(loud)
    assert len(lane(loud, "sound").alarms) == 1
    box.rows.setFocus()
    qtbot.keyClick(box.rows, Qt.Key.Key_Delete)
    settle(loud)
    assert lane(loud, "sound") is None and loud.session.view.sensors == ()


def test_sound_that_is_needed_lets_motion_count_from_then_on(loud):
    before = loud.deck.lanes[0].alarms[0].start_s
    box = loud.footage.sensors
    box.listen.click()
    box.role.setCurrentIndex(box.role.findData("need"))
    box.role.activated.emit(box.role.currentIndex())
    settle(loud)
    assert before < 2.9 and loud.deck.lanes[0].alarms[0].start_s == pytest.approx(3.0, abs=0.11)
    assert lane(loud, "sound").alarms == []  # it raises none by itself
    box.role.setCurrentIndex(box.role.findData("veto"))
    box.role.activated.emit(box.role.currentIndex())
    settle(loud)
    assert loud.deck.lanes[0].alarms[0].start_s == before  # it began before the noise


def test_contacts_come_from_a_table_and_every_stage_bears_them(loud, monkeypatch, tmp_path):
    (tmp_path / "doors.csv").write_text("start,end,name\n0.5,1.0,door\n5.0,5.5,key\n")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(tmp_path / "doors.csv"), ""))
    loud.footage.sensors.contact.click()
    settle(loud)
    assert [held.name for held in loud.session.view.sensors] == ["door", "key"]
    door = lane(loud, "contact")
    assert [(one.start_s, round(one.end_s, 2)) for one in door.alarms] == [(0.5, 1.0)]
    loud.deck.playhead.seek(7)
    assert wait_until(lambda: loud.picture.levels.level_text(door) == "on", 5)
    loud.deck.playhead.seek(30)
    assert wait_until(lambda: loud.picture.levels.level_text(door) == "off", 5)
    for stage in ("draw", "tune", "judge", "ask", "hours", "outcome", "handover", "overview", "footage"):
        loud.show_stage(stage)
        settle(loud)
    loud.tune.alarms.go_next(1)
    (tmp_path / "doors.csv").write_text("nonsense")
    loud.footage.sensors.contact.click()
    assert "doors.csv" in loud.notice.text.text() and len(loud.session.view.sensors) == 2


def turn_of(window, moved=(0.05, -0.02)):
    """As if the camera had been turned two seconds into the recording, for good."""
    turn = Blind("moved", 2_000_000, None, 80.0, moved)
    assert wait_until(lambda: window.sight._work.idle, 60)  # what it really sees comes first
    window.sight._take([Blind("dark", 0, 1_000_000, 90.0), turn])
    assert wait_until(lambda: window.findChild(SeenBox)._work.idle, 60)
    settle(window)
    return turn


def test_a_drawing_is_shifted_with_a_camera_that_was_turned(window):
    window.show_stage("footage")
    settle(window)
    window.session.do(
        "Zone", lambda site: drawing.add_zone(site, "view-1", ((0.2, 0.2), (0.5, 0.2), (0.5, 0.5)), "Slip")
    )
    turn_of(window)
    box = window.findChild(SeenBox)
    assert box.rows.count() == 2 and box.shift.isVisibleTo(box)
    box.shift.click()
    (part,) = window.session.view.zones[0].area
    assert part.points[0] == pytest.approx((0.25, 0.18)) and window.session.history.undo_name == "Shift the drawing"
    window.session.undo()
    assert window.session.view.zones[0].area[0].points[0] == pytest.approx((0.2, 0.2))
    box.rows.setCurrentRow(0)
    assert not box.shift.isVisibleTo(box)


def test_every_zone_says_that_the_camera_was_turned_until_the_drawing_is_confirmed(window, qtbot):
    window.show_stage("draw")
    settle(window)
    window.session.do(
        "Zone", lambda site: drawing.add_zone(site, "view-1", ((0.2, 0.2), (0.5, 0.2), (0.5, 0.5)), "Slip")
    )
    settle(window)
    draw = window.stages.panel("draw")
    assert not draw.turned.isVisibleTo(draw) and draw.items.item(0).toolTip() == ""
    turn_of(window)
    assert draw.turned.isVisibleTo(draw) and "0:02" in draw.turned.said.text()
    assert "turned" in draw.items.item(0).toolTip()
    assert "camera turned at 0:02" in window.trace.stack.lanes[0]._caption
    draw.turned.go.click()
    assert window.deck.playhead.frame > 0
    draw.turned.fits.setFocus()
    qtbot.keyClick(draw.turned.fits, Qt.Key.Key_Space)
    settle(window)
    assert not draw.turned.isVisibleTo(draw) and draw.items.item(0).toolTip() == ""
    assert "turned" not in window.trace.stack.lanes[0]._caption
    assert window.session.view.recordings[0].settled_turns_us == (2_000_000,)
    assert window.session.view.zones[0].area[0].points[0] == pytest.approx((0.2, 0.2))
    window.session.undo()
    settle(window)
    assert draw.turned.isVisibleTo(draw)
    draw.turned.shift.click()
    settle(window)
    assert not draw.turned.isVisibleTo(draw)
    assert window.session.view.zones[0].area[0].points[0] == pytest.approx((0.25, 0.18))


def test_a_rule_of_blindness_is_turned_over_its_curve(window, qtbot):
    settle(window)
    dialog = SightDialog(window.session, window.deck, window.theme, window)
    qtbot.addWidget(dialog)
    dialog.show()
    dialog.kind.setCurrentIndex(dialog.kind.findData("frozen"))
    dialog.kind.activated.emit(dialog.kind.currentIndex())
    qtbot.waitUntil(lambda: dialog._work.idle, timeout=20_000)
    assert dialog.said.text() == "Not told in this recording."
    track = dialog.dials["for_s"].track
    assert "told 0 times" in track.toolTip()
    number = dialog.dials["for_s"].number
    number.setFocus()
    number.selectAll()
    qtbot.keyClicks(number, "5")
    qtbot.keyClick(number, Qt.Key.Key_Return)
    assert window.session.view.sight["frozen"].for_s == 5
    for text, kept, said in (("Mo-Fr 08:00-18:00", "Mo-Fr 08:00-18:00", ""), ("Mo-Fr 25", "Mo-Fr 08:00-18:00", "25")):
        dialog.hours.setFocus()
        dialog.hours.selectAll()
        qtbot.keyClicks(dialog.hours, text)
        dialog.hours.editingFinished.emit()
        assert window.session.view.sight["frozen"].hours == kept and dialog.hours.text() == text
        assert said in dialog.said.text()
    assert window.session.view.sight["frozen"].for_s == 5
    dialog.looked_for.click()
    assert window.session.view.sight["frozen"] is None and not dialog.dials["for_s"].isEnabled()
    dialog.looked_for.click()
    assert "frozen" not in window.session.view.sight  # as it is born
    dialog.done(0)
