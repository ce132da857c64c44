"""The Overview stage driven through its window: cards, order, search, opening a view, copying to several."""

from datetime import UTC, datetime, timedelta

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QImage, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from north_hush.core.site import drawing, edits
from north_hush.desk.app import wait_until
from north_hush.desk.look.roles import DAY_FOG
from north_hush.desk.overview.beside import SideBySide
from tests.desk.conftest import settle

NOON = datetime(2026, 6, 14, 12, tzinfo=UTC)
SLIP = ((0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0))


@pytest.fixture
def many(window):
    """The window with four views: one with a recording, one with the same and other dials, two without any."""
    session = window.session
    session.do("Draw", lambda site: drawing.add_zone(site, "view-1", SLIP, "Slip"))
    for name in ("Gate", "Mole", "Fuel pump"):
        session.do("View", lambda site, name=name: edits.add_view(site, name))
    path = session.site.views[0].recordings[0].path
    session.do("Add", lambda site: edits.add_recording(site, "view-2", path))
    session.do("Draw", lambda site: drawing.add_zone(site, "view-2", SLIP, "Slip"))
    session.do("Deaf", lambda site: edits.set_dials(site, "view-2", "zone-1", change_limit_grey=60, start_percent=90))
    settle(window)
    window.show_stage("overview")
    rest(window)
    return window


def rest(window):
    assert wait_until(lambda: panel(window).settled, 60)


def panel(window):
    return window.stages.panel("overview")


def shown(window):
    return [card.name for card in panel(window).board.cards.cards]


def choose(window, *names):
    board = panel(window).board
    board.clearSelection()
    for row, card in enumerate(board.cards.cards):
        if card.name in names:
            board.selectionModel().select(board.cards.index(row), board.selectionModel().SelectionFlag.Select)


def test_every_view_has_a_card_with_picture_and_words(many):
    board = panel(many).board
    assert not many.trace.isVisible() and board.isVisible()
    assert sorted(shown(many)) == ["Fuel pump", "Gate", "Mole", "Slipway"]
    told = {card.name: board.cards.data(board.cards.index(row)) for row, card in enumerate(board.cards.cards)}
    assert "1 of 1 analysed" in told["Slipway"] and "to judge" in told["Slipway"]
    assert "no footage yet" in told["Mole"]
    assert set(board.cards.pictures) == {"view-1", "view-2"}
    before = board.grab().toImage()
    board.cards.take_picture("view-1", QImage(400, 225, QImage.Format.Format_RGB32))
    assert wait_until(lambda: board.grab().toImage() != before, 5)
    night = board.grab().toImage()
    many.use_theme(DAY_FOG)
    assert board.grab().toImage() != night


def test_search_filter_and_order_are_followed(many):
    held = panel(many)
    QTest.keyClicks(held.search, "fuel")
    assert shown(many) == ["Fuel pump"] and held.said.text() == "1 of 4 views"
    held.search.clear()
    held.which.setCurrentIndex(held.which.findData("judge"))
    held.which.activated.emit(held.which.currentIndex())
    assert shown(many) == ["Slipway"]
    held.which.setCurrentIndex(held.which.findData("all"))
    held.order.setCurrentIndex(held.order.findData("name"))
    held.order.activated.emit(held.order.currentIndex())
    assert shown(many) == ["Fuel pump", "Gate", "Mole", "Slipway"]


def test_return_opens_a_view_and_the_trace_comes_back(many):
    board = panel(many).board
    row = shown(many).index("Gate")
    board.setCurrentIndex(board.cards.index(row))
    QTest.keyClick(board, Qt.Key.Key_Return)
    assert many.session.view.name == "Gate" and many.stages.now.key == "tune"
    assert many.trace.isVisible()
    settle(many)


def test_a_double_click_opens_one_too(many):
    board = panel(many).board
    at = board.visualRect(board.cards.index(shown(many).index("Mole"))).center()
    QTest.mouseClick(board.viewport(), Qt.MouseButton.LeftButton, pos=at)
    QTest.mouseDClick(board.viewport(), Qt.MouseButton.LeftButton, pos=at + QPoint(1, 1))
    assert many.session.view.name == "Mole"


