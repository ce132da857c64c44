"""The alarms to judge, grouped: like ones under one heading, each with its picture and what it is worth."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QIcon, QImage, QPainter, QPaintEvent, QPalette, QPixmap
from PySide6.QtWidgets import QAbstractItemView, QTreeWidget, QTreeWidgetItem, QWidget

from north_hush.core.detect.alarms import Alarm
from north_hush.core.detect.lane import Lane
from north_hush.core.errors import HushError
from north_hush.core.explain.causes import CAUSE_NAMES, Cause
from north_hush.core.explain.reasons import Reasons
from north_hush.core.footage.index import clock_text
from north_hush.core.judge.groups import Group, Like, grouped
from north_hush.core.judge.score import Span, Worth
from north_hush.core.scene.plan import watcher_id
from north_hush.desk.deck import Deck
from north_hush.desk.session import Session
from north_hush.desk.workers.background import Background

_THUMB = QSize(64, 36)
_ICONS_KEPT = 800
_NOTHING = "No alarm under the present settings. Quiet lists where something moved unnoticed."
WORTH_MARKS: dict[Worth, str] = {"real": "●", "nuisance": "○", "unsure": "◐", "not judged": "·"}


@dataclass(frozen=True, eq=False)
class Judged:
    """An alarm, its span, what it is worth, and its reasons once they are known."""

    lane: Lane
    alarm: Alarm
    span: Span
    worth: Worth
    reasons: Reasons | None = None

    @property
    def cause(self) -> Cause:
        """What it looks like."""
        return self.reasons.cause if self.reasons is not None else "unclear"


class AlarmTree(QTreeWidget):
    """Groups of alarms; a group that is chosen stands for all its alarms."""

    refreshed = Signal()
    moved_to = Signal(object)
    """The alarm now current (Judged), None for a group."""

    def __init__(self, session: Session, deck: Deck, parent: QWidget | None = None) -> None:
        super().__init__(parent, columnCount=1, headerHidden=True)
        self._session, self._deck = session, deck
        self._background = Background(("causes",), self)
        self._reasons: dict[tuple[object, ...], Reasons] = {}
        self._icons: dict[int, QIcon] = {}
        self._asked: set[int] = set()
        self._basis: object = None
        self.rows: list[Judged] = []
        self.groups: list[Group] = []
        self.setIconSize(_THUMB)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setUniformRowHeights(False)
        self.setIndentation(12)
        self.setAccessibleName("Alarms to judge")
        self.setToolTip(
            "Real Y, nuisance X, unsure U: judges what is selected, a group as a whole, and goes to the next"
        )
        self.currentItemChanged.connect(lambda item, _: self._on_current(item))
        self.itemExpanded.connect(self._ask_pictures)
        deck.thumbnail.connect(self._on_thumbnail)
        deck.privacy_changed.connect(self._icons.clear)
        deck.recording_changed.connect(self._forget)

    def close_worker(self) -> None:
        """End the thread."""
        self._background.close()

    @property
    def settled(self) -> bool:
        """True when nothing is waiting or running."""
        return self._background.idle

    def _forget(self) -> None:
        self._icons.clear()
        self._asked.clear()
        self._reasons.clear()
        self._background.drop()
        self.refresh()

    def refresh(self) -> None:
        """Show the deck's alarms with what they are worth now; what is current stays current."""
        rows: list[Judged] = []
        found = self._deck.judged()
        worths = {} if found is None else {
            (span.item, span.start_s): (span, worth) for span, worth in zip(found.spans, found.worths, strict=True)
        }  # fmt: skip
        for lane in found.lanes if found is not None else ():
            for alarm in lane.alarms:
                span, worth = worths[lane.zone_id, alarm.start_s]
                rows.append(Judged(lane, alarm, span, worth, self._reasons.get(self._key(lane, alarm))))
        rows.sort(key=lambda row: (row.span.start_s, row.span.item))
        self.rows, self.groups = rows, grouped([_like(row) for row in rows])
        self._fill()
        self._ask_causes()
        self.refreshed.emit()

    def _key(self, lane: Lane, alarm: Alarm) -> tuple[object, ...]:
        settings = lane.settings
        return (lane.zone_id, alarm.onset_frame, alarm.end_frame, settings.stored_channel, settings.change_limit_grey)

    def _ask_causes(self) -> None:
        """Look at the alarms whose cause is not known, all in the background."""
        evidence = self._deck.evidence
        plan = self._session.view.plan
        drawn = {watcher_id(held) for held in plan.watchers}
        todo = [row for row in self.rows if row.reasons is None and row.lane.zone_id in drawn]
        if not todo or evidence is None or not evidence.whole:
            return
        explainer = self._deck.evaluator.explainer(evidence, plan)
        part = todo[:40]
        self._background.order(
            "causes",
            lambda: [(self._key(row.lane, row.alarm), explainer.explain(row.lane, row.alarm)) for row in part],
            self._on_causes,
            self._ignore,
        )

    def _on_causes(self, found: list[tuple[tuple[object, ...], Reasons]]) -> None:
        self._reasons.update(found)
        self.refresh()

    def _ignore(self, error: HushError) -> None:
        """Without causes the alarms are grouped by item alone."""

    # --- rows -------------------------------------------------------------------------------------------------------

    def _fill(self) -> None:
        now = self.current()
        open_groups = {self._group_key(item) for item in self._tops() if item.isExpanded()}
        self.blockSignals(True)
        self.clear()
        again: QTreeWidgetItem | None = None
        for group in self.groups:
            top = QTreeWidgetItem([self.heading(group)])
            top.setData(0, Qt.ItemDataRole.UserRole, (group, None))
            self.addTopLevelItem(top)
            for member in group.members:
                row = self.rows[member]
                child = QTreeWidgetItem([said_of(row)])
                child.setData(0, Qt.ItemDataRole.UserRole, (group, row))
                frame = self._deck.frame_of(row.alarm.start_frame)
                if frame in self._icons:
                    child.setIcon(0, self._icons[frame])
                top.addChild(child)
                if now is not None and row.alarm == now.alarm and row.lane.zone_id == now.lane.zone_id:
                    again = child
            top.setExpanded(self._group_key(top) in open_groups or len(group.members) == 1)
            if top.isExpanded():
                self._ask_pictures(top)
        if again is not None:
            self.setCurrentItem(again)
        self.blockSignals(False)

    def _tops(self) -> list[QTreeWidgetItem]:
        return [item for place in range(self.topLevelItemCount()) if (item := self.topLevelItem(place)) is not None]

    @staticmethod
    def _group_key(item: QTreeWidgetItem) -> tuple[str, int]:
        group: Group = item.data(0, Qt.ItemDataRole.UserRole)[0]
        return group.item, group.members[0]

    def heading(self, group: Group) -> str:
        """A group in words."""
        rows = [self.rows[member] for member in group.members]
        cause = CAUSE_NAMES[group.cause] if rows[0].reasons is not None else "not looked at yet"
        left = sum(row.worth == "not judged" for row in rows)
        todo = f", {left} to judge" if left else ""
        return f"{len(rows)} × {cause}, {rows[0].lane.name}{todo}"

    def _ask_pictures(self, item: QTreeWidgetItem) -> None:
        for place in range(item.childCount()):
            row: Judged = item.child(place).data(0, Qt.ItemDataRole.UserRole)[1]
            frame = self._deck.frame_of(row.alarm.start_frame)
            if frame not in self._asked and len(self._asked) < _ICONS_KEPT:
                self._asked.add(frame)
                self._deck.ask_thumbnail_of(frame)

    def _on_thumbnail(self, frame: int, image: QImage) -> None:
        if frame not in self._asked:
            return
        icon = self._icons[frame] = QIcon(QPixmap.fromImage(image.scaled(_THUMB)))
        for top in self._tops():
            for place in range(top.childCount()):
                row: Judged = top.child(place).data(0, Qt.ItemDataRole.UserRole)[1]
                if self._deck.frame_of(row.alarm.start_frame) == frame:
                    top.child(place).setIcon(0, icon)

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if not self.rows:
            painter = QPainter(self.viewport())
            painter.setPen(self.palette().color(QPalette.ColorRole.PlaceholderText))
            flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(self.viewport().rect().adjusted(16, 0, -16, 0), flags, _NOTHING)

    # --- choosing ---------------------------------------------------------------------------------------------------

    def current(self) -> Judged | None:
        """The alarm that is current; of a group none."""
        item = self.currentItem()
        return item.data(0, Qt.ItemDataRole.UserRole)[1] if item is not None else None

    def chosen(self) -> list[Judged]:
        """The selected alarms, those of selected groups included, each once."""
        found: dict[int, Judged] = {}
        for item in self.selectedItems():
            group, row = item.data(0, Qt.ItemDataRole.UserRole)
            for held in [row] if row is not None else [self.rows[member] for member in group.members]:
                found[id(held)] = held
        return list(found.values())

    def go_next(self) -> None:
        """Go to the next alarm that is not judged, from the top when there is none below."""
        items = [child for top in self._tops() for child in (top.child(k) for k in range(top.childCount()))]
        todo = [item for item in items if item.data(0, Qt.ItemDataRole.UserRole)[1].worth == "not judged"]
        if todo:
            current = self.currentItem()
            after = items.index(current) if current in items else -1
            item = next((held for held in todo if items.index(held) > after), todo[0])
            self.setCurrentItem(item)
            self.scrollToItem(item)

    def _on_current(self, item: QTreeWidgetItem | None) -> None:
        self.moved_to.emit(item.data(0, Qt.ItemDataRole.UserRole)[1] if item is not None else None)


def said_of(row: Judged) -> str:
    """An alarm in words: what it is worth, when, and how long."""
    mark = WORTH_MARKS[row.worth]
    worth = "" if row.worth == "not judged" else f", {row.worth}"
    return f"{mark}  {clock_text(row.span.start_s * 1e6)}  {row.span.end_s - row.span.start_s:.1f} s{worth}"


def _like(row: Judged) -> Like:
    if row.reasons is None:
        return Like(row.lane.zone_id)
    patch = row.reasons.patch
    x, y = patch.foot if patch is not None else (0.5, 0.5)
    return Like(row.lane.zone_id, row.reasons.signs, row.cause, x, y)
