"""The Hand over stage."""

from __future__ import annotations

from PySide6.QtGui import QPainter

from north_hush.core.words import tr
from north_hush.desk.handover.fitting import FittingWork
from north_hush.desk.handover.panel import HandoverPanel
from north_hush.desk.look.roles import Theme
from north_hush.desk.picture.canvas import Canvas
from north_hush.desk.stage import Desk, Stage


def handover_stage(desk: Desk, theme: Theme) -> Stage:
    """Bring the settings into a device, and the reasons to people. What the device will watch stands on the picture in dots."""
    work = FittingWork(desk.session, desk.scores, desk.window)
    panel = HandoverPanel(desk.session, desk.deck, desk.trace, desk.packing, work)
    worn = [theme]
    canvas = desk.picture.canvas

    def paint(painter: QPainter, on: Canvas) -> None:
        if panel.isVisible():
            work.paint(painter, on, worn[0])

    def dress(other: Theme) -> None:
        worn[0] = other
        canvas.update()

    canvas.layers.append(paint)
    work.changed.connect(canvas.update)

    def enter() -> None:
        panel.refresh()
        canvas.update()

    return Stage(
        "handover", tr("Hand over"), "handshake", "F11", tr("Bring the settings into the device, and the reasons to people"), panel,
        enter=enter, leave=canvas.update, dress=dress, close=panel.close_worker,
    )  # fmt: skip
