"""The Watch stage in the real window, with a stand-in camera and the service as a process."""

from datetime import UTC, datetime, timedelta

import pytest
from PySide6.QtCore import QPoint, Qt

from north_hush.core.outcome import passwords
from north_hush.core.outcome.rules import Keep, Outcome
from north_hush.core.site import drawing, edits, outcomes
from north_hush.core.site.cameras import camera_of
from north_hush.core.watch.store import watch_folder
from north_hush.demo.standins.camera import CameraStandIn
from north_hush.desk.app import wait_until
from north_hush.desk.tune.tunings import TuningRow
from north_hush.desk.watch.shades import ShadeRow
from north_hush.desk.watch.standing import CameraStanding, span_text
from tests.desk.conftest import settle

AT = datetime(2026, 11, 23, 9, 0, tzinfo=UTC)


def event(what, seconds=0, item="", **more):
    return {
        "time_utc": (AT + timedelta(seconds=seconds)).isoformat(),
        "what": what,
        "item": item,
        "view": "Slipway",
        **more,
    }


def stood(*events):
    held = CameraStanding("Slipway")
    for one in events:
        held = held.after(one, {"zone-1": "Slip", "wire-1": "Gate"})
    return held


def test_how_a_camera_stands_follows_what_happens():
    now = AT + timedelta(seconds=200)
    quiet = stood(event("picture"))
    assert quiet.headline(now) == "Quiet for 3 min 20 s"
    both = stood(
        event("picture"), event("alarm_start", 10, "zone-1"), event("alarm_start", 20, "wire-1"), event("clip_start", 5)
    )
    assert both.headline(now) == "Alarm: Slip, Gate, 3 min 10 s"
    assert both.details(armed=True) == "armed, recording"
    over = both
    for item, seconds in (("zone-1", 150), ("wire-1", 180)):
        over = over.after(event("alarm_end", seconds, item), {"zone-1": "Slip", "wire-1": "Gate"})
    assert over.headline(now) == "Quiet for 20 s"
    lost = both.after(event("fault", 100, fault="picture lost", said="stopped sending"), {})
    assert lost.headline(now) == "No picture for 1 min 40 s" and not lost.alarmed
    still = lost.after(event("fault", 130, fault="no picture", said="refused"), {})
    assert still.headline(now) == "No picture for 1 min 40 s"  # since it was lost, not since it was tried again
    assert "refused" in still.details(armed=False) and still.details(armed=False).startswith("not armed")
    late = stood(event("picture"), event("state", 1, lag_ms=5200, levels={}))
    assert late.details(armed=True) == "armed, 5 s late"
    assert still.after(event("picture", 190), {}).headline(now) == "Quiet for 10 s"


@pytest.mark.parametrize(
    ("seconds", "text"), [(5, "5 s"), (65, "1 min 5 s"), (8040, "2 h 14 min"), (200_000, "2 d 7 h"), (-5, "0 s")]
)
def test_spans_in_words(seconds, text):
    assert span_text(AT + timedelta(seconds=seconds), AT) == text


@pytest.fixture
def camera(recording):
    with CameraStandIn(recording) as held:
        yield held


@pytest.fixture
def watch(window):
    window.show_stage("watch")
    panel = window.watch
    panel.window_ = window
    return panel


def add(panel, name, address):
    panel.form.name.setText(name)
    panel.form.address.setText(address)
    panel.form.add.click()


def watching(panel, camera):
    """Add a camera with a zone, and watch it."""
    add(panel, "Live", camera.url)
    session = panel._session
    view = session.site.views[-1].id
    session.do("Zone", lambda site: drawing.add_zone(site, view, ((0, 0), (1, 0), (1, 1), (0, 1)), "All"))
    keep = Outcome(keep=Keep(before_s=0.5, after_s=0.5))
    session.do("Keep", lambda site: outcomes.set_outcome(site, view, keep))
    panel.start.click()
    return view


def listed(panel):
    return [panel.events.item(row).text() for row in range(panel.events.count())]


def test_no_camera_yet_says_the_next_step_and_hides_the_trace(watch):
    assert "Add one at the right" in watch.board.empty and not watch.start.isEnabled()
    assert not watch.window_.trace.isVisible()
    assert watch.room.isVisible()
    watch.window_.show_stage("tune")
    assert watch.window_.trace.isVisible()


