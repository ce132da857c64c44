"""Header, level column, alarm list, panels: what they show and what they send."""

import pytest
from PySide6.QtCore import QPoint, Qt

from north_hush.core.judge.incidents import Incident, Truth
from north_hush.core.memo import Memo
from north_hush.core.site import drawing, edits
from north_hush.core.site.saving import save_site
from north_hush.desk.app import wait_until
from north_hush.desk.look.roles import DAY_FOG
from tests.desk.conftest import settle
from tests.footage_maker import moving_square, write_video

LEFT_HALF = ((0.0, 0.3), (0.5, 0.3), (0.5, 0.9), (0.0, 0.9))
RIGHT_HALF = ((0.5, 0.3), (1.0, 0.3), (1.0, 0.9), (0.5, 0.9))


@pytest.fixture
def two_zones(window):
    for outline, name in ((LEFT_HALF, "Slip"), (RIGHT_HALF, "Quay")):
        window.session.do(f"Draw {name}", lambda site, o=outline, n=name: drawing.add_zone(site, "view-1", o, n))
    settle(window)
    return window


def test_undo_and_redo_say_what_they_would_do(two_zones):
    header = two_zones.header
    assert header.undo.toolTip() == "Undo: Draw Quay  (Ctrl+Z)"
    assert not header.redo.isEnabled()
    header.undo.click()
    assert header.redo.toolTip() == "Redo: Draw Quay  (Ctrl+Shift+Z)"
    header.undo.click()
    assert not header.undo.isEnabled()
    assert header.undo.toolTip() == "Nothing to undo"


def test_chips_put_recordings_on_and_many_are_counted(qtbot, open_window, tmp_path):
    site = edits.new_site("Skerry Quay")
    for i in range(8):
        write_video(tmp_path / f"take {i}.mkv", moving_square(20 + i))
        site = edits.add_recording(site, "view-1", f"take {i}.mkv")
    site = edits.change_recording(site, "view-1", "recording-2", light="night")
    save_site(site, tmp_path / "a.hush.json")
    window = open_window(tmp_path / "a.hush.json")
    chips = window.header._chip_group.buttons()
    assert [chip.text() for chip in chips] == [f"take {i}" for i in range(6)]
    assert "night" in chips[1].toolTip()
    assert window.header._chips.itemAt(6).widget().text() == "+2 under Footage"
    chips[1].click()
    assert wait_until(lambda: window.deck.index is not None and window.deck.index.frames == 21, 60)
    assert window.header._chip_group.checkedButton().text() == "take 1"
    window.footage.recordings.setCurrentRow(7)
    assert wait_until(lambda: window.deck.index is not None and window.deck.index.frames == 27, 60)


def test_a_recording_put_on_while_another_loads_wins(qtbot, open_window, tmp_path):
    site = edits.new_site("Skerry Quay")
    for i in range(3):
        write_video(tmp_path / f"{i}.mkv", moving_square(30 + 10 * i))
        site = edits.add_recording(site, "view-1", f"{i}.mkv")
    save_site(site, tmp_path / "a.hush.json")
    window = open_window(tmp_path / "a.hush.json")
    first, second, third = window.session.view.recordings
    for recording in (second, third, second, first, third):
        window.deck.put_on(recording)
    assert wait_until(lambda: window.deck.evidence is not None and window.deck.settled, 60)
    assert len(window.deck.evidence.frames) == 50
    assert len(window.deck.lanes[0].areas) == 50


def test_a_click_on_a_level_selects_its_zone(qtbot, two_zones):
    column = two_zones.picture.levels
    qtbot.mouseClick(column, Qt.MouseButton.LeftButton, pos=QPoint(40, 120))
    assert two_zones.session.item_id == "zone-2"
    assert two_zones.tune.zone_id == "zone-2"
    qtbot.mouseClick(column, Qt.MouseButton.LeftButton, pos=QPoint(40, 400))
    assert two_zones.session.item_id == "zone-2"


