"""The Judge stage driven through its window."""

import pytest
from PySide6.QtCore import QEvent, Qt
from PySide6.QtWidgets import QInputDialog

from north_hush.core.site import edits
from north_hush.core.site.marking import set_complete
from north_hush.desk.app import wait_until
from north_hush.desk.judge.incidents import IncidentDialog
from north_hush.desk.judge.standing import HOURS_COLUMN
from tests.desk.conftest import lane_point, rest_judging, send_mouse, truth_of

SHIFT = Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def slip(judge_window):
    return judge_window


def choose(window, place=0):
    """Select one alarm in the list."""
    tree = window.judge.alarms
    order = [member for group in tree.groups for member in group.members]
    tree.setCurrentIndex(tree.judged.index_of(order[place]))
    return tree.rows[order[place]]


def test_a_key_judges_plays_the_next_one_and_can_be_undone(slip, qtbot):
    tree = slip.judge.alarms
    assert {row.worth for row in tree.rows} == {"not judged"}
    row = choose(slip)
    assert slip.deck.playhead.playing  # it loops by itself
    first, last = slip.deck.playhead.loop
    assert first <= slip.deck.frame_of(row.alarm.start_frame) <= last
    told, painted = [], []
    tree.judged.dataChanged.connect(lambda *at: told.append(at))
    tree.judged.repainted.connect(lambda: painted.append(True))
    qtbot.keyClick(slip, Qt.Key.Key_X)
    rest_judging(slip)
    assert painted
    assert told == []  # a tree would look for the row in all it shows, a tenth of a second among thousands
    assert truth_of(slip).verdicts[0].kind == "nuisance"
    assert truth_of(slip).verdicts[0].cause == row.cause
    assert "1 nuisance" in slip.judge.score.head.text()
    slip.session.undo()
    rest_judging(slip)
    assert truth_of(slip).verdicts == ()
    choose(slip)
    qtbot.keyClick(slip, Qt.Key.Key_Y)
    rest_judging(slip)
    assert len(truth_of(slip).incidents) == 1
    assert "1 of 1 incidents met" in slip.judge.score.head.text()
    qtbot.keyClick(slip, Qt.Key.Key_Space)
    assert slip.deck.playhead.loop is None or slip.deck.playhead.playing


def test_an_alarm_plays_over_and_over_until_another_place_is_asked_for(slip):
    choose(slip)
    playhead = slip.deck.playhead
    playhead.play_loop(10, 14)
    playhead.set_speed(8.0)
    seen = set()
    assert wait_until(
        lambda: seen.add(slip.deck.frame) or (len(seen) > 1 and slip.deck.frame == 10 and max(seen) > 10), 10
    )
    assert max(seen) <= 14
    playhead.seek(40)
    assert playhead.loop is None
    assert wait_until(lambda: slip.deck.frame > 44, 60)


def test_keys_judge_nothing_in_other_stages(slip, qtbot):
    choose(slip)
    slip.show_stage("tune")
    qtbot.keyClick(slip, Qt.Key.Key_X)
    assert truth_of(slip).verdicts == ()


def test_a_group_is_judged_in_one_act(slip):
    tree = slip.judge.alarms
    members = len(tree.groups[0].members)
    tree.setCurrentIndex(tree.judged.index(0, 0))
    slip.judge.judge("unsure")
    rest_judging(slip)
    assert len(truth_of(slip).verdicts) == members
    assert slip.session.history.names[-1].startswith("Judge")
    assert "unsure" in slip.judge.score.head.text()


