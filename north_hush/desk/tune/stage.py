"""The Tune stage."""

from __future__ import annotations

from PySide6.QtGui import QPainter

from north_hush.core.words import tr
from north_hush.desk.look.roles import Theme
from north_hush.desk.packing import Span
from north_hush.desk.picture.board import OFF
from north_hush.desk.picture.canvas import Canvas
from north_hush.desk.stage import Binding, Desk, Stage
from north_hush.desk.tune.because import BecauseCard, paint_reasons
from north_hush.desk.tune.panel import TunePanel


def tune_stage(desk: Desk, theme: Theme) -> Stage:
    """Turn the dials and see what they raise. Reasons of the chosen alarm stand on the picture."""
    insight, picture = desk.insight, desk.picture
    panel = TunePanel(desk.session, desk.deck, desk.comparison, insight, desk.cuttings, theme)
    card = BecauseCard(desk.session, desk.deck, insight, theme, picture.canvas)

    def paint(painter: QPainter, canvas: Canvas) -> None:
        if insight.because is not None and picture.board.mode == OFF:
            paint_reasons(painter, canvas, insight.because.reasons, panel.theme)
        if insight.refusals is not None and desk.deck.row is not None:
            picture.paint_refused(painter, insight.refusals.at(desk.deck.row))

    def current() -> Span | None:
        row, recording = panel.alarms.current, desk.deck.recording
        return None if row is None or recording is None else (recording, row.alarm.onset_s, row.alarm.end_s)

    def show_uncovered() -> None:
        check = insight.blind
        desk.trace.show_uncovered(panel.zone_id, check.not_covered_s if check is not None else ())

    def dress(worn: Theme) -> None:
        panel.dress(worn)
        card.dress(worn)

    desk.packing.offer(panel.alarms, current)
    picture.canvas.layers.append(paint)
    insight.because_changed.connect(picture.canvas.update)
    insight.checked.connect(show_uncovered)
    return Stage(
        "tune", tr("Tune"), "sliders-horizontal", "F7", tr("Turn the dials and see what they raise"), panel,
        bindings=(
            Binding(("]",), tr("Next alarm"), lambda: panel.alarms.go_next(1), everywhere=True, repeats=True),
            Binding(("[",), tr("Alarm before"), lambda: panel.alarms.go_next(-1), everywhere=True, repeats=True),
        ),
        dress=dress, close=panel.heights.walkers.close_worker,
    )  # fmt: skip
