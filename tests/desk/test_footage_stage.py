"""When a recording was taken: typed once, read from every name; and the burnt-in clock beside what is counted."""

from datetime import UTC, datetime

import numpy as np
import pytest
from PySide6.QtCore import Qt

from north_hush.core.site import edits
from north_hush.core.site.saving import save_site
from north_hush.desk.app import wait_until
from tests.footage_maker import moving_square, write_video

NAMES = ("slip_14-06-26_150207.mkv", "slip_15-06-26_150211.mkv", "slip_16-06-26_060000.mkv")


@pytest.fixture
def named(tmp_path, open_window):
    site = edits.new_site("Skerry Quay", "Slipway")
    for place, name in enumerate(NAMES):
        write_video(tmp_path / name, moving_square(20 + place))
        site = edits.add_recording(site, "view-1", name)
    save_site(edits.set_time_zone(site, "Atlantic/Faroe"), tmp_path / "a.hush.json")
    window = open_window(tmp_path / "a.hush.json")
    window.show_stage("footage")
    return window


def typed(qtbot, window, text):
    box = window.footage.taken.box
    box.lineEdit().selectAll()
    qtbot.keyClicks(box.lineEdit(), text)
    qtbot.keyClick(box.lineEdit(), Qt.Key.Key_Return)


def test_one_name_that_is_shown_dates_the_others(qtbot, named):
    typed(qtbot, named, "2026-06-14 15:02:07")
    taken = named.footage.taken
    assert taken.names.isVisible() and "2 other names say" in taken.names.text()
    taken.by_names.setFocus()
    qtbot.keyClick(taken.by_names, Qt.Key.Key_Space)
    moments = [held.taken_at for held in named.session.view.recordings]
    assert moments[1:] == [datetime(2026, 6, 15, 14, 2, 11, tzinfo=UTC), datetime(2026, 6, 16, 5, 0, tzinfo=UTC)]
    assert not taken.names.isVisible() and not taken.by_names.isVisible()
    named.session.undo()
    assert named.session.view.recordings[1].taken_at is None and named.session.view.name_pattern == ""


def test_one_that_comes_later_is_dated_by_its_name_too(qtbot, named, tmp_path):
    typed(qtbot, named, "2026-06-14 15:02:07")
    named.footage.taken.by_names.click()
    site = edits.add_recording(named.session.site, "view-1", "slip_17-06-26_070000.mkv")
    assert site.views[0].recordings[-1].taken_at == datetime(2026, 6, 17, 6, 0, tzinfo=UTC)


def test_a_name_that_says_another_time_offers_nothing(qtbot, named):
    typed(qtbot, named, "2026-06-14 15:02:08")
    assert named.session.view.recordings[0].taken_at is not None
    assert not named.footage.taken.by_names.isVisible() and not named.footage.taken.names.isVisible()


def test_the_burnt_in_clock_stands_enlarged_beside_what_is_counted(tmp_path, open_window):
    def picture(number):
        held = np.full((96, 160), 70, np.uint8)
        held[4:12, 100:108] = 235 if number // 10 % 2 else 20
        return held

    write_video(tmp_path / "clock.mkv", [picture(number) for number in range(150)])
    site = edits.add_recording(edits.new_site("Skerry Quay", "Slipway"), "view-1", "clock.mkv")
    site = edits.change_recording(site, "view-1", "recording-1", taken_at=datetime(2026, 6, 14, 15, 2, 7, tzinfo=UTC))
    save_site(site, tmp_path / "a.hush.json")
    window = open_window(tmp_path / "a.hush.json")
    window.show_stage("footage")
    box = window.footage.burnt_in
    assert wait_until(lambda: all(not held.pixmap().isNull() for held in box.pictures), 20)
    assert box.words[0].text() == "first frame: 2026-06-14 15:02:07 by this site"
    assert box.words[1].text() == "last frame: 2026-06-14 15:02:21 by this site"
    first, last = (held.pixmap().toImage() for held in box.pictures)
    grey = [[held.pixelColor(x, held.height() // 2).lightness() for x in range(held.width())] for held in (first, last)]
    assert all(
        min(row) < 40 and max(row) < 90 for row in grey
    )  # the digit is dark in both, and nothing else differs from the ground


def test_where_no_clock_is_burnt_in_nothing_is_said(named):
    assert wait_until(lambda: named.footage.burnt_in._work.idle, 20)
    assert not named.footage.burnt_in.isVisible()
