"""The panel of the overview: which views are shown in which order, what is given to several, and what they have in common."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QCheckBox, QComboBox, QLineEdit, QPushButton, QVBoxLayout, QWidget

from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.fleet.overview import ORDERS, Card, Order, advice_over, in_order, plain_cards, worked_out
from north_hush.core.memo import Memo
from north_hush.core.site.copying import COPIED, Copied, copy_to
from north_hush.core.site.model import Site
from north_hush.core.words import tr, trn
from north_hush.desk.look.panel import Saying, form_row, muted, rule, stage_title, wrapped
from north_hush.desk.overview.beside import MOST
from north_hush.desk.overview.board import CardBoard
from north_hush.desk.overview.pictures import ViewPictures
from north_hush.desk.session import Session
from north_hush.desk.workers.background import Background

_FILTERS = {
    "all": tr("All views"),
    "attention": tr("Cost attention"),
    "judge": tr("With alarms to judge"),
    "blind": tr("Blind, or not readable"),
    "live": tr("With a live camera"),
}
_ORDER_WORDS: dict[Order, str] = {
    "attention": tr("Most attention"),
    "name": tr("Name"),
    "nuisances": tr("Nuisances a day"),
    "to judge": tr("Alarms to judge"),
    "footage": tr("Hours of footage"),
}
_COPIED_WORDS: dict[Copied, str] = {"dials": tr("Dials"), "hours": tr("Hours"), "outcome": tr("Outcome")}
_CALM_MS = 250
_MEMO_BYTES = 64 * 1024**2
"""Of its own: a hundred views would push out all that the one that is on needs."""


class OverviewPanel(QWidget):
    """Works the cards out, one after the other, and says what to do with many."""

    def __init__(self, session: Session, board: CardBoard, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self.board = session, board
        self._background = Background(("card", "preview"), self)
        self._pictures = ViewPictures(session, self)
        self._pictures.arrived.connect(board.cards.take_picture)
        self._evaluator = Evaluator(Memo(_MEMO_BYTES))
        self._cards: dict[str, Card] = {}
        self._basis: dict[str, object] = {}
        """What each card was worked out from."""
        self._shown = False
        self.search = QLineEdit(
            placeholderText=tr("Search by name"), clearButtonEnabled=True, accessibleName=tr("Search views")
        )
        self.which = QComboBox(toolTip=tr("Which views are shown"), accessibleName=tr("Views shown"))
        for key, words in _FILTERS.items():
            self.which.addItem(words, key)
        self.order = QComboBox(toolTip=tr("What comes first"), accessibleName=tr("Order of views"))
        for order in ORDERS:
            self.order.addItem(_ORDER_WORDS[order], order)
        self.said, self.advice = wrapped(muted("")), wrapped(muted(""))
        self.open = QPushButton(tr("Open"), toolTip=tr("Open the chosen view  (Return)"))
        self.open.clicked.connect(self._open)
        self.beside = QPushButton(
            tr("Side by side"), toolTip=tr("Up to {most} chosen views at one instant, in step", most=MOST)
        )
        self.what: dict[Copied, QCheckBox] = {key: QCheckBox(_COPIED_WORDS[key]) for key in COPIED}
        self.copy = QPushButton(tr("Copy"), toolTip=tr("Give them to every chosen view; one step back undoes it"))
        self.copy.clicked.connect(self._copy)
        self.preview = Saying()
        self.source = wrapped(muted(""))
        self._calm = QTimer(self, singleShot=True, interval=_CALM_MS)
        self._calm.timeout.connect(self._preview)
        self._lay_out()
        self.search.textChanged.connect(lambda _: self.refresh())
        self.which.activated.connect(lambda _: self.refresh())
        self.order.activated.connect(lambda _: self.refresh())
        board.chosen.connect(self._on_chosen)
        for box in self.what.values():
            box.toggled.connect(lambda _: self._on_chosen())
        session.changed.connect(self._follow)
        session.view_changed.connect(self._follow)

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 12)
        column.setSpacing(8)
        for part in (stage_title(tr("Overview")), self.search):
            column.addWidget(part)
        column.addLayout(form_row(tr("Show"), self.which))
        column.addLayout(form_row(tr("Order"), self.order))
        for part in (
            self.said,
            self.open,
            self.beside,
            rule(),
            self.source,
            *self.what.values(),
            self.preview,
            self.copy,
            rule(),
            self.advice,
        ):
            column.addWidget(part)
        column.addStretch(1)

    # --- what is known ------------------------------------------------------------------------------------------------

    def enter(self) -> None:
        """Show the cards as they are known, and work out what is not."""
        self._shown = True
        self._follow()
        self.board.setFocus()

    def leave(self) -> None:
        """Let the views be."""
        self._shown = False
        self._background.drop()
        self._pictures.stop()

    def close_worker(self) -> None:
        """End what runs."""
        self._pictures.stop()
        self._background.close()

    @property
    def settled(self) -> bool:
        """True when every card is worked out and has its picture."""
        return self._background.idle and self._pictures.settled and not self._calm.isActive()

    def _follow(self) -> None:
        """After an edit: cards of views that are others are worked out again; what is known of them stands until then."""
        if not self._shown:
            return
        site = self._session.site
        plain = {card.view: card for card in plain_cards(site)}
        for view in site.views:
            basis = _basis_of(site, view.id)
            if self._basis.get(view.id, basis) != basis:
                self._basis.pop(view.id)
        self._cards = {view: self._cards.get(view, card) for view, card in plain.items()}
        self.refresh()
        self._work_out()

    def _work_out(self) -> None:
        """The next card that is not known, those that are shown first."""
        shown = [card.view for card in self.board.cards.cards]
        todo = [view for view in (*shown, *self._cards) if view not in self._basis]
        if not todo or not self._shown:
            self._pictures.want([*shown, *self._cards] if self._shown else [])
            return
        site, path, view = self._session.site, self._session.path, todo[0]
        card = next(held for held in plain_cards(site) if held.view == view)
        self._background.order(
            "card",
            lambda: worked_out(card, site, path, self._evaluator),
            partial(self._take, _basis_of(site, view)),
            self._session.failed.emit,
        )

    def _take(self, basis: object, card: Card) -> None:
        self._cards[card.view], self._basis[card.view] = card, basis
        self.refresh()
        self._work_out()

    def refresh(self) -> None:
        """Show the cards that are asked for, in their order."""
        words, which = self.search.text().casefold().split(), self.which.currentData()
        shown = [
            card
            for card in self._cards.values()
            if all(word in card.name.casefold() for word in words) and _passes(card, which)
        ]
        self.board.show_cards(in_order(shown, self.order.currentData()), self._session.view_id)
        known = len(self._basis)
        text = tr("{count} of {count2} views", count=len(shown), count2=len(self._cards))
        self.said.setText(
            text if known >= len(self._cards) else tr("{value}; {known} looked at so far", value=text, known=known)
        )
        found = advice_over(list(self._cards.values()))
        self.advice.setText("\n".join(f"{said}." for said, _ in found))
        self._on_chosen()

    # --- acts ---------------------------------------------------------------------------------------------------------

    def _open(self) -> None:
        chosen = self.board.selected()
        if chosen:
            self.board.opened.emit(chosen[0])

    def _targets(self) -> list[str]:
        return [view for view in self.board.selected() if view != self._session.view_id]

    def _wanted(self) -> list[Copied]:
        return [key for key, box in self.what.items() if box.isChecked()]

    def _on_chosen(self) -> None:
        targets, name = self._targets(), self._session.view.name
        self.open.setEnabled(bool(self.board.selected()))
        self.beside.setEnabled(len(self.board.selected()) > 1)
        count = trn("{count} chosen view", "{count} chosen views", len(targets), count=len(targets))
        self.source.setText(
            tr("Give to {count} what “{name}” has:", count=count, name=name)
            if targets
            else tr("Choose views to give them what “{name}” has.", name=name)
        )
        self.copy.setEnabled(bool(targets and self._wanted()))
        self.copy.setText(tr("Copy to {count}", count=count) if targets else tr("Copy"))
        self.preview.tell("")
        self._calm.start()

    def _preview(self) -> None:
        """Work out what copying does to each chosen view before it is done."""
        targets, wanted, site, path = self._targets(), self._wanted(), self._session.site, self._session.path
        if not targets or not wanted or not self._shown:
            return
        before = {view: self._cards[view] for view in targets if view in self._basis}
        source = self._session.view_id

        def work() -> list[str]:
            after = copy_to(site, source, list(before), wanted)
            return [_changed(card, worked_out(card, after, path, self._evaluator)) for card in before.values()]

        self._background.order(
            "preview", work, lambda lines: self.preview.tell("\n".join(lines)), self._session.failed.emit
        )

    def _copy(self) -> None:
        targets, wanted, source = self._targets(), self._wanted(), self._session.view_id
        what = ", ".join(_COPIED_WORDS[key].lower() for key in wanted)
        self._session.do(
            tr("Copy {what} to {count} views", what=what, count=len(targets)),
            lambda site: copy_to(site, source, targets, wanted),
        )


def _passes(card: Card, which: str) -> bool:
    if which == "attention":
        return any(card.attention[:-1])
    if which == "judge":
        return card.to_judge > 0
    if which == "blind":
        return bool(card.blind or card.failed)
    return card.live if which == "live" else True


def _basis_of(site: Site, view_id: str) -> object:
    """What decides a card."""
    view = site.view(view_id)
    return (
        view.name, view.recordings, view.plan, view.tunings, view.tuning_in_use, view.by_hours, view.hours, view.item_hours,
        view.sight, view.camera, site.clock,
    )  # fmt: skip


def _changed(before: Card, after: Card) -> str:
    """What becomes of a view, in words."""
    if before.score is None or after.score is None or not after.score.footage_s:
        return tr("{name}: nothing analysed, nothing told", name=after.name)
    parts = []
    if after.score.incidents:
        parts.append(
            tr(
                "{met} → {met2} of {incidents} met",
                met=before.score.met,
                met2=after.score.met,
                incidents=after.score.incidents,
            )
        )
    parts.append(
        tr(
            "{unwanted:,} → {unwanted2:,} unwanted alarms",
            unwanted=before.score.unwanted,
            unwanted2=after.score.unwanted,
        )
    )
    return f"{after.name}: {', '.join(parts)}"
