"""What changed since: two recordings of a view side by side, what they were like, and what to tune again."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QImage, QPixmap
from PySide6.QtWidgets import QComboBox, QDialog, QGridLayout, QLabel, QVBoxLayout, QWidget

from north_hush.core.errors import FootageError
from north_hush.core.site.file import find_recording
from north_hush.core.site.recording import Recording
from north_hush.core.words import number, tr
from north_hush.desk.look.panel import Saying, muted
from north_hush.desk.session import Session
from north_hush.desk.workers.commands import Command
from north_hush.desk.workers.frames import FrameClient

_PICTURE = QSize(300, 170)
_ROWS = (
    ("luma_grey", tr("Brightness, grey levels"), ".0f"), ("noise_grey", tr("Noise, grey levels"), ".2f"),
    ("restless_percent", tr("Restless, % of the view"), ".1f"), ("alarms_an_hour", tr("Alarms an hour"), ".0f"),
    ("nuisances_an_hour", tr("Nuisances an hour"), ".0f"), ("quiet_percent", tr("Quiet time in alarm, %"), ".1f"),
)  # fmt: skip


class SinceDialog(QDialog):
    """Compares the oldest with the newest recording, until others are chosen."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("What changed since"))
        self._session = session
        self._clients: list[FrameClient | None] = [None, None]
        self.asking = Command(self)
        self.asking.ended.connect(self._on_told)
        self.boxes = [QComboBox(accessibleName=words) for words in (tr("Earlier recording"), tr("Later recording"))]
        self.pictures = [QLabel(alignment=Qt.AlignmentFlag.AlignCenter) for _ in self.boxes]
        self.values = {field: (QLabel(""), QLabel("")) for field in ("met", *(row[0] for row in _ROWS))}
        self.said = Saying()
        grid = QGridLayout()
        for column, (box, picture) in enumerate(zip(self.boxes, self.pictures, strict=True), start=1):
            box.setToolTip(tr("A recording of this view"))
            for recording in session.view.recordings:
                box.addItem(Path(recording.path).stem, recording.path)
            picture.setFixedSize(_PICTURE)
            picture.setAccessibleName(tr("Picture of it"))
            grid.addWidget(box, 0, column)
            grid.addWidget(picture, 1, column)
        for row, (field, words) in enumerate((("met", tr("Incidents met")), *(held[:2] for held in _ROWS)), start=2):
            grid.addWidget(muted(words), row, 0)
            for column, label in enumerate(self.values[field], start=1):
                grid.addWidget(label, row, column, Qt.AlignmentFlag.AlignHCenter)
        whole = QVBoxLayout(self)
        whole.addLayout(grid)
        whole.addWidget(self.said)
        self.boxes[1].setCurrentIndex(len(session.view.recordings) - 1)
        for place, box in enumerate(self.boxes):
            box.activated.connect(lambda _, place=place: self._chosen(place))
        self._show_picture(0)
        self._show_picture(1)
        self._ask()

    def _chosen(self, place: int) -> None:
        self._show_picture(place)
        self._ask()

    def _ask(self) -> None:
        self.said.tell(tr("Comparing…"))
        before, after = (box.currentData() for box in self.boxes)
        view = self._session.view.id
        self.asking.start("since", self._session.path, "--view", view, "--before", before, "--after", after, "--json")

    def _on_told(self, well: bool, printed: str, error: str) -> None:
        if not well:
            self.said.tell(error or tr("It ended without a word."), wrong=True)
            return
        told: dict[str, Any] = json.loads(printed)
        for column, side in enumerate(("before", "after")):
            held = told[side]
            self.values["met"][column].setText(tr("{met} of {incidents}", met=held["met"], incidents=held["incidents"]))
            for field, _, spec in _ROWS:
                value = held[field]
                self.values[field][column].setText("–" if value is None else number(float(value), spec))
        self.said.tell("\n".join(told["said"]))

    def _show_picture(self, place: int) -> None:
        """The middle frame of a recording."""
        self._end(place)
        path, view = self.boxes[place].currentData(), self._session.view
        recording: Recording = next(held for held in view.recordings if held.path == path)
        try:
            footage = find_recording(recording, self._session.path)
        except FootageError as error:
            self.pictures[place].setText(tr("no picture"))
            self.said.tell(str(error), wrong=True)
            return
        client = self._clients[place] = FrameClient(footage, recording.orientation, self)
        client.opened.connect(lambda index, _: client.ask(index.frames // 2, "picture"))
        client.picture.connect(lambda _frame, _want, image, _difference: self._take(place, image))
        client.failed.connect(lambda _: self.pictures[place].setText(tr("no picture")))
        client.cover(view.privacy)
        client.start()

    def _take(self, place: int, image: QImage) -> None:
        keep, smooth = Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
        self.pictures[place].setPixmap(QPixmap.fromImage(image).scaled(_PICTURE, keep, smooth))
        self._end(place)

    def _end(self, place: int) -> None:
        client, self._clients[place] = self._clients[place], None
        if client is not None:
            client.close()
            client.deleteLater()

    def done(self, result: int) -> None:
        """Whatever runs is ended."""
        self.asking.close()
        for place in range(2):
            self._end(place)
        super().done(result)
