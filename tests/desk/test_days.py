"""Many recordings in the window: a folder is dropped, comes on one time line, and the strip of days chooses."""

from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from PySide6.QtCore import QPoint, Qt

from north_hush.core.judge.score import Score
from north_hush.core.site.recording import Recording
from north_hush.core.site.timeline import timeline_of
from north_hush.desk.app import wait_until
from north_hush.desk.days import NONE, DayStrip
from north_hush.desk.look.roles import NIGHT_WATCH
from tests.footage_maker import moving_square, write_video

OSLO = ZoneInfo("Europe/Oslo")


def strip_of(qtbot, starts, zone=OSLO, hours=1.0):
    strip = DayStrip(NIGHT_WATCH)
    qtbot.addWidget(strip)
    rows = [
        Recording(id=f"r{number}", path=f"{number}.mkv", stated_at=start, length_s=hours * 3600)
        for number, start in enumerate(starts)
    ]
    strip.resize(700, 34)
    strip.show_line(timeline_of(rows), zone, {row.id: row.path for row in rows}, "r0")
    return strip


@pytest.mark.parametrize("first", [datetime(2026, 3, 28, 12, tzinfo=UTC), datetime(2026, 10, 24, 12, tzinfo=UTC)])
def test_every_moment_has_a_place_and_back_over_days_of_23_and_25_hours(qtbot, first):
    strip = strip_of(qtbot, [first + timedelta(days=number) for number in range(3)])
    for hours in range(0, 50, 5):
        moment = first + timedelta(hours=hours)
        assert abs((strip.moment_of(strip.x_of(moment)) - moment).total_seconds()) < 1
    assert strip.moment_of(1e6) is None and strip.moment_of(-5) is None


def test_a_click_chooses_the_recording_there_and_keys_go_on(qtbot):
    monday = datetime(2026, 11, 23, 6, tzinfo=UTC)
    strip = strip_of(qtbot, [monday + timedelta(days=number) for number in range(5)])
    chosen = []
    strip.chosen.connect(chosen.append)
    qtbot.mouseClick(
        strip, Qt.MouseButton.LeftButton, pos=QPoint(round(strip.x_of(monday + timedelta(days=2, minutes=30))), 20)
    )
    qtbot.keyClick(strip, Qt.Key.Key_Right)
    qtbot.keyClick(strip, Qt.Key.Key_End)
    qtbot.keyClick(strip, Qt.Key.Key_Left)  # there is none before the first
    assert chosen == ["r2", "r1", "r4", "r0"]
    assert strip.words() == "5 recordings on 5 days, 4 gaps, the longest 23.0 h."
    assert "no footage" in strip._tip(monday + timedelta(hours=8)) and "2.mkv" in strip._tip(monday + timedelta(days=2))
    strip.grab()


def test_day_and_night_and_scores_are_on_the_strip_by_form_and_in_words(qtbot):
    monday = datetime(2026, 11, 23, 6, tzinfo=UTC)
    strip = strip_of(qtbot, [monday + timedelta(days=number) for number in range(3)])
    names = {f"r{number}": f"{number}.mkv" for number in range(3)}
    strip.show_line(strip.timeline, OSLO, names, "", {"r0": "day", "r1": "night", "r2": "night"})
    tops = [_top(strip, monday + timedelta(days=number, minutes=30)) for number in range(3)]
    assert tops[1] < tops[0] and tops[1] == tops[2]  # a night is higher than a day
    strip.show_scores({"r2": Score(incidents=2, missed=("walks",), nuisances=4, footage_s=60.0)})
    assert _top(strip, monday + timedelta(days=2, minutes=30)) < tops[2]
    said = strip._tip(monday + timedelta(days=2, minutes=30))
    assert "night" in said and "1 of 2" in said


def _top(strip, moment):
    """The highest row at a moment in which something is drawn; the words of its day end before it."""
    image = strip.grab().toImage()
    x, ground = round(strip.x_of(moment)), image.pixelColor(image.width() - 1, 18)
    return next(y for y in range(2, image.height()) if image.pixelColor(x, y) != ground)