def test_incidents_are_marked_with_in_and_out_and_by_dragging(slip, qtbot, monkeypatch):
    slip.deck.playhead.seek(10)
    qtbot.keyClick(slip, Qt.Key.Key_I)
    assert slip.judge.mark_in.text() == "In 0:01.0"
    slip.deck.playhead.seek(25)
    qtbot.keyClick(slip, Qt.Key.Key_O)
    rest_judging(slip)
    assert [(held.start_s, held.end_s) for held in truth_of(slip).incidents] == [(1.0, 2.5)]
    plot = slip.trace.lanes[0]
    assert lane_point(plot, 4.0, 0.5) is not None
    plot.box.span_dragged.emit(5.0, 4.0)
    rest_judging(slip)
    assert [(held.start_s, held.end_s) for held in truth_of(slip).incidents] == [(1.0, 2.5), (4.0, 5.0)]
    assert slip.trace.lanes[0].brackets.spans == [(1.0, 2.5), (4.0, 5.0)]
    panel = slip.judge
    assert panel.incidents.count() == 2

    def fill(dialog):
        dialog.name.setText("walks down")
        dialog.note.setText("carries a rope")
        return 1

    monkeypatch.setattr(IncidentDialog, "exec", fill)
    panel.incidents.ask_about(0)
    assert "walks down" in panel.incidents.item(0).text()
    assert panel.incidents.item(0).toolTip().startswith("carries a rope")
    panel.tabs.setCurrentIndex(1)
    panel.incidents.setCurrentRow(0)
    panel.incidents.setFocus()
    qtbot.keyClick(panel.incidents, Qt.Key.Key_Delete)
    rest_judging(slip)
    assert len(truth_of(slip).incidents) == 1


def test_what_travelled_unnoticed_is_offered_and_taken_with_one_key(slip):
    slip.session.do("Deaf", lambda site: edits.set_dials(site, "view-1", "zone-1", start_percent=100))
    rest_judging(slip)
    panel = slip.judge
    assert panel.quiet.count() >= 1
    panel.tabs.setCurrentWidget(panel.quiet)
    panel.quiet.setCurrentRow(0)
    panel._on_quiet(panel.quiet.item(0))
    assert slip.deck.playhead.playing
    panel.judge("real")
    rest_judging(slip)
    assert len(truth_of(slip).incidents) == 1
    assert panel.quiet.count() == 0
    assert "0 of 1 incidents met" in panel.score.head.text()


def test_all_marked_makes_the_rest_nuisances(slip):
    slip.judge.complete.click()
    rest_judging(slip)
    assert truth_of(slip).complete
    assert "not judged" not in slip.judge.score.head.text()
    assert slip.judge.score.table.item(0, 2).text() == str(len(slip.judge.alarms.rows))


def test_hours_a_day_are_asked_and_kept(slip, monkeypatch):
    monkeypatch.setattr(QInputDialog, "getDouble", lambda *_, **__: (10.0, True))
    box = slip.judge.score
    box._ask_hours(0, HOURS_COLUMN)
    rest_judging(slip)
    assert slip.session.view.recordings[0].hours_per_day == 10
    assert box.table.item(0, HOURS_COLUMN).text() == "10"
    assert "by the 10 h recordings stand for" in box.rates.text()


def test_quiet_settings_are_found_taken_and_undone(slip):
    panel = slip.judge
    choose(slip)
    panel.judge("real")
    slip.session.do("All", lambda site: set_complete(site, "view-1", "recording-1", True))
    rest_judging(slip)
    before = slip.session.view.tuning.settings
    panel.proposals.start.click()
    assert wait_until(lambda: panel.proposals.settled and bool(panel.proposals.proposals), 120)
    proposal = panel.proposals.proposals[0]
    assert proposal.score.met == 1
    panel.proposals.take(proposal)
    rest_judging(slip)
    assert slip.session.view.tuning.settings["zone-1"] == proposal.settings["zone-1"]
    assert "1 of 1 incidents met" in panel.score.head.text()
    assert slip.comparison.ledger is not None
    assert slip.comparison.ledger.count("lost") == 0
    slip.session.undo()
    assert slip.session.view.tuning.settings == before


def test_a_search_without_truth_says_what_is_missing(slip):
    panel = slip.judge.proposals
    panel.start.click()
    assert wait_until(lambda: "no incident" in panel.said.text(), 60)
    assert panel.start.isVisible()


def test_a_search_is_stopped_by_cancel(slip):
    choose(slip)
    slip.judge.judge("real")
    rest_judging(slip)
    panel = slip.judge.proposals
    panel.start.click()
    panel.cancel.click()
    assert wait_until(lambda: panel.settled, 60)
    assert panel.start.isVisible()


