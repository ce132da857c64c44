"""The Watch stage."""

from __future__ import annotations

from PySide6.QtWidgets import QStackedWidget

from north_hush.core.words import tr
from north_hush.desk.look.roles import Theme
from north_hush.desk.stage import Desk, Stage
from north_hush.desk.watch.board import WatchRoom
from north_hush.desk.watch.panel import WatchPanel
from north_hush.desk.watch.review import ReviewBoard


def watch_stage(desk: Desk, theme: Theme) -> Stage:
    """Watch live cameras. The board stands where the picture stood; a clip opens as a recording."""
    room = WatchRoom(theme)
    panel = WatchPanel(desk.session, room)
    review = ReviewBoard(desk.session, theme)
    pages = QStackedWidget()
    pages.addWidget(room)
    pages.addWidget(review)

    def choose(view_id: str) -> None:
        desk.session.show_view(view_id)
        panel.acts.choose(view_id)

    def put_on(recording_id: str, stage: str) -> None:
        held = next((one for one in desk.session.view.recordings if one.id == recording_id), None)
        if held is not None:
            desk.deck.put_on(held)
            desk.show_stage(stage)

    def show_review(on: bool) -> None:
        pages.setCurrentWidget(review if on else room)
        if on:
            review.look()
            review.setFocus()
        else:
            review.clear()

    def dress(worn: Theme) -> None:
        room.dress(worn)
        review.dress(worn)

    def close() -> None:
        review.close_worker()
        panel.close_worker()

    def bring(view_id: str) -> None:
        desk.window.showNormal() if desk.window.isMinimized() else desk.window.show()
        desk.window.raise_()
        desk.window.activateWindow()
        desk.show_stage("watch")
        choose(view_id)

    def enter() -> None:
        desk.trace.hide()  # it is of a recording, and what is looked at here is live
        panel.enter()

    def leave() -> None:
        desk.trace.show()
        panel.review.setChecked(False)
        panel.leave()

    room.board.chosen.connect(choose)
    panel.review.toggled.connect(show_review)
    review.ended.connect(lambda: panel.review.setChecked(False))
    review.opened.connect(panel.open_file)
    panel.opened = put_on
    panel.wanted = bring
    return Stage(
        "watch", tr("Watch"), "eye", "F12", tr("Watch live cameras with the same eyes"), panel,
        board=pages, enter=enter, leave=leave, dress=dress, close=close,
    )  # fmt: skip
