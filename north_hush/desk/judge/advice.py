"""The list of advice: single changes by what they save. A click pins the present settings and takes one."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QListWidget, QListWidgetItem, QWidget

from north_hush.core.detect.replay import Replay
from north_hush.core.errors import HushError
from north_hush.core.judge.advice import Tip, advise
from north_hush.core.judge.search import Search
from north_hush.core.site import drawing, edits
from north_hush.core.site.model import Site
from north_hush.desk.comparison import Comparison
from north_hush.desk.judge.scores import Scores
from north_hush.desk.session import Session
from north_hush.desk.tune.insight import dial_of
from north_hush.desk.workers.background import Background

_WHY = {"clock": "the burnt-in clock", "periodic": "a place that sways", "restless": "a restless place"}


class AdviceList(QListWidget):
    """Works while it is on show, over all analysed recordings."""

    counted = Signal(int)

    def __init__(self, session: Session, scores: Scores, comparison: Comparison, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._scores, self._comparison = session, scores, comparison
        self._background = Background(("advice",), self)
        self._basis: object = None
        self.setWordWrap(True)
        self.setAccessibleName("Advice")
        self.setToolTip(
            "What one change alone would save. Click: pin the present settings and take it; the ledger shows the rest."
        )
        self.itemClicked.connect(lambda item: self.take(item.data(Qt.ItemDataRole.UserRole)))
        scores.changed.connect(self.follow)

    def close_worker(self) -> None:
        """End the thread."""
        self._background.close()

    @property
    def settled(self) -> bool:
        """True when nothing is waiting or running."""
        return self._background.idle

    def follow(self) -> None:
        """Work the advice out anew when settings, drawings or truth are other ones."""
        view = self._session.view
        basis = (view.plan, view.tuning.settings, view.recordings)
        if not self.isVisible() or basis == self._basis:
            return
        self._basis = basis
        plan, present = view.plan, dict(view.tuning.settings)
        self.clear()
        self.addItem("Working out what single changes would save…")
        self._background.order(
            "advice",
            lambda: advise(Search(self._scores.cases(), plan, present, Replay())),
            self._take_tips,
            self._failed,
        )

    def _failed(self, error: HushError) -> None:
        self.clear()
        self.addItem(str(error))

    def _take_tips(self, tips: list[Tip]) -> None:
        self.clear()
        for tip in tips:
            item = QListWidgetItem(self._said(tip))
            item.setData(Qt.ItemDataRole.UserRole, tip)
            self.addItem(item)
        if not tips:
            self.addItem("No single change silences an unwanted alarm without losing an incident.")
        self.counted.emit(len(tips))

    def _said(self, tip: Tip) -> str:
        saves = f"silences {tip.silenced} of {tip.of}, loses nothing"
        if tip.region is not None:
            return f"A mask over {_WHY[tip.region.why]} {saves}"
        dial, view = dial_of(tip.field), self._session.view
        held = view.item(tip.item)
        now = getattr(view.tuning.of(tip.item), tip.field)
        name = held.name if held is not None else "Whole picture"
        return f"{dial.label} {tip.value:g} instead of {now:g} {dial.unit} ({name}) {saves}"

    def take(self, tip: Tip | None) -> None:
        """Pin the present settings and take one piece of advice, as one step."""
        if tip is None:
            return
        view_id = self._session.view_id
        self._comparison.pin_present()

        def put(site: Site) -> Site:
            if tip.region is not None:
                return drawing.add_mask(site, view_id, tip.region.outline)
            return edits.set_dials(site, view_id, tip.item, **{tip.field: tip.value})

        self._session.do(f"Advice: {self._said(tip)}"[:80], put)
