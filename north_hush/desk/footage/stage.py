"""The Footage stage."""

from __future__ import annotations

from north_hush.core.words import tr
from north_hush.desk.footage.panel import FootagePanel
from north_hush.desk.look.roles import Theme
from north_hush.desk.stage import Desk, Stage


def footage_stage(desk: Desk, theme: Theme) -> Stage:
    """Bring in recordings and check them."""
    panel = FootagePanel(desk.session, desk.deck, desk.sight, theme)
    panel.add_wanted.connect(desk.intake.choose_recordings)
    panel.add_folder_wanted.connect(desk.intake.choose_folder)
    panel.locate_wanted.connect(desk.intake.locate_recording)
    return Stage(
        "footage", tr("Footage"), "film-strip", "F5", tr("Bring in recordings and check them"), panel,
        dress=panel.dress, close=panel.close_workers,
    )  # fmt: skip
