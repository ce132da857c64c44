"""The Overview stage."""

from __future__ import annotations

from north_hush.desk.look.roles import Theme
from north_hush.desk.overview.board import CardBoard
from north_hush.desk.overview.panel import OverviewPanel
from north_hush.desk.stage import Desk, Stage


def overview_stage(desk: Desk, theme: Theme) -> Stage:
    """See all views at once, what costs most attention first; the cards stand where the picture stood."""
    board = CardBoard(theme)
    panel = OverviewPanel(desk.session, board)

    def enter() -> None:
        desk.trace.hide()  # it is of one view
        panel.enter()

    def leave() -> None:
        desk.trace.show()
        panel.leave()

    def open_view(view_id: str) -> None:
        desk.session.show_view(view_id)
        desk.show_stage("tune")

    board.opened.connect(open_view)
    return Stage(
        "overview", "Overview", "squares-four", "F4", "All views at once, what costs most attention first", panel,
        board=board, enter=enter, leave=leave, dress=board.dress, close=panel.close_worker,
    )  # fmt: skip
