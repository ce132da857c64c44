"""The picture widget alone: geometry, zoom and pan, tools, and outlines that read on any picture."""

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PySide6.QtCore import QEvent, QPointF, Qt
from PySide6.QtGui import QColor, QImage

from north_hush.core.site import drawing, edits
from north_hush.desk.look.roles import DAY_FOG, NIGHT_WATCH
from north_hush.desk.picture.canvas import Canvas
from north_hush.desk.picture.draft import Draft
from north_hush.desk.picture.layers import paint_draft, paint_items, painted_items
from north_hush.desk.picture.overlays import Tones, cells_image, difference_image, fitting_gain
from north_hush.desk.picture.strokes import paint_readout
from north_hush.desk.picture.tools.drawing import draw_corners
from tests.desk.conftest import send_mouse

TONES = Tones(QColor("#ffffff"), QColor("#000000"))

QUIET = settings(max_examples=40, suppress_health_check=[HealthCheck.function_scoped_fixture])


@pytest.fixture
def canvas(qtbot):
    made = Canvas()
    qtbot.addWidget(made)
    made.resize(640, 400)
    made.set_picture_size(960, 540)
    made.show()
    return made


fractions = st.floats(0, 1)


@QUIET
@given(x=fractions, y=fractions, zoom=st.floats(1, 20), at=st.tuples(fractions, fractions))
def test_there_and_back(canvas, x, y, zoom, at):
    canvas.reset_zoom()
    canvas.zoom_at(QPointF(640 * at[0], 400 * at[1]), zoom)
    assert canvas.to_picture(canvas.to_widget((x, y))) == pytest.approx((x, y), abs=1e-9)


@QUIET
@given(steps=st.lists(st.tuples(fractions, fractions, st.floats(0.2, 5)), max_size=12))
def test_zoom_never_leaves_the_picture(canvas, steps):
    canvas.reset_zoom()
    for x, y, factor in steps:
        canvas.zoom_at(QPointF(640 * x, 400 * y), factor)
    assert 1 <= canvas.zoom <= 24
    centre = canvas.to_picture(QPointF(320, 200))
    half = 0.5 / canvas.zoom
    assert all(half - 1e-9 <= value <= 1 - half + 1e-9 for value in centre)


@pytest.mark.parametrize("size", [(960, 540), (540, 960), (1, 1), (7680, 4320), (3000, 10)])
def test_the_whole_picture_fits_whatever_its_shape(canvas, size):
    canvas.set_picture_size(*size)
    rect = canvas.picture_rect()
    assert rect.width() <= 640 + 1e-6
    assert rect.height() <= 400 + 1e-6
    assert rect.width() / rect.height() == pytest.approx(size[0] / size[1])


def test_space_pans_while_a_tool_is_at_work(qtbot, canvas):
    canvas.set_tool(lambda: draw_corners(canvas, Draft(), lambda outline: None))
    canvas.zoom_at(QPointF(320, 200), 4)
    send_mouse(canvas, QEvent.Type.MouseButtonPress, QPointF(320, 200))
    before = canvas.to_picture(QPointF(320, 200))
    canvas._space = True
    send_mouse(canvas, QEvent.Type.MouseButtonPress, QPointF(320, 200))
    send_mouse(canvas, QEvent.Type.MouseMove, QPointF(280, 200), Qt.MouseButton.NoButton, Qt.MouseButton.LeftButton)
    send_mouse(canvas, QEvent.Type.MouseButtonRelease, QPointF(280, 200))
    canvas._space = False
    assert canvas.to_picture(QPointF(320, 200))[0] > before[0]


def test_hovering_tells_the_place_and_leaving_tells_none(canvas):
    heard = []
    canvas.hovered.connect(heard.append)
    send_mouse(
        canvas, QEvent.Type.MouseMove, canvas.to_widget((0.25, 0.75)), Qt.MouseButton.NoButton, Qt.MouseButton.NoButton
    )
    assert heard[-1] == pytest.approx((0.25, 0.75), abs=1e-6)
    send_mouse(canvas, QEvent.Type.MouseMove, QPointF(320, 2), Qt.MouseButton.NoButton, Qt.MouseButton.NoButton)
    assert heard[-1] is None


def test_a_tool_is_made_anew_after_it_ends(qtbot, canvas):
    done = []
    canvas.set_tool(lambda: draw_corners(canvas, Draft(), done.append))
    for _ in range(2):
        for point in ((0.2, 0.2), (0.8, 0.2), (0.5, 0.8)):
            qtbot.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=canvas.to_widget(point).toPoint())
        qtbot.keyClick(canvas, Qt.Key.Key_Return)
    assert len(done) == 2


def test_a_line_needs_two_points_and_an_outline_three(qtbot, canvas):
    lines, outlines = [], []
    for points_min, done in ((2, lines), (3, outlines)):
        canvas.set_tool(lambda n=points_min, d=done: draw_corners(canvas, Draft(), d.append, n))
        for point in ((0.2, 0.2), (0.8, 0.2)):
            qtbot.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=canvas.to_widget(point).toPoint())
        qtbot.keyClick(canvas, Qt.Key.Key_Return)
        canvas.stop_tool()
    assert len(lines) == 1
    assert outlines == []