def test_an_alarm_comes_to_the_front_and_its_clip_opens_in_judge(watch, camera):
    view = watching(watch, camera)
    assert wait_until(lambda: watch.cameras[view].alarmed, 40)
    assert watch.board.front() == view
    assert "in alarm" in watch.state.text()
    assert wait_until(lambda: view in watch.board._pictures, 10)
    assert wait_until(
        lambda: any("  clip" in text or ", clip" in text or " clip" in text for text in listed(watch)), 40
    )
    watch.start.click()
    assert not watch.service.running and "Nobody watches" in watch.state.text()
    row = next(
        row
        for row in range(watch.events.count())
        if watch.events.item(row).data(Qt.ItemDataRole.UserRole)["what"] == "clip"
    )
    watch.events.itemActivated.emit(watch.events.item(row))
    window = watch.window_
    assert window.stages.now.key == "judge" and window.session.view_id == view
    assert wait_until(lambda: window.deck.recording is not None and "watch" in window.deck.recording.path, 10)
    assert window.session.view.recordings[0].taken_at is not None
    window.show_stage("watch")
    watch.events.itemActivated.emit(watch.events.item(row))
    assert len(window.session.view.recordings) == 1  # the same clip is the same recording


def test_a_pressed_notice_brings_its_camera_to_the_front(watch):
    add(watch, "Gone", "http://127.0.0.1:9/stream")
    view = watch._session.site.views[-1]
    watch.window_.show_stage("tune")
    watch.window_.hide()
    watch.service.said.emit(event("opened", way="desk") | {"view": view.name})
    assert watch.window_.isVisible() and watch.window_.stages.now.key == "watch"
    assert watch.acts.which.currentData() == view.id and "opened from its notice" in listed(watch)[0]


def test_a_camera_that_is_not_there_is_said_so(watch):
    add(watch, "Gone", "http://127.0.0.1:9/stream")
    watch.start.click()
    view = watch._session.site.views[-1].id
    assert wait_until(lambda: bool(watch.cameras[view].fault), 30)
    assert "cannot be opened" in watch.cameras[view].details(armed=True)
    assert "1 without a picture" in watch.state.text()
    watch.start.click()


def test_wrong_addresses_are_told_and_nothing_is_added(watch):
    before = watch._session.site
    for name, address, says in (("", "rtsp://h/a", "is not NAME=ADDRESS"), ("Slip", "ftp://h/a", "of kind 'ftp'")):
        add(watch, name, address)
        assert says in watch.form.said.text() and watch.form.said.property("role") == "error"
    assert watch._session.site == before


def test_a_password_is_kept_away_from_the_site(watch, monkeypatch, tmp_path):
    monkeypatch.setattr(passwords, "user_config_path", lambda name: tmp_path / "config")
    watch.form.password.setText("lantern")
    add(watch, "Slip", "rtsp://operator@127.0.0.1:9/a")
    camera = watch._session.site.views[-1].camera
    assert camera.streams[0].user == "operator"
    watch._session.flush()
    assert "lantern" not in watch._session.path.read_text()
    assert passwords.password_of(watch._session.site.name, "Slip") == "lantern"


def test_many_cameras_have_a_pane_each_and_a_click_chooses(watch, qtbot):
    for number in range(6):
        add(watch, f"Camera {number}", "http://127.0.0.1:9/stream")
    board = watch.board
    places = board.places()
    assert len(places) == 6
    rects = list(places.values())
    assert all(not one.intersects(other) for place, one in enumerate(rects) for other in rects[place + 1 :])
    assert all(board.rect().contains(one) for one in rects)
    view, place = list(places.items())[3]
    qtbot.mouseClick(board, Qt.MouseButton.LeftButton, pos=QPoint(place.center()))
    assert watch._session.view_id == view
    watch.cameras[view] = watch.cameras[view].after(event("alarm_start", item="zone-1"), {})
    watch._show()
    front = board.places()[view]
    assert front.width() > 1.5 * max(one.width() for key, one in board.places().items() if key != view)


def test_what_is_said_by_hand_shows_with_the_time_left():
    until = (AT + timedelta(minutes=30)).isoformat()
    held = stood(event("picture"), event("disarm", 60, until_utc=until))
    assert held.details(armed=True, now=AT + timedelta(seconds=60)) == "not armed by hand for another 29 min 0 s"
    assert held.details(armed=True, now=AT + timedelta(hours=1)) == "armed"
    walked = stood(event("picture"), event("walk", 5, until_utc=until))
    assert walked.walking(AT + timedelta(minutes=1)) and "walk test" in walked.details(armed=True, now=AT)
    over = walked.after(event("hours", 90), {})
    assert not over.walking(AT + timedelta(seconds=91)) and over.walk_began is not None
    assert over.after(event("walk_over", 92), {}).walk_began is None


