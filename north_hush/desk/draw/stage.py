"""The Draw stage."""

from __future__ import annotations

from collections.abc import Callable

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
            Binding(("V",), on_picture(lambda: board.use(ARRANGE))),
            Binding(("C",), on_picture(lambda: board.set_form("corners"))),
            Binding(("R",), on_picture(lambda: board.set_form("rectangle"))),
            Binding(("B",), on_picture(lambda: board.set_form("brush"))),
            Binding(("+",), on_picture(lambda: board.set_onto("add"))),
            Binding(("-",), on_picture(lambda: board.set_onto("cut"))),
            Binding(("Ctrl+D",), panel.duplicate_selected, everywhere=True),
            Binding(("Ctrl+C",), panel.exchange.copy, everywhere=True),
            Binding(("Ctrl+V",), panel.exchange.paste, everywhere=True),
            Binding(("Ctrl+Shift+C",), panel.copy_settings, everywhere=True),
            Binding(("Ctrl+Shift+V",), panel.paste_settings, everywhere=True),
            *(Binding((key,), on_picture(lambda kind=kind: panel.draw_new(kind))) for kind, _, key, _ in KINDS),  # type: ignore[misc]
        ),
        enter=panel.enter, leave=panel.leave, dress=panel.dress, close=close,
    )  # fmt: skip
