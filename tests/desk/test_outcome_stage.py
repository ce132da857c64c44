"""The Outcome stage in the real window."""

import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import QDialog, QLabel

from north_hush.core.advise.outcome_advice import OutcomeAdvice
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.outcome import passwords
from north_hush.core.outcome.rules import Way
from north_hush.core.site import edits, outcomes
from north_hush.desk.app import wait_until
from north_hush.desk.outcome import panel as panel_module
from north_hush.desk.outcome.lanes import OutcomeLanes
from north_hush.desk.outcome.notice import NoticeDialog
from north_hush.desk.outcome.ways import WayDialog
from tests.desk.conftest import LEFT, send_mouse, settle


@pytest.fixture
def outcome(judge_window):
    """The panel, with a clip that is shorter than the recording."""
    window = judge_window
    view = window.session.view_id
    window.session.do("Keep", lambda site: outcomes.set_keep(site, view, before_s=0.5, after_s=0.5, join_s=0))
    window.show_stage("outcome")
    panel = window.outcome
    panel.window_ = window
    rest(panel)
    return panel


def rest(panel):
    window, replays = panel.window_, panel._replays
    settle(window)
    assert wait_until(lambda: window.scores.settled and replays.settled and replays.costs is not None, 60)
    assert wait_until(lambda: replays.settled, 60)


def lanes_of(panel):
    return panel.window_.findChild(OutcomeLanes)


def stated(panel):
    return panel._session.view.outcome


def mail_way(**more):
    return Way(
        **{
            "name": "office",
            "kind": "mail",
            "address": "127.0.0.1:9",
            "to": "a@skerry.example",
            "secure": "none",
            **more,
        }
    )


def add_way(panel, way):
    view = panel._session.view_id
    panel._session.do("Way", lambda site: outcomes.tell_by(outcomes.put_way(site, way), view, way.name))
    rest(panel)


def test_the_lanes_replay_what_alarms_lead_to(outcome):
    lanes, led = lanes_of(outcome), next(iter(outcome._replays.costs.led.values()))
    assert lanes.isVisible()
    clip = led.clips[0]
    alarm = outcome.window_.deck.lanes[0].alarms[0]
    assert clip.start_us == alarm.start_us - 500_000
    middle = lanes._box(0, clip.start_us, clip.end_us).center()
    assert "alarm" in lanes.said_at(middle)
    assert lanes.captions()[0] == f"Clips  {len(led.clips)}"
    send_mouse(lanes, panel_press(), QPointF(lanes._x_of(3_000_000), 5), LEFT)
    assert outcome.window_.deck.index.time_us[outcome.window_.deck.frame] == pytest.approx(3_000_000, abs=100_000)
    outcome.window_.show_stage("tune")
    assert not lanes.isVisible()


def panel_press():
    from PySide6.QtCore import QEvent

    return QEvent.Type.MouseButtonPress


def test_the_lanes_follow_the_zoom_of_the_trace(outcome):
    lanes, trace = lanes_of(outcome), outcome.window_.trace
    trace.lanes[0].box.setXRange(1.0, 3.0, padding=0)
    assert wait_until(lambda: lanes._span_s == pytest.approx((1.0, 3.0)), 5)


def test_a_turned_dial_changes_rules_costs_and_is_one_step(outcome, qtbot):
    before = outcome.cost.text()
    dial = outcome.dials["before_s"]
    dial.number.setValue(0)
    rest(outcome)
    assert stated(outcome).keep.before_s == 0
    assert outcome.cost.text() != before
    dial.track.setFocus()
    qtbot.keyClick(dial.track, Qt.Key.Key_Left)  # louder: more is kept
    rest(outcome)
    assert stated(outcome).keep.before_s == 0.5
    outcome._session.undo()
    outcome._session.undo()
    assert stated(outcome).keep.before_s == 0.5 and dial.track.at == 0.5


def test_every_dial_that_means_something_has_a_curve_in_words(outcome):
    curves = outcome._replays.curves
    assert curves["every_s"] is None  # nobody is told
    assert not outcome.dials["every_s"].isEnabled()
    add_way(outcome, mail_way())
    assert outcome.dials["every_s"].isEnabled()
    words = {
        "before_s": "clips a day", "after_s": "GB", "drop_under_frames": "dropped here", "every_s": "messages a day",
        "join_s": "clips", "longest_s": "clips", "snapshot_every_s": "snapshots a day",
    }  # fmt: skip
    for field, word in words.items():
        assert word in outcome._replays.curves[field].words[0], field
        assert word in outcome.dials[field].track.toolTip(), field
    cost = outcome._replays.curves["after_s"].cost
    assert list(cost) == sorted(cost, reverse=True)  # right is quieter
    assert any(lost for lost in outcome._replays.curves["every_s"].lost) is False  # six seconds cannot be long untold


