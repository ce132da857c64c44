"""The Ask stage."""

from __future__ import annotations

from north_hush.desk.ask.panel import AskPanel
from north_hush.desk.ask.sketch import Sketch
from north_hush.desk.look.roles import Theme
from north_hush.desk.packing import Span
from north_hush.desk.stage import Desk, Stage


def ask_stage(desk: Desk, theme: Theme) -> Stage:
    """Ask the footage what happened at a place, with no settings made before."""
    worn, canvas = [theme], desk.picture.canvas
    sketch = Sketch(canvas, desk.picture.board, desk.window)
    panel = AskPanel(desk.session, desk.deck, sketch)

    def show(*, on: bool) -> None:
        sketch.shown = on
        if not on:
            sketch.leave()
        canvas.update()

    def dress(other: Theme) -> None:
        worn[0] = other
        canvas.update()

    def answer() -> Span | None:
        held = panel.current()
        return None if held is None else (held.recording, held.answer.start_s, held.answer.end_s)

    desk.packing.offer(panel.answers, answer)
    canvas.layers.append(lambda painter, canvas: sketch.paint(painter, canvas, worn[0]))
    return Stage(
        "ask", "Ask", "magnifying-glass", "Shift+F8", "Ask the footage what happened at a place", panel,
        enter=lambda: show(on=True), leave=lambda: show(on=False), dress=dress, close=panel.asking.close,
    )  # fmt: skip