def test_advice_is_listed_by_what_it_saves_tried_out_taken_and_undone(slip):
    panel = slip.judge
    panel.complete.click()
    rest_judging(slip)
    before = len(slip.deck.lanes[0].alarms)
    panel.tabs.setCurrentWidget(panel.advice)
    tips = panel.advice.list
    assert wait_until(lambda: panel.advice.settled and tips.count() >= 1 and "silences" in tips.item(0).text(), 60)
    first = tips.item(0).data(Qt.ItemDataRole.UserRole)
    assert first.of == before
    tips.setCurrentRow(0)
    rest_judging(slip)
    # Tried out: the ledger tells, and nothing is changed.
    assert slip.comparison.ledger.count("silenced") >= first.silenced
    assert f"{slip.comparison.ledger.count('silenced')} silenced" in panel.advice.said.text()
    assert {bar.state for bar in slip.trace.lanes[0].bars.bars} <= {"silenced", "kept"}
    assert len(slip.deck.lanes[0].alarms) == before
    panel.tabs.setCurrentWidget(panel.alarms)
    rest_judging(slip)
    assert slip.comparison.ledger is None
    panel.tabs.setCurrentWidget(panel.advice)
    tips.setCurrentRow(0)
    panel.advice.take_it.click()
    rest_judging(slip)
    assert len(slip.deck.lanes[0].alarms) == before - first.silenced
    assert slip.comparison.ledger.count("silenced") >= first.silenced
    assert slip.session.history.names[-1].startswith("Advice")
    slip.session.undo()
    rest_judging(slip)
    assert len(slip.deck.lanes[0].alarms) == before


def test_the_response_map_shows_every_point_and_a_click_goes_there(slip, qtbot):
    slip.judge.complete.click()
    rest_judging(slip)
    slip.judge.proposals.map.click()
    window = slip.map
    assert wait_until(lambda: window.settled and window.field.found is not None, 60)
    found, field = window.field.found, window.field
    assert found.unwanted.max() >= 1
    assert field.now is not None
    slip.comparison.pin_present()
    quiet = (len(found.across_values) - 1, len(found.up_values) - 1)
    at = field._box(*quiet).center().toPoint()
    none = Qt.MouseButton.NoButton
    send_mouse(field, QEvent.Type.MouseMove, at, none, none)
    assert wait_until(lambda: "0 unwanted" in window.said.text(), 60)
    qtbot.mouseClick(field, Qt.MouseButton.LeftButton, pos=at)
    rest_judging(slip)
    settings = slip.session.view.tuning.of("zone-1")
    assert settings.change_limit_grey == found.across_values[-1]
    assert settings.start_percent == found.up_values[-1]
    assert window.field.now == quiet
    assert window.field.pinned != quiet
    for key in (Qt.Key.Key_Left, Qt.Key.Key_Left, Qt.Key.Key_Down, Qt.Key.Key_Return):
        qtbot.keyClick(field, key)
    rest_judging(slip)
    assert slip.session.view.tuning.of("zone-1").change_limit_grey == found.across_values[-3]
    assert slip.session.view.tuning.of("zone-1").start_percent == found.up_values[-2]
    window.across.setCurrentIndex(window.across.findData("confirm_frames"))
    assert wait_until(lambda: window.settled and field.found is not None and field.found.across == "confirm_frames", 60)
    assert any(field.grab().toImage().pixelColor(x, 200).lightness() > 40 for x in range(80, 400))  # points are painted


def test_how_much_was_looked_at_is_told(slip):
    for frame in range(0, 60, 2):
        slip.deck.playhead.seek(frame)
    share = float(slip.judge.watched.text().split()[2])
    assert share >= 50


def test_no_panel_is_wider_or_higher_than_its_room(slip):
    slip.show_stage("judge")
    slip.deck.playhead.seek_s(1.0)
    for frame, act in ((5, slip.judge.set_in), (40, slip.judge.set_walk)):
        slip.deck.playhead.seek(frame)
        act()
    rest_judging(slip)
    room, panel = slip.stages.stack.currentWidget(), slip.judge
    wait_until(lambda: False, 0.2)
    least = panel.layout().minimumHeightForWidth(room.viewport().width())
    assert panel.height() == max(room.viewport().height(), least)
    for stage in slip.stages.all:
        slip.show_stage(stage.key)
        wait_until(lambda: False, 0.2)
        bar = slip.stages.stack.currentWidget().verticalScrollBar()
        room = slip.stages.stack.width() - bar.sizeHint().width()
        assert stage.panel.minimumSizeHint().width() <= room, stage.key
