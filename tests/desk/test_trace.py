import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import Qt

from north_hush.desk.trace.curve import column_peaks
from north_hush.desk.trace.scale import to_height, to_percent
from tests.desk.conftest import lane_point


@given(st.integers(2, 5000), st.integers(1, 300), st.integers(0, 4999))
def test_a_single_frame_shows_at_every_zoom(frames, columns, spike):
    seconds, level = np.arange(frames) / 10, np.zeros(frames)
    level[spike % frames] = 7.0
    edges, peaks = column_peaks(seconds, level, 0.0, frames / 10, columns)
    assert peaks.max() == 7.0
    assert len(peaks) <= max(2 * columns, columns + 1)
    assert len(edges) == len(peaks) + 1
    assert (np.diff(edges) >= 0).all()


def test_zoomed_in_every_frame_stands_for_itself():
    edges, peaks = column_peaks(np.arange(100) / 10, np.arange(100.0), 2.0, 3.0, 400)
    assert peaks.tolist() == list(range(20, 30))
    assert edges[0] == 2.0
    assert edges[-1] == 3.0


def test_one_frame_alone():
    assert column_peaks(np.zeros(1), np.ones(1), 0.0, 1.0, 100)[1].tolist() == [1.0]


def test_axis_and_back():
    assert to_percent(float(to_height(12.25))) == 12.25


def test_a_click_in_the_trace_goes_there(qtbot, window):
    plot = window.trace.lanes[0]
    where = lane_point(plot, 3.0, plot.box.viewRange()[1][1] / 2)
    qtbot.mouseClick(plot.getViewWidget().viewport(), Qt.MouseButton.LeftButton, pos=where.toPoint())
    assert abs(window.deck.frame - 30) <= 1
