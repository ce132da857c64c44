"""All recordings of a view are analysed one behind the other, and the header says how far."""

import os

import numpy as np
import pytest
from PySide6.QtGui import QImage

from north_hush.core.evaluate.recordings import indexed_evidence
from north_hush.core.footage.glance import Glance
from north_hush.core.site import edits
from north_hush.core.site.saving import save_site
from north_hush.desk.app import wait_until
from north_hush.desk.picture.shade import Shade
from tests.desk.conftest import settle
from tests.footage_maker import moving_square, write_video


@pytest.fixture
def three(tmp_path):
    """A site with three recordings, none analysed, the last one no video at all."""
    site = edits.new_site("Skerry Quay", "Slipway")
    for number in range(2):
        write_video(tmp_path / f"part{number}.mkv", moving_square(40 + number))
        site = edits.add_recording(site, "view-1", f"part{number}.mkv")
    (tmp_path / "broken.mkv").write_bytes(b"no video")
    site = edits.add_recording(site, "view-1", "broken.mkv")
    save_site(site, tmp_path / "three.hush.json")
    return tmp_path / "three.hush.json"


def test_the_others_follow_the_one_that_is_on_and_a_broken_one_is_named(open_window, three):
    window = open_window(three, ready=False)
    told = []
    window.analysis.progressed.connect(
        lambda name, share, left_s: told.append((name, window.header.passing.isHidden()))
    )
    assert wait_until(lambda: "broken.mkv" in window.notice.text.text(), 120)
    assert wait_until(lambda: window.analysis.settled, 60)
    path = window.session.path
    assert indexed_evidence(window.session.view, window.session.view.recordings[1], path)[1] is not None
    names = [name for name, _ in told]
    assert "part0, 1 of 3" in names
    assert "part1, 2 of 3" in names
    assert names.index("part0, 1 of 3") < names.index("part1, 2 of 3")
    assert window.header.passing.isHidden()
    assert wait_until(lambda: sum(held.score is not None for held in window.scores.standings) == 2, 60)


def test_stop_stops_until_another_recording_comes(open_window, three, monkeypatch):
    window = open_window(three, ready=False)
    window.header.passing.stop.click()
    settle(window)
    assert wait_until(lambda: window.analysis.settled, 60)
    assert indexed_evidence(window.session.view, window.session.view.recordings[1], window.session.path)[1] is None
    window.session.do(
        "Remove", lambda site: edits.remove_recording(site, "view-1", window.session.view.recordings[2].id)
    )
    window.deck.start_pass_again()
    assert wait_until(
        lambda: (
            indexed_evidence(window.session.view, window.session.view.recordings[1], window.session.path)[1] is not None
        ),
        120,
    )


def test_the_stage_and_a_new_recording_are_where_one_expects_them(open_window, three, tmp_path):
    window = open_window(three, ready=False)
    window.show_stage("draw")
    window.close()
    again = open_window(three, ready=False)
    assert again.stages.now.key == "draw"
    write_video(tmp_path / "more.mkv", moving_square(30))
    again.intake.add_recordings([tmp_path / "more.mkv"])
    assert again.stages.now.key == "footage"


def test_a_dark_picture_is_lightened_for_the_eye_alone(window):
    assert wait_until(lambda: window.picture.image is not None, 60)
    shown = window.picture.canvas._pixmap.toImage()
    lanes = window.deck.lanes
    window.picture.shade.sliders[0].setValue(40)
    lighter = window.picture.canvas._pixmap.toImage()
    assert lighter.pixelColor(5, 5).red() > shown.pixelColor(5, 5).red() + 50
    assert window.deck.lanes is lanes
    assert window.picture.shade.isChecked()
    window.picture.shade.load()
    assert window.picture.shade.shade.brightness_percent == 40
    window.picture.shade.neutral.click()
    assert window.picture.canvas._pixmap.toImage() == shown
    assert not window.picture.shade.isChecked()


def test_shades_are_what_their_formula_says():
    assert (Shade().table() == np.arange(256)).all()
    assert Shade(gamma_percent=200).table()[64] == round(255 * (64 / 255) ** 0.5)
    assert Shade(contrast_percent=300).table()[[0, 100, 255]].tolist() == [0, 45, 255]
    image = QImage(4, 4, QImage.Format.Format_RGB32)
    image.fill(0xFF202020)
    assert Shade(brightness_percent=10).of(image).pixelColor(1, 1).red() == 0x20 + 26
    assert os.environ["XDG_CONFIG_HOME"]


def test_a_first_look_stands_where_the_lanes_will_be_and_then_in_the_ribbon(open_window, three, qtbot):
    window = open_window(three, ready=False)
    trace = window.trace
    assert wait_until(lambda: window.deck.index is not None, 60)
    assert trace.first_look.plot.isHidden()
    times = np.arange(48, dtype=np.int64) * 80_000
    window.deck.passes.look(Glance(times, np.where(times == times[20], 30.0, 0.5).astype(np.float32)))
    assert not trace.first_look.plot.isHidden() and "48 pictures, one in 0:00.1" in trace.first_look.said.text()
    trace.first_look.plot.box.time_picked.emit(2.0)
    assert window.deck.playhead.frame == 20
    partial = window.deck.evidence
    assert wait_until(lambda: window.deck.evidence is not partial and bool(window.deck.lanes), 60)
    assert wait_until(lambda: window.analysis.settled, 120)
    assert window.deck.passes.glance is None and len(trace.ribbon.look._seconds) == 0  # all is analysed
    trace.refresh()
    window.deck.passes.glance = Glance(times, np.full(48, 5.0, np.float32))
    trace.refresh()
    assert len(trace.ribbon.look._seconds) == 48
