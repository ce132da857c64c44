"""The Hours stage."""

from __future__ import annotations

from north_hush.core.words import tr
from north_hush.desk.hours.panel import HoursPanel
from north_hush.desk.look.roles import Theme
from north_hush.desk.stage import Desk, Stage


def hours_stage(desk: Desk, theme: Theme) -> Stage:
    """Say when alarms count, footage is kept and people are told; the week stands where the picture stood."""
    panel = HoursPanel(desk.session, desk.deck, desk.scores, desk.comparison, desk.picture, theme)
    return Stage(
        "hours", tr("Hours"), "clock", "F9", tr("Say when alarms count, footage is kept and people are told"), panel,
        board=panel.table, enter=panel.enter, leave=panel.leave, dress=panel.dress, close=panel.close_worker,
    )  # fmt: skip
