"""The Overview stage driven through its window: cards, order, search, opening a view, copying to several."""

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest

from north_hush.core.site import drawing, edits
from north_hush.desk.app import wait_until
from north_hush.desk.look.roles import DAY_FOG
from tests.desk.conftest import settle

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