def test_points_outside_are_drawn_to_the_edge(qtbot, canvas):
    done = []
    canvas.set_tool(lambda: draw_corners(canvas, Draft(), done.append))
    for point in ((-0.5, 0.2), (0.8, 0.2), (0.5, 1.5)):
        send_mouse(canvas, QEvent.Type.MouseButtonPress, canvas.to_widget(point))
    qtbot.keyClick(canvas, Qt.Key.Key_Return)
    assert all(0 <= value <= 1 for point in done[0] for value in point)


def painted(canvas, grey, theme, view):
    image = QImage(96, 54, QImage.Format.Format_RGB32)
    image.fill(0xFF000000 | grey * 0x010101)
    canvas.show_image(image)
    canvas.layers = [lambda painter, c: paint_items(painter, c, painted_items(view, ()), theme, selected=True)]
    shot = canvas.grab().toImage()
    return np.array([[shot.pixelColor(x, y).lightness() for x in range(0, 640, 1)] for y in range(60, 340, 4)])


@pytest.mark.parametrize("theme", [NIGHT_WATCH, DAY_FOG], ids=lambda theme: theme.name)
@pytest.mark.parametrize("grey", [8, 128, 248])
def test_outlines_read_on_night_and_on_snow(canvas, theme, grey):
    """On every row an outline crosses, something stands off the picture by at least a quarter of the scale."""
    site = drawing.add_zone(edits.new_site("Skerry Quay"), "view-1", ((0.3, 0.2), (0.7, 0.2), (0.7, 0.8), (0.3, 0.8)))
    rows = painted(canvas, grey, theme, site.views[0])
    off = np.abs(rows.astype(int) - grey).max(axis=1)
    assert (off[12:50] >= 64).all()


def test_every_layer_paints_without_a_picture(canvas):
    site = drawing.add_zone(edits.new_site("Skerry Quay"), "view-1", ((0.3, 0.2), (0.7, 0.2), (0.7, 0.8)))
    site = drawing.add_wire(site, "view-1", ((0.1, 0.1), (0.9, 0.9)))
    site = drawing.add_mask(site, "view-1", ((0.3, 0.2), (0.7, 0.2), (0.7, 0.8)), strength_percent=30)
    canvas.layers = [
        lambda painter, c: paint_items(painter, c, painted_items(site.views[0], ()), NIGHT_WATCH, selected=True),
        lambda painter, c: paint_draft(
            painter, c, Draft(points=[(0.1, 0.1), (0.4, 0.2), (0.4, 0.4), (0.2, 0.6)]), NIGHT_WATCH
        ),
        lambda painter, c: paint_readout(painter, c, QPointF(630, 4), "3.25 grey levels", NIGHT_WATCH),
    ]
    shot = canvas.grab().toImage()
    assert len({shot.pixelColor(x, y).rgb() for x in range(0, 640, 7) for y in range(0, 400, 7)}) > 3


def test_cells_over_the_limit_carry_a_dot():
    values = np.zeros(12, np.uint8)
    values[5], values[6] = 40, 39
    limits, masked = np.full(12, 40), np.zeros(12, bool)
    limits[9], values[9] = 80, 60  # weakened
    limits[10], values[10], masked[10] = 256, 200, True
    image = cells_image(values, 4, 3, limits, masked, TONES)
    assert (image.width(), image.height()) == (32, 24)
    centre = [image.pixelColor(8 * (cell % 4) + 3, 8 * (cell // 4) + 3).lightness() for cell in (5, 6, 0)]
    assert centre[0] == 255
    assert centre[2] < centre[1] < 255
    assert image.pixelColor(8 * 1 + 3, 8 * 2 + 3).lightness() < 255  # a hollow dot
    assert image.pixelColor(8 * 1 + 5, 8 * 2 + 4).lightness() == 255
    assert image.pixelColor(8 * 2, 8 * 2) == TONES.dark


def test_where_nothing_changed_the_picture_is_still_seen(canvas):
    """What is laid over dims the picture, and marks it where something changed."""
    image = QImage(96, 54, QImage.Format.Format_RGB32)
    for x in range(96):
        for y in range(54):
            image.setPixel(x, y, 0xFF202020 if x < 48 else 0xFFE0E0E0)
    canvas.show_image(image)
    grey = np.zeros((27, 48), np.uint8)
    grey[:, :6] = 40
    canvas.lay_over(difference_image(grey, fitting_gain(grey), TONES))
    canvas.layers = []
    shot = canvas.grab().toImage()
    changed, dark, light = (shot.pixelColor(canvas.to_widget((x, 0.5)).toPoint()).lightness() for x in (0.06, 0.3, 0.8))
    assert changed > light > dark
    assert light - dark > 30


@pytest.mark.parametrize(
    ("greys", "gain"), [((3, 2), 8), ((20, 31), 8), ((60, 40), 4), ((120, 100), 2), ((250, 200), 1)]
)
def test_the_gain_of_a_difference_fits_what_changed(greys, gain):
    grey = np.zeros((50, 50), np.uint8)
    grey[:10] = greys[0]
    grey[10:20] = greys[1]
    grey[0, 0] = 255  # a single pixel does not count
    assert fitting_gain(grey) == gain
