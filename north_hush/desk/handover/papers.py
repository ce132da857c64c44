"""What goes out to people: sheet, report, rules and packs, written by our own commands, or printed."""

from __future__ import annotations

import json
import tempfile
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Literal

from pydantic import ValidationError
from PySide6.QtGui import QTextDocument
from PySide6.QtPrintSupport import QPrintDialog, QPrinter
from PySide6.QtWidgets import QFileDialog, QGridLayout, QLineEdit, QMenu, QPushButton, QVBoxLayout, QWidget

from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.handover.handed import hand_over
from north_hush.core.handover.onvif_reading import take_onvif
from north_hush.core.site.handed import Handed
from north_hush.core.site.model import Site
from north_hush.core.words import tr
from north_hush.desk.deck import Deck
from north_hush.desk.look.panel import Saying, form_row
from north_hush.desk.packing import Packing
from north_hush.desk.session import Session
from north_hush.desk.trace.pane import TracePane
from north_hush.desk.workers.commands import Command

Paper = Literal["sheet", "report"]
_PAPERS = tr("Paper (*.pdf);;Page (*.html)")


class PapersBox(QWidget):
    """A button for each, and who hands the sheet over."""

    def __init__(
        self,
        session: Session,
        deck: Deck,
        trace: TracePane,
        packing: Packing,
        card: Callable[[], str],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self._session, self._deck, self._trace, self._packing, self._card = session, deck, trace, packing, card
        self.writing = Command(self)
        self.writing.ended.connect(self._on_written)
        self._target, self._printing = "", False
        self.by = QLineEdit(placeholderText=tr("nobody yet"), accessibleName=tr("Handed over by"))
        self.by.setToolTip(
            tr("Who hands the sheet over: it is kept, and the next sheet begins with what changed since")
        )
        self.note = QLineEdit(placeholderText=tr("note"), accessibleName=tr("Note on the sheet"))
        self.note.setToolTip(tr("Kept with the sheet, and told in the report"))
        self.said = Saying()
        self.buttons: dict[str, QPushButton] = {}
        for key, text, tip, act in (
            (
                "sheet",
                tr("Settings sheet…"),
                tr("What to draw, click and type, in the device's own words (PDF or HTML)"),
                self._sheet,
            ),
            (
                "report",
                tr("Report…"),
                tr("Why these numbers: before and after, what is not covered, hours (PDF or HTML)"),
                self._report,
            ),
            ("print", tr("Print…"), tr("The sheet or the report, on a printer"), self._ask_print),
            ("onvif", tr("Rules out…"), tr("Zones and wires as ONVIF analytics XML"), self._onvif),
            (
                "into",
                tr("Rules in…"),
                tr("Zones and wires from ONVIF analytics XML, beside those that are there"),
                self._into,
            ),
            (
                "pack",
                tr("Sealed pack…"),
                tr("The stretch that the trace shows, with stills, events, and hashes of every file"),
                self._pack,
            ),
            ("verify", tr("Check a pack…"), tr("Whether a pack is as it was made"), self._verify),
        ):
            self.buttons[key] = QPushButton(text, toolTip=tip)
            self.buttons[key].clicked.connect(act)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addWidget(self.said)
        column.addLayout(form_row(tr("Handed over by"), self.by))
        column.addLayout(form_row(tr("Note"), self.note))
        grid = QGridLayout()
        for place, button in enumerate(self.buttons.values()):
            grid.addWidget(button, place // 2, place % 2)
        column.addLayout(grid)

    def refresh(self) -> None:
        """Allow what can be done."""
        for key in ("sheet", "report", "print"):
            self.buttons[key].setEnabled(bool(self._session.view.recordings))
        self.buttons["pack"].setEnabled(self._deck.recording is not None)

    def close_worker(self) -> None:
        """End what runs."""
        self.writing.close()

    # --- writing ----------------------------------------------------------------------------------------------------

    def _ask_target(self, title: str, name: str, kinds: str) -> str:
        target, _ = QFileDialog.getSaveFileName(self, title, str(self._session.path.with_name(name)), kinds)
        return target

    def run(self, *arguments: str | Path, target: str = "", printing: bool = False) -> None:
        """Run one of our commands on the site as it stands."""
        error = self._session.flush()
        if error is not None:
            self.said.tell(str(error), wrong=True)
            return
        self._target, self._printing = target, printing
        self.said.tell(tr("Writing…"))
        self.writing.start(*arguments)

    def _stem(self) -> str:
        return self._session.path.name.split(".")[0]

    def _arguments(self, paper: Paper, target: str) -> tuple[str | Path, ...]:
        card = ("--card", self._card()) if self._card() else ()
        return (paper, self._session.path, *card, "--json", "--out", target)

    def _sheet(self) -> None:
        target = self._ask_target(tr("Settings sheet"), f"{self._stem()}-sheet.pdf", _PAPERS)
        if target and self._card():
            self.run(*self._arguments("sheet", target), target=target)

    def _report(self) -> None:
        target = self._ask_target(tr("Report"), f"{self._stem()}-report.pdf", _PAPERS)
        if target:
            self.run(*self._arguments("report", target), target=target)

    def _ask_print(self) -> None:
        menu = QMenu(self)
        menu.addAction(tr("Settings sheet"), partial(self.print_paper, "sheet"))
        menu.addAction(tr("Report"), partial(self.print_paper, "report"))
        menu.popup(self.buttons["print"].mapToGlobal(self.buttons["print"].rect().bottomLeft()))

    def print_paper(self, paper: Paper) -> None:
        """Write a page, and ask for a printer once it is there."""
        target = str(Path(tempfile.mkdtemp(prefix="north-hush-print-")) / f"{paper}.html")
        self.run(*self._arguments(paper, target), target=target, printing=True)

    def _onvif(self) -> None:
        target = self._ask_target(tr("Rules"), f"{self._stem()}-rules.xml", tr("ONVIF analytics (*.xml)"))
        if target:
            self.run("onvif", self._session.path, "--out", target, "--view", self._session.view.name, target=target)

    def _into(self) -> None:
        """Read rules in this process: they become one step that can be undone."""
        name, _ = QFileDialog.getOpenFileName(
            self, tr("Rules"), str(self._session.path.parent), tr("ONVIF analytics (*.xml)")
        )
        if not name:
            return
        notes: list[str] = []
        view_id = self._session.view_id

        def take(site: Site) -> Site:
            after, found = take_onvif(site, view_id, Path(name))
            notes.extend(found)
            return after

        if self._session.do(tr("Rules in"), take):
            self.said.tell("\n".join(["The rules stand beside what was drawn.", *notes]))
        else:
            self.said.tell(tr("Nothing was taken.") + "".join(f"\n{note}" for note in notes))

    def _pack(self) -> None:
        """Pack the stretch in view."""
        stretch, recording = self._trace.stretch_us(), self._deck.recording
        if stretch is None or recording is None:
            self.said.tell(tr("Nothing is shown to pack."), wrong=True)
            return
        self._packing.pack(recording, stretch[0] / US_PER_S, stretch[1] / US_PER_S)

    def _verify(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, tr("Check a pack"), str(self._session.path.parent), tr("Sealed packs (*.zip)")
        )
        if name:
            self.run("verify", name)

    def _on_written(self, well: bool, printed: str, error: str) -> None:
        if not well:
            self.said.tell("\n".join(filter(None, (printed, error))) or tr("It ended without a word."), wrong=True)
            return
        said = tr("Written: {target}", target=self._target) if self._target else printed
        if self._printing:
            said = tr("Printed.") if self._print(Path(self._target)) else tr("Not printed.")
        self.said.tell(f"{said}{self._keep(printed)}")

    def _print(self, page: Path) -> bool:
        printer = QPrinter(QPrinter.PrinterMode.HighResolution)
        if QPrintDialog(printer, self).exec() != QPrintDialog.DialogCode.Accepted:
            return False
        document = QTextDocument()
        document.documentLayout().setPaintDevice(printer)
        document.setHtml(page.read_text("utf-8"))
        document.print_(printer)
        return True

    def _keep(self, printed: str) -> str:
        """Keep a sheet that somebody hands over; what is said of it."""
        by = self.by.text().strip()
        if not by or not printed.startswith("{"):
            return ""
        try:
            sheets = {
                view: Handed.model_validate({**told, "by": by, "note": self.note.text().strip()})
                for view, told in json.loads(printed).get("sheets", {}).items()
            }
        except (ValidationError, ValueError) as error:
            return tr(" It was not kept: {error}.", error=error)

        def keep(site: Site) -> Site:
            for view_id, handed in sheets.items():
                site = hand_over(site, view_id, handed)
            return site

        return (
            tr(" Kept as handed over by {by}.", by=by)
            if sheets and self._session.do(tr("Handed over by {by}", by=by), keep)
            else ""
        )
