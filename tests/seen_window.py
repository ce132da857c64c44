"""The window with the parts of its stages by name, for tests and pictures."""

from __future__ import annotations

from north_hush.desk.judge.map import MapWindow
from north_hush.desk.judge.placing import Placing
from north_hush.desk.tune.because import BecauseCard
from north_hush.desk.window import Window


class SeenWindow(Window):
    """Nothing but names, in the size it has on a screen that is large enough."""

    def __init__(self, *args):
        super().__init__(*args)
        self.resize(1280, 800)

    @property
    def footage(self):
        return self.stages.panel("footage")

    @property
    def draw(self):
        return self.stages.panel("draw")

    @property
    def tune(self):
        return self.stages.panel("tune")

    @property
    def judge(self):
        return self.stages.panel("judge")

    @property
    def outcome(self):
        return self.stages.panel("outcome")

    @property
    def handover(self):
        return self.stages.panel("handover")

    @property
    def watch(self):
        return self.stages.panel("watch")

    @property
    def map(self):
        return self.findChild(MapWindow)

    @property
    def because(self):
        return self.picture.canvas.findChild(BecauseCard)

    @property
    def placing(self):
        return self.judge.findChild(Placing)
