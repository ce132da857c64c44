"""The Overview stage."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QStackedWidget

from north_hush.core.words import tr
from north_hush.desk.look.roles import Theme
from north_hush.desk.overview.beside import SideBySide
from north_hush.desk.overview.board import CardBoard
from north_hush.desk.overview.panel import OverviewPanel
from north_hush.desk.stage import Desk, Stage


def overview_stage(desk: Desk, theme: Theme) -> Stage:
    """See all views at once, what costs most attention first; the cards stand where the picture stood."""
    board = CardBoard(theme)
    beside = SideBySide(desk.session, theme)
    room = QStackedWidget()
    room.addWidget(board)
    room.addWidget(beside)
    panel = OverviewPanel(desk.session, board)

    def enter() -> None:
        desk.trace.hide()  # it is of one view
        panel.enter()

    def leave() -> None:
        desk.trace.show()
        show_cards()
        panel.leave()

    def show_beside() -> None:
        chosen = board.selected()
        if len(chosen) > 1:
            beside.show_views([desk.session.site.view(view) for view in chosen])
            room.setCurrentWidget(beside)
            beside.setFocus()

    def show_cards() -> None:
        if room.currentWidget() is beside:
            beside.clear()
            room.setCurrentWidget(board)
            board.setFocus()

    def dress(worn: Theme) -> None:
        board.dress(worn)
        beside.dress(worn)

    def close() -> None:
        beside.close_worker()
        panel.close_worker()

    def open_view(view_id: str) -> None:
        desk.session.show_view(view_id)
        desk.show_stage("tune")

    def open_at(view_id: str, recording_id: str, at_s: float) -> None:
        """Put a recording on at a second of it; that is sought once it is open."""
        open_view(view_id)
        held = next((one for one in desk.session.view.recordings if one.id == recording_id), None)
        if held is not None:
            once = desk.deck.opened.connect(
                lambda: desk.deck.playhead.seek_s(at_s), Qt.ConnectionType.SingleShotConnection
            )
            assert once
            desk.deck.put_on(held)

    board.opened.connect(open_view)
    beside.opened.connect(open_at)
    panel.beside.clicked.connect(show_beside)
    beside.ended.connect(show_cards)
    return Stage(
        "overview", tr("Overview"), "squares-four", "F4", tr("All views at once, what costs most attention first"), panel,
        board=room, enter=enter, leave=leave, dress=dress, close=close,
    )  # fmt: skip
