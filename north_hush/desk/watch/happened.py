"""What happened while cameras are watched, the newest first."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QListWidget, QListWidgetItem

from north_hush.core.words import tr
from north_hush.desk.watch.words import FAULT_WORDS

_SHOWN_MOST = 500
_WORDS = {
    "alarm_start": tr("alarm"), "alarm_end": tr("alarm over"), "clip": tr("clip"), "picture": tr("picture is there"),
    "footage": tr("footage"), "notice": tr("message"), "sent": tr("message sent"), "fault": tr("fault"), "end": tr("ended"),
    "mended": tr("mended"), "reply": tr("reply"), "shade_on": tr("runs in the shade"),
    "arm": tr("armed by hand"), "disarm": tr("not armed by hand"), "hours": tr("as the hours say"), "walk": tr("walk test"),
    "opened": tr("opened from its notice"),
}  # fmt: skip

_SAID = ("fault", "said", "way", "why", "text", "act", "tuning")
"""What of an event is said after its name."""


class Happened(QListWidget):
    """A line for each event; clips and footage can be opened and kept."""

    opening = Signal(QListWidgetItem)
    keeping = Signal(QListWidgetItem)

    def __init__(self) -> None:
        super().__init__(toolTip=tr("What happened, the newest first. Return or a double click on a clip opens it"))
        self.setAccessibleName(tr("What happened"))
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)  # the whole line is in its tip
        self.itemActivated.connect(self.opening)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)
        for words, wanted in (
            (tr("Open in Judge"), self.opening),
            (tr("Keep, whatever its age"), self.keeping),
        ):
            action = QAction(words, self)
            action.triggered.connect(lambda _=False, wanted=wanted: wanted.emit(self.currentItem()))
            self.addAction(action)

    def tell(self, event: Mapping[str, Any], names: Mapping[str, str], zone: ZoneInfo) -> None:
        """Add an event; `names` are those of the items of its view, by id."""
        if event["what"] == "shade":
            return  # counted alone
        at = datetime.fromisoformat(event["time_utc"]).astimezone(zone)
        words = [_WORDS.get(event["what"], event["what"]), names.get(event["item"], "")]
        words += [FAULT_WORDS.get(str(event[name]), str(event[name])) for name in _SAID if event.get(name)]
        item = QListWidgetItem(f"{at:%H:%M:%S}  {event['view']}  " + ", ".join(filter(None, words)))
        item.setToolTip(item.text())
        item.setData(Qt.ItemDataRole.UserRole, event)
        self.insertItem(0, item)
        while self.count() > _SHOWN_MOST:
            self.takeItem(self.count() - 1)
