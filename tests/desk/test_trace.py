from itertools import pairwise

import numpy as np
import pytest
from hypothesis import example, given
from hypothesis import strategies as st
from PySide6.QtCore import Qt

from north_hush.core.site import drawing, edits
from north_hush.core.site.saving import save_site
from north_hush.desk.trace.curve import column_peaks
from north_hush.desk.trace.lane import LanePlot
from north_hush.desk.trace.marks import merged
from north_hush.desk.trace.scale import to_height, to_percent
from tests.desk.conftest import lane_point, settle
from tests.footage_maker import moving_square, write_video

SQUARE = ((0.1, 0.1), (0.9, 0.1), (0.9, 0.9), (0.1, 0.9))


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


@given(
    st.lists(st.tuples(st.floats(0, 100), st.floats(0, 10)), max_size=30),
    st.floats(0, 3),
)
@example([(0.0, 0.0), (0.0, 0.0)], 0.0)
def test_marks_that_are_joined_cover_the_same_and_lie_apart(spans, near):
    starts = np.array([start for start, _ in spans])
    ends = np.array([start + long for start, long in spans])
    firsts, lasts = merged((starts, ends), near)
    assert (firsts[1:] - lasts[:-1] >= near).all()
    for start, end in zip(starts, ends, strict=True):
        assert ((firsts <= start) & (lasts >= end)).sum() == 1
    edges = sorted({0.0, *starts, *ends})
    for at in [(first + last) / 2 for first, last in pairwise(edges) if last - first > near]:
        assert ((firsts <= at) & (at <= lasts)).any() == ((starts <= at) & (at <= ends)).any()


def test_axis_and_back():
    assert to_percent(float(to_height(12.25))) == 12.25


def test_a_click_in_the_trace_goes_there(qtbot, window):
    plot = window.trace.lanes[0]
    where = lane_point(plot, 3.0, plot.box.viewRange()[1][1] / 2)
    qtbot.mouseClick(plot.getViewWidget().viewport(), Qt.MouseButton.LeftButton, pos=where.toPoint())
    assert abs(window.deck.frame - 30) <= 1


def axis_texts(axis, values, spacing):
    return axis.tickStrings(values, 1.0, spacing)


def test_axes_speak_in_minutes_and_percent(qtbot):
    from north_hush.desk.trace.scale import PercentAxis, TimeAxis

    time_axis, percent_axis = TimeAxis("bottom"), PercentAxis("left")
    assert axis_texts(time_axis, [0.0, 65.0, 3725.0], 5.0) == ["0:00", "1:05", "1:02:05"]
    assert axis_texts(time_axis, [65.25], 0.1) == ["1:05.2"]
    ((_, marks),) = percent_axis.tickValues(0.0, 10.0, 80)
    texts = axis_texts(percent_axis, marks, 1.0)
    assert all(text.endswith(" %") for text in texts)
    assert len(texts) <= 6
    assert min(abs(a - b) for a, b in pairwise(marks)) >= 2


def test_a_lane_shows_alarms_limits_and_its_name(qtbot, window):
    plot, lane = window.trace.lanes[0], window.deck.lanes[0]
    assert len(plot.bars.bars) == len(lane.alarms) > 0
    assert plot.limits["start_percent"].value() == pytest.approx(lane.settings.start_percent**0.5)
    assert plot.limits["clear_percent"].value() == pytest.approx(lane.settings.clear_percent**0.5)
    text = plot.caption.toPlainText()
    assert "Whole picture" in text
    assert "alarm" in text
    assert plot.limits["start_percent"].label.toPlainText() == f"start {lane.settings.start_percent:g} %"


def test_the_playhead_follows_and_the_ribbon_too(qtbot, window):
    window.deck.playhead.seek(25)
    assert window.trace.lanes[0].playhead.value() == 2.5
    assert window.trace.ribbon.head.value() == 2.5


def test_zooming_moves_the_window_on_the_ribbon_and_back(qtbot, window):
    box = window.trace.lanes[0].box
    box.setXRange(1.0, 3.0, padding=0)
    assert window.trace.ribbon.stretch.getRegion() == pytest.approx((1.0, 3.0))
    window.trace.ribbon.stretch.setRegion((2.0, 5.0))
    assert box.viewRange()[0] == pytest.approx([2.0, 5.0])


def test_a_fully_masked_zone_says_it_is_not_watched(qtbot, window):
    window.session.do("Zone", lambda site: drawing.add_zone(site, "view-1", SQUARE, "Slip"))
    window.session.do("Mask", lambda site: drawing.add_mask(site, "view-1", SQUARE))
    settle(window)
    assert "not watched" in window.trace.lanes[0].caption.toPlainText()
    assert window.picture.levels.level_text(window.deck.lanes[0]) == "not watched"
    window.picture.levels.grab()


def test_lanes_come_and_go_with_what_is_drawn(qtbot, window):
    for count in (1, 2, 3):
        window.session.do("Zone", lambda site: drawing.add_zone(site, "view-1", SQUARE))
        settle(window)
        assert len(window.trace.lanes) == count
    assert [plot.time_axis is not None for plot in window.trace.lanes] == [False, False, True]
    window.session.undo()
    settle(window)
    assert len(window.trace.lanes) == 2
    assert window.trace.lanes[1].time_axis is not None


def test_gaps_lie_on_the_ground(qtbot, open_window, tmp_path):
    write_video(tmp_path / "gap.mkv", moving_square(60), stamps_ms=lambda i: 100 * i + (5000 if i >= 30 else 0))
    path = tmp_path / "gap.hush.json"
    save_site(edits.add_recording(edits.new_site("Skerry Quay"), "view-1", "gap.mkv"), path)
    window = open_window(path)
    curve = window.trace.lanes[0].curve
    place = int(np.searchsorted(curve._seconds, 3.0))
    assert curve._level[place] == 0
    assert len(curve._level) == 61
    assert any("gap of 5.1 s" in text for text in window.deck.index.oddities)
    assert "gap of 5.1 s" in window.footage.facts.oddities.text()


def test_a_turned_dial_draws_its_own_lane_and_no_other(qtbot, window, monkeypatch):
    session = window.session
    for name in ("North", "South"):
        session.do("add", lambda site, name=name: drawing.add_zone(site, session.view_id, SQUARE, name))
    settle(window)
    drawn, show = [], LanePlot.show_lane
    monkeypatch.setattr(
        LanePlot, "show_lane", lambda plot, lane, *rest: drawn.append(lane.name) or show(plot, lane, *rest)
    )
    south = next(zone for zone in session.view.zones if zone.name == "South")
    session.do("turn", lambda site: edits.set_dials(site, session.view_id, south.id, start_percent=33.0))
    settle(window)
    assert set(drawn) == {"South"}