def test_what_copying_would_do_is_told_before_and_one_step_undoes_it(many):
    held = panel(many)
    assert not held.copy.isEnabled() and "Choose views" in held.source.text()
    choose(many, "Gate", "Mole")
    held.what["dials"].setChecked(True)
    assert wait_until(lambda: held.preview.text(), 30)
    lines = held.preview.text().splitlines()
    gate = next(line for line in lines if line.startswith("Gate"))
    assert gate.startswith("Gate: 0 → ") and not gate.startswith("Gate: 0 → 0 ")
    assert "Mole: nothing analysed, nothing told" in lines
    held.copy.click()
    rest(many)
    assert many.session.site.views[1].tuning.of("zone-1") == many.session.site.views[0].tuning.of("zone-1")
    assert next(card for card in held.board.cards.cards if card.name == "Gate").to_judge > 0
    many.session.undo()
    assert many.session.site.views[1].tuning.of("zone-1").change_limit_grey == 60
    rest(many)


def test_an_edit_elsewhere_is_followed_when_one_comes_back(many):
    many.show_stage("tune")
    many.session.do("Rename", lambda site: edits.rename_view(site, "view-4", "Ice house"))
    many.show_stage("overview")
    rest(many)
    assert "Ice house" in shown(many)


@pytest.fixture
def beside(many):
    """Two views side by side: the same recording, dated three seconds apart, and a view without any."""
    for view, at in (("view-1", NOON), ("view-2", NOON + timedelta(seconds=3))):
        many.session.do(
            "Taken", lambda site, view=view, at=at: edits.change_recording(site, view, "recording-1", taken_at=at)
        )
    rest(many)
    choose(many, "Slipway", "Gate", "Mole")
    panel(many).beside.click()
    found = many.findChild(SideBySide)
    assert found.isVisible() and not panel(many).board.isVisible()
    assert wait_until(lambda: found.settled and found.moment is not None, 30)
    return found


def panes(beside):
    return {pane.accessibleName(): pane for pane in beside.panes}


def test_views_are_shown_side_by_side_at_one_instant(beside):
    assert beside.moment == NOON + timedelta(seconds=3)  # where both are there
    beside.go_to(NOON + timedelta(seconds=4))
    assert wait_until(lambda: beside.settled, 20)
    found = panes(beside)
    rate = 10
    assert found["Slipway"].frame - found["Gate"].frame == 3 * rate
    assert found["Slipway"].said == found["Gate"].said
    assert found["Mole"].said == "no footage at this time"
    beside.go_to(NOON + timedelta(seconds=1))
    assert wait_until(lambda: beside.settled, 20)
    assert found["Gate"].said == "no footage at this time" and found["Slipway"].frame == rate


def test_keys_play_and_step_in_step_and_lead_back(many, beside):
    QTest.keyClick(beside, Qt.Key.Key_Home)
    assert beside.moment == NOON
    QTest.keyClick(beside, Qt.Key.Key_Right)
    assert beside.moment == NOON + timedelta(seconds=1)
    QTest.keyClick(beside, Qt.Key.Key_Space)
    assert wait_until(lambda: beside.moment > NOON + timedelta(seconds=3.4), 20)
    QTest.keyClick(beside, Qt.Key.Key_Space)
    stopped = beside.moment
    assert wait_until(lambda: beside.settled, 20)
    QTest.qWait(300)
    assert beside.moment == stopped
    QTest.keyClick(beside, Qt.Key.Key_Escape)
    assert panel(many).board.isVisible() and not beside.panes


def test_the_strip_goes_to_an_instant_and_shows_less_of_the_time(beside):
    strip, wanted = beside.strip, NOON + timedelta(seconds=6)
    QTest.mouseClick(strip, Qt.MouseButton.LeftButton, pos=QPoint(round(strip.x_of(wanted)), 20))
    assert abs(beside.moment - wanted) < timedelta(seconds=0.2)
    whole = strip.span
    turn = QWheelEvent(
        QPointF(50, 10), QPointF(50, 10), QPoint(), QPoint(0, 120), Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(strip, turn)
    assert strip.span[1] - strip.span[0] < whole[1] - whole[0]
    assert strip.span[0] <= beside.moment <= strip.span[1]


def test_a_double_click_opens_a_view_at_the_instant(many, beside):
    beside.go_to(NOON + timedelta(seconds=5))
    assert wait_until(lambda: beside.settled, 20)
    QTest.mouseDClick(panes(beside)["Gate"], Qt.MouseButton.LeftButton)
    settle(many)
    assert many.session.view.name == "Gate"
    assert wait_until(lambda: many.deck.index is not None and many.deck.frame == 20, 20)
    assert not beside.panes