def test_levels_follow_the_frame_zone_by_zone(two_zones):
    texts = set()
    for frame in range(10, 52):
        two_zones.deck.playhead.seek(frame)
        texts.add(tuple(two_zones.picture.levels.level_text(lane) for lane in two_zones.deck.lanes))
    assert len(texts) > 5
    assert any(left != "0.00 %" and right == "0.00 %" for left, right in texts)
    assert any(left == "0.00 %" and right != "0.00 %" for left, right in texts)


def test_the_alarm_list_is_in_order_of_time_and_says_all(two_zones):
    model = two_zones.tune.alarms.alarms
    starts = [row.start_s for row in model.rows]
    assert starts == sorted(starts)
    assert {row.lane.name for row in model.rows} == {"Slip", "Quay"}
    text = model.data(model.index(0), Qt.ItemDataRole.DisplayRole)
    assert "Slip" in text
    assert "peak" in text
    assert two_zones.tune.summary.text().startswith(f"{len(model.rows)} alarm")
    two_zones.tune.alarms.grab()


def test_dials_belong_to_the_zone_shown(two_zones):
    tune = two_zones.tune
    tune.zone.setCurrentIndex(1)
    tune.dials["confirm_frames"].number.setValue(9)
    tune.zone.setCurrentIndex(0)
    assert tune.dials["confirm_frames"].number.value() == 2
    view = two_zones.session.view
    assert (view.tuning.of("zone-1").confirm_frames, view.tuning.of("zone-2").confirm_frames) == (2, 9)
    assert two_zones.session.history.names[-1] == "Confirm of Quay"


def test_the_channel_is_a_setting_like_the_others(two_zones):
    two_zones.tune.channel.setCurrentIndex(two_zones.tune.channel.findData("drift"))
    settle(two_zones)
    zone = two_zones.tune.zone_id
    assert two_zones.session.view.tuning.of(zone).channel == "drift"
    assert two_zones.deck.lanes[0].settings.channel == "drift"
    two_zones.session.undo()
    assert two_zones.tune.channel.currentData() == "step"


def test_items_are_listed_selected_and_deleted_from_the_panel(two_zones):
    panel = two_zones.draw
    assert [panel.items.item(row).text() for row in range(panel.items.count())] == ["Slip", "Quay"]
    panel.items.setCurrentRow(1)
    assert two_zones.session.item_id == "zone-2"
    assert not panel.properties.strength.isVisibleTo(panel)
    panel.remove.click()
    assert [zone.name for zone in two_zones.session.view.zones] == ["Slip"]
    assert not panel.remove.isEnabled()


def test_stages_change_panel_and_tool_and_leave_the_rest(two_zones):
    window = two_zones
    frame = window.deck.frame
    for stage, tool in (("draw", "arrange"), ("tune", ""), ("footage", "")):
        window.rail.buttons[stage].click()
        assert window.stages.stack.currentWidget().widget() is window.stages.panel(stage)
        assert window.picture.board.mode == tool
        assert window.deck.frame == frame


def test_speed_changes_while_playing(qtbot, two_zones):
    deck = two_zones.deck
    two_zones.picture.transport.speed.setCurrentText("0.1×")
    deck.playhead.play()
    wait_until(lambda: False, 0.3)
    slow = deck.frame
    two_zones.picture.transport.speed.setCurrentText("8×")
    wait_until(lambda: False, 0.3)
    assert slow <= 2
    assert deck.frame >= slow + 10
    deck.playhead.pause()
    assert not deck.playhead.playing


def test_seeking_is_bounded_and_by_time(two_zones):
    deck = two_zones.deck
    deck.playhead.seek(10**6)
    assert deck.frame == 59
    deck.playhead.seek(-5)
    assert deck.frame == 0
    deck.playhead.seek_s(2.55)
    assert deck.frame == 25
    deck.playhead.step(-3)
    assert (deck.frame, deck.row) == (22, 22)


