"""Pictures of the recording that is on: its frames as they are looked at, small ones, and one for saving."""

from __future__ import annotations

from numpy import uint8
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from north_hush.core.footage.index import Footage
from north_hush.core.footage.options import Orientation
from north_hush.core.scene.items import Privacy
from north_hush.desk.workers.frames import FrameClient

PICTURE, DIFFERENCE, CELLS, RESTLESS = "picture", "difference", "cells", "restless"


class Pictures(QObject):
    """Asks a process of its own, of which there is one for each recording that is put on."""

    opened = Signal(object, str)
    """The index of the recording (FrameIndex), and its fingerprint."""
    shown = Signal(QImage, object)
    """The picture of the frame, and its difference to the frame before in grey levels while that is looked at, else None."""
    thumbnail = Signal(int, object, QImage)
    """Frame number, the box that was asked for, and the picture of it."""
    still = Signal(int, QImage)
    failed = Signal(object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._client: FrameClient | None = None
        self.kind = PICTURE

    def put_on(self, footage: Footage, orientation: Orientation | None, privacy: tuple[Privacy, ...]) -> None:
        """Begin with a recording; `opened` tells when it is there."""
        client = FrameClient(footage, orientation, self)
        client.opened.connect(self.opened)
        client.picture.connect(self._on_picture)
        client.thumbnail.connect(self.thumbnail)
        client.still.connect(self.still)
        client.cover(privacy)
        client.failed.connect(self.failed)
        client.start()
        self._client = client

    def take_off(self) -> None:
        """End the process; no answer of it arrives any more."""
        if self._client is not None:
            self._client.close()
            self._client.deleteLater()
            self._client = None

    def cover(self, privacy: tuple[Privacy, ...]) -> None:
        """Blank other places from now on."""
        if self._client is not None:
            self._client.cover(privacy)

    def show(self, frame: int, *, bare: bool) -> None:
        """Ask for a frame as it is looked at; `bare` shows what lies below privacy masks."""
        if self._client is not None:
            self._client.ask(frame, DIFFERENCE if self.kind == DIFFERENCE else PICTURE, bare=bare)

    def ask_thumbnail_of(self, frame: int, box: tuple[float, ...] | None = None) -> None:
        """Ask for a small picture of a frame, or of a box of it (left, top, right, bottom in fractions)."""
        if self._client is not None:
            self._client.ask(frame, "thumbnail", box=box)

    def ask_still(self, frame: int) -> None:
        """Ask for a frame for saving; privacy masks cover it whatever is shown."""
        if self._client is not None:
            self._client.ask(frame, "still")

    def _on_picture(self, frame: int, want: str, image: QImage, difference: NDArray[uint8] | None) -> None:
        if (want == DIFFERENCE) == (self.kind == DIFFERENCE):
            self.shown.emit(image, difference)
