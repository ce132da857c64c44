"""The Judge stage."""

from __future__ import annotations

from north_hush.core.words import tr
from north_hush.desk.judge.map import MapWindow
from north_hush.desk.judge.panel import JudgePanel
from north_hush.desk.judge.placing import Placing
from north_hush.desk.look.roles import Theme
from north_hush.desk.packing import Span
from north_hush.desk.stage import Binding, Desk, Stage


def judge_stage(desk: Desk, theme: Theme) -> Stage:
    """Say what was real, score the settings, and find better ones."""
    session, deck, picture, trace = desk.session, desk.deck, desk.picture, desk.trace
    panel = JudgePanel(session, deck, desk.comparison, desk.scores, desk.cuttings, theme)
    field = MapWindow(session, deck, desk.comparison, desk.insight, theme, desk.window)
    placing = Placing(session, deck, picture.canvas, picture.board, panel.incidents, panel)

    def show_map() -> None:
        field.show()
        field.follow()

    def dress(worn: Theme) -> None:
        panel.dress(worn)
        field.field.dress(worn)

    def close() -> None:
        panel.close_workers()
        field.close_worker()

    def mark(start_s: float, end_s: float) -> None:
        if panel.isVisible():  # no incident is marked unseen
            panel.mark_span(start_s, end_s)

    def incident() -> Span | None:
        held, recording = panel.incidents.current(), deck.recording
        return None if held is None or recording is None else (recording, held.start_s, held.end_s)

    def alarm() -> Span | None:
        row, recording = panel.alarms.current(), deck.recording
        return None if row is None or recording is None else (recording, row.alarm.onset_s, row.alarm.end_s)

    desk.packing.offer(panel.incidents, incident)
    desk.packing.offer(panel.alarms, alarm)
    panel.proposals.map.clicked.connect(show_map)
    trace.span_dragged.connect(mark)
    picture.canvas.layers.append(lambda painter, canvas: panel.walks.paint(painter, canvas, panel.theme))
    picture.canvas.layers.append(lambda painter, canvas: placing.paint(painter, canvas, panel.theme))
    panel.walks.changed.connect(picture.canvas.update)
    return Stage(
        "judge", tr("Judge"), "scales", "F8", tr("Say what was real, score the settings, and find better ones"), panel,
        bindings=(
            Binding(("Y",), tr("Real"), lambda: panel.judge("real")),
            Binding(("X",), tr("Nuisance"), lambda: panel.judge("nuisance")),
            Binding(("U",), tr("Unsure"), lambda: panel.judge("unsure")),
            Binding(("I",), tr("An incident begins here"), panel.set_in),
            Binding(("O",), tr("The incident ends here"), panel.set_out),
            Binding(("Shift+O",), tr("The walk test ends here"), panel.set_walk),
        ),
        enter=panel.enter, leave=panel.leave, dress=dress, close=close,
    )  # fmt: skip
