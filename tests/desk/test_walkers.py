"""Size marks from those who walked, by one press."""

import numpy as np

from north_hush.core.site import edits
from north_hush.core.site.drawing import add_size_mark
from north_hush.core.site.saving import save_site
from north_hush.desk.app import wait_until
from north_hush.desk.walkers import NAMES
from tests.desk.conftest import LEFT, analysed
from tests.footage_maker import write_video


def walkers(count):
    """Upright figures that cross the picture one after the other, the lower the taller: 4 pixels a cell."""
    ground = (80 + 20 * ((np.arange(240) // 8)[None, :] % 2) + np.zeros((160, 1))).astype(np.uint8)
    pictures = [ground] * 15
    for number in range(count):
        foot, tall = 60 + 24 * number, 20 + 8 * number
        wide = max(6, round(0.25 * tall))
        for step in range(72):
            picture = ground.copy()
            left = 3 * step
            picture[foot - tall : foot, left : left + wide] = 215
            pictures.append(picture)
        pictures += [ground] * 6
    return pictures


def press(qtbot, window):
    window.show_stage("draw")
    assert wait_until(lambda: analysed(window), 60)
    qtbot.mouseClick(window.draw.walkers, LEFT)
    assert wait_until(lambda: window.draw.walkers.settled, 60)
    return window.draw.help.text()


def site_of(tmp_path, pictures):
    write_video(tmp_path / "path.mkv", pictures)
    path = tmp_path / "path.hush.json"
    save_site(edits.add_recording(edits.new_site("Skerry Quay", "Slipway"), "view-1", "path.mkv"), path)
    return path


def test_one_press_makes_marks_of_those_who_walked_and_another_makes_them_anew(qtbot, open_window, tmp_path):
    window = open_window(site_of(tmp_path, walkers(5)))
    assert "who walked; half of their heights" in press(qtbot, window)
    far, near = window.session.view.size_marks
    assert (far.name, near.name) == NAMES
    assert far.foot[1] < near.foot[1]
    assert far.height_frac * 160 < near.height_frac * 160
    assert abs(near.height_frac * 160 - 52) < 10
    press(qtbot, window)
    assert len(window.session.view.size_marks) == 2
    window.session.undo()
    assert window.session.history.undo_name != "" or window.session.view.size_marks == ()


def test_too_few_are_said_and_nothing_is_marked(qtbot, open_window, tmp_path):
    window = open_window(site_of(tmp_path, walkers(2)))
    assert "Too few walked" in press(qtbot, window)
    assert window.session.view.size_marks == ()


def in_heights(qtbot, window):
    window.show_stage("tune")
    assert wait_until(lambda: analysed(window), 60)
    panel = window.tune
    panel.more.setChecked(True)
    choice = panel.more_choices.choices["things_in"]
    choice.setCurrentIndex(choice.findData("heights"))
    assert wait_until(lambda: panel.heights.walkers.settled, 60)
    return panel.heights


def test_limits_in_person_heights_take_those_who_walked_where_nobody_laid_a_mark_and_say_so(
    qtbot, open_window, tmp_path
):
    window = open_window(site_of(tmp_path, walkers(5)))
    note = in_heights(qtbot, window)
    assert tuple(mark.name for mark in window.session.view.size_marks) == NAMES
    assert note.isVisible()
    assert "who walked; half of their heights" in note.said.text()
    held = window.session.view.size_marks
    window.session.do("Own mark", lambda site: add_size_mark(site, "view-1", (0.5, 0.9), 0.3, "Gate"))
    assert not note.isVisible()  # somebody said it himself
    assert window.session.view.size_marks[:2] == held


def test_where_too_few_walked_limits_in_person_heights_say_that_they_let_everything_pass(qtbot, open_window, tmp_path):
    window = open_window(site_of(tmp_path, walkers(2)))
    note = in_heights(qtbot, window)
    assert window.session.view.size_marks == ()
    assert "Too few walked" in note.said.text()
    assert "let everything pass" in note.said.text()
    choice = window.tune.more_choices.choices["things_in"]
    choice.setCurrentIndex(choice.findData("percent"))
    assert not note.isVisible()
