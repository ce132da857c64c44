"""The Tune stage driven through its window: curves, pin and ledger, because card, tunings side by side, stretch line."""

from datetime import UTC, datetime

import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtWidgets import QApplication, QFileDialog, QInputDialog, QMenu

from north_hush.core.follow.visits import REFUSALS
from north_hush.core.judge.incidents import Incident, Truth
from north_hush.core.site import drawing, edits
from north_hush.desk.app import wait_until
from tests.desk.conftest import lane_point, settle

SLIP = ((0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0))


@pytest.fixture
def slip(window):
    window.session.do("Draw", lambda site: drawing.add_zone(site, "view-1", SLIP, "Slip"))
    window.show_stage("tune")
    rest(window)
    return window


def rest(window):
    """Wait for the lanes and for all that follows from them."""
    settle(window)
    held = (window.tune.insight, window.comparison)
    assert wait_until(lambda: window.deck.settled and all(part.settled for part in held), 60)


def mark(window, *spans_s, complete=True):
    incidents = tuple(Incident(name=f"walk {i}", start_s=a, end_s=b) for i, (a, b) in enumerate(spans_s))
    recording = window.session.view.recordings[0].id
    truth = Truth(incidents=incidents, complete=complete)
    window.session.do("Mark", lambda site: edits.change_recording(site, "view-1", recording, truth=truth))
    rest(window)


def turn(window, **dials):
    window.session.do("Turn", lambda site: edits.set_dials(site, "view-1", "zone-1", **dials))
    rest(window)


def test_every_dial_in_sight_gets_its_curve_and_follows_the_settings(slip):
    tracks = {field: dial.track for field, dial in slip.tune.dials.items()}
    assert set(slip.tune.insight.curves) == {
        "change_limit_grey", "start_percent", "clear_percent", "confirm_frames", "release_frames",
    }  # fmt: skip
    curve = slip.tune.insight.curves["confirm_frames"]
    assert curve.unwanted[0] >= 1
    assert curve.unwanted[-1] == 0
    assert "unwanted alarm" in tracks["confirm_frames"].toolTip()
    mark(slip, (1.0, 5.0))
    curve = slip.tune.insight.curves["confirm_frames"]
    assert (curve.missed[0], curve.missed[-1]) == (0, 1)
    slip.tune.more.click()
    rest(slip)
    assert "travel_percent" in slip.tune.insight.curves
    assert "travel_heights" not in slip.tune.insight.curves


def test_pin_then_turn_and_the_ledger_says_what_became_of_each_alarm(slip):
    mark(slip, (1.0, 5.0))
    slip.tune.pin.click()
    rest(slip)
    alarms = len(slip.deck.lanes[0].alarms)
    assert slip.comparison.ledger.count("kept") == alarms >= 1
    turn(slip, confirm_frames=600)
    rows = slip.tune.alarms.alarms.rows
    assert {row.state for row in rows} == {"lost"}
    assert f"{alarms} lost" in slip.tune.score.text()
    assert {bar.state for bar in slip.trace.lanes[0].bars.bars} == {"lost"}
    assert slip.tune.summary.text().startswith("0 alarms")
    slip.session.undo()
    rest(slip)
    assert {row.state for row in slip.tune.alarms.alarms.rows} == {"kept"}
    slip.tune.pin.click()
    assert slip.comparison.ledger is None
    assert {row.state for row in slip.tune.alarms.alarms.rows} == {None}


def test_the_card_says_why_and_a_click_on_a_turn_silences(slip):
    slip.tune.alarms.go_next(1)
    rest(slip)
    card = slip.because
    assert card.isVisible()
    assert "travelled" in card.cause.text()
    assert "Passed 0.5 % for 2 frames" in card.facts.text()
    shown = [button for button in card.turns if button.isVisible()]
    assert shown
    alarm = slip.tune.insight.because.alarm
    shown[0].click()
    rest(slip)
    assert not any(
        held.start_frame <= alarm.end_frame and held.end_frame >= alarm.onset_frame
        for held in slip.deck.lanes[0].alarms
    )
    assert not card.isVisible()
    slip.session.undo()
    rest(slip)
    assert alarm in slip.deck.lanes[0].alarms


