"""A picture of each view: the first frame of its newest recording, one view after the other."""

from __future__ import annotations

from PySide6.QtCore import QObject, Qt, QTimer, Signal
from PySide6.QtGui import QImage

from north_hush.core.errors import FootageError
from north_hush.core.site.file import find_recording
from north_hush.core.site.model import View
from north_hush.desk.session import Session
from north_hush.desk.workers.frames import FrameClient

_LONGEST_MS = 20_000
_WIDE_PX = 400
_SMOOTH = Qt.TransformationMode.SmoothTransformation


class ViewPictures(QObject):
    """Asks for pictures, those of the views named first going first; privacy masks cover them."""

    arrived = Signal(str, QImage)

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._client: FrameClient | None = None
        self._waiting: list[str] = []
        self._known: dict[str, object] = {}
        """What each picture shows: recording and masks; others are another picture."""
        self._late = QTimer(self, singleShot=True, interval=_LONGEST_MS)
        self._late.timeout.connect(self._next)

    def want(self, views: list[str]) -> None:
        """Have pictures of these views, in this order."""
        by_id = {view.id: view for view in self._session.site.views}
        self._waiting = [view for view in views if view in by_id and self._known.get(view) != _shown(by_id[view])]
        if self._client is None:
            self._next()

    @property
    def settled(self) -> bool:
        """True when none is waited for."""
        return self._client is None and not self._waiting

    def stop(self) -> None:
        """Ask for no more."""
        self._waiting = []
        self._end()

    def _next(self) -> None:
        self._end()
        while self._waiting:
            view = self._session.site.view(self._waiting.pop(0))
            self._known[view.id] = _shown(view)
            if not view.recordings:
                continue
            recording = view.recordings[-1]
            try:
                footage = find_recording(recording, self._session.path)
            except FootageError:
                continue  # its card says so
            client = FrameClient(footage, recording.orientation, self)
            client.opened.connect(lambda *_, client=client: client.ask(0, "picture"))
            client.picture.connect(lambda _frame, _want, image, _difference, view=view: self._take(view.id, image))
            client.failed.connect(lambda _: self._next())
            client.cover(view.privacy)
            client.start()
            self._client = client
            self._late.start()
            return

    def _take(self, view: str, image: QImage) -> None:
        self.arrived.emit(view, image.scaledToWidth(min(_WIDE_PX, image.width()), _SMOOTH))
        self._next()

    def _end(self) -> None:
        self._late.stop()
        if self._client is not None:
            client, self._client = self._client, None
            client.close()
            client.deleteLater()


def _shown(view: View) -> object:
    newest = view.recordings[-1] if view.recordings else None
    return None if newest is None else (newest.path, newest.orientation, view.privacy)
