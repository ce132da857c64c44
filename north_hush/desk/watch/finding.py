"""Find a camera: those that answer in the network, the streams one offers, and a picture of each before it is added."""

from __future__ import annotations

import json
import tempfile
from typing import Any
from urllib.parse import quote

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from north_hush.core.words import tr
from north_hush.desk.look.panel import Saying, form_row, muted
from north_hush.desk.workers.commands import Command

_PICTURE = QSize(320, 180)
_WHICH = Qt.ItemDataRole.UserRole


class FindCamera(QDialog):
    """Looks around when it is opened. `address` and `password` are what was chosen, as the form for cameras takes them."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Find a camera"))
        self.address, self.password, self.name = "", "", ""
        self._pictures = tempfile.TemporaryDirectory(prefix="north-hush-cameras-")
        self.looking, self.asking = Command(self), Command(self)
        self.devices = QListWidget(accessibleName=tr("Cameras that answer"), toolTip=tr("Choose one, and ask it"))
        self.devices.setMaximumHeight(110)
        self.again = QPushButton(tr("Look again"), toolTip=tr("Ask in the network which cameras there are"))
        self.host = QLineEdit(
            placeholderText=tr("10.0.0.7"), accessibleName=tr("Camera to ask"),
            toolTip=tr("A camera that does not answer by itself: its host, or the address of its device service"),
        )  # fmt: skip
        self.user = QLineEdit(accessibleName=tr("User"), toolTip=tr("Who may see its picture"))
        self.secret = QLineEdit(echoMode=QLineEdit.EchoMode.Password, accessibleName=tr("Password"))
        self.ask = QPushButton(tr("Ask for its streams"), toolTip=tr("Size, rate and codec of each, and a picture"))
        self.streams = QListWidget(accessibleName=tr("Streams"), toolTip=tr("Choose one to see its picture"))
        self.streams.setMaximumHeight(90)
        self.picture = QLabel(accessibleName=tr("Picture of the stream"), alignment=Qt.AlignmentFlag.AlignCenter)
        self.picture.setFixedSize(_PICTURE)
        self.analyse = QComboBox(accessibleName=tr("Analyse"), toolTip=tr("A smaller stream costs less"))
        self.record = QComboBox(accessibleName=tr("Record"), toolTip=tr("What clips are made of"))
        self.said = Saying()
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        self.buttons.accepted.connect(self._take)
        self.buttons.rejected.connect(self.reject)
        self._lay_out()
        self.again.clicked.connect(self.look)
        self.devices.currentItemChanged.connect(self._on_device)
        self.ask.clicked.connect(self._ask)
        self.host.returnPressed.connect(self._ask)
        self.streams.currentItemChanged.connect(self._show_picture)
        self.looking.ended.connect(self._on_found)
        self.asking.ended.connect(self._on_streams)
        self._show_streams([])
        self.look()

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        top = QHBoxLayout()
        top.addWidget(muted(tr("In the network")), 1)
        top.addWidget(self.again)
        column.addLayout(top)
        column.addWidget(self.devices)
        for label, field in ((tr("Camera"), self.host), (tr("User"), self.user), (tr("Password"), self.secret)):
            column.addLayout(form_row(label, field))
        column.addWidget(self.ask)
        column.addWidget(self.streams)
        column.addWidget(self.picture, 0, Qt.AlignmentFlag.AlignHCenter)
        for label, box in ((tr("Analyse"), self.analyse), (tr("Record"), self.record)):
            column.addLayout(form_row(label, box))
        column.addWidget(self.said)
        column.addWidget(self.buttons)

    # --- the network --------------------------------------------------------------------------------------------------

    def look(self) -> None:
        """Ask which cameras there are."""
        self.said.tell(tr("Looking for cameras…"))
        self.devices.clear()
        self.looking.start("cameras", "--json")

    def _on_found(self, well: bool, printed: str, error: str) -> None:
        found: list[dict[str, Any]] = json.loads(printed)["devices"] if well else []
        for device in found:
            item = QListWidgetItem(f"{device['name'] or device['address']}  {device['hardware']}".strip())
            item.setToolTip(device["address"])
            item.setData(_WHICH, device)
            self.devices.addItem(item)
        self.said.tell(
            error if not well else "" if found else tr("No camera answers. Ask one by its address."), wrong=not well
        )

    def _on_device(self) -> None:
        item = self.devices.currentItem()
        if item is not None:
            device = item.data(_WHICH)
            self.host.setText(device["address"])
            self.name = device["name"]

    # --- one camera ---------------------------------------------------------------------------------------------------

    def _ask(self) -> None:
        host, user = self.host.text().strip(), self.user.text().strip()
        if not host:
            self.said.tell(tr("Choose a camera, or type its address."), wrong=True)
            return
        self.said.tell(tr("Asking {host}…", host=host))
        self._show_streams([])
        self.asking.start(
            "cameras", "--at", host, "--user", user, "--pictures", self._pictures.name, "--json",
            typed=f"{self.secret.text()}\n" if user else "",
        )  # fmt: skip

    def _on_streams(self, well: bool, printed: str, error: str) -> None:
        self.said.tell(error, wrong=True)
        self._show_streams(json.loads(printed)["streams"] if well else [])

    def _show_streams(self, streams: list[dict[str, Any]]) -> None:
        for box in (self.streams, self.analyse, self.record):
            box.clear()
        self.picture.clear()
        for stream in streams:
            words = tr(
                "{name}: {width} × {height}, {frames_per_s:g} frames/s, {codec}",
                name=stream["name"], width=stream["width"], height=stream["height"],
                frames_per_s=stream["frames_per_s"], codec=stream["codec"],
            )  # fmt: skip
            item = QListWidgetItem(words)
            item.setData(_WHICH, stream)
            item.setToolTip(stream.get("error", stream["address"]))
            self.streams.addItem(item)
            for box, use in ((self.analyse, "analyse"), (self.record, "record")):
                box.addItem(words, stream["address"])
                if stream[use]:
                    box.setCurrentIndex(box.count() - 1)
        self.streams.setCurrentRow(0)
        for box in (self.streams, self.analyse, self.record):
            box.setEnabled(bool(streams))
        self.buttons.button(QDialogButtonBox.StandardButton.Ok).setEnabled(bool(streams))

    def _show_picture(self) -> None:
        item = self.streams.currentItem()
        stream = item.data(_WHICH) if item is not None else {}
        shown = QPixmap(stream["picture"]) if "picture" in stream else QPixmap()
        if shown.isNull():
            self.picture.setText(tr("no picture") if stream else "")
            return
        keep, smooth = Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
        self.picture.setPixmap(shown.scaled(_PICTURE, keep, smooth))

    def _take(self) -> None:
        """Put the addresses together; the user stands in them, the password does not."""
        chosen = dict.fromkeys((self.analyse.currentData(), self.record.currentData()))
        user = quote(self.user.text().strip(), safe="")
        self.address = " ".join(held.replace("://", f"://{user}@", 1) if user else held for held in chosen)
        self.password = self.secret.text()
        self.accept()

    def done(self, result: int) -> None:
        """Whatever runs is ended, and the pictures go."""
        self.looking.close()
        self.asking.close()
        self._pictures.cleanup()
        super().done(result)
