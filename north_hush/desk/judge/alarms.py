"""The alarms to judge, grouped: like ones under one heading, each with its picture and what it is worth."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from itertools import islice

from PySide6.QtCore import QItemSelection, QItemSelectionModel, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QPainter, QPaintEvent, QPalette
from PySide6.QtWidgets import QAbstractItemView, QTreeView, QWidget

from north_hush.core.errors import HushError
from north_hush.core.explain.reasons import Reasons
from north_hush.core.judge.groups import Group, Like, grouped
from north_hush.core.scene.plan import watcher_id
from north_hush.core.words import tr
from north_hush.desk.cuttings import Cuttings
from north_hush.desk.deck import Deck
from north_hush.desk.judge.judged import Judged, JudgedModel
from north_hush.desk.session import Session
from north_hush.desk.workers.background import Background
from north_hush.desk.workers.scheduler import Urgency

_THUMB = QSize(64, 36)
_AT_ONCE = 40
_TELL_MS, _TELL_MOST_MS = 400, 12_800
"""Causes that arrive regroup the alarms no sooner than this, and each time after twice as long: groups that jump cannot be read, and
all alarms of a large site are grouped anew each time."""
_NOTHING = tr("No alarm under the present settings. Quiet lists where something moved unnoticed.")


class AlarmTree(QTreeView):
    """Groups of alarms; a group that is chosen stands for all its alarms."""

    refreshed = Signal()
    moved_to = Signal(object)
    """The alarm now current (Judged), None for a group."""

    def __init__(self, session: Session, deck: Deck, cuttings: Cuttings, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._deck = session, deck
        self._background = Background(("groups", "causes"), self, Urgency.LATER)
        self._reasons: dict[tuple[object, ...], Reasons] = {}
        self._unexplained: list[Judged] = []
        """Alarms of what is drawn whose reasons were not known when they were shown."""
        self._likes: list[Like] = []
        self._tell_ms = _TELL_MS
        self._tell = QTimer(self, singleShot=True)
        self._tell.timeout.connect(self.refresh)
        self.judged = JudgedModel(cuttings, _THUMB, self)
        self.setModel(self.judged)
        self.setHeaderHidden(True)
        self.setIconSize(_THUMB)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setIndentation(12)
        self.setAccessibleName(tr("Alarms to judge"))
        self.setToolTip(
            tr("Real Y, nuisance X, unsure U: judges what is selected, a group as a whole, and goes to the next")
        )
        self.selectionModel().currentChanged.connect(lambda at, _: self.moved_to.emit(self.judged.row_of(at)))
        cuttings.changed.connect(self.viewport().update)
        self.judged.repainted.connect(self.viewport().update)
        deck.recording_changed.connect(self._forget)

    @property
    def rows(self) -> list[Judged]:
        """All alarms, in the order of time."""
        return self.judged.rows

    @property
    def groups(self) -> list[Group]:
        """The groups they are in, by their places among the rows."""
        return self.judged.groups

    def close_worker(self) -> None:
        """End the thread."""
        self._background.close()

    @property
    def settled(self) -> bool:
        """True when nothing is waiting or running."""
        return self._background.idle and not self._tell.isActive()

    def _forget(self) -> None:
        self._reasons.clear()
        self._unexplained = []
        self._tell_ms = _TELL_MS
        self._background.drop()
        self.refresh()

    # --- rows and groups --------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the deck's alarms with what they are worth now; what is current stays current."""
        self._tell.stop()
        rows = sorted(self._rows_now(), key=lambda row: (row.span.start_s, row.span.item))
        likes = [_like(row) for row in rows]
        if likes == self._likes:
            self._show(rows, self.groups)
        else:
            self._background.order(
                "groups", lambda: grouped(likes), lambda groups: self._take(rows, likes, groups), self._failed
            )

    def _rows_now(self) -> Iterator[Judged]:
        found = self._deck.judged()
        if found is None:
            return
        worths = {
            (span.item, span.start_s): (span, worth) for span, worth in zip(found.spans, found.worths, strict=True)
        }
        for lane in found.lanes:
            item, dials = self._session.view.item(lane.zone_id), lane.settings
            seen_at = dials.stored_channel, dials.change_limit_grey
            for alarm in lane.alarms:
                basis = (lane.zone_id, alarm.onset_frame, alarm.end_frame, *seen_at)
                span, worth = worths[lane.zone_id, alarm.start_s]
                yield Judged(lane, alarm, span, worth, self._reasons.get(basis), item, basis)

    def _take(self, rows: list[Judged], likes: list[Like], groups: list[Group]) -> None:
        self._likes = likes
        self._show(rows, groups)

    def _show(self, rows: list[Judged], groups: list[Group]) -> None:
        model, now = self.judged, self.current()
        opened = {_key_of(group) for place, group in enumerate(model.groups) if self.isExpanded(model.index(place, 0))}
        if not model.show(rows, groups):
            for place, group in enumerate(groups):
                if _key_of(group) in opened or len(group.members) == 1:
                    self.expand(model.index(place, 0))
            self._go_back_to(now)
        drawn = {watcher_id(held) for held in self._session.view.plan.watchers}
        self._unexplained = [row for row in rows if row.reasons is None and row.lane.zone_id in drawn]
        self._ask_causes()
        self.refreshed.emit()

    def _go_back_to(self, now: Judged | None) -> None:
        """Make the alarm current again that was so, without telling anybody: it did not change."""
        if now is None:
            return
        number = next(
            (place for place, row in enumerate(self.rows) if row.alarm == now.alarm and row.span.item == now.span.item),
            None,
        )
        if number is not None:
            self.blockSignals(True)
            self.setCurrentIndex(self.judged.index_of(number))
            self.blockSignals(False)

    def _ask_causes(self) -> bool:
        """Look at the alarms whose cause is not known, some at a time and all in the background; whether there are any."""
        evidence, plan = self._deck.evidence, self._session.view.plan
        part = list(islice((row for row in self._unexplained if row.basis not in self._reasons), _AT_ONCE))
        if not part or evidence is None or not evidence.whole:
            return False
        explainer = self._deck.evaluator.explainer(evidence, plan)
        self._background.order(
            "causes",
            lambda: [(row.basis, explainer.explain(row.lane, row.alarm)) for row in part],
            self._on_causes,
            self._failed,
        )
        return True

    def _on_causes(self, found: list[tuple[tuple[object, ...], Reasons]]) -> None:
        self._reasons.update(found)
        if not self._ask_causes():
            self._tell.start(0)
        elif not self._tell.isActive():
            self._tell.start(self._tell_ms)
            self._tell_ms = min(2 * self._tell_ms, _TELL_MOST_MS)

    def _failed(self, error: HushError) -> None:
        """Without causes the alarms are grouped by item alone; that it is so must be told."""
        self._session.failed.emit(error)

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if not self.rows:
            painter = QPainter(self.viewport())
            painter.setPen(self.palette().color(QPalette.ColorRole.PlaceholderText))
            flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(self.viewport().rect().adjusted(16, 0, -16, 0), flags, _NOTHING)
            painter.end()

    # --- choosing ---------------------------------------------------------------------------------------------------

    def current(self) -> Judged | None:
        """The alarm that is current; of a group none."""
        return self.judged.row_of(self.currentIndex())

    def chosen(self) -> list[Judged]:
        """The selected alarms, those of selected groups included, each once."""
        found: dict[int, Judged] = {}
        for at in self.selectedIndexes():
            row, group = self.judged.row_of(at), self.judged.group_of(at)
            for held in [row] if row is not None else [self.rows[member] for member in group.members]:
                found[id(held)] = held
        return list(found.values())

    def select_rows(self, wanted: Callable[[Judged], bool]) -> None:
        """Select the alarms that are wanted, and no others."""
        chosen = QItemSelection()
        for number, row in enumerate(self.rows):
            if wanted(row):
                at = self.judged.index_of(number)
                chosen.select(at, at)
        self.selectionModel().select(chosen, QItemSelectionModel.SelectionFlag.ClearAndSelect)

    def go_next(self) -> None:
        """Go to the next alarm that is not judged, from the top when there is none below."""
        order = [
            (number, place, inside)
            for place, group in enumerate(self.groups)
            for inside, number in enumerate(group.members)
        ]
        todo = [(place, inside) for number, place, inside in order if self.rows[number].worth == "not judged"]
        if not todo:
            return
        now = self.currentIndex()
        here = (now.parent().row(), now.row()) if now.parent().isValid() else (now.row(), -1)
        place, inside = next((held for held in todo if held > here), todo[0])
        at = self.judged.index(inside, 0, self.judged.index(place, 0))
        self.setCurrentIndex(at)
        self.scrollTo(at)


def _key_of(group: Group) -> tuple[str, int]:
    return group.item, group.members[0]


def _like(row: Judged) -> Like:
    if row.reasons is None:
        return Like(row.lane.zone_id)
    patch = row.reasons.patch
    x, y = patch.foot if patch is not None else (0.5, 0.5)
    return Like(row.lane.zone_id, row.reasons.signs, row.cause, x, y)
