"""The Draw stage."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from north_hush.desk.draw.panel import KINDS, DrawPanel
from north_hush.desk.look.roles import Theme
from north_hush.desk.picture.board import ARRANGE
from north_hush.desk.stage import Binding, Desk, Stage


def draw_stage(desk: Desk, theme: Theme) -> Stage:
    """Draw zones, tripwires and masks; the mouse draws on the picture."""
    picture, board = desk.picture, desk.picture.board
    panel = DrawPanel(desk.session, desk.deck, picture, theme)
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
        "draw", "Draw", "polygon", "F6", "Draw zones, tripwires and masks", panel,
        bindings=(
            Binding(("V",), "Select, move and reshape", on_picture(lambda: board.use(ARRANGE))),
            Binding(("C",), "Draw corner by corner", on_picture(lambda: board.set_form("corners"))),
            Binding(("R",), "Draw a rectangle", on_picture(lambda: board.set_form("rectangle"))),
            Binding(("B",), "Brush cells", on_picture(lambda: board.set_form("brush"))),
            Binding(("+",), "Add to the selected item", on_picture(lambda: board.set_onto("add"))),
            Binding(("-",), "Cut out of the selected item", on_picture(lambda: board.set_onto("cut"))),
            Binding(("Ctrl+D",), "Duplicate", panel.duplicate_selected, everywhere=True),
            Binding(("Ctrl+C",), "Copy items", panel.exchange.copy, everywhere=True),
            Binding(("Ctrl+V",), "Paste items", panel.exchange.paste, everywhere=True),
            Binding(("Ctrl+Shift+C",), "Copy settings", panel.copy_settings, everywhere=True),
            Binding(("Ctrl+Shift+V",), "Paste settings", panel.paste_settings, everywhere=True),
            *(
                Binding((key,), f"Draw a {label.lower()}", on_picture(partial(panel.draw_new, kind)))
                for kind, label, key, _ in KINDS
            ),
        ),
        enter=panel.enter, leave=panel.leave, dress=panel.dress, close=close,
    )  # fmt: skip
