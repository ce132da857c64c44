"""Hand over stage: what a device can take of it, and the papers, rules and packs that go out."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QProgressBar,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from north_hush.core.errors import HushError
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.handover.card import Card, find_card, shipped_cards
from north_hush.core.handover.fit import Fit
from north_hush.core.handover.fit_rows import take_fit, worth_words
from north_hush.core.handover.onvif_reading import take_onvif
from north_hush.core.site.model import Site
from north_hush.desk.deck import Deck
from north_hush.desk.handover.fitting import FittingWork
from north_hush.desk.look.panel import Saying, form_row, muted, rule, stage_title, wrapped
from north_hush.desk.session import Session
from north_hush.desk.trace.pane import TracePane
from north_hush.desk.workers.commands import Command

_LOST_MOST = 6


class HandoverPanel(QWidget):
    """Right panel of the Hand over stage."""

    def __init__(
        self, session: Session, deck: Deck, trace: TracePane, work: FittingWork, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._session, self._deck, self._trace, self.work = session, deck, trace, work
        self._cards = shipped_cards()
        self.writing = Command(self)
        self._target = ""
        self.card = QComboBox(
            accessibleName="Device card", toolTip="What the device can take. Cards are named for what they can"
        )
        self.card.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        for key, card in self._cards.items():
            self.card.addItem(card.name, key)
        self.card.addItem("Another card…", None)
        self.card.activated.connect(self._on_card)
        self.says = wrapped(muted(""))
        self.start = QPushButton(
            "Fit", toolTip="Find the nearest that this device can take, on its own steps, over all recordings"
        )
        self.start.clicked.connect(self._on_fit)
        self.take = QPushButton(
            "Take as a view", toolTip="Put it into the site as a view of its own, to be judged like any other"
        )
        self.take.clicked.connect(self._on_take)
        self.bar = QProgressBar(maximum=1000, textVisible=False, accessibleName="Fit")
        self.bar.hide()
        self.worth = wrapped(QLabel(""))
        self.worth.setAccessibleName("What the device can really do")
        self.lost = wrapped(muted(""))
        self.values = QTableWidget(0, 0, accessibleName="Numbers to type on the device")
        self.values.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.values.verticalHeader().hide()
        self.values.setTabKeyNavigation(False)
        self.values.hide()
        self.buttons: dict[str, QPushButton] = {}
        for key, text, tip in (
            ("sheet", "Settings sheet…", "What to draw, click and type, in the device's own words (PDF or HTML)"),
            ("report", "Report…", "Why these numbers: before and after, what is not covered, hours (PDF or HTML)"),
            ("onvif", "Rules out…", "Zones and wires as ONVIF analytics XML"),
            ("into", "Rules in…", "Zones and wires from ONVIF analytics XML, beside those that are there"),
            ("pack", "Sealed pack…", "The stretch that the trace shows, with stills, events, and hashes of every file and block"),
            ("verify", "Check a pack…", "Whether a pack is as it was made"),
        ):  # fmt: skip
            self.buttons[key] = QPushButton(text, toolTip=tip)
        self.said = Saying()
        for key, act in (
            ("sheet", self._sheet), ("report", self._report), ("onvif", self._onvif), ("into", self._into),
            ("pack", self._pack), ("verify", self._verify),
        ):  # fmt: skip
            self.buttons[key].clicked.connect(act)
        self._lay_out()
        self.writing.ended.connect(self._on_written)
        work.changed.connect(self.refresh)
        work.progressed.connect(lambda share: self.bar.setValue(round(1000 * share)))
        work.failed.connect(self._on_failed)
        for changed in (session.changed, session.view_changed):
            changed.connect(self.refresh)

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 8)
        column.setSpacing(8)
        column.addWidget(stage_title("Hand over"))
        column.addLayout(form_row("Device", self.card))
        column.addWidget(self.says)
        row = QHBoxLayout()
        row.addWidget(self.start)
        row.addWidget(self.take)
        column.addLayout(row)
        for widget in (self.bar, self.worth, self.lost):
            column.addWidget(widget)
        column.addWidget(self.values, 1)
        column.addStretch(1)
        column.addWidget(rule())
        column.addWidget(self.said)
        grid = QGridLayout()
        for place, button in enumerate(self.buttons.values()):
            grid.addWidget(button, place // 2, place % 2)
        column.addLayout(grid)

    # --- showing ----------------------------------------------------------------------------------------------------

    def close_worker(self) -> None:
        """End what runs."""
        self.writing.close()
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
        self.start.setText("Stop" if running and fit is None else "Fit")
        self.bar.setVisible(running and fit is None)
        self.take.setEnabled(fit is not None)
        self.worth.setText(f"{worth_words(fit)}." if fit is not None else "")
        self.worth.setVisible(fit is not None)
        self.lost.setText(_lost_words(fit) if fit is not None else "")
        self.lost.setVisible(bool(self.lost.text()))
        self._show_values(fit)
        recordings = bool(self._session.view.recordings)
        for key in ("sheet", "report"):
            self.buttons[key].setEnabled(recordings)
        self.buttons["pack"].setEnabled(self._deck.recording is not None)

    def _show_values(self, fit: Fit | None) -> None:
        """The device's numbers, an item a row."""
        self.values.setVisible(fit is not None)
        if fit is None:
            return
        names = [scale.name for scale in fit.card.scales]
        items = [*fit.fitted.plan.zones, *fit.fitted.plan.wires]
        self.values.setColumnCount(len(names) + 1)
        self.values.setHorizontalHeaderLabels(["Item", *names])
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
            self, "Device card", str(self._session.path.parent), "Device cards (*.json)"
        )
        with QSignalBlocker(self.card):
            self.card.setCurrentIndex(0)
        if not name:
            return
        try:
            card = find_card(name)
        except HushError as error:
            self.said.tell(str(error), wrong=True)
            return
        self._cards[name] = card
        with QSignalBlocker(self.card):
            self.card.insertItem(0, card.name, name)
            self.card.setCurrentIndex(0)

    def _on_fit(self) -> None:
        if self.work.running and self.work.fit is None:
            self.work.stop()
            self.refresh()
        elif (card := self.chosen) is not None:
            self.said.tell("")
            self.bar.setValue(0)
            self.work.begin(card)

    def _on_take(self) -> None:
        fit, view = self.work.fit, self.work.view
        if fit is not None and view is not None:
            self._session.do(f"Take the fit to {fit.card.name}", lambda site: take_fit(site, view, fit))
            self.said.tell(f"It stands as the view '{self._session.site.views[-1].name}'.")

    # --- what goes out ----------------------------------------------------------------------------------------------

    def _ask_target(self, title: str, name: str, kinds: str) -> str:
        target, _ = QFileDialog.getSaveFileName(self, title, str(self._session.path.with_name(name)), kinds)
        return target

    def run(self, *arguments: str | Path, target: str = "") -> None:
        """Run one of our commands on the site as it stands."""
        error = self._session.flush()
        if error is not None:
            self.said.tell(str(error), wrong=True)
            return
        self._target = target
        self.said.tell("Writing…")
        self.writing.start(*arguments)

    def _stem(self) -> str:
        return self._session.path.name.split(".")[0]

    def _sheet(self) -> None:
        target = self._ask_target("Settings sheet", f"{self._stem()}-sheet.pdf", "Paper (*.pdf);;Page (*.html)")
        if target and (key := self.card.currentData()):
            self.run("sheet", self._session.path, "--card", key, "--out", target, target=target)

    def _report(self) -> None:
        target = self._ask_target("Report", f"{self._stem()}-report.pdf", "Paper (*.pdf);;Page (*.html)")
        if target:
            self.run("report", self._session.path, "--out", target, target=target)

    def _onvif(self) -> None:
        target = self._ask_target("Rules", f"{self._stem()}-rules.xml", "ONVIF analytics (*.xml)")
        if target:
            self.run("onvif", self._session.path, "--out", target, "--view", self._session.view.name, target=target)

    def _into(self) -> None:
        """Read rules in this process: they become one step that can be undone."""
        name, _ = QFileDialog.getOpenFileName(self, "Rules", str(self._session.path.parent), "ONVIF analytics (*.xml)")
        if not name:
            return
        notes: list[str] = []
        view_id = self._session.view_id

        def take(site: Site) -> Site:
            after, found = take_onvif(site, view_id, Path(name))
            notes.extend(found)
            return after

        if self._session.do("Rules in", take):
            self.said.tell("\n".join(["The rules stand beside what was drawn.", *notes]))
        else:
            self.said.tell("Nothing was taken." + "".join(f"\n{note}" for note in notes))

    def _pack(self) -> None:
        """Pack the stretch in view."""
        stretch, recording = self._trace.stretch_us(), self._deck.recording
        if stretch is None or recording is None:
            self.said.tell("Nothing is shown to pack.", wrong=True)
            return
        target = self._ask_target("Sealed pack", f"{Path(recording.path).stem}-pack.zip", "Sealed packs (*.zip)")
        if target:
            start_s, end_s = (f"{max(0, us) / US_PER_S:.3f}" for us in stretch)
            self.run(
                "pack",
                self._session.path,
                recording.path,
                "--from",
                start_s,
                "--to",
                end_s,
                "--out",
                target,
                target=target,
            )

    def _verify(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, "Check a pack", str(self._session.path.parent), "Sealed packs (*.zip)"
        )
        if name:
            self.run("verify", name)

    def _on_written(self, well: bool, printed: str, error: str) -> None:
        if not well:
            self.said.tell("\n".join(filter(None, (printed, error))) or "It ended without a word.", wrong=True)
        else:
            self.said.tell(f"Written: {self._target}" if self._target else printed)


def _lost_words(fit: Fit) -> str:
    """What is lost and why, what would save most, and what of the drawing was changed."""
    lines = [f"Lost: {name}" + (f" ({by} would save it)" if by else "") for name, by in fit.lost[:_LOST_MOST]]
    if len(fit.lost) > _LOST_MOST:
        lines.append(f"and {len(fit.lost) - _LOST_MOST} more")
    if fit.saves and fit.saves[0].score.met > fit.score.met:
        best = fit.saves[0]
        lines.append(f"With {best.capability} it would be {best.score.met} met, {best.score.nuisances} nuisances.")
    return "\n".join([*lines, *fit.fitted.notes])
