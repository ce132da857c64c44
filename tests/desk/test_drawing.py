"""Drawing in the real window: taking back, corners, wires, names, zoom."""

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QPointF, Qt

from tests.desk.conftest import drag, on_picture, send_mouse, settle
from tests.desk.test_window import BAND, LEFT, RIGHT, click, draw


def test_drawing_can_be_taken_back_and_left(qtbot, window):
    canvas = window.picture.canvas
    window.show_stage("draw")
    qtbot.keyClick(window, Qt.Key.Key_Z)
    click(qtbot, window, 0.2, 0.2)
    click(qtbot, window, 0.6, 0.2)
    click(qtbot, window, 0.6, 0.6)
    qtbot.keyClick(canvas, Qt.Key.Key_Backspace)
    click(qtbot, window, 0.3, 0.7, RIGHT)
    click(qtbot, window, 0.7, 0.3)
    click(qtbot, window, 0.5, 0.7)
    click(qtbot, window, 0.2, 0.2)  # the first corner closes
    assert [point[0] for point in window.session.view.zones[0].area[0].points] == pytest.approx(
        [0.2, 0.7, 0.5], abs=0.01
    )
    qtbot.keyClick(window, Qt.Key.Key_Z)
    click(qtbot, window, 0.2, 0.2)
    click(qtbot, window, 0.6, 0.2)
    qtbot.keyClick(canvas, Qt.Key.Key_Escape)
    assert len(window.session.view.zones) == 1
    assert window.picture.board.draft.points == []


def test_corners_are_added_and_removed(qtbot, window):
    draw(qtbot, window, Qt.Key.Key_Z, *BAND)
    qtbot.mouseDClick(window.picture.canvas, LEFT, pos=on_picture(window, 0.5, 0.4))
    assert len(window.session.view.zones[0].area[0].points) == 5
    click(qtbot, window, 0.5, 0.4, RIGHT)
    assert len(window.session.view.zones[0].area[0].points) == 4


def test_a_wire_is_drawn_moved_and_tuned(qtbot, window):
    draw(qtbot, window, Qt.Key.Key_W, (0.5, 0.2), (0.5, 0.9))
    wire = window.session.view.wires[0]
    assert np.allclose(wire.line, ((0.5, 0.2), (0.5, 0.9)), atol=0.01)
    assert [lane.name for lane in window.deck.lanes] == ["Whole picture", "Wire 1"]
    lane = window.deck.lanes[1]
    assert lane.kind == "wire"
    assert len(lane.alarms) == 1
    click(qtbot, window, 0.9, 0.9)
    assert window.session.item_id == ""
    click(qtbot, window, 0.5, 0.5)
    assert window.session.item_id == wire.id
    drag(window.picture.canvas, on_picture(window, 0.5, 0.5), on_picture(window, 0.7, 0.5))
    settle(window)
    assert window.session.view.wires[0].line[0][0] == pytest.approx(0.7, abs=0.01)
    assert window.deck.lanes[1].alarms[0].start_frame > lane.alarms[0].start_frame
    window.show_stage("tune")
    assert window.tune.zone.currentText() == "1  Wire 1"
    assert window.tune.dials["start_percent"].unit.text() == "% of line"
    window.tune.zone.setCurrentIndex(0)
    assert window.tune.dials["start_percent"].unit.text() == "% of zone"
    window.tune.zone.setCurrentIndex(1)
    window.tune.dials["start_percent"].number.setValue(100)
    settle(window)
    assert window.deck.lanes[1].settings.start_percent == 100


def test_rename_in_place_and_refuse_an_empty_name(qtbot, window):
    draw(qtbot, window, Qt.Key.Key_Z, *BAND)
    window.draw.items.item(0).setText("Slipway")
    assert window.session.view.zones[0].name == "Slipway"
    window.draw.items.item(0).setText("   ")
    assert window.session.view.zones[0].name == "Slipway"
    assert "name" in window.notice.text.text()
    assert window.draw.items.item(0).text() == "Slipway"


def test_zoom_keeps_the_point_under_the_mouse_and_corners_stay_exact(qtbot, window):
    canvas = window.picture.canvas
    at = QPointF(on_picture(window, 0.3, 0.7))
    under = canvas.to_picture(at)
    canvas.zoom_at(at, 4.0)
    assert canvas.to_picture(at) == pytest.approx(under, abs=1e-9)
    send_mouse(canvas, QEvent.Type.MouseButtonPress, at, Qt.MouseButton.MiddleButton)
    before = canvas.to_picture(at)
    send_mouse(canvas, QEvent.Type.MouseMove, at + QPointF(20, 0), Qt.MouseButton.NoButton, Qt.MouseButton.MiddleButton)
    send_mouse(canvas, QEvent.Type.MouseButtonRelease, at, Qt.MouseButton.MiddleButton)
    assert canvas.to_picture(at)[0] < before[0]
    qtbot.keyClick(window, Qt.Key.Key_0)
    assert canvas.zoom == 1.0
