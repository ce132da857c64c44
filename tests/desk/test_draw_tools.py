"""Every drawing tool in the real window, by mouse and keyboard."""

import pytest
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtWidgets import QApplication

from north_hush.core.scene.area import Brushed, Polygon, area_bounds, area_contains, filled_cells
from north_hush.core.scene.handles import item_bounds
from north_hush.core.site import drawing
from tests.desk.conftest import LEFT, drag, on_picture, send_mouse
from tests.desk.test_window import BAND, RIGHT, click, draw

SHIFT = Qt.KeyboardModifier.ShiftModifier


def pull(window, start, end, button=LEFT, modifiers=Qt.KeyboardModifier.NoModifier):
    """Press, drag and release on the picture, in fractions."""
    drag(
        window.picture.canvas, on_picture(window, *start), on_picture(window, *end), button=button, modifiers=modifiers
    )


LETTERS = range(Qt.Key.Key_A, Qt.Key.Key_Z + 1)


def press(qtbot, window, key, modifiers=Qt.KeyboardModifier.NoModifier):
    if key in LETTERS and window.stages.now.key != "draw":
        window.show_stage("draw")  # its keys are its own
    qtbot.keyClick(window.picture.canvas, key, modifiers)


def zone(window, place=0):
    return window.session.view.zones[place]


def test_a_rectangle_is_pulled_added_to_and_cut(qtbot, window):
    press(qtbot, window, Qt.Key.Key_Z)
    press(qtbot, window, Qt.Key.Key_R)
    pull(window, (0.2, 0.2), (0.6, 0.8))
    assert item_bounds(zone(window)) == pytest.approx((0.2, 0.2, 0.6, 0.8), abs=0.01)
    assert window.picture.board.mode == "arrange"
    press(qtbot, window, Qt.Key.Key_R)
    pull(window, (0.3, 0.4), (0.5, 0.6), RIGHT)  # the other button rubs out
    assert [part.cuts for part in zone(window).area] == [False, True]
    assert not area_contains(zone(window).area, 0.4, 0.5)
    window.session.undo()
    press(qtbot, window, Qt.Key.Key_Plus)
    assert window.draw.saying.text() == "Add to Zone A"
    pull(window, (0.6, 0.4), (0.9, 0.6))
    assert len(window.session.view.zones) == 1
    assert area_contains(zone(window).area, 0.8, 0.5)
    press(qtbot, window, Qt.Key.Key_Minus)
    pull(window, (0.1, 0.1), (0.3, 0.9))
    assert not area_contains(zone(window).area, 0.25, 0.5)
    press(qtbot, window, Qt.Key.Key_Escape)
    assert window.session.history.names == ["Draw zone", "Add to Zone A", "Cut out of Zone A"]


def test_shift_makes_squares_and_keeps_angles(qtbot, window):
    canvas = window.picture.canvas
    press(qtbot, window, Qt.Key.Key_R)
    pull(window, (0.2, 0.2), (0.7, 0.5), modifiers=SHIFT)
    left, top, right, bottom = item_bounds(zone(window))
    rect = canvas.picture_rect()
    assert (right - left) * rect.width() == pytest.approx((bottom - top) * rect.height(), abs=1)
    press(qtbot, window, Qt.Key.Key_W)
    click(qtbot, window, 0.2, 0.9)
    qtbot.mouseClick(canvas, LEFT, SHIFT, on_picture(window, 0.8, 0.93))
    press(qtbot, window, Qt.Key.Key_Return)
    line = window.session.view.wires[0].line
    assert line[1][1] == pytest.approx(line[0][1], abs=1e-4)


