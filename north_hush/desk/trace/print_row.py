"""The row of the wire print above the lanes: shown while it is wanted, and saved as a picture."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QFileDialog, QWidget

from north_hush.core.detect.lane import Lane
from north_hush.core.errors import HushError
from north_hush.core.footage.evidence import Evidence
from north_hush.core.site.whole import write_whole
from north_hush.core.words import tr
from north_hush.desk.deck import Deck
from north_hush.desk.look.roles import Theme
from north_hush.desk.session import Session
from north_hush.desk.trace.stack import LaneStack
from north_hush.desk.trace.wire_print import PRINT_LEAST_PX, PrintMaker, PrintPlot
from north_hush.desk.workers.background import Background


class PrintRow(QObject):
    """The print of the wire that is meant, with its alarms marked."""

    time_picked = Signal(float)

    def __init__(self, session: Session, deck: Deck, stack: LaneStack, parent: QWidget) -> None:
        super().__init__(parent)
        self._session, self._deck, self._stack, self._over = session, deck, stack, parent
        self._files = Background(("png",), self)
        self.maker = PrintMaker(session, deck, self)
        self.plot: PrintPlot | None = None

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        if self.plot is not None:
            self.plot.dress(theme)

    @property
    def _lane(self) -> Lane | None:
        wire = self.maker.wire
        return next((lane for lane in self._deck.lanes if wire is not None and lane.zone_id == wire.id), None)

    def refresh(self, evidence: Evidence, theme: Theme) -> None:
        """Show the print, or how far it is; take it off when it is not wanted."""
        maker, wire = self.maker, self.maker.wire
        if not maker.shown or wire is None:
            if self.plot is not None:
                self._stack.graphics.removeItem(self.plot)
                self.plot = None
                self._stack.set_above(0)
            return
        if self.plot is None:
            self.plot = PrintPlot(theme)
            self.plot.time_picked.connect(self.time_picked)
            self._stack.graphics.addItem(self.plot, row=1, col=0)
            self.plot.box.setXLink(self._stack.lanes[0].box)
            self._stack.set_above(PRINT_LEAST_PX + 4)
        seconds, lane = evidence.seconds, self._lane
        marks = [(float(seconds[held.marked_frame]), held.direction) for held in lane.alarms] if lane else []
        self.plot.item.show_print(maker.picture, seconds, maker.striking, marks, theme)
        self.plot.say(
            tr("{letter}  {name}, print", letter=wire.letter, name=wire.name)
            if maker.picture is not None
            else tr("Making the print of {name}: {share_done:.0%}", name=wire.name, share_done=maker.share_done)
        )

    def save(self) -> None:
        """Ask where to, and write the print with its alarms marked as PNG."""
        maker, recording, lane = self.maker, self._deck.recording, self._lane
        if maker.wire is None or lane is None or recording is None or maker.picture is None:
            return
        start = self._session.path.with_name(f"{Path(recording.path).stem}-{maker.wire.letter}.png")
        name, _ = QFileDialog.getSaveFileName(self._over, tr("Save the wire print"), str(start))
        if name:
            frames = [alarm.start_frame for alarm in lane.alarms]
            self._files.order("png", lambda: _write(Path(name), maker.png(frames)), lambda _: None, maker.failed.emit)

    def close(self) -> None:
        """End what runs in the background."""
        self.maker.close()
        self._files.close()


def _write(path: Path, data: bytes | None) -> None:
    try:
        write_whole(path, data or b"")
    except OSError as error:
        raise HushError(
            str(path), tr("cannot be written ({strerror}).", strerror=error.strerror), tr("Choose another place.")
        ) from error