def test_the_card_goes_with_its_cross_and_with_the_recording(slip):
    slip.tune.alarms.go_next(1)
    rest(slip)
    slip.because.shut.click()
    assert not slip.because.isVisible()
    slip.deck.playhead.seek(0)
    slip.tune.alarms.go_next(1)
    rest(slip)
    slip.deck.put_on(slip.session.view.recordings[0])
    assert not slip.because.isVisible()


def test_tunings_are_made_renamed_shown_beside_and_removed(slip, monkeypatch):
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("night", True))
    slip.tune.tunings.ask_new()
    assert slip.session.view.tuning_in_use == "night"
    turn(slip, confirm_frames=600)
    mark(slip, (1.0, 5.0))
    slip.comparison.show_beside("factory")
    rest(slip)
    assert len(slip.trace.lanes) == 2
    assert slip.trace.lanes[0].bars.bars == []
    assert len(slip.trace.lanes[1].bars.bars) >= 1
    assert slip.tune.score.text().splitlines() == [
        "0 of 1 incidents met, 0 nuisance alarms", "factory: 1 of 1 incidents met, 0 nuisance alarms",
    ]  # fmt: skip
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("dusk", True))
    slip.tune.tunings.ask_name()
    assert [tuning.name for tuning in slip.session.view.tunings] == ["factory", "dusk"]
    slip.tune.tunings.remove()
    rest(slip)
    assert slip.session.view.tuning_in_use == "factory"
    assert len(slip.trace.lanes) == 1  # nothing is beside itself
    slip.tune.tunings.remove()
    assert "too_short" in slip.notice.text.text() or "at least 1" in slip.notice.text.text()
    slip.tune.tunings._fill()
    menu = slip.tune.tunings.menu_button.findChild(QMenu)
    assert not next(action for action in menu.actions() if action.text() == "Remove").isEnabled()


def test_a_tuning_with_hours_takes_over_in_them(slip, monkeypatch):
    began = datetime(2026, 11, 26, 17, 59, 57, tzinfo=UTC)
    slip.session.do(
        "Taken", lambda site: edits.change_recording(site, "view-1", site.views[0].recordings[0].id, taken_at=began)
    )
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("deaf", True))
    slip.tune.tunings.ask_new()
    turn(slip, confirm_frames=600)
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("half past", True))
    slip.tune.tunings.ask_hours()
    assert "half past" in slip.notice.text.text() and not slip.session.view.by_hours
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("17:00-18:00", True))
    slip.tune.tunings.ask_hours()
    rest(slip)
    assert slip.tune.tunings.hours.text() == "On in their hours: deaf: 17:00-18:00. Else factory."
    assert [round(alarm.start_s) for alarm in slip.deck.lanes[0].alarms] == [3]
    assert wait_until(lambda: slip.scores.total.alarms == 1, 20)
    slip.tune.tunings.switch()
    rest(slip)
    assert slip.deck.lanes[0].alarms == [] and slip.tune.tunings.hours.isHidden()
    slip.session.undo()
    rest(slip)
    assert len(slip.deck.lanes[0].alarms) == 1


def test_a_tuning_name_is_not_given_twice(slip, monkeypatch):
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("factory", True))
    slip.tune.tunings.ask_new()
    assert "factory" in slip.notice.text.text()
    assert len(slip.session.view.tunings) == 1


def test_the_stretch_line_counts_what_is_in_view_and_steps_to_a_value(slip):
    bar = slip.trace.bar
    assert wait_until(lambda: "over start" in bar.facts.text(), 60)
    slip.trace.lanes[0].box.setXRange(0, 0.6, padding=0)
    assert wait_until(lambda: "0 alarms" in bar.facts.text(), 60)
    slip.deck.playhead.seek(0)
    bar.step(1)
    lane, row = slip.deck.lanes[0], slip.deck.row
    assert (
        lane.percent(int(lane.areas[row])) >= 0.5 > lane.percent(int(lane.areas[row - 1]))
        or not slip.deck.evidence.frames["valid"][row - 1]
    )
    bar.value.setValue(100)
    bar.step(1)
    assert "passes 100 %" in bar.facts.text()
    bar.take.click()
    settle(slip)
    level = round(lane.percent(int(lane.areas[row])), 2)
    assert slip.session.view.tuning.of("zone-1").start_percent == level