def test_the_brush_paints_rubs_out_and_is_one_step_a_stroke(qtbot, window):
    canvas = window.picture.canvas
    press(qtbot, window, Qt.Key.Key_B)
    pull(window, (0.2, 0.5), (0.8, 0.5))
    painted = zone(window).area[0]
    assert isinstance(painted, Brushed)
    assert window.session.history.names == ["Draw zone"]
    assert area_contains(zone(window).area, 0.5, 0.5)
    assert window.draw.saying.text() == "Add to Zone A"
    before = filled_cells(painted).sum()
    turn = QWheelEvent(
        QPointF(50, 50), QPointF(50, 50), QPoint(), QPoint(0, 360), Qt.MouseButton.NoButton, SHIFT,
        Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(canvas, turn)
    assert window.picture.board.pencil.brush_cells == 5
    pull(window, (0.5, 0.3), (0.5, 0.7), RIGHT)
    assert not area_contains(zone(window).area, 0.5, 0.5)
    assert filled_cells(zone(window).area[0]).sum() < before
    pull(window, (0.5, 0.8), (0.9, 0.8))
    assert area_contains(zone(window).area, 0.8, 0.8)
    assert len(window.session.view.zones) == 1
    window.session.undo()
    window.session.undo()
    assert filled_cells(zone(window).area[0]).sum() == before
    press(qtbot, window, Qt.Key.Key_M)  # the brush draws masks too, and a new item begins
    pull(window, (0.1, 0.1), (0.2, 0.1))
    assert isinstance(window.session.view.masks[0].area[0], Brushed)


def test_privacy_masks_and_masks_are_drawn_too_and_over_any_view(qtbot, window):
    for key, form, view in ((Qt.Key.Key_P, Qt.Key.Key_R, "difference"), (Qt.Key.Key_M, Qt.Key.Key_R, "restless")):
        window.show_stage("draw")
        window.picture.show_view(view)
        press(qtbot, window, key)
        press(qtbot, window, form)
        pull(window, (0.1, 0.1), (0.3, 0.3))
        assert window.deck.view_kind == view
    assert item_bounds(window.session.view.privacy[0]) == pytest.approx((0.1, 0.1, 0.3, 0.3), abs=0.01)
    assert item_bounds(window.session.view.masks[0]) == pytest.approx((0.1, 0.1, 0.3, 0.3), abs=0.01)
    press(qtbot, window, Qt.Key.Key_P)
    assert window.picture.board.pencil.form == "rectangle"  # the form stays until another is chosen
    press(qtbot, window, Qt.Key.Key_C)
    for point in ((0.5, 0.1), (0.9, 0.1), (0.9, 0.5)):
        click(qtbot, window, *point)
    press(qtbot, window, Qt.Key.Key_Return)
    assert len(window.session.view.privacy[1].outline) == 3
    press(qtbot, window, Qt.Key.Key_B)  # a privacy mask is never brushed
    assert window.picture.board.pencil.kind == "mask"


def test_rubbing_out_of_a_polygon_cuts_cells(qtbot, window):
    draw(qtbot, window, Qt.Key.Key_Z, *BAND)
    press(qtbot, window, Qt.Key.Key_B)
    press(qtbot, window, Qt.Key.Key_Plus)
    assert window.picture.board.pencil.form == "brush"
    pull(window, (0.5, 0.2), (0.5, 0.9), RIGHT)
    area = zone(window).area
    assert isinstance(area[0], Polygon)
    assert isinstance(area[1], Brushed)
    assert area[1].cuts
    assert not area_contains(area, 0.5, 0.5)


def test_a_wire_is_pulled_and_given_a_way(qtbot, window):
    press(qtbot, window, Qt.Key.Key_W)
    pull(window, (0.2, 0.6), (0.8, 0.6))
    wire = window.session.view.wires[0]
    assert len(wire.line) == 2
    properties = window.draw.properties
    assert properties.watches.isVisibleTo(window.draw)
    properties.sides["side_a"].setText("Water")
    properties.sides["side_a"].editingFinished.emit()
    properties.sides["side_b"].setText("Land")
    properties.sides["side_b"].editingFinished.emit()
    assert properties.watches.itemText(1) == "Water to Land"
    properties.watches.setCurrentIndex(1)
    properties.watches.activated.emit(1)
    wire = window.session.view.wires[0]
    assert (wire.watches, wire.side_a, wire.side_b) == ("a_to_b", "Water", "Land")
    properties.turn.click()
    assert window.session.view.wires[0].line == tuple(reversed(wire.line))
    properties.sides["side_a"].setText("  ")
    properties.sides["side_a"].editingFinished.emit()
    assert properties.sides["side_a"].text() == "Water"


def test_two_size_marks_and_the_ghost_between_them(qtbot, window):
    press(qtbot, window, Qt.Key.Key_S)
    pull(window, (0.3, 0.9), (0.3, 0.5))
    pull(window, (0.6, 0.5), (0.6, 0.3))
    marks = window.session.view.size_marks
    assert [mark.height_frac for mark in marks] == pytest.approx([0.4, 0.2], abs=0.01)
    assert window.picture.board.mode == "arrange"
    pane = window.picture
    assert pane._shows_ghost()
    qtbot.mouseMove(pane.canvas, on_picture(window, 0.5, 0.7))
    window.draw.properties.height_px.setValue(24.0)
    assert window.session.view.size_marks[1].height_frac == pytest.approx(24 / pane.canvas.picture_size[1], abs=1e-3)
    pull(
        window, (0.3, 0.9), (0.5, 0.8)
    )  # a press on the other mark does not move it by its foot: it is not selected yet
    assert window.session.item_id == marks[0].id


def test_arrow_keys_nudge_by_pixels_and_step_frames_otherwise(qtbot, window):
    draw(qtbot, window, Qt.Key.Key_Z, *BAND)
    window.picture.canvas.setFocus()
    left, top = item_bounds(zone(window))[:2]
    width, height = window.picture.canvas.picture_size
    frame = window.deck.frame
    press(qtbot, window, Qt.Key.Key_Right)
    press(qtbot, window, Qt.Key.Key_Down, SHIFT)
    moved = item_bounds(zone(window))
    assert moved[0] - left == pytest.approx(1 / width, abs=2e-5)
    assert moved[1] - top == pytest.approx(10 / height, abs=2e-5)
    assert window.deck.frame == frame
    assert window.session.history.names[-1] == "Nudge Zone A"
    window.session.undo()
    assert item_bounds(zone(window))[:2] == (left, top)  # nudges in a row are one step
    press(qtbot, window, Qt.Key.Key_Escape)
    qtbot.keyClick(window, Qt.Key.Key_Right)
    assert window.deck.frame == frame + 1


def test_several_are_selected_moved_and_deleted(qtbot, window):
    for x in (0.1, 0.5):
        press(qtbot, window, Qt.Key.Key_R)
        pull(window, (x, 0.2), (x + 0.2, 0.4))
    canvas = window.picture.canvas
    press(qtbot, window, Qt.Key.Key_V)
    click(qtbot, window, 0.2, 0.3)
    qtbot.mouseClick(canvas, LEFT, SHIFT, on_picture(window, 0.6, 0.3))
    assert set(window.session.selection) == {"zone-1", "zone-2"}
    assert len(window.draw.items.selectedItems()) == 2
    pull(window, (0.2, 0.3), (0.2, 0.6))
    assert [item_bounds(held)[1] for held in window.session.view.zones] == pytest.approx([0.5, 0.5], abs=0.02)
    window.draw.lock.click()
    press(qtbot, window, Qt.Key.Key_Delete)
    assert len(window.session.view.zones) == 2  # locked
    window.draw.lock.click()
    press(qtbot, window, Qt.Key.Key_Delete)
    assert window.session.view.zones == ()
    window.session.undo()
    assert len(window.session.view.zones) == 2


def test_hidden_items_are_out_of_the_mouses_way(qtbot, window):
    draw(qtbot, window, Qt.Key.Key_Z, *BAND)
    window.draw.hide_item.click()
    press(qtbot, window, Qt.Key.Key_V)
    click(qtbot, window, 0.95, 0.05)
    click(qtbot, window, 0.5, 0.5)
    assert window.session.item_id == ""
    assert window.draw.items.item(0).toolTip() == "Hidden"
    window.draw.items.setCurrentRow(0)
    window.draw.hide_item.click()
    assert not zone(window).hidden


def test_numbers_place_a_corner_exactly(qtbot, window):
    draw(qtbot, window, Qt.Key.Key_Z, *BAND)
    window.draw.numbers.click()
    table, (width, height) = window.draw.corners, window.picture.canvas.picture_size
    assert table.rowCount() == 4
    table.item(0, 1).setText("33")
    table.item(0, 2).setText("12,5")
    assert zone(window).area[0].points[0] == pytest.approx((33 / width, 12.5 / height), abs=1e-4)
    table.item(0, 1).setText("left")
    assert table.item(0, 1).text() == "33"
    table.item(0, 1).setText("nan")
    assert table.item(0, 1).text() == "33"


def test_whole_clear_and_invert(qtbot, window):
    draw(qtbot, window, Qt.Key.Key_Z, *BAND)
    before, properties = zone(window).area, window.draw.properties
    properties.invert.click()
    assert not area_contains(zone(window).area, 0.5, 0.5)
    assert area_contains(zone(window).area, 0.5, 0.05)
    properties.invert.click()
    assert zone(window).area == before
    properties.whole.click()
    assert area_bounds(zone(window).area) == (0, 0, 1, 1)
    properties.clear.click()
    assert zone(window).area == ()
    assert "watches nothing" in window.draw.items.item(0).toolTip()


def test_nothing_on_purpose_is_not_none_drawn_yet(qtbot, window):
    window.show_stage("draw")
    assert "No zone drawn yet" in window.picture.strip.note.text()
    window.draw.without.click()
    assert "on purpose" in window.picture.strip.note.text()
    assert "on purpose" in window.draw.empty.text()
    window.deck.evaluate()
    qtbot.waitUntil(lambda: window.deck.lanes == [], timeout=5000)
    window.draw.without.click()
    assert "No zone drawn yet" in window.picture.strip.note.text()
    qtbot.waitUntil(lambda: len(window.deck.lanes) == 1, timeout=5000)


def test_a_tap_of_the_space_bar_plays_and_a_hold_pans(qtbot, window):
    canvas = window.picture.canvas
    window.show_stage("draw")
    canvas.underMouse = lambda: True
    canvas.zoom_at(QPointF(200, 200), 3)
    press(qtbot, window, Qt.Key.Key_Space)
    assert window.deck.playhead.playing
    window.deck.playhead.pause()
    centre = canvas.to_picture(QPointF(200, 200))
    qtbot.keyPress(canvas, Qt.Key.Key_Space)
    send_mouse(canvas, QEvent.Type.MouseButtonPress, QPointF(200, 200))
    send_mouse(canvas, QEvent.Type.MouseMove, QPointF(240, 200), Qt.MouseButton.NoButton, LEFT)
    send_mouse(canvas, QEvent.Type.MouseButtonRelease, QPointF(240, 200))
    qtbot.keyRelease(canvas, Qt.Key.Key_Space)
    assert canvas.to_picture(QPointF(240, 200)) == pytest.approx(centre, abs=1e-6)
    assert not window.deck.playhead.playing
    assert window.session.view.items == ()


def test_esc_leaves_a_drag_without_harm(qtbot, window):
    draw(qtbot, window, Qt.Key.Key_Z, *BAND)
    before, canvas = zone(window), window.picture.canvas
    start = QPointF(on_picture(window, *before.area[0].points[2]))
    for grip in (start, QPointF(on_picture(window, 0.5, 0.6))):
        send_mouse(canvas, QEvent.Type.MouseButtonPress, grip)
        send_mouse(canvas, QEvent.Type.MouseMove, grip + QPointF(30, 10), Qt.MouseButton.NoButton, LEFT)
        assert zone(window) != before
        press(qtbot, window, Qt.Key.Key_Escape)
        send_mouse(canvas, QEvent.Type.MouseButtonRelease, grip)
        assert zone(window) == before
    press(qtbot, window, Qt.Key.Key_R)
    send_mouse(canvas, QEvent.Type.MouseButtonPress, start)
    send_mouse(canvas, QEvent.Type.MouseMove, start - QPointF(60, 60), Qt.MouseButton.NoButton, LEFT)
    press(qtbot, window, Qt.Key.Key_Escape)
    send_mouse(canvas, QEvent.Type.MouseButtonRelease, start - QPointF(60, 60))
    assert len(window.session.view.zones) == 1


def test_a_locked_item_is_not_reshaped(qtbot, window):
    draw(qtbot, window, Qt.Key.Key_Z, *BAND)
    window.session.do("Lock", lambda site: drawing.change_item(site, "view-1", "zone-1", locked=True))
    before = zone(window)
    press(qtbot, window, Qt.Key.Key_V)
    pull(window, before.area[0].points[0], (0.5, 0.5))
    qtbot.mouseDClick(window.picture.canvas, LEFT, pos=on_picture(window, 0.5, 0.4))
    click(qtbot, window, *before.area[0].points[1], RIGHT)
    window.draw.properties.invert.click()
    assert zone(window) == before
