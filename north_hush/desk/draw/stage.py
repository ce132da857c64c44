"""The Draw stage."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from north_hush.core.words import tr
from north_hush.desk.draw.panel import KINDS, DrawPanel
from north_hush.desk.look.roles import Theme
from north_hush.desk.picture.board import ARRANGE
from north_hush.desk.stage import Binding, Desk, Stage


def draw_stage(desk: Desk, theme: Theme) -> Stage:
    """Draw zones, tripwires and masks; the mouse draws on the picture."""
    picture, board = desk.picture, desk.picture.board
    panel = DrawPanel(desk.session, desk.deck, desk.sight, picture, theme)
    panel.places.cases = desk.scores.cases
    picture.stretch_us = lambda: desk.trace.stretch_us() if panel.proposal.in_view.isChecked() else None

    def on_picture(act: Callable[[], None]) -> Callable[[], None]:
        def done() -> None:
            act()
            picture.canvas.setFocus()

        return done

    def close() -> None:
        for part in (panel.walkers, panel.places, panel.uncover):
            part.close_worker()

    return Stage(
        "draw", tr("Draw"), "polygon", "F6", tr("Draw zones, tripwires and masks"), panel,
        bindings=(
            Binding(("V",), tr("Select, move and reshape"), on_picture(lambda: board.use(ARRANGE))),
            Binding(("C",), tr("Draw corner by corner"), on_picture(lambda: board.set_form("corners"))),
            Binding(("R",), tr("Draw a rectangle"), on_picture(lambda: board.set_form("rectangle"))),
            Binding(("B",), tr("Brush cells"), on_picture(lambda: board.set_form("brush"))),
            Binding(("+",), tr("Add to the selected item"), on_picture(lambda: board.set_onto("add"))),
            Binding(("-",), tr("Cut out of the selected item"), on_picture(lambda: board.set_onto("cut"))),
            Binding(("Ctrl+D",), tr("Duplicate"), panel.duplicate_selected, everywhere=True),
            Binding(("Ctrl+C",), tr("Copy items"), panel.exchange.copy, everywhere=True),
            Binding(("Ctrl+V",), tr("Paste items"), panel.exchange.paste, everywhere=True),
            Binding(("Ctrl+Shift+C",), tr("Copy settings"), panel.copy_settings, everywhere=True),
            Binding(("Ctrl+Shift+V",), tr("Paste settings"), panel.paste_settings, everywhere=True),
            *(
                Binding((key,), tr("Draw a {label}", label=label.lower()), on_picture(partial(panel.draw_new, kind)))
                for kind, label, key, _ in KINDS
            ),
        ),
        enter=panel.enter, leave=panel.leave, dress=panel.dress, close=close,
    )  # fmt: skip