def test_where_there_is_no_room_the_stretch_line_ends_in_dots_and_its_tip_holds_the_whole(slip):
    facts = slip.trace.bar.facts
    assert wait_until(lambda: "over start" in facts.text(), 60)
    assert facts.toolTip().splitlines() == [facts.text(), "Slip, in the stretch in view"]
    facts.resize(200, facts.height())
    whole = facts.grab().toImage()
    facts.say(facts.text() + " and more that nobody has room for")
    assert facts.grab().toImage() == whole
    facts.say("other")
    assert facts.grab().toImage() != whole


def test_the_mouse_over_a_lane_reads_time_frame_level_and_patch(slip):
    plot = slip.trace.lanes[0]
    at = plot.box.mapViewToScene(QPointF(2.0, 0.5))
    slip.trace._on_mouse(at)
    settle(slip)  # the values of its channel may have to be read first, which the mouse does not wait for
    slip.trace._on_mouse(at)
    text = slip.trace.bar.facts.text()
    assert text.startswith("0:02.0, frame 2")
    assert "Slip" in text
    assert "largest patch" in text
    assert lane_point(plot, 2.0, 0.5) is not None


def test_choices_are_settings_like_the_others(slip):
    choices = slip.tune.more_choices.choices
    slip.tune.more.click()
    for field, value in (("analysis_per_s", 5), ("usual_s", 60.0), ("things_in", "heights")):
        choices[field].setCurrentIndex(choices[field].findData(value))
        assert getattr(slip.session.view.tuning.of("zone-1"), field) == value
    assert slip.tune.dials["travel_heights"].isVisible()
    assert not slip.tune.dials["travel_percent"].isVisible()
    assert slip.session.history.names[-1] == "Sizes in of Slip"
    rest(slip)


def test_kinds_are_ticked_and_their_certainty_is_a_dial_over_its_curve(slip):
    kinds, dial = slip.tune.more_choices.choices["kinds"], slip.tune.dials["kind_sure_percent"]
    slip.tune.more.click()
    rest(slip)
    assert (kinds.text(), dial.isVisible()) == ("everything", False)
    kinds.ticks["vehicle"].click()
    kinds.ticks["person"].click()
    rest(slip)
    assert slip.session.view.tuning.of("zone-1").kinds == ("person", "vehicle")
    assert (kinds.text(), dial.isVisible()) == ("person, vehicle", True)
    curve = slip.tune.insight.curves["kind_sure_percent"]
    assert curve.alarms[0] >= 1 > curve.alarms[-1]  # nothing here is surely of a kind
    assert "Surely of a kind" in [slip.tune.dials[field].dial.label for field in slip.tune.insight.curves]
    kinds.ticks["boat"].click()
    kinds.ticks["animal"].click()
    assert (kinds.text(), kinds.accessibleName()) == ("4 kinds", "Reports: person, vehicle, boat, animal")
    for _ in range(4):
        slip.session.undo()
    assert kinds.text() == "everything"
    assert not kinds.ticks["person"].isChecked()


def test_what_is_on_a_line_that_must_not_be_broken_is_asked_for_its_kind_alone(slip):
    slip.tune.more.click()
    slip.session.do("Wire", lambda site: drawing.add_wire(site, "view-1", ((0.5, 0.1), (0.5, 0.9)), "Gate"))
    slip.session.select("wire-1")
    assert slip.session.view.item("wire-1").watches == "broken"
    assert not slip.tune.dials["size_min_percent"].isVisible()
    assert not slip.tune.more_choices.choices["things_in"].isVisible()
    assert slip.tune.more_choices.choices["kinds"].isVisible()
    assert slip.tune.dials["start_percent"].isVisible()


def test_rate_smoothing_and_light_guard_are_set_for_all_items_in_one_step(slip):
    slip.session.do("Wire", lambda site: drawing.add_wire(site, "view-1", ((0.5, 0.1), (0.5, 0.9)), "Gate"))
    turn(slip, guard_percent=4, smooth_frames=3, start_percent=7, kinds=("person",))
    slip.session.select("zone-1")
    slip.tune.more.click()
    slip.tune.share.click()
    rest(slip)
    gate = slip.session.view.tuning.of("wire-1")
    assert (gate.guard_percent, gate.smooth_frames, gate.kinds) == (4, 3, ("person",))
    assert gate.start_percent != 7
    slip.session.undo()
    assert slip.session.view.tuning.of("wire-1").guard_percent == 100


