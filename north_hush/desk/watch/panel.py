"""Watch stage: start and stop, what is done by hand, what happened, and cameras."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from PySide6.QtCore import QSettings, Qt, QTimer
from PySide6.QtWidgets import (
    QApplication,
    QCheckBox,
    QHBoxLayout,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from north_hush.core.errors import HushError
from north_hush.core.site.model import View
from north_hush.core.watch.control import Order, pictures_folder
from north_hush.core.watch.eye import HoursNow
from north_hush.core.watch.retention import hold
from north_hush.core.watch.sources import now_us
from north_hush.core.words import tr, trn
from north_hush.desk.look.panel import Saying, muted, rule, stage_title, wrapped
from north_hush.desk.session import Session
from north_hush.desk.watch.acts import HandActs
from north_hush.desk.watch.adding import CameraForm
from north_hush.desk.watch.board import WatchRoom
from north_hush.desk.watch.happened import Happened
from north_hush.desk.watch.link import ServiceLink
from north_hush.desk.watch.recorded import of_last, put_in, recording_of
from north_hush.desk.watch.shades import ShadeRow
from north_hush.desk.watch.standing import CameraStanding
from north_hush.desk.watch.walks import WalkOffer

_CALM_MS = 5000
_DAY_HOURS, _REVIEWED_HOURS = 24, 24 * 8


class WatchPanel(QWidget):
    """Right panel of the Watch stage; the board stands where the picture stood. The service is a process of its own, which may have
    been started before the window and may go on after it."""

    def __init__(self, session: Session, room: WatchRoom, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self.room, self.board = session, room, room.board
        self.service = ServiceLink(self)
        self.service.said.connect(self._on_event)
        self.service.began.connect(self.refresh)
        self.service.ended.connect(self._on_ended)
        self.cameras: dict[str, CameraStanding] = {}
        self.start = QPushButton(
            tr("Watch"), toolTip=tr("Watch all cameras of the site, record and tell by the rules of Outcome")
        )
        self.start.clicked.connect(self._on_start)
        self.state = wrapped(muted(""))
        self._settings = QSettings("north-hush", "north-hush")
        self.goes_on = QCheckBox(
            tr("Goes on when the window is closed"),
            toolTip=tr("Else it ends with the window. north-hush control SITE stop ends it without one"),
        )
        self.goes_on.setChecked(self._settings.value("watch_goes_on") == "yes")
        self.goes_on.toggled.connect(lambda on: self._settings.setValue("watch_goes_on", "yes" if on else "no"))
        self.acts = HandActs()
        self.acts.wanted.connect(self._on_wanted)
        self.acts.which.currentIndexChanged.connect(lambda _: self._show())
        self.events = Happened()
        self.events.opening.connect(self._on_activated)
        self.events.keeping.connect(self._hold)
        self.last_day = QPushButton(
            tr("Last day to Tune"),
            toolTip=tr("Put what was recorded of the camera in the last 24 hours into its view, analysed already"),
        )
        self.last_day.clicked.connect(self._on_last_day)
        self.review = QPushButton(
            tr("Review"),
            checkable=True,
            toolTip=tr("All cameras on one time line: what happened, and the footage of it"),
        )
        self.walked = WalkOffer(session)
        self.shade = ShadeRow()
        self.form = CameraForm(session)
        self.said = Saying()
        self._calm = QTimer(self, interval=_CALM_MS)
        self._calm.timeout.connect(self._on_calm)
        self.opened: Callable[[str, str], None] = lambda recording, stage: None
        """Called with the id of a recording that is to be looked at, and in which stage."""
        self.wanted: Callable[[str], None] = lambda view: None
        """Called with the id of a view whose notice was pressed: it is to come to the front."""
        self._lay_out()
        for changed in (session.changed, session.view_changed):
            changed.connect(self.refresh)

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 8)
        column.setSpacing(8)
        top = QHBoxLayout()
        top.addWidget(stage_title(tr("Watch")))
        top.addStretch(1)
        top.addWidget(self.start)
        column.addLayout(top)
        for part in (self.state, self.goes_on, rule(), self.acts, self.said, self.walked, self.shade, rule()):
            column.addWidget(part)
        column.addWidget(self.events, 1)
        row = QHBoxLayout()
        row.addWidget(self.last_day, 1)
        row.addWidget(self.review)
        column.addLayout(row)
        column.addWidget(rule())
        column.addWidget(self.form)

    # --- showing ----------------------------------------------------------------------------------------------------

    def enter(self) -> None:
        """The stage is shown."""
        self.refresh()
        self._calm.start()

    def leave(self) -> None:
        """Another stage is shown; the service goes on."""
        self._calm.stop()

    def close_worker(self) -> None:
        """The window closes; the service ends with it, or goes on."""
        self.shade.close_worker()
        self.service.close(leave=self.goes_on.isChecked())

    def _views(self) -> list[View]:
        return [view for view in self._session.site.views if view.camera is not None]

    def refresh(self) -> None:
        """Show the site's cameras."""
        if not self.isVisible():
            return
        views = self._views()
        self.service.find(self._session.path)
        self.board.folder = pictures_folder(self._session.path)
        self.cameras = {view.id: self.cameras.get(view.id, CameraStanding(view.name)) for view in views}
        running = self.service.running
        self.start.setEnabled(bool(views))
        self.start.setText(tr("Stop") if running else tr("Watch"))
        self.form.watching = running
        self.acts.show_views(views)
        self._show()

    def _show(self) -> None:
        running = self.service.running
        self.acts.setEnabled(running)
        armed = {view.id: self._armed(view) for view in self._views()}
        self.board.running = running
        self.board.show_cameras(self.cameras, armed)
        chosen = self.acts.which.currentData() or self.board.front() or self._session.view_id
        view = next((held for held in self._views() if held.id == chosen), None)
        self.room.levels.show_view(view if running else None)
        self.shade.show_view(view, self._session.path)
        self.last_day.setEnabled(bool(self._views()))
        self.review.setEnabled(bool(self._views()))
        alarms = sum(held.alarmed for held in self.cameras.values())
        lost = sum(not held.picture for held in self.cameras.values())
        if not running:
            self.state.setText(tr("Nobody watches. What was recorded stays beside the site."))
        else:
            told = [trn("{count} camera", "{count} cameras", len(self.cameras), count=len(self.cameras))]
            told.append(tr("{alarms} in alarm", alarms=alarms) if alarms else tr("all quiet"))
            told += [tr("{lost} without a picture", lost=lost)] if lost else []
            self.state.setText(", ".join(told) + ".")

    def _armed(self, view: View) -> bool:
        """Whether anything of a view is armed now."""
        hours = HoursNow(view, self._session.site.clock, "armed")
        try:
            return any(hours.hold(watcher.id, now_us()) for watcher in view.watchers) or not view.watchers
        except HushError:
            return True

    def _on_calm(self) -> None:
        self.service.find(self._session.path)
        self._walks_over()
        self._show()

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
        self.service.start(self._session.path)
        self.refresh()

    def _on_wanted(self, order: Order) -> None:
        def answered(told: dict[str, Any]) -> None:
            if not told.get("ok"):
                self.said.tell(str(told.get("error", "")), wrong=True)

        self.service.ask(order, answered)

    def _on_event(self, event: dict[str, Any]) -> None:
        view = next((held for held in self._views() if held.name == event["view"]), None)
        if view is None:
            return
        names = view.names
        self.cameras[view.id] = self.cameras.get(view.id, CameraStanding(view.name)).after(event, names)
        if event["what"] == "state":
            self.room.levels.take(view.id, datetime.fromisoformat(event["time_utc"]), event["levels"])
        elif event["what"] != "clip_start":
            self.events.tell(event, names, self._session.site.zone)
            if event["what"] == "alarm_start":
                QApplication.beep()
            if event["what"] == "opened":
                self.wanted(view.id)
        self._show()

    def _on_ended(self, error: str) -> None:
        if error:
            self.said.tell(error, wrong=True)
        now = datetime.now(UTC)
        self.cameras = {view: CameraStanding(held.view, since=now) for view, held in self.cameras.items()}
        self.refresh()

    # --- walk tests -------------------------------------------------------------------------------------------------

    def _walks_over(self) -> None:
        """Say what a walk came to, once it is over."""
        now = datetime.now(UTC)
        for view in self._views():
            held = self.cameras.get(view.id)
            if held is not None and held.walk_began is not None and not held.walking(now):
                peaks = self.room.levels.peaks(view.id, held.walk_began)
                self.cameras[view.id] = held.after({"what": "walk_over", "time_utc": now.isoformat()}, {})
                self.acts.walk.setChecked(False)
                self.walked.tell(view, peaks)

    # --- what was recorded ------------------------------------------------------------------------------------------

    def _chosen_file(self, item: QListWidgetItem | None) -> tuple[View, dict[str, Any]] | None:
        """The view and the event of a recorded file; says why there is none."""
        event = item.data(Qt.ItemDataRole.UserRole) if item is not None else {"what": ""}
        if event["what"] not in ("clip", "footage") or not event.get("file"):
            self.said.tell(tr("Only clips and footage can be opened."))
            return None
        if not Path(event["file"]).exists():
            self.said.tell(tr("{event}: is not there any more.", event=event["file"]), wrong=True)
            return None
        view = next((held for held in self._views() if held.name == event["view"]), None)
        return None if view is None else (view, event)

    def _on_activated(self, item: QListWidgetItem | None) -> None:
        """Put a clip into its view as a recording, and open it."""
        found = self._chosen_file(item)
        if found is None:
            return
        view, event = found
        put_in(self._session, view, [event], tr("Open a clip"))
        self._show_file(view.id, event["file"])

    def open_file(self, view_id: str, file: str) -> None:
        """Put a recorded file into its view, and open it."""
        view = self._session.site.view(view_id)
        event = next((one for one in of_last(self._session.path, view, _REVIEWED_HOURS) if one["file"] == file), None)
        if event is not None:
            put_in(self._session, view, [event], tr("Open a clip"))
        self._show_file(view_id, file)

    def _show_file(self, view_id: str, file: str) -> None:
        known = recording_of(self._session.site.view(view_id), Path(file), self._session.path)
        if known is not None:
            self._session.show_view(view_id)
            self.opened(known, "judge")

    def _hold(self, item: QListWidgetItem | None) -> None:
        found = self._chosen_file(item)
        if found is None:
            return
        try:
            hold(Path(found[1]["file"]), stays=True)
        except HushError as error:
            self.said.tell(str(error), wrong=True)
        else:
            self.said.tell(tr("It stays, whatever its age and the disk say."))

    def _on_last_day(self) -> None:
        """Last day's recordings into the view, to be tuned without a pass."""
        chosen = self.acts.which.currentData() or self._session.view_id
        view = next((held for held in self._views() if held.id == chosen), None)
        if view is None:
            self.said.tell(tr("Choose a camera first."))
            return
        files = of_last(self._session.path, view, _DAY_HOURS)
        if not files:
            self.said.tell(tr("Nothing was recorded of {name} in the last 24 hours.", name=view.name))
            return
        count = put_in(self._session, view, files, tr("Recordings of the last day"))
        held = self._session.site.view(view.id)
        newest = recording_of(held, Path(files[-1]["file"]), self._session.path)
        self.said.tell(
            tr("{count} recordings are in {name} now.", count=count, name=view.name)
            if count
            else tr("They are all in the view already.")
        )
        if newest is not None:
            self._session.show_view(view.id)
            self.opened(newest, "tune")
