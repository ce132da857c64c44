"""One view at an instant: the picture of whichever recording covers it."""

from __future__ import annotations

from datetime import datetime, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from north_hush.core.errors import FootageError, HushError
from north_hush.core.footage.index import FrameIndex
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.site.file import find_recording
from north_hush.core.site.model import View
from north_hush.core.site.timeline import Piece, Timeline
from north_hush.core.words import tr
from north_hush.desk.look.roles import Theme
from north_hush.desk.look.style import text_font
from north_hush.desk.workers.frames import FrameClient

_WORDS_PX = 24
_LEAST = QSize(160, 90 + _WORDS_PX)


class ViewPane(QWidget):
    """Keeps one decoder, for the recording that is shown; frames it is too slow for are left out. A double click opens that one."""

    opened = Signal(str, str, float)
    """A view and a recording of it, by id, and the second of it that is shown."""

    def __init__(self, view: View, site_path: Path, zone: ZoneInfo, theme: Theme) -> None:
        super().__init__()
        self._view, self._site_path, self._zone, self._theme = view, site_path, zone, theme
        self._piece: Piece | None = None
        self._client: FrameClient | None = None
        self._index: FrameIndex | None = None
        self._image: QImage | None = None
        self._wanted_us = 0
        """After the first frame of the recording."""
        self._asked: int | None = None
        self.frame: int | None = None
        """The one that is shown."""
        self._said = ""
        self.setMinimumSize(_LEAST)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(view.name)
        self.setToolTip(tr("A double click opens the view at this instant"))

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        self.update()

    def show_moment(self, timeline: Timeline, moment: datetime | None) -> None:
        """Show the view at an instant."""
        piece = None if moment is None else timeline.covering(moment)
        if piece != self._piece:
            self._put_on(piece)
        if piece is None or moment is None:
            undated = timeline.undated and not timeline.pieces
            self._say(tr("nobody knows when its footage was taken") if undated else tr("no footage at this time"))
            return
        self._wanted_us = round((moment - piece.start) / timedelta(microseconds=1))
        self._ask()

    @property
    def settled(self) -> bool:
        """True when it shows what it should, or cannot."""
        return self._client is None or (self._index is not None and self._asked is None)

    def close_worker(self) -> None:
        """End the decoder."""
        if self._client is not None:
            client, self._client = self._client, None
            client.close()
            client.deleteLater()

    @property
    def said(self) -> str:
        """What stands in its line, beside the name."""
        if self._said or self.frame is None or self._index is None or self._piece is None:
            return self._said
        at = self._piece.start + timedelta(microseconds=int(self._index.time_us[self.frame]))
        return f"{at.astimezone(self._zone):%H:%M:%S}.{at.microsecond // 100_000}"

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self._piece is not None and event.button() == Qt.MouseButton.LeftButton:
            self.opened.emit(self._view.id, self._piece.recording, self._wanted_us / US_PER_S)

    # --- the decoder --------------------------------------------------------------------------------------------------

    def _put_on(self, piece: Piece | None) -> None:
        self.close_worker()
        self._piece, self._index, self._image, self._asked, self.frame = piece, None, None, None, None
        if piece is None:
            return
        recording = next(held for held in self._view.recordings if held.id == piece.recording)
        try:
            footage = find_recording(recording, self._site_path)
        except FootageError as error:
            self._say(str(error))
            return
        self._say(tr("opening…"))
        client = self._client = FrameClient(footage, recording.orientation, self)
        client.opened.connect(self._opened)
        client.picture.connect(self._take)
        client.failed.connect(self._failed)
        client.cover(self._view.privacy)
        client.start()

    def _opened(self, index: FrameIndex, _: str) -> None:
        self._index = index
        self._ask()

    def _ask(self) -> None:
        """Ask for the frame of now, once the one before has come."""
        if self._client is None or self._index is None or self._asked is not None:
            return
        frame = max(0, int(np.searchsorted(self._index.time_us, self._wanted_us, side="right")) - 1)
        if frame != self.frame:
            self._asked = frame
            self._client.ask(frame, "picture")

    def _take(self, frame: int, _want: str, image: QImage, _difference: object) -> None:
        if frame == self._asked:
            self._asked, self.frame, self._image = None, frame, image
            self._say("")
            self._ask()

    def _failed(self, error: HushError) -> None:
        self.close_worker()
        self._say(str(error))

    # --- painting -----------------------------------------------------------------------------------------------------

    def _say(self, text: str) -> None:
        self._said = text
        self.setAccessibleDescription(self.said)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        room = QRectF(0, 0, self.width(), self.height() - _WORDS_PX)
        painter.fillRect(self.rect(), QColor(theme.surface))
        if self._image is not None:
            size = self._image.size().scaled(room.size().toSize(), Qt.AspectRatioMode.KeepAspectRatio)
            corner = room.center() - QPointF(size.width() / 2, size.height() / 2)
            painter.drawImage(QRectF(corner, size), self._image)
        line = QRectF(8, room.bottom(), self.width() - 16, _WORDS_PX)
        painter.setFont(text_font(13, bold=True))
        painter.setPen(QColor(theme.text))
        name = painter.fontMetrics().elidedText(self._view.name, Qt.TextElideMode.ElideRight, round(line.width() / 2))
        painter.drawText(line, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, name)
        painter.setFont(text_font(13))
        painter.setPen(QColor(theme.muted))
        rest = line.adjusted(painter.fontMetrics().horizontalAdvance(name) + 24, 0, 0, 0)
        said = painter.fontMetrics().elidedText(self.said, Qt.TextElideMode.ElideRight, round(rest.width()))
        painter.drawText(rest, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, said)
