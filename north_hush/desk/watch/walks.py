"""What a walk test came to: how high each level rose, and start levels under which it would have been noticed."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from north_hush.core.site import edits
from north_hush.core.site.model import Site, View
from north_hush.core.words import number, tr
from north_hush.desk.look.panel import Saying
from north_hush.desk.session import Session

_UNDER_WALK = 0.8
"""A start level that a walk suggests, as a share of the highest level in it."""


class WalkOffer(QWidget):
    """Says it, and offers to take the levels; not there while there is nothing to say."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._view, self._levels = "", dict[str, float]()
        self.said = Saying()
        self.take = QPushButton(
            tr("Take these start levels"), toolTip=tr("Start levels under which this walk would have been noticed")
        )
        self.take.clicked.connect(self._on_take)
        self.take.hide()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addWidget(self.said)
        column.addWidget(self.take)

    def tell(self, view: View, peaks: Mapping[str, float]) -> None:
        """The walk test of a view is over; `peaks` are the highest levels of its items, in percent."""
        named = {watcher.id: watcher.name for watcher in view.watchers}
        reached = {item: peak for item, peak in peaks.items() if item in named and peak > 0}
        zones = {zone.id for zone in view.zones}
        self._view, self._levels = (
            view.id,
            {item: peak * _UNDER_WALK for item, peak in reached.items() if item in zones},
        )
        self.take.setVisible(bool(self._levels))
        if not reached:
            self.said.tell(tr("The walk test is over. No level rose."))
            return
        told = ", ".join(f"{named[item]} {number(peak, '.1f')} %" for item, peak in reached.items())
        self.said.tell(
            tr(
                "The walk test is over. Highest levels: {told}. Start levels at {under_walk:.0%} of "
                "that would notice it.",
                told=told,
                under_walk=_UNDER_WALK,
            )
        )

    def _on_take(self) -> None:
        view_id, levels = self._view, self._levels

        def take(site: Site) -> Site:
            for item, level in levels.items():
                clear = min(site.view(view_id).tuning.of(item).clear_percent, round(level, 2))
                site = edits.set_dials(site, view_id, item, start_percent=round(level, 2), clear_percent=clear)
            return site

        if self._session.do(tr("Start levels of a walk"), take):
            self.take.hide()
            self.said.tell(tr("Taken; they count from now on."))