def test_levels_of_a_walk_offer_start_levels(watch, camera, qtbot):
    view = watching(watch, camera)
    assert wait_until(lambda: watch.cameras[view].picture, 40)
    watch.acts.choose(view)
    watch.acts.walk.click()
    assert wait_until(lambda: watch.cameras[view].walking(datetime.now(UTC)), 10)
    assert watch.board.front() == view
    assert wait_until(lambda: watch.cameras[view].alarmed, 30)
    peaks = watch.room.levels.peaks
    began = watch.cameras[view].walk_began
    assert wait_until(lambda: peaks(view, began).get("zone-1", 0) > 0, 10)
    watch.acts.walk.click()
    assert wait_until(lambda: not watch.cameras[view].walking(datetime.now(UTC)), 10)
    watch._walks_over()
    assert "Highest levels: All" in watch.walked.said.text() and not watch.walked.take.isHidden()
    highest = peaks(view, began)["zone-1"]
    watch.walked.take.click()
    taken = watch._session.site.view(view).tuning.of("zone-1").start_percent
    assert taken == pytest.approx(highest * 0.8, abs=0.01)
    watch.start.click()


def test_a_service_is_left_and_found_again_and_what_it_recorded_can_be_tuned(watch, camera):
    view = watching(watch, camera)
    assert wait_until(lambda: any(" clip" in text for text in listed(watch)), 60)
    watch.service.let_go()  # as when the window closes and it goes on
    assert not watch.service.running
    watch.refresh()
    assert watch.service.running and watch.start.text() == "Stop"  # it is found
    assert wait_until(lambda: bool(watch.room.levels._held), 10)
    watch.acts.choose(view)
    watch.last_day.click()
    window = watch.window_
    assert window.stages.now.key == "tune" and window.session.view_id == view
    recordings = window.session.view.recordings
    assert recordings and all(held.taken_at is not None for held in recordings)
    window.show_stage("watch")
    watch.last_day.click()
    held = len(window.session.view.recordings)
    window.session.undo()
    assert len(window.session.view.recordings) < held or held == len(recordings)
    window.show_stage("watch")
    watch.start.click()
    assert not watch.service.running


def test_a_reply_is_sent_and_listed_with_its_words(watch, camera, qtbot):
    watching(watch, camera)
    assert wait_until(lambda: watch.service._socket is not None, 30)
    watch.acts.reply.setText("on my way")
    qtbot.keyClick(watch.acts.reply, Qt.Key.Key_Return)
    assert wait_until(lambda: any("reply, on my way" in text for text in listed(watch)), 10)
    assert watch.acts.reply.text() == ""
    watch.start.click()


def test_what_hinders_the_service_is_said(watch, camera):
    folder = watch_folder(watch._session.path)
    (folder / "events.sqlite").mkdir(parents=True)
    watching(watch, camera)
    assert wait_until(lambda: "cannot be used" in watch.said.text(), 40)
    assert watch.start.text() == "Watch"


def test_a_service_that_was_only_just_started_is_stopped_too(watch, camera):
    watching(watch, camera)
    assert wait_until(lambda: watch.service._process is not None, 10)
    process = watch.service._process
    watch.start.click()
    assert wait_until(lambda: process.poll() is not None, 20)
    assert not watch.service.running


def test_a_tuning_runs_in_the_shade_and_is_compared(window):
    session = window.session
    session.do("Camera", lambda site: edits.set_camera(site, "view-1", camera_of("Slipway=http://127.0.0.1:9/x")[1]))
    session.do("Tuning", lambda site: edits.add_tuning(site, "view-1", "night", None))
    row = window.findChild(TuningRow)
    row._fill()
    next(
        action for action in row.menu.actions() if "in its shade" in action.text() and "factory" in action.text()
    ).trigger()
    assert session.view.shade == "factory"
    window.show_stage("watch")
    settle(window)
    shade = window.findChild(ShadeRow)
    assert shade.isVisible() and "factory" in shade.compare.text()
    assert session.flush() is None
    shade.compare.click()
    assert wait_until(lambda: not shade.asking.running, 30)
    assert "is not there" in shade.said.text()  # nothing was watched yet
    shade._on_told(True, '{"views": []}', "")
    assert "from the next frame on" in shade.said.text()
    items = '[{"item": "zone-9", "told": 3, "shade": 1, "both": 1}]'
    shade._on_told(True, f'{{"views": [{{"hours": 2.5, "items": {items}}}]}}', "")
    assert shade.said.text() == "In 2.5 h:\nzone-9: 3 told, 1 in the shade, 1 of both"
    session.do("Shade", lambda site: edits.run_in_shade(site, "view-1", None))
    settle(window)
    assert not shade.isVisible()