def test_dropping_brief_ones_makes_the_clip_hollow_and_says_why(outcome):
    outcome.dials["drop_under_frames"].number.setValue(100)
    rest(outcome)
    lanes, led = lanes_of(outcome), next(iter(outcome._replays.costs.led.values()))
    assert {clip.why for clip in led.clips} == {"brief"}
    assert "held back" in lanes.captions()[0]
    box = lanes._box(0, led.clips[0].start_us, led.clips[0].end_us)
    assert "too few frames" in lanes.said_at(box.center())
    picture = lanes.grab().toImage()
    inside = picture.pixelColor(box.center().toPoint())
    assert inside == picture.pixelColor(2, 2)  # hollow: the ground shows
    assert "Dropped here" in outcome.cost.text()


def test_nothing_kept_and_always_kept(outcome):
    for how, word in (("never", "0 clips"), ("always", "GB")):
        outcome.how.setCurrentIndex(outcome.how.findData(how))
        outcome.how.activated.emit(outcome.how.currentIndex())
        rest(outcome)
        assert stated(outcome).keep.how == how
        assert word in outcome.cost.text()
    assert outcome.cut.isEnabled()


def test_out_of_recording_hours_no_clip_is_kept(outcome):
    window = outcome.window_
    from datetime import UTC, datetime

    recording = window.session.view.recordings[0].id
    taken = datetime(2026, 11, 23, 9, 10, tzinfo=UTC)
    window.session.do("At", lambda site: edits.change_recording(site, "view-1", recording, taken_at=taken))
    window.session.do("Hours", lambda site: edits.set_hours(site, "view-1", "", "recording", "Mo-Su 20:00-22:00"))
    rest(outcome)
    assert wait_until(lambda: "out of hours" in outcome.cost.text(), 20)
    led = next(iter(outcome._replays.costs.led.values()))
    assert {clip.why for clip in led.clips} == {"hours"}


def test_clips_are_cut_beside_the_window(outcome, tmp_path):
    outcome.make_clips(tmp_path / "out", 1)
    assert outcome.cut.text() == "Stop"
    assert wait_until(lambda: not outcome.cutting.running, 60)
    made = list((tmp_path / "out").rglob("*.mkv"))
    count = len(next(iter(outcome._replays.costs.led.values())).clips)
    assert len(made) == count and outcome.said.text() == f"{count} clips made."
    assert index_recording(Footage(made[0])).frames > 0


def test_cutting_can_be_stopped_and_failing_is_told(outcome, tmp_path):
    outcome.make_clips(tmp_path / "out", 1)
    outcome._cut()
    assert "Stopped" in outcome.said.text() and outcome.cut.text() == "Make these clips…"
    (tmp_path / "file").write_text("")
    outcome.make_clips(tmp_path / "file" / "out", 1)
    assert wait_until(lambda: not outcome.cutting.running, 60)
    assert str(tmp_path / "file") in outcome.said.text()
    assert outcome.said.property("role") == "error"


def test_a_way_is_stated_told_by_tested_and_taken_away(outcome, monkeypatch):
    from north_hush.demo.standins.postbox import Postbox

    with Postbox() as box:

        def fill(dialog):
            dialog.kind.setCurrentIndex(dialog.kind.findData("mail"))
            dialog._save()
            assert dialog.wrong.isVisible() or "name" in dialog.wrong.text()  # nothing typed yet
            dialog.fields["name"].setText("office")
            dialog.fields["address"].setText(box.smtp)
            dialog.fields["to"].setText("office@skerry.example")
            dialog.secure.setCurrentIndex(dialog.secure.findData("none"))
            dialog._save()
            return QDialog.DialogCode.Accepted

        monkeypatch.setattr(WayDialog, "exec", fill)
        outcome.way.setCurrentIndex(outcome.way.count() - 1)
        outcome.way.activated.emit(outcome.way.currentIndex())
        assert stated(outcome).tell[0].way == "office"
        assert outcome.way.currentText() == "office (mail)"
        rest(outcome)
        assert "messages" in outcome.cost.text()
        outcome.test.click()
        assert wait_until(lambda: not outcome.testing.running, 60)
        assert "250 taken as 1" in outcome.said.text()
        assert box.arrived[0].subject.startswith("Test: Slipway: Slip")
    outcome.test.click()
    assert wait_until(lambda: not outcome.testing.running, 60)
    assert "failed at" in outcome.said.text() and outcome.said.property("role") == "error"
    outcome._remove_way()
    assert stated(outcome).tell == () and outcome._session.site.ways == ()


