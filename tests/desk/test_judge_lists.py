"""Walk tests, sheets of pictures, device lists, and scores by item and time, driven through the Judge stage."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog

from north_hush.core.detect.alarms import Alarm
from north_hush.core.judge.matching import Span
from north_hush.core.scene.items import Wire
from north_hush.core.site import edits
from north_hush.desk.app import wait_until
from north_hush.desk.judge import scores as scores_module
from north_hush.desk.judge.device import DeviceDialog
from north_hush.desk.judge.judged import Judged, said_of
from tests.desk.conftest import rest_judging, truth_of

SHIFT = Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def slip(judge_window):
    return judge_window


def test_a_walk_test_shows_on_the_picture_where_it_was_noticed(slip, qtbot):
    panel = slip.judge
    slip.deck.playhead.seek(5)
    qtbot.keyClick(slip, Qt.Key.Key_I)
    slip.deck.playhead.seek(55)
    qtbot.keyClick(slip, Qt.Key.Key_O, SHIFT)
    rest_judging(slip)
    walk = truth_of(slip).incidents[0]
    assert (walk.name, walk.walk, walk.start_s, walk.end_s) == ("Walk 1", True, 0.5, 5.5)
    assert panel.walks.found is not None
    assert "noticed on" in panel.walk_text.text()
    with_way = slip.picture.canvas.grab().toImage()
    slip.session.do("Deaf", lambda site: edits.set_dials(site, "view-1", "zone-1", start_percent=100))
    rest_judging(slip)
    assert "noticed on 0 %" in panel.walk_text.text()
    assert "below the limits" in panel.walk_text.text()
    slip.show_stage("tune")
    assert panel.walks.found is None
    assert panel.walk_text.isHidden()
    assert slip.picture.canvas.grab().toImage() != with_way


def test_a_sheet_judges_many_pictures_with_one_key(slip, qtbot):
    panel = slip.judge
    panel.verdicts.sheet.click()
    sheet = panel.sheet
    alarms = len(panel.alarms.rows)
    assert sheet.model.rowCount() == alarms
    first = sheet.model.index(0)
    assert wait_until(lambda: first.data(Qt.ItemDataRole.DecorationRole) is not None, 60)
    row = sheet.model.rows[0]
    assert slip.cuttings.place_of(row.lane, row.alarm) == slip.deck.frame_of(row.reasons.peak_frame)
    sheet.pictures.selectAll()
    assert f"{alarms} of {alarms} chosen" in sheet.said.text()
    panel.verdicts.note.setText("all wind")
    sheet._judge("nuisance")
    rest_judging(slip)
    held = truth_of(slip).verdicts
    assert len(held) == alarms
    assert {verdict.note for verdict in held} == {"all wind"}
    assert sheet.model.rowCount() == 0  # none is left to judge
    sheet.which.setCurrentIndex(1)
    sheet._fill()
    assert sheet.model.rowCount() == alarms
    slip.session.undo()
    rest_judging(slip)
    assert truth_of(slip).verdicts == ()
    sheet.close()


def test_a_device_list_is_brought_in_compared_with_and_let_go(slip, tmp_path, monkeypatch):
    panel = slip.judge
    ours = panel.alarms.rows[0].span
    listed = tmp_path / "device.csv"
    listed.write_text(f"began;ended\n{ours.start_s};{ours.end_s}\n5.9;5.9\n90;91\n")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_, **__: (str(listed), ""))

    def choose(dialog):
        assert "2 alarms lie in this recording; 1 lie outside" in dialog.said.text()
        dialog.start.setCurrentText("ended")
        dialog.end.setCurrentText("began")
        assert "before it starts" in dialog.said.text()
        assert not dialog.buttons.buttons()[0].isEnabled()
        dialog.start.setCurrentText("began")
        dialog.end.setCurrentText("ended")
        return 1

    monkeypatch.setattr(DeviceDialog, "exec", choose)
    panel.device.choose()
    rest_judging(slip)
    assert len(slip.session.view.recordings[0].device_alarms) == 2
    assert slip.comparison.with_device
    found = slip.comparison.ledger
    assert (found.count("kept"), found.count("silenced")) == (1, 1)
    assert [row.lane.name for row in slip.tune.alarms.alarms.rows if row.state == "silenced"] == ["Device"]
    slip.show_stage("tune")
    assert "Against the device" in slip.tune.score.text()
    panel.device.fill()
    panel.device._menu.actions()[2].trigger()
    rest_judging(slip)
    assert slip.session.view.recordings[0].device_alarms == ()
    assert slip.comparison.ledger is None


def test_scores_by_item_by_time_and_on_the_chip(slip):
    box = slip.judge.score
    slip.judge.complete.click()
    rest_judging(slip)
    alarms = len(slip.judge.alarms.rows)
    box.tabs.setCurrentWidget(box.items)
    assert box.items.item(0, 0).text() == "Slip"
    assert box.items.item(0, 2).text() == str(alarms)
    box.tabs.setCurrentWidget(box.chart)
    assert sum(bar.nuisance for bar in box.chart.bars) == alarms
    assert len(box.chart.bars) == 24
    box.span.click()
    assert len(box.chart.bars) == 1
    box.chart.grab()
    chip = slip.header._chip_group.buttons()[0]
    assert chip.text() == f"slip  – · {alarms}"
    assert f"{alarms} nuisance" in chip.toolTip()


def test_each_recording_is_scored_unseen_on_demand(slip):
    box = slip.judge.score
    box.try_unseen.click()
    assert wait_until(lambda: box.settled, 60)
    assert box.unseen == {"slip.mkv": None}  # there is no other to choose settings on


def test_dials_that_are_held_are_not_turned(slip):
    panel = slip.judge
    slip.judge.complete.click()
    rest_judging(slip)
    dials = panel.proposals.dials
    dials.fill()
    for action in dials._menu.actions():
        if action.isCheckable() and action.text() not in ("Slip", "Confirm"):
            action.trigger()
    assert dials.text().endswith("held")
    panel.proposals.start.click()
    assert wait_until(lambda: panel.proposals.settled and not panel.proposals.bar.isVisible(), 120)
    changed = {field for held in panel.proposals.proposals for _, field, _ in held.changed}
    assert changed == {"confirm_frames"}
    dials.fill()
    dials._menu.actions()[-1].trigger()
    assert dials.free() == {}


def test_hours_of_footage_are_scored_only_where_the_score_is_looked_at(slip, monkeypatch):
    scores, chip = slip.judge.scores, slip.header._chip_group.buttons()[0]
    monkeypatch.setattr(scores_module, "_SLOW_S", -1.0)
    slip.session.do("Turn", lambda site: edits.set_dials(site, "view-1", "zone-1", confirm_frames=2))
    rest_judging(slip)
    before = scores.standings
    assert before
    slip.show_stage("tune")
    slip.session.do("Turn", lambda site: edits.set_dials(site, "view-1", "zone-1", confirm_frames=3))
    rest_judging(slip)
    assert wait_until(lambda: scores.settled, 60)
    assert scores.standings == []
    assert before == []  # taken apart, and not in the window's thread when the last of them is let go
    assert chip.text() == "slip"  # a score that is not of these settings is not shown
    slip.show_stage("judge")
    rest_judging(slip)
    assert scores.standings


def test_a_crossing_says_which_way_and_how_surely():
    wire = Wire(
        id="wire-1",
        letter="1",
        name="Line",
        line=((0.1, 0.5), (0.9, 0.5)),
        side_a="Slip",
        side_b="Yard",
        watches="both",
    )
    crossed = Alarm(18, 20, 20, "crossing", 0, 1_800_000, 2_000_000, 2_000_000, direction="b_to_a", sure=0.874)
    span = Span(1.8, 2.0, 2.0, "wire-1", crosses=True)
    assert said_of(Judged(None, crossed, span, "nuisance", item=wire)) == "○  0:02.0  Yard to Slip, 87 % sure, nuisance"
    broken = Alarm(18, 20, 50, "level", 7, 1_800_000, 2_000_000, 5_000_000)
    assert said_of(Judged(None, broken, Span(1.8, 2.0, 5.0, "wire-1"), "real", item=wire)) == "●  0:02.0  3.0 s, real"


def test_causes_regroup_ever_later_and_at_once_when_all_are_known(window, monkeypatch):
    tree = window.judge.alarms

    def wait_ms(left):
        monkeypatch.setattr(tree, "_ask_causes", lambda: left)
        tree._on_causes([])
        waits = tree._tell.interval()
        tree._tell.stop()
        return waits

    assert [wait_ms(True) for _ in range(7)] == [400, 800, 1600, 3200, 6400, 12_800, 12_800]
    assert wait_ms(False) == 0
    tree._forget()  # another recording
    assert wait_ms(True) == 400