def test_a_month_of_two_thousand_files_fits(qtbot):
    monday = datetime(2026, 11, 1, tzinfo=UTC)
    strip = strip_of(qtbot, [monday + timedelta(minutes=21 * number) for number in range(2000)], hours=0.1)
    assert strip.sizeHint().width() <= 31 * 24 and strip.minimumSizeHint().width() <= 200
    assert strip.words().startswith("2000 recordings on 30 days")
    strip.grab()


@pytest.fixture
def folder(tmp_path):
    made = tmp_path / "week"
    made.mkdir()
    for number in range(8):
        write_video(made / f"slip 2026-11-2{number % 4} 0{number}.00.00.mkv", moving_square(6 + number))
    return made


def test_a_dropped_folder_becomes_one_time_line(window, folder):
    window.intake.add_recordings([folder])
    assert wait_until(lambda: len(window.session.view.recordings) >= 8, 20)
    recordings = [held for held in window.session.view.recordings if held.stated_at is not None]
    assert [held.stated_at for held in recordings] == sorted(held.stated_at for held in recordings)
    assert window.header.days.isVisible() and window.header._chips.count() == 0
    last = timeline_of(recordings).pieces[-1].recording
    window.header.days.chosen.emit(last)
    assert wait_until(lambda: window.deck.recording is not None and window.deck.recording.id == last, 10)
    assert window.header.days.on == last
    window.session.undo()
    assert len(window.session.view.recordings) < 8  # one act


def test_pictures_of_two_sizes_are_asked_about(window, folder):
    write_video(folder / "small 2026-11-20 09.00.00.mkv", [frame[:48, :80] for frame in moving_square(8)])
    before = len(window.session.view.recordings)
    window.intake.add_recordings([folder])
    assert wait_until(lambda: "2 streams or cameras" in window.notice.text.text(), 20)
    assert len(window.session.view.recordings) == before
    window.notice.answers[0].click()
    assert len(window.session.view.recordings) == before + 8


def test_what_cannot_be_read_is_told_and_left_out(window, folder):
    (folder / "broken.mp4").write_bytes(b"nothing")
    window.intake.add_recordings([folder])
    assert wait_until(lambda: "broken.mp4" in window.notice.text.text(), 20)
    assert "left out" in window.notice.text.text()


def test_playing_goes_on_into_the_recording_that_follows(window, tmp_path):
    folder = tmp_path / "touching"
    folder.mkdir()
    for number in range(8):
        write_video(folder / f"slip 2026-11-23 08.00.0{number}.mkv", moving_square(9 + number))
    window.intake.add_recordings([folder])
    assert wait_until(lambda: window.header.days.isVisible(), 20)
    line = timeline_of(window.session.view.recordings)
    first, second = line.pieces[0], line.pieces[1]
    assert line.after(first.recording) == second
    window.deck.put_on(next(one for one in window.session.view.recordings if one.id == first.recording))
    assert wait_until(lambda: window.deck.index is not None and window.deck.recording.id == first.recording, 10)
    window.deck.playhead.seek(5)
    window.deck.playhead.play()
    assert wait_until(lambda: window.deck.recording.id == second.recording, 10)
    assert wait_until(lambda: window.deck.playhead.playing or window.deck.playhead.frame > 0, 10)


def test_answers_are_marked_where_they_lie_and_follow_another_line(qtbot):
    begins = [datetime(2026, 11, 23, 6, tzinfo=UTC) + timedelta(days=number) for number in range(2)]
    strip = strip_of(qtbot, begins)
    before = strip.grab().toImage()
    strip.show_answers([("r1", 1800.0), ("elsewhere", 5.0)])
    assert strip._answers == [pytest.approx(1 + (7 + 0.5) / 24, abs=1e-6)]  # 06:30 in UTC is 07:30 in Oslo
    assert strip.grab().toImage() != before
    strip.show_line(NONE, OSLO, {}, "")
    assert strip._answers == []