def test_incidents_stand_as_brackets_and_uncovered_ground_is_marked(slip):
    mark(slip, (1.0, 5.0))
    assert slip.trace.lanes[0].brackets.spans == [(1.0, 5.0)]
    slip.trace.show_uncovered("zone-1", ((0.0, 2.0),))
    assert ((0.0, 2.0, "uncovered")) in slip.trace.lanes[0].ground.stretches
    turn(slip, guard_percent=1.0)
    assert any(kind == "guard" for _, _, kind in slip.trace.lanes[0].ground.stretches)
    assert slip.tune.blind.text().startswith("Sees")


def test_the_print_of_a_wire_is_made_shown_and_saved(slip, monkeypatch, tmp_path):
    slip.session.do("Wire", lambda site: drawing.add_wire(site, "view-1", ((0.5, 0.0), (0.5, 1.0)), "Gate"))
    rest(slip)
    bar, prints = slip.trace.bar, slip.trace.prints
    slip.session.select("wire-1")
    bar.print.click()
    assert wait_until(lambda: prints.picture is not None and prints.settled, 60)
    assert prints.picture.shape[1] == 60
    item = slip.trace.print_row.plot.item
    assert [second for second, _ in item.marks] == [bar_.start_s for bar_ in slip.trace.lanes[1].bars.bars]
    plot = slip.trace.print_row.plot
    click_at(plot, 3.0)
    assert slip.deck.frame == 30
    target = tmp_path / "gate.png"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, **__: (str(target), ""))
    bar.save.click()
    assert wait_until(target.exists, 60)
    bar.print.click()
    assert slip.trace.print_row.plot is None


def click_at(plot, seconds):
    plot.box.time_picked.emit(seconds)


def test_a_sound_tells_once_when_something_begins_to_pass(slip, monkeypatch):
    beeps = []
    monkeypatch.setattr(QApplication, "beep", lambda *_: beeps.append(1))
    lane, playhead = slip.deck.lanes[0], slip.deck.playhead
    passing = next(i for i, area in enumerate(lane.areas) if lane.percent(int(area)) >= 0.5)
    playhead.seek(passing - 1)
    playhead.play()
    playhead.seek(passing)
    assert beeps == []  # off by default
    playhead.seek(passing - 1)
    slip.picture.transport.sound.click()
    playhead.seek(passing)
    playhead.seek(passing + 1)
    assert beeps == [1]
    playhead.pause()


def test_cells_that_do_not_count_say_why(slip):
    slip.session.do(
        "Mask", lambda site: drawing.add_mask(site, "view-1", ((0.0, 0.0), (0.3, 0.0), (0.3, 1.0), (0.0, 1.0)))
    )
    slip.session.do(
        "Weaken", lambda site: drawing.add_mask(site, "view-1", ((0.6, 0.0), (1.0, 0.0), (1.0, 1.0), (0.6, 1.0)))
    )
    slip.session.do("Weaken", lambda site: drawing.change_item(site, "view-1", "mask-2", strength_percent=50.0))
    rest(slip)
    slip.picture.show_view("cells")
    slip.deck.playhead.seek(10)
    rest(slip)
    assert "masked" in slip.picture.cells.text((0.1, 0.5))
    assert "weakened by a mask" in slip.picture.cells.text((0.8, 0.5))
    assert "limit" in slip.picture.cells.text((0.45, 0.05)) or "counts" in slip.picture.cells.text((0.45, 0.05))
    turn(slip, size_min_percent=90.0)
    assert any(REFUSALS[number] == "size_min_percent" for number in slip.tune.insight.refusals.limit.tolist())
    slip.picture.canvas.grab()  # paints the refused ones too


def test_keys_step_to_values_and_take_the_level(slip, qtbot):
    slip.deck.playhead.seek(0)
    qtbot.keyClick(slip, Qt.Key.Key_N)
    assert slip.deck.frame > 0
    qtbot.keyClick(slip, Qt.Key.Key_L, Qt.KeyboardModifier.ShiftModifier)
    settle(slip)
    assert slip.session.history.names[-1] == "Start level of Slip"
