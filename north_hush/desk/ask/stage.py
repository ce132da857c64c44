"""The Ask stage."""

from __future__ import annotations

from PySide6.QtGui import QPainter

from north_hush.core.words import tr
from north_hush.desk.ask.course import AnswerCourse
from north_hush.desk.ask.panel import AskPanel
from north_hush.desk.ask.sketch import Sketch
from north_hush.desk.look.roles import Theme
from north_hush.desk.packing import Span
from north_hush.desk.picture.canvas import Canvas
from north_hush.desk.stage import Desk, Stage


def ask_stage(desk: Desk, theme: Theme) -> Stage:
    """Ask the footage what happened at a place, with no settings made before."""
    worn, canvas = [theme], desk.picture.canvas
    sketch = Sketch(canvas, desk.picture.board, desk.window)
    course = AnswerCourse(desk.session, desk.deck, canvas, desk.window)
    panel = AskPanel(desk.session, desk.deck, sketch, course)

    def mark_days() -> None:
        """Answers of this view on the strip of days."""
        found = panel.asking.found if sketch.shown else []
        here = [held for held in found if held.view_id == desk.session.view_id]
        desk.header.days.show_answers([(held.recording.id, held.answer.start_s) for held in here])

    def show(*, on: bool) -> None:
        sketch.shown = on
        mark_days()
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
    panel.asking.changed.connect(mark_days)
    desk.session.view_changed.connect(mark_days)

    def paint(painter: QPainter, canvas: Canvas) -> None:
        sketch.paint(painter, canvas, worn[0])
        if sketch.shown:
            course.paint(painter, canvas, worn[0])

    canvas.layers.append(paint)
    return Stage(
        "ask", tr("Ask"), "magnifying-glass", "Shift+F8", tr("Ask the footage what happened at a place"), panel,
        enter=lambda: show(on=True), leave=lambda: show(on=False), dress=dress, close=panel.close_workers,
    )  # fmt: skip