def test_every_control_has_a_tip_and_a_name(two_zones):
    from PySide6.QtWidgets import QAbstractSpinBox, QComboBox, QPushButton, QToolButton

    bare = []
    for kind in (QPushButton, QToolButton, QComboBox, QAbstractSpinBox):
        for control in two_zones.findChildren(kind):
            named = control.accessibleName() or getattr(control, "text", str)()
            inside = control.parent().inherits("QComboBox") or control.parent().inherits("QLineEdit")
            if not inside and not (control.toolTip() and named):
                bare.append((kind.__name__, control.objectName(), named))
    assert bare == []


def test_nothing_is_cut_off_in_a_small_window(two_zones):
    from PySide6.QtWidgets import QLabel, QPushButton

    two_zones.resize(1100, 700)
    two_zones.use_theme(DAY_FOG)
    for stage in (held.key for held in two_zones.stages.all):
        two_zones.show_stage(stage)
        wait_until(lambda: False, 0.1)
        for button in two_zones.stages.panel(stage).findChildren(QPushButton):
            if button.isVisible():
                assert button.width() >= button.sizeHint().width() - 2, (stage, button.text())
        for label in two_zones.stages.panel(stage).findChildren(QLabel):
            if label.isVisible() and not label.wordWrap():
                assert label.width() >= label.sizeHint().width() - 1, (stage, label.text())


def test_more_zones_than_the_memo_holds_come_to_rest(window):
    """Survival tables that push each other out of the memo must not be made for ever."""
    memo = window.deck.evaluator._memo = Memo(64_000)  # one table of this recording takes 30,720
    for outline in (LEFT_HALF, RIGHT_HALF):
        window.session.do("Draw", lambda site, o=outline: drawing.add_zone(site, "view-1", o))
    settle(window)
    assert memo.held_bytes <= 64_000
    window.tune.dials["change_limit_grey"].number.setValue(9.0)
    settle(window)
    assert all(lane.settings.change_limit_grey in (3.0, 9.0) for lane in window.deck.lanes)


def test_more_dials_are_one_click_away_and_say_when_they_are_off(two_zones):
    panel = two_zones.tune
    two_zones.show_stage("tune")
    travel = panel.dials["travel_percent"]
    assert not travel.isVisibleTo(panel)
    panel.more.click()
    assert travel.isVisibleTo(panel)
    assert travel.note.text() == "off"
    travel.number.setValue(60)
    settle(two_zones)
    assert travel.note.text() == ""
    assert two_zones.session.view.tuning.of(panel.zone_id).travel_percent == 60
    assert two_zones.deck.lanes[0].alarms == []  # the square goes no farther than half the width there
    panel.dials["size_max_percent"].number.setValue(2)
    panel.dials["size_min_percent"].number.setValue(5)  # the largest gives way
    assert two_zones.session.view.tuning.of(panel.zone_id).size_max_percent == 5


def test_the_score_follows_a_moved_dial(two_zones):
    panel = two_zones.tune
    two_zones.show_stage("tune")
    assert not panel.score.isVisibleTo(panel)
    incidents = (Incident(name="passes", start_s=1.0, end_s=5.0), Incident(name="never was", start_s=0.0, end_s=0.01))
    truth = Truth(incidents=incidents, complete=True)
    recording = two_zones.session.view.recordings[0].id
    two_zones.session.do("Mark", lambda site: edits.change_recording(site, "view-1", recording, truth=truth))
    settle(two_zones)
    assert panel.score.text() == "1 of 2 incidents met, 0 nuisance alarms"
    assert panel.score.toolTip() == "Missed: never was"
    for zone in ("zone-1", "zone-2"):
        two_zones.session.do("Quiet", lambda site, zone=zone: edits.set_dials(site, "view-1", zone, start_percent=100))
    settle(two_zones)
    assert panel.score.text() == "0 of 2 incidents met, 0 nuisance alarms"
