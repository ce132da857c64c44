"""Where to lay it, in the Draw stage: the curve of a wire's place, by press, by drag and undone."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint

from north_hush.core.judge.incidents import Incident, Truth
from north_hush.core.scene.items import Wire
from north_hush.core.site import drawing, edits, marking
from north_hush.core.site.saving import save_site
from north_hush.desk.app import wait_until
from tests.desk.conftest import LEFT, analysed
from tests.footage_maker import write_video

GATE = Wire(
    id="wire-1", name="Gate", letter="1", line=((0.62, 0.1), (0.62, 0.9)), watches="both", side_a="Sea", side_b="Land"
)
"""Just beyond where the middle of one of the two turns back; towards Land both are found."""


@pytest.fixture
def path(tmp_path):
    """Somebody walks through to the right, then another one comes as far as column 196 of 320 and turns back."""
    ground = (80 + 20 * ((np.arange(320) // 8)[None, :] % 2) + np.zeros((180, 1))).astype(np.uint8)
    ways = [ground] * 10
    for left in [*range(20, 280, 5), *([None] * 20), *range(20, 180, 4), *range(176, 20, -4), *([None] * 5)]:
        picture = ground.copy()
        if left is not None:
            picture[70:130, left : left + 20] = 215
        ways.append(picture)
    write_video(tmp_path / "gate.mkv", ways)
    site = edits.add_recording(edits.new_site("Skerry Quay", "Slipway"), "view-1", "gate.mkv")
    site = drawing.add_item(site, "view-1", GATE)
    recording = site.views[0].recordings[0].id
    through = Incident(name="through", start_s=0.0, end_s=6.5, items=("wire-1",))
    turns = Incident(name="turns back", start_s=8.5, end_s=16.0, items=("wire-1",))
    site = marking.put_truth(site, "view-1", recording, Truth(incidents=(through, turns), complete=True))
    save_site(site, tmp_path / "gate.hush.json")
    return tmp_path / "gate.hush.json"


@pytest.fixture
def window(open_window, path):
    window = open_window(path)
    window.show_stage("draw")
    assert wait_until(lambda: analysed(window), 60)
    window.session.select("wire-1")
    assert wait_until(lambda: window.draw.places.places and window.draw.places.settled, 90)
    return window


def line_of(window):
    return np.array(window.session.view.wires[0].line)


def test_a_better_place_is_said_taken_by_a_press_and_undone(qtbot, window):
    places = window.draw.places
    assert "Here it meets 1 of 2, none false." in places.saying.text()
    assert "towards Land it would meet 2 of 2, none false." in places.saying.text()
    before = line_of(window)
    qtbot.mouseClick(places.lay, LEFT)
    assert (line_of(window)[:, 0] < before[:, 0]).all()
    assert wait_until(lambda: places.settled and "Here it meets 2 of 2" in places.saying.text(), 90)
    assert "Nothing beside it is better." in places.saying.text()
    assert places.lay.isHidden()
    window.session.undo()
    assert np.array_equal(line_of(window), before)


def test_a_drag_snaps_to_the_better_place_and_elsewhere_follows_the_mouse(qtbot, window):
    canvas, places = window.picture.canvas, window.draw.places
    best, before = places.best, line_of(window)
    at = canvas.to_widget((0.62, 0.3)).toPoint()
    to = round(best.shift_frac * canvas.picture_rect().width())  # side A, Sea, lies to the right
    qtbot.mousePress(canvas, LEFT, pos=at)
    qtbot.mouseMove(canvas, at + QPoint(to + 4, 2))
    assert line_of(window) == pytest.approx(np.array(best.item.line), abs=1e-4)
    qtbot.mouseMove(canvas, at + QPoint(to + 40, 0))
    assert line_of(window)[0, 0] > before[0, 0]
    qtbot.mouseRelease(canvas, LEFT, pos=at + QPoint(to + 40, 0))


def test_the_curve_is_painted_across_the_line_and_goes_with_the_selection(window):
    canvas = window.picture.canvas

    def pixels():
        return canvas.grab().toImage().copy(canvas.picture_rect().toRect())

    with_curve = pixels()
    window.draw.places.setVisible(False)
    canvas.update()
    assert pixels() != with_curve
    window.session.select("")
    assert window.draw.places.isHidden()


def test_without_incidents_it_says_what_is_missing(window):
    recording = window.session.view.recordings[0]
    window.session.do("Take away", lambda site: marking.put_truth(site, "view-1", recording.id, Truth()))
    assert wait_until(lambda: "Mark incidents in Judge" in window.draw.places.saying.text(), 30)
