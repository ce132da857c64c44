"""Watch stage: start and stop, what happened, and cameras."""

from __future__ import annotations

import json
import os
import tempfile
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from north_hush.core.errors import HushError
from north_hush.core.outcome.passwords import keep_password
from north_hush.core.site import edits
from north_hush.core.site.cameras import camera_of
from north_hush.core.site.file import stored_path
from north_hush.core.site.model import Site, View
from north_hush.core.watch.eye import HoursNow
from north_hush.core.watch.sources import now_us
from north_hush.desk.look.panel import Saying, form_row, muted, rule, stage_title, wrapped
from north_hush.desk.session import Session
from north_hush.desk.watch.board import WatchBoard
from north_hush.desk.watch.standing import CameraStanding
from north_hush.desk.workers.commands import Command

_SHOWN_MOST = 500
_WORDS = {
    "alarm_start": "alarm", "alarm_end": "alarm over", "clip": "clip", "picture": "picture is there",
    "notice": "message", "sent": "message sent", "fault": "fault", "end": "ended",
}  # fmt: skip
_ARMED_MS = 5000


class WatchPanel(QWidget):
    """Right panel of the Watch stage; the board stands where the picture stood. The service is a process of its own."""

    def __init__(self, session: Session, board: WatchBoard, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self.board = session, board
        self.service = Command(self)
        self.service.said.connect(self._on_line)
        self.service.ended.connect(self._on_ended)
        self._pictures: tempfile.TemporaryDirectory[str] | None = None
        self.cameras: dict[str, CameraStanding] = {}
        self.start = QPushButton(
            "Watch", toolTip="Watch all cameras of the site, record and tell by the rules of Outcome"
        )
        self.start.clicked.connect(self._on_start)
        self.state = wrapped(muted(""))
        self.events = QListWidget(
            toolTip="What happened, the newest first. Return or a double click on a clip opens it"
        )
        self.events.setAccessibleName("What happened")
        self.events.itemActivated.connect(self._on_activated)
        self.name = QLineEdit(placeholderText="Slipway", accessibleName="Name of the camera")
        self.address = QLineEdit(
            placeholderText="rtsp://user@host/path", accessibleName="Address of the camera",
            toolTip="rtsp://, http:// (MJPEG), /dev/video0, or a recording that is played as if it were live",
        )  # fmt: skip
        self.password = QLineEdit(echoMode=QLineEdit.EchoMode.Password, accessibleName="Password of the camera")
        self.add = QPushButton(
            "Add camera", toolTip="Add it as a view; its picture is drawn and tuned on like any other"
        )
        self.add.clicked.connect(self._on_add)
        self.said = Saying()
        self._calm = QTimer(self, interval=_ARMED_MS)
        self._calm.timeout.connect(self._show)
        self.opened: Callable[[str], None] = lambda recording: None
        """Called with the id of a recording that was made of a clip."""
        self._lay_out()
        for changed in (session.changed, session.view_changed):
            changed.connect(self.refresh)

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 8)
        column.setSpacing(8)
        top = QHBoxLayout()
        top.addWidget(stage_title("Watch"))
        top.addStretch(1)
        top.addWidget(self.start)
        column.addLayout(top)
        column.addWidget(self.state)
        column.addWidget(self.events, 1)
        column.addWidget(rule())
        for label, field in (("Name", self.name), ("Address", self.address), ("Password", self.password)):
            column.addLayout(form_row(label, field))
        column.addWidget(self.add)
        column.addWidget(self.said)

    # --- showing ----------------------------------------------------------------------------------------------------

    def enter(self) -> None:
        """The stage is shown."""
        self.refresh()
        self._calm.start()

    def leave(self) -> None:
        """Another stage is shown; the service goes on."""
        self._calm.stop()

    def close_worker(self) -> None:
        """End the service with the window; its clips are closed."""
        self.service.close()
        if self._pictures is not None:
            self._pictures.cleanup()

    def _views(self) -> list[View]:
        return [view for view in self._session.site.views if view.camera is not None]

    def refresh(self) -> None:
        """Show the site's cameras."""
        if not self.isVisible():
            return
        views = self._views()
        self.cameras = {view.id: self.cameras.get(view.id, CameraStanding(view.name)) for view in views}
        self.start.setEnabled(bool(views))
        self.start.setText("Stop" if self.service.running else "Watch")
        self._show()

    def _show(self) -> None:
        running = self.service.running
        armed = {view.id: self._armed(view) for view in self._views()}
        self.board.running = running
        self.board.show_cameras(self.cameras, armed)
        alarms = sum(held.alarmed for held in self.cameras.values())
        lost = sum(not held.picture for held in self.cameras.values())
        if not running:
            self.state.setText("Nobody watches. What was recorded stays beside the site.")
        else:
            told = [f"{len(self.cameras)} camera{'' if len(self.cameras) == 1 else 's'}"]
            told.append(f"{alarms} in alarm" if alarms else "all quiet")
            told += [f"{lost} without a picture"] if lost else []
            self.state.setText(", ".join(told) + ".")

    def _armed(self, view: View) -> bool:
        """Whether anything of a view is armed now."""
        hours = HoursNow(view, self._session.site.clock, "armed")
        try:
            return any(hours.hold(watcher.id, now_us()) for watcher in view.watchers) or not view.watchers
        except HushError:
            return True

    # --- the service ------------------------------------------------------------------------------------------------

    def _on_start(self) -> None:
        if self.service.running:
            self.service.stop()
            self.cameras = {view: CameraStanding(held.view) for view, held in self.cameras.items()}
            self.refresh()
            return
        error = self._session.flush()
        if error is not None:
            self.said.tell(str(error), wrong=True)
            return
        self.said.tell("")
        if self._pictures is None:
            base = os.environ.get("XDG_RUNTIME_DIR")
            where = base if base and Path(base).is_dir() else None
            self._pictures = tempfile.TemporaryDirectory(prefix="north-hush-watch-", dir=where)
        self.board.folder = Path(self._pictures.name)
        self.service.start("watch", self._session.path, "--json", "--states", "--previews", self._pictures.name)
        self.refresh()

    def _on_line(self, line: str) -> None:
        try:
            event = json.loads(line)
        except ValueError:
            return
        view = next((held for held in self._views() if held.name == event["view"]), None)
        if view is None:
            return
        names = {held.id: held.name for held in view.watchers}
        self.cameras[view.id] = self.cameras.get(view.id, CameraStanding(view.name)).after(event, names)
        if event["what"] not in ("state", "clip_start"):
            self._list(event, names)
            if event["what"] == "alarm_start":
                QApplication.beep()
        self._show()

    def _list(self, event: dict[str, Any], names: dict[str, str]) -> None:
        at = datetime.fromisoformat(event["time_utc"]).astimezone(self._session.site.zone)
        words = [_WORDS.get(event["what"], event["what"]), names.get(event["item"], "")]
        words += [str(event[name]) for name in ("fault", "said", "way", "why") if event.get(name)]
        item = QListWidgetItem(f"{at:%H:%M:%S}  {event['view']}  " + ", ".join(filter(None, words)))
        item.setToolTip(item.text())
        item.setData(Qt.ItemDataRole.UserRole, event)
        self.events.insertItem(0, item)
        while self.events.count() > _SHOWN_MOST:
            self.events.takeItem(self.events.count() - 1)

    def _on_ended(self, well: bool, printed: str, error: str) -> None:
        if not well:
            self.said.tell(error or "The service ended without a word.", wrong=True)
        now = datetime.now(UTC)
        self.cameras = {view: CameraStanding(held.view, since=now) for view, held in self.cameras.items()}
        self.refresh()

    def _on_activated(self, item: QListWidgetItem) -> None:
        """Put a clip into its view as a recording, and open it."""
        event = item.data(Qt.ItemDataRole.UserRole)
        if event["what"] != "clip" or not event.get("file"):
            self.said.tell("Only clips can be opened.")
            return
        path = Path(event["file"])
        if not path.exists():
            self.said.tell(f"{path}: is not there any more.", wrong=True)
            return
        view = next((held for held in self._views() if held.name == event["view"]), None)
        if view is None:
            return
        stored, view_id = stored_path(path, self._session.path), view.id
        known = next((held.id for held in view.recordings if held.path == stored), None)
        if known is None:
            taken = datetime.fromisoformat(event["start_utc"])

            def add(site: Site) -> Site:
                site = edits.add_recording(site, view_id, stored)
                return edits.change_recording(site, view_id, site.view(view_id).recordings[-1].id, taken_at=taken)

            if not self._session.do("Open a clip", add):
                return
            known = self._session.site.view(view_id).recordings[-1].id
        self._session.show_view(view_id)
        self.opened(known)

    # --- cameras ----------------------------------------------------------------------------------------------------

    def _on_add(self) -> None:
        """Add a camera as a view; an empty first view takes it."""
        try:
            name, camera, password = camera_of(f"{self.name.text().strip()}={self.address.text().strip()}")
            password = self.password.text() or password
            kept = self._keep_password(name, password) if password else ""
        except HushError as error:
            self.said.tell(f"{error.subject.removeprefix('--camera ')} {error.what} {error.remedy}".strip(), wrong=True)
            return
        views = self._session.site.views
        bare = next((held for held in views if held.camera is None and not held.recordings and not held.items), None)

        def add(site: Site) -> Site:
            site = edits.rename_view(site, bare.id, name) if bare is not None else edits.add_view(site, name)
            return edits.set_camera(site, bare.id if bare is not None else site.views[-1].id, camera)

        if self._session.do(f"Add camera {name}", add):
            for field in (self.name, self.address, self.password):
                field.clear()
            again = " It is watched from the next start on." if self.service.running else ""
            self.said.tell(f"Added.{kept}{again}")

    def _keep_password(self, name: str, password: str) -> str:
        """Keep it in the keyring; where there is none, in a file of one's own, and say so.

        Raises
        ------
        HushError : neither can be written.
        """
        try:
            keep_password(self._session.site.name, name, password)
        except HushError:
            where = keep_password(self._session.site.name, name, password, in_file=True)
            return f" This machine has no keyring: the password is kept {where}, for you alone."
        return ""
