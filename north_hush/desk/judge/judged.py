"""Alarms as they are judged: what each is worth and looks like, and the groups of like ones as a tree."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import QAbstractItemModel, QModelIndex, QObject, QPersistentModelIndex, QSize, Qt, Signal
from PySide6.QtGui import QPixmap

from north_hush.core.detect.alarms import Alarm
from north_hush.core.detect.lane import Lane
from north_hush.core.explain.causes import CAUSE_NAMES, Cause
from north_hush.core.explain.reasons import Reasons
from north_hush.core.footage.stamps import clock_text
from north_hush.core.judge.groups import Group
from north_hush.core.judge.matching import Span
from north_hush.core.judge.score import Worth
from north_hush.core.scene.items import Item, Wire
from north_hush.core.words import number, tr
from north_hush.desk.cuttings import Cuttings

_Index = QModelIndex | QPersistentModelIndex
_HEADING_PX, _GAP_PX = 24, 4
_TOP = 0
"""Internal id of a group; that of an alarm is one more than its group's row."""
WORTH_MARKS: dict[Worth, str] = {"real": "●", "nuisance": "○", "unsure": "◐", "not judged": "·"}


@dataclass(frozen=True, eq=False)
class Judged:
    """An alarm, its span, what it is worth, and its reasons once they are known."""

    lane: Lane
    alarm: Alarm
    span: Span
    worth: Worth
    reasons: Reasons | None = None
    item: Item | None = None
    """What is drawn that alarmed; None of the whole picture and of sensors."""
    basis: tuple[object, ...] = ()
    """What its reasons stand on."""

    @property
    def cause(self) -> Cause:
        """What it looks like."""
        return self.reasons.cause if self.reasons is not None else "unclear"


class JudgedModel(QAbstractItemModel):
    """Groups, and the alarms of each. Nothing is made for a row that is not seen."""

    repainted = Signal()
    """Many rows say something else now, and all are where they were."""

    def __init__(self, cuttings: Cuttings, picture: QSize, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._cuttings, self._picture = cuttings, picture
        self.rows: list[Judged] = []
        self.groups: list[Group] = []
        self._scaled: dict[int, QPixmap] = {}
        cuttings.changed.connect(self._scaled.clear)

    def show(self, rows: list[Judged], groups: list[Group]) -> bool:
        """Show other alarms; where only what they are worth is another, rows stay as they are, and True is returned."""
        same = groups == self.groups and len(rows) == len(self.rows)
        if same:
            self.rows = rows
            self.repainted.emit()  # told of a single row, a tree looks for it in all it shows
        else:
            self.beginResetModel()
            self.rows, self.groups = rows, groups
            self.endResetModel()
        return same

    # --- what a tree asks -------------------------------------------------------------------------------------------

    def rowCount(self, parent: _Index | None = None) -> int:
        if parent is None or not parent.isValid():
            return len(self.groups)
        return len(self.groups[parent.row()].members) if parent.internalId() == _TOP else 0

    def columnCount(self, parent: _Index | None = None) -> int:
        return 1

    def index(self, row: int, column: int, parent: _Index | None = None) -> QModelIndex:
        if parent is None or not parent.isValid():
            return self.createIndex(row, column, _TOP)
        return self.createIndex(row, column, parent.row() + 1)

    def parent(self, index: _Index) -> QModelIndex:  # type: ignore[override]
        inner = index.internalId()
        return QModelIndex() if inner == _TOP else self.createIndex(int(inner) - 1, 0, _TOP)

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        row = self.row_of(index)
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return said_of(row) if row is not None else self.heading(self.groups[index.row()])
        if (
            role == Qt.ItemDataRole.SizeHintRole
        ):  # else a tree would ask for every picture to know how high its rows are
            return QSize(0, _HEADING_PX if row is None else self._picture.height() + _GAP_PX)
        if role == Qt.ItemDataRole.DecorationRole and row is not None:
            return self._cut(row)
        return None

    # --- alarms -----------------------------------------------------------------------------------------------------

    def group_of(self, index: _Index) -> Group:
        """The group of a row, or that it is in."""
        inner = int(index.internalId())
        return self.groups[index.row() if inner == _TOP else inner - 1]

    def row_of(self, index: _Index) -> Judged | None:
        """The alarm of a row; None for a group."""
        if not index.isValid() or index.internalId() == _TOP:
            return None
        return self.rows[self.group_of(index).members[index.row()]]

    def index_of(self, number: int) -> QModelIndex:
        """Where an alarm stands, by its place among all rows."""
        for place, group in enumerate(self.groups):
            if number in group.members:
                return self.createIndex(group.members.index(number), 0, place + 1)
        return QModelIndex()

    def heading(self, group: Group) -> str:
        """A group in words."""
        rows = [self.rows[member] for member in group.members]
        cause = CAUSE_NAMES[group.cause] if rows[0].reasons is not None else tr("not looked at yet")
        left = sum(row.worth == "not judged" for row in rows)
        todo = tr(", {left} to judge", left=left) if left else ""
        return f"{len(rows)} × {cause}, {rows[0].lane.name}{todo}"

    def _cut(self, row: Judged) -> QPixmap | None:
        held = self._cuttings.of(row.lane, row.alarm)
        if held is None:
            return None
        number = held.picture.cacheKey()
        if number not in self._scaled:
            smooth = Qt.TransformationMode.SmoothTransformation
            self._scaled[number] = held.picture.scaled(self._picture, Qt.AspectRatioMode.IgnoreAspectRatio, smooth)
        return self._scaled[number]


def said_of(row: Judged) -> str:
    """An alarm in words: what it is worth, when, and how long."""
    mark = WORTH_MARKS[row.worth]
    worth = "" if row.worth == "not judged" else f", {row.worth}"
    return f"{mark}  {clock_text(row.span.start_s * 1e6)}  {_what_of(row)}{worth}"


def _what_of(row: Judged) -> str:
    """How long it was; of a crossing, which way it went and how surely."""
    if row.alarm.direction is None or row.alarm.sure is None or not isinstance(row.item, Wire):
        return f"{number(row.span.end_s - row.span.start_s, '.1f')} s"
    start, end = row.item.sides(row.alarm.direction)
    return tr("{start} to {end}, {sure:.0f} % sure", start=start, end=end, sure=100 * row.alarm.sure)
