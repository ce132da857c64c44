"""Hand over stage: what a device can take of it, and the papers, rules and packs that go out."""

from __future__ import annotations

from functools import partial
from itertools import combinations

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QMenu,
    QProgressBar,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from north_hush.core.errors import HushError
from north_hush.core.handover.card import Card, find_card, shipped_cards
from north_hush.core.handover.device_plan import Groups
from north_hush.core.handover.fit import Fit
from north_hush.core.handover.fit_rows import copy_fit, take_fit, worth_words
from north_hush.core.words import tr
from north_hush.desk.deck import Deck
from north_hush.desk.handover.card_editor import CardEditor
from north_hush.desk.handover.fitting import FittingWork
from north_hush.desk.handover.papers import PapersBox
from north_hush.desk.look.panel import form_row, muted, rule, stage_title, wrapped
from north_hush.desk.packing import Packing
from north_hush.desk.session import Session
from north_hush.desk.trace.pane import TracePane

_LOST_MOST, _PAIRS_MOST = 6, 40


class HandoverPanel(QWidget):
    """Right panel of the Hand over stage."""

    def __init__(
        self,
        session: Session,
        deck: Deck,
        trace: TracePane,
        packing: Packing,
        work: FittingWork,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self._session, self.work = session, work
        self._cards = shipped_cards()
        self.card = QComboBox(
            accessibleName=tr("Device card"), toolTip=tr("What the device can take. Cards are named for what they can")
        )
        self.card.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        for key, card in self._cards.items():
            self.card.addItem(card.name, key)
        self.card.addItem(tr("Another card…"), None)
        self.card.activated.connect(self._on_card)
        self.says = wrapped(muted(""))
        self.start = QPushButton(
            tr("Fit"), toolTip=tr("Find the nearest that this device can take, on its own steps, over all recordings")
        )
        self.start.clicked.connect(self._on_fit)
        self.take = QPushButton(
            tr("Take as a view"), toolTip=tr("Put it into the site as a view of its own, to be judged like any other")
        )
        self.take.clicked.connect(self._on_take)
        self.copy = QPushButton(
            tr("Copy to…"), toolTip=tr("Give another view the same numbers, as a view of its own beside it")
        )
        self.copy.clicked.connect(self._ask_copy)
        self.merged = QPushButton("", accessibleName=tr("Zones that are merged"))
        self.merged.setToolTip(tr("The device takes fewer zones: choose which become one"))
        self.merged.clicked.connect(self._ask_merge)
        self.edit = QPushButton(tr("Edit…"), toolTip=tr("Write a card of your own, beginning with this one"))
        self.edit.clicked.connect(self._on_edit)
        self.bar = QProgressBar(maximum=1000, textVisible=False, accessibleName=tr("Fit"))
        self.bar.hide()
        self.worth = wrapped(QLabel(""))
        self.worth.setAccessibleName(tr("What the device can really do"))
        self.lost = wrapped(muted(""))
        self.values = QTableWidget(0, 0, accessibleName=tr("Numbers to type on the device"))
        self.values.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.values.verticalHeader().hide()
        self.values.setTabKeyNavigation(False)
        self.values.hide()
        self.papers = PapersBox(session, deck, trace, packing, lambda: str(self.card.currentData() or ""))
        self.said = self.papers.said
        self._lay_out()
        work.changed.connect(self.refresh)
        work.progressed.connect(lambda share: self.bar.setValue(round(1000 * share)))
        work.failed.connect(self._on_failed)
        for changed in (session.changed, session.view_changed):
            changed.connect(self.refresh)

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 8)
        column.setSpacing(8)
        column.addWidget(stage_title(tr("Hand over")))
        device = QHBoxLayout()
        device.addLayout(form_row(tr("Device"), self.card), 1)
        device.addWidget(self.edit)
        column.addLayout(device)
        column.addWidget(self.says)
        row = QHBoxLayout()
        row.addWidget(self.start)
        row.addWidget(self.take)
        row.addWidget(self.copy)
        column.addLayout(row)
        for widget in (self.bar, self.worth, self.lost, self.merged):
            column.addWidget(widget)
        column.addWidget(self.values, 8)
        column.addStretch(1)
        column.addWidget(rule())
        column.addWidget(self.papers)

    # --- showing ----------------------------------------------------------------------------------------------------

    def close_worker(self) -> None:
        """End what runs."""
        self.papers.close_worker()
        self.work.close()

    @property
    def chosen(self) -> Card | None:
        """The card that is chosen."""
        return self._cards.get(self.card.currentData() or "")

    def refresh(self) -> None:
        """Show what is known of the chosen device."""
        if not self.isVisible():
            return
        card, fit, running = self.chosen, self.work.fit, self.work.running
        self.says.setText(card.says if card is not None else "")
        self.start.setText(tr("Stop") if running else tr("Fit"))
        self.bar.setVisible(running)
        self.take.setEnabled(fit is not None and not running)
        self.copy.setEnabled(self.take.isEnabled() and len(self._session.site.views) > 1)
        self.merged.setVisible(fit is not None and not running and bool(fit.fitted.merged))
        names = "; ".join(" + ".join(group) for group in fit.fitted.merged) if fit is not None else ""
        self.merged.setText(tr("Merged: {names}…", names=names))
        so_far = tr("The nearest, so far: ") if running else ""
        self.worth.setText(f"{so_far}{worth_words(fit)}." if fit is not None else "")
        self.worth.setVisible(fit is not None)
        self.lost.setText(_lost_words(fit) if fit is not None else "")
        self.lost.setVisible(bool(self.lost.text()))
        self._show_values(fit)
        self.papers.refresh()

    def _show_values(self, fit: Fit | None) -> None:
        """The device's numbers, an item a row."""
        self.values.setVisible(fit is not None)
        if fit is None:
            return
        names = [scale.name for scale in fit.card.scales]
        items = [*fit.fitted.plan.zones, *fit.fitted.plan.wires]
        self.values.setColumnCount(len(names) + 1)
        self.values.setHorizontalHeaderLabels([tr("Item"), *names])
        self.values.setRowCount(len(items))
        for row, item in enumerate(items):
            values = fit.fitted.values.get(item.id, {})
            texts = [item.name, *(f"{values[name]:g}" if name in values else "–" for name in names)]
            for column, text in enumerate(texts):
                cell = QTableWidgetItem(text)
                cell.setToolTip(text)
                if column:
                    cell.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.values.setItem(row, column, cell)
        self.values.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)

    def _on_failed(self, error: HushError) -> None:
        self.said.tell(str(error), wrong=True)
        self.refresh()

    # --- the device -------------------------------------------------------------------------------------------------

    def _on_card(self, place: int) -> None:
        if self.card.itemData(place) is None:
            self._choose_card()
        self.work.stop()
        self.work.fit = None
        self.refresh()
        self.work.changed.emit()

    def _choose_card(self) -> None:
        """Take a card from a file; the one before stays when it makes no sense."""
        name, _ = QFileDialog.getOpenFileName(
            self, tr("Device card"), str(self._session.path.parent), tr("Device cards (*.json)")
        )
        with QSignalBlocker(self.card):
            self.card.setCurrentIndex(0)
        if not name:
            return
        self._take_card(name)

    def _take_card(self, name: str) -> None:
        try:
            card = find_card(name)
        except HushError as error:
            self.said.tell(str(error), wrong=True)
            return
        self._cards[name] = card
        with QSignalBlocker(self.card):
            place = self.card.findData(name)
            if place < 0:
                self.card.insertItem(0, card.name, name)
            self.card.setCurrentIndex(max(0, place))
            self.card.setItemText(max(0, place), card.name)
        self.work.stop()
        self.work.fit = None
        self.work.changed.emit()

    def _on_fit(self) -> None:
        if self.work.running:
            self.work.stop()
            self.refresh()
        elif (card := self.chosen) is not None:
            self.said.tell("")
            self.bar.setValue(0)
            self.work.begin(card)

    def _ask_merge(self) -> None:
        """Ask which zones become one: any two, or as it was found."""
        menu = QMenu(self)
        menu.addAction(tr("As North Hush finds"), partial(self._begin, ()))
        menu.addSeparator()
        zones = [zone.name for zone in self._session.view.zones]
        for first, second in list(combinations(zones, 2))[:_PAIRS_MOST]:
            menu.addAction(f"{first} + {second}", partial(self._begin, ((first, second),)))
        menu.popup(self.merged.mapToGlobal(self.merged.rect().bottomLeft()))

    def _begin(self, together: Groups) -> None:
        if (card := self.chosen) is not None:
            self.work.begin(card, together)

    def _ask_copy(self) -> None:
        menu = QMenu(self)
        for view in self._session.site.views:
            if view.id != self._session.view_id:
                menu.addAction(view.name, partial(self.copy_to, view.id))
        menu.popup(self.copy.mapToGlobal(self.copy.rect().bottomLeft()))

    def copy_to(self, view_id: str) -> None:
        """Give another view the numbers of the fit, as a view of its own."""
        fit = self.work.fit
        if fit is not None:
            target = self._session.site.view(view_id)
            self._session.do(
                tr("Copy the fit to {name}", name=target.name),
                lambda site: take_fit(site, target, copy_fit(fit, target)),
            )
            self.said.tell(
                tr("It stands as the view '{name}'. Judge it there.", name=self._session.site.views[-1].name)
            )

    def _on_edit(self) -> None:
        """Write a card in the window; saved, it is the one that is chosen."""
        editor = CardEditor(self.chosen or next(iter(self._cards.values())), self._session.path.parent, self)
        editor.saved.connect(self._take_card)
        editor.open()

    def _on_take(self) -> None:
        fit, view = self.work.fit, self.work.view
        if fit is not None and view is not None:
            self._session.do(tr("Take the fit to {name}", name=fit.card.name), lambda site: take_fit(site, view, fit))
            self.said.tell(tr("It stands as the view '{name}'.", name=self._session.site.views[-1].name))


def _lost_words(fit: Fit) -> str:
    """What is lost and why, what would save most, and what of the drawing was changed."""
    lines = [
        tr("Lost: {name}", name=name) + (tr(" ({by} would save it)", by=by) if by else "")
        for name, by in fit.lost[:_LOST_MOST]
    ]
    if len(fit.lost) > _LOST_MOST:
        lines.append(tr("and {count} more", count=len(fit.lost) - _LOST_MOST))
    if fit.saves and fit.saves[0].score.met > fit.score.met:
        best = fit.saves[0]
        lines.append(
            tr(
                "With {capability} it would be {met} met, {nuisances} nuisances.",
                capability=best.capability,
                met=best.score.met,
                nuisances=best.score.nuisances,
            )
        )
    return "\n".join([*lines, *fit.fitted.notes])
