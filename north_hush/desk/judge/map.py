"""The response map in a window of its own: two dials across, unwanted alarms and missed incidents at every pair of values."""

from __future__ import annotations

import threading

from PySide6.QtWidgets import QComboBox, QDialog, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from north_hush.core.advise.curves import WhatIf
from north_hush.core.advise.map import ResponseMap, response_map
from north_hush.core.detect.dials import Dial, dial_of
from north_hush.core.errors import HushError
from north_hush.core.site import edits
from north_hush.core.words import tr
from north_hush.desk.comparison import Comparison
from north_hush.desk.deck import Deck
from north_hush.desk.judge.map_field import MapField
from north_hush.desk.look.panel import form_row, muted, wrapped
from north_hush.desk.look.roles import Theme
from north_hush.desk.session import Session
from north_hush.desk.tune.insight import Insight
from north_hush.desk.workers.background import Background
from north_hush.desk.workers.scheduler import Urgency

_FIELDS = ("change_limit_grey", "start_percent", "confirm_frames", "release_frames", "travel_percent", "size_min_percent",
           "smooth_frames", "guard_percent")  # fmt: skip


class MapWindow(QDialog):
    """Chooses two dials of the selected item and shows their map over the recording that is on."""

    def __init__(
        self,
        session: Session,
        deck: Deck,
        comparison: Comparison,
        insight: Insight,
        theme: Theme,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Response map"))
        self._session, self._deck, self._comparison, self._insight = session, deck, comparison, insight
        self._background = Background(("map",), self, Urgency.LATER)
        self._stop = threading.Event()
        self._basis: object = None
        self.across, self.up = (
            QComboBox(toolTip=tip, accessibleName=name)
            for tip, name in (
                (tr("Dial from left to right"), tr("Dial across")),
                (tr("Dial from bottom to top"), tr("Dial up")),
            )
        )
        for box, first in ((self.across, "change_limit_grey"), (self.up, "start_percent")):
            for field in _FIELDS:
                box.addItem(dial_of(field).label, field)
            box.setCurrentIndex(box.findData(first))
            box.currentIndexChanged.connect(lambda _: self.follow())
        self.title = QLabel("")
        self.title.setProperty("role", "title")
        self.said = wrapped(muted(""))
        close = QPushButton(tr("Close"), toolTip=tr("Close the map  (Escape)"))
        close.clicked.connect(self.close)
        self.field = MapField(theme)
        self.field.pointed.connect(self._say)
        self.field.picked.connect(self._pick)
        row = QHBoxLayout()
        row.addLayout(form_row(tr("Across"), self.across), 1)
        row.addLayout(form_row(tr("Up"), self.up), 1)
        column = QVBoxLayout(self)
        column.addWidget(self.title)
        column.addLayout(row)
        column.addWidget(self.field, 1)
        column.addWidget(
            muted(tr("Lighter: more to watch. Hatched: incidents missed. Ring: now. Dotted square: pinned."))
        )
        below = QHBoxLayout()
        below.addWidget(self.said, 1)
        below.addWidget(close)
        column.addLayout(below)
        deck.lanes_changed.connect(self.follow)
        session.item_selected.connect(lambda _: self.follow())
        comparison.changed.connect(self._show_points)

    def close_worker(self) -> None:
        """End the thread."""
        self._stop.set()
        self._background.close()

    @property
    def settled(self) -> bool:
        """True when no map is being made."""
        return self._background.idle

    def follow(self) -> None:
        """Make the map anew when anything but the two dials is another."""
        lanes = self._deck.lanes
        lane = next((held for held in lanes if held.zone_id == self._session.item_id), lanes[0] if lanes else None)
        what_if = self._insight.what_if(lane) if lane is not None else None
        across, up = dial_of(str(self.across.currentData())), dial_of(str(self.up.currentData()))
        if not self.isVisible() or lane is None or what_if is None or across.field == up.field:
            return
        neutral = lane.settings.model_copy(update={across.field: 0, up.field: 0, "clear_percent": 0})
        basis = (
            what_if.evidence.key,
            lane.zone_id,
            neutral,
            what_if.plan,
            what_if.truth,
            what_if.others,
            what_if.armed,
            what_if.over,
            across,
            up,
        )
        self.title.setText(
            tr(
                "{name}: what there is to watch of unwanted alarms, and hatched where incidents are missed",
                name=lane.name,
            )
        )
        if basis == self._basis:
            self._show_points()
            return
        self._basis = basis
        self._stop.set()
        stop = self._stop = threading.Event()
        self.said.setText(tr("Working out every point…"))
        self.field.show_map(None, None, None)
        self._background.order("map", lambda: self._work(what_if, across, up, stop), self._take, self._fail)

    @staticmethod
    def _work(what_if: WhatIf, across: Dial, up: Dial, stop: threading.Event) -> ResponseMap | None:
        return response_map(what_if, across, up, stop.is_set)

    def _fail(self, error: HushError) -> None:
        self._basis = None
        self.said.setText(str(error))

    def _take(self, found: ResponseMap | None) -> None:
        if found is not None:
            self.said.setText(tr("Point at the map for its numbers."))
            self.field.show_map(found, None, None)
            self._show_points()

    def _show_points(self) -> None:
        found = self.field.found
        if found is None:
            return
        item = self._session.item_id or next((lane.zone_id for lane in self._deck.lanes), "")
        pin = self._comparison.pin
        settings = self._session.view.tuning.of(item)
        pinned = pin.settings.get(item) if pin is not None else None
        points = [
            None
            if held is None
            else (
                _nearest(found.across_values, float(getattr(held, found.across))),
                _nearest(found.up_values, float(getattr(held, found.up))),
            )
            for held in (settings, pinned)
        ]
        self.field.show_map(found, points[0], points[1])

    def _say(self, column: int, row: int) -> None:
        found = self.field.found
        if found is None:
            return
        first, second = dial_of(found.across), dial_of(found.up)
        text = f"{first.label} {found.across_values[column]:g} {first.unit}, {second.label} {found.up_values[row]:g} {second.unit}: "
        unwanted = int(found.unwanted[row, column])
        text += (
            tr("not possible")
            if unwanted < 0
            else tr(
                "{unwanted} unwanted, {watched_s:.0f} s to watch, {missed} incidents missed",
                unwanted=unwanted,
                watched_s=found.watched_s[row, column],
                missed=int(found.missed[row, column]),
            )
        )
        self.said.setText(text)

    def _pick(self, column: int, row: int) -> None:
        found = self.field.found
        if found is None or found.unwanted[row, column] < 0:
            return
        item = self._session.item_id or next((lane.zone_id for lane in self._deck.lanes), "")
        view_id = self._session.view_id
        dials = {
            found.across: dial_of(found.across).number(found.across_values[column]),
            found.up: dial_of(found.up).number(found.up_values[row]),
        }
        self._session.do(tr("Go to a point of the map"), lambda site: edits.set_dials(site, view_id, item, **dials))


def _nearest(values: tuple[float, ...], wanted: float) -> int:
    return min(range(len(values)), key=lambda place: abs(values[place] - wanted))
