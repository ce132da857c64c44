"""The list of advice: single changes by what they save. One is tried out before it is taken."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QPushButton, QVBoxLayout, QWidget

from north_hush.core.advise.advice import Tip, advise
from north_hush.core.advise.search import Search
from north_hush.core.detect.dials import dial_of
from north_hush.core.errors import HushError
from north_hush.core.footage.stamps import US_PER_S, clock_text
from north_hush.core.judge.ledger import STATES
from north_hush.core.site import drawing, edits
from north_hush.core.site.model import Site
from north_hush.core.words import tr
from north_hush.desk.comparison import Comparison
from north_hush.desk.judge.scores import Scores
from north_hush.desk.look.panel import muted, wrapped
from north_hush.desk.session import Session
from north_hush.desk.workers.background import Background
from north_hush.desk.workers.scheduler import Urgency

_WHY = {"clock": tr("the burnt-in clock"), "periodic": tr("a place that sways"), "restless": tr("a restless place")}


class AdviceBox(QWidget):
    """Works while it is on show, over all analysed recordings."""

    counted = Signal(int)

    def __init__(self, session: Session, scores: Scores, comparison: Comparison, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._scores, self._comparison = session, scores, comparison
        self._background = Background(("advice",), self, Urgency.LATER)
        self._basis: object = None
        self.list = QListWidget()
        self.list.setWordWrap(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setAccessibleName(tr("Advice"))
        self.list.setToolTip(
            tr(
                "What one change alone would save. Click: try it out, the trace shows what it would do. Double click: take it."
            )
        )
        self.said = wrapped(muted(""))
        self.take_it = QPushButton(tr("Take"))
        self.take_it.setToolTip(tr("Pin the present settings and make this change; undo takes it back"))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(self.list, 1)
        row = QHBoxLayout()
        row.addWidget(self.said, 1)
        row.addWidget(self.take_it)
        column.addLayout(row)
        self.list.currentItemChanged.connect(lambda item, _: self._try_out(item))
        self.list.itemDoubleClicked.connect(lambda item: self.take(_tip_of(item)))
        self.take_it.clicked.connect(lambda: self.take(_tip_of(self.list.currentItem())))
        scores.changed.connect(self.follow)
        comparison.changed.connect(self._say)
        self._say()

    def close_worker(self) -> None:
        """End the thread."""
        self._background.close()

    @property
    def settled(self) -> bool:
        """True when nothing is waiting or running."""
        return self._background.idle

    def follow(self) -> None:
        """Work the advice out anew when settings, drawings or truth are other ones; what is tried ends with the stage."""
        if not self.isVisible():
            self.list.setCurrentRow(-1)
            self._comparison.stop_trying()
            return
        view = self._session.view
        basis = (view.plan, view.tuning.settings, view.recordings)
        if basis == self._basis:
            return
        self._basis = basis
        plan, present = view.plan, dict(view.tuning.settings)
        self.list.clear()
        self.list.addItem(tr("Working out what single changes would save…"))
        self._background.order(
            "advice",
            lambda: advise(Search(self._scores.cases(), plan, present)),
            self._take_tips,
            self._failed,
        )

    def _failed(self, error: HushError) -> None:
        self.list.clear()
        self.list.addItem(str(error))

    def _take_tips(self, tips: list[Tip]) -> None:
        self.list.clear()
        for tip in tips:
            item = QListWidgetItem(self._told(tip))
            item.setData(Qt.ItemDataRole.UserRole, tip)
            self.list.addItem(item)
        if not tips:
            self.list.addItem(tr("No single change silences an unwanted alarm without losing an incident."))
        self.counted.emit(len(tips))

    def _told(self, tip: Tip) -> str:
        return tr(
            "{change_text} {saved_text}, loses nothing{spare_text}",
            change_text=self._change_text(tip),
            saved_text=_saved_text(tip),
            spare_text=_spare_text(tip),
        )

    def _change_text(self, tip: Tip) -> str:
        if tip.region is not None:
            return tr("A mask over {why}", why=_WHY[tip.region.why])
        dial, view = dial_of(tip.field), self._session.view
        held = view.item(tip.item)
        now = getattr(view.tuning.of(tip.item), tip.field)
        name = held.name if held is not None else tr("Whole picture")
        return tr(
            "{label} {value:g} instead of {now:g} {unit} ({name})",
            label=dial.label,
            value=tip.value,
            now=now,
            unit=dial.unit,
            name=name,
        )

    def _changed(self, site: Site, tip: Tip) -> Site:
        view_id = self._session.view_id
        if tip.region is not None:
            return drawing.add_mask(site, view_id, tip.region.outline)
        return edits.set_dials(site, view_id, tip.item, **{tip.field: tip.value})

    def _try_out(self, item: QListWidgetItem | None) -> None:
        """Show in the ledger and on the trace what a piece of advice would do."""
        tip = _tip_of(item)
        if tip is None:
            self._comparison.stop_trying()
        else:
            view = self._changed(self._session.site, tip).view(self._session.view_id)
            self._comparison.try_out(view.plan, dict(view.tuning.settings))
        self._say()

    def _say(self) -> None:
        held = self._comparison
        tried = held.tried is not None
        self.take_it.setEnabled(tried)
        if tried and held.ledger is not None:
            counts = ", ".join(f"{held.ledger.count(state)} {state}" for state in STATES)
            self.said.setText(tr("In this recording: {counts}", counts=counts))
        else:
            self.said.setText(tr("Choose one to try it out."))

    def take(self, tip: Tip | None) -> None:
        """Pin the present settings and take one piece of advice, as one step."""
        if tip is not None:
            self._comparison.pin_present()
            self._session.do(
                tr("Advice: {change_text}", change_text=self._change_text(tip))[:80],
                lambda site: self._changed(site, tip),
            )


def _spare_text(tip: Tip) -> str:
    """The incident that the change comes nearest to missing; '' where the dial could be turned as far again."""
    held = tip.spare
    if held is None or held.amount > tip.value:
        return ""
    where = f"{Path(held.recording).stem}, {clock_text(held.start_s * US_PER_S)}"
    return tr(
        "; {incident} ({where}) would have {value} to spare",
        incident=held.incident,
        where=where,
        value=f"{held.amount:g}" if held.amount else tr("nothing"),
    )


def _tip_of(item: QListWidgetItem | None) -> Tip | None:
    tip = item.data(Qt.ItemDataRole.UserRole) if item is not None else None
    return tip if isinstance(tip, Tip) else None


def _saved_text(tip: Tip) -> str:
    """What a change saves: alarms where they get fewer, and the time to be watched in any case."""
    watched = tr("saves {saved_s:,.0f} s of watching", saved_s=tip.saved_s)
    return (
        tr("silences {silenced} of {of}, {watched}", silenced=tip.silenced, of=tip.of, watched=watched)
        if tip.silenced > 0
        else watched
    )