def test_a_password_without_a_keyring_asks_for_a_file(outcome, monkeypatch, tmp_path):
    import keyring
    from keyring.backends import fail

    monkeypatch.setattr(passwords, "user_config_path", lambda name: tmp_path / "config")
    before = keyring.get_keyring()
    keyring.set_keyring(fail.Keyring())
    try:
        dialog = WayDialog("Skerry Quay", mail_way(user="office"), outcome)
        dialog.password.setText("lantern")
        dialog._save()
        assert dialog.way is None and not dialog.in_file.isHidden() and "no keyring" in dialog.wrong.text()
        dialog.in_file.setChecked(True)
        dialog._save()
        assert dialog.way is not None
        assert passwords.password_of("Skerry Quay", "office") == "lantern"
    finally:
        keyring.set_keyring(before)


def test_a_message_is_shown_as_it_will_look(outcome, monkeypatch):
    add_way(outcome, mail_way())
    shown = []
    monkeypatch.setattr(
        panel_module, "NoticeDialog", lambda row, parent: shown.append(NoticeDialog(row, parent)) or shown[0]
    )
    outcome.preview.click()
    assert wait_until(lambda: bool(shown), 60)
    texts = [label.text() for label in shown[0].findChildren(QLabel)]
    assert any(text.startswith("Slipway: Slip") for text in texts)
    pictures = [label.pixmap() for label in shown[0].findChildren(QLabel) if not label.pixmap().isNull()]
    assert len(pictures) == 2 and all(isinstance(held, QPixmap) and held.width() > 50 for held in pictures)
    shown[0].close()


def test_advice_is_offered_and_taken(outcome):
    outcome._replays.advice = [OutcomeAdvice("after_s", 0.0, "0 s after instead of 0.5 saves 9 % and splits no clip")]
    outcome._show_curves()
    outcome.offers.itemAt(0).widget().click()
    assert stated(outcome).keep.after_s == 0
    rest(outcome)
    assert outcome.offers.count() == len(outcome._replays.advice)


def test_more_holds_names_with_a_live_example(outcome, qtbot):
    outcome.open_more.click()
    pattern = outcome.more.pattern
    pattern.setFocus()
    pattern.selectAll()
    qtbot.keyClicks(pattern, "{view}/{place}")
    assert "nobody knows" in outcome.more.example.text()
    pattern.selectAll()
    qtbot.keyClicks(pattern, "{date}-{number}")
    assert outcome.more.example.text() == "2026-06-14-0001.mkv"
    qtbot.keyClick(pattern, Qt.Key.Key_Return)
    assert stated(outcome).naming.pattern == "{date}-{number}"
    outcome.more.container.setCurrentIndex(1)
    outcome.more.container.activated.emit(1)
    assert stated(outcome).naming.container == "mp4"
    assert not outcome.more.sound.isChecked()  # nobody's voice is kept unasked
    outcome.more.sound.click()
    assert stated(outcome).keep.sound
    outcome._session.undo()
    assert not outcome.more.sound.isChecked()
    outcome.more.disk_gb.setValue(5)
    assert outcome._session.site.disk.size_gb == 5


def test_nothing_analysed_says_so(window):
    window.session.do("Gone", lambda site: edits.remove_recording(site, "view-1", window.session.view.recordings[0].id))
    window.deck.put_on(None)
    window.show_stage("outcome")
    panel = window.outcome
    assert wait_until(lambda: "No recording is analysed yet" in panel.cost.text(), 20)


def test_other_rules_are_held_against_the_pin(outcome, qtbot):
    assert "Against the pin" not in outcome.cost.text()
    outcome.pin.setFocus()
    qtbot.keyClick(outcome.pin, Qt.Key.Key_Space)
    rest(outcome)
    assert "Against the pin: nothing." in outcome.cost.text()
    outcome._set("drop_under_frames", 900)
    rest(outcome)
    assert "keep no clip any more" in outcome.cost.text()
    view = outcome._session.view_id
    outcome._session.undo()
    outcome._session.do("Hours", lambda site: edits.set_hours(site, view, "", "recording", "off"))
    rest(outcome)
    assert "keep no clip any more" in outcome.cost.text()
    qtbot.keyClick(outcome.pin, Qt.Key.Key_Space)
    rest(outcome)
    assert "Against the pin" not in outcome.cost.text() and not outcome.pin.isChecked()


def test_other_views_are_chosen_to_record_along_and_what_it_costs_is_said(outcome):
    assert not outcome.more.along.isEnabled()  # there is no other view
    outcome._session.do("View", lambda site: edits.add_view(site, "Quay"))
    rest(outcome)
    outcome.open_more.setChecked(True)
    (action,) = outcome.more.along.menu().actions()
    action.trigger()
    rest(outcome)
    assert [held.view for held in stated(outcome).along] == [outcome._session.site.views[1].id]
    assert outcome.more.along.text() == "Quay" and "Quay records along" in outcome.cost.text()
    outcome._session.undo()
    rest(outcome)
    assert not stated(outcome).along and outcome.more.along.text() == "no other view"
