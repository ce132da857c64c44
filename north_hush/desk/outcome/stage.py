"""The Outcome stage."""

from __future__ import annotations

from north_hush.core.words import tr
from north_hush.desk.look.roles import Theme
from north_hush.desk.outcome.lanes import OutcomeLanes
from north_hush.desk.outcome.panel import OutcomePanel
from north_hush.desk.outcome.replays import Replays
from north_hush.desk.stage import Desk, Stage


def outcome_stage(desk: Desk, theme: Theme) -> Stage:
    """Say what an alarm leads to; three lanes under the trace replay it."""
    session, deck, trace = desk.session, desk.deck, desk.trace
    replays = Replays(session, deck, desk.scores, desk.comparison, desk.window)
    panel = OutcomePanel(session, replays, desk.comparison, theme)
    lanes = OutcomeLanes(theme)
    lanes.hide()
    trace.below.addWidget(lanes)

    def show_replay() -> None:
        on, costs = deck.recording, replays.costs
        led = costs.led.get(on.id) if costs is not None and on is not None else None
        lanes.show_replay(led, session.view.names)

    def show_span() -> None:
        span_s = trace.stack.span_s()
        if span_s is not None:
            lanes.show_span(*span_s)

    def show_time() -> None:
        if lanes.isVisible() and deck.index is not None:
            lanes.show_time(float(deck.index.time_us[deck.frame]) / 1e6)

    def enter() -> None:
        lanes.show()
        panel.enter()
        show_span()
        show_time()

    def leave() -> None:
        lanes.hide()
        panel.leave()

    def dress(worn: Theme) -> None:
        panel.dress(worn)
        lanes.dress(worn)

    replays.changed.connect(show_replay)
    deck.recording_changed.connect(show_replay)
    deck.frame_changed.connect(lambda _: show_time())
    trace.zoomed.connect(show_span)
    lanes.time_picked.connect(deck.playhead.seek_s)
    return Stage(
        "outcome", tr("Outcome"), "export", "F10", tr("Say what an alarm leads to, and see what it costs"), panel,
        enter=enter, leave=leave, dress=dress, close=panel.close_worker,
    )  # fmt: skip
