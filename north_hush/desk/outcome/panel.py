"""Outcome stage: what is kept, who is told, what it costs; the clips themselves, and tests of the ways to tell."""

from __future__ import annotations

import json
import tempfile
from functools import partial
from itertools import count
from pathlib import Path
from textwrap import fill

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QMenu,
    QProgressBar,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from north_hush.core.advise.outcome_advice import OutcomeAdvice
from north_hush.core.advise.outcomes import OUTCOME_DIALS, OutcomeCurve, turned, value_of
from north_hush.core.outcome.rules import Keep, Tell
from north_hush.core.site import outcomes
from north_hush.core.words import tr
from north_hush.desk.comparison import Comparison
from north_hush.desk.look.panel import Saying, form_row, muted, rule, stage_title, wrapped
from north_hush.desk.look.roles import Theme
from north_hush.desk.outcome.costs import cost_text
from north_hush.desk.outcome.more import MoreKeeping
from north_hush.desk.outcome.notice import NoticeDialog
from north_hush.desk.outcome.replays import Replays
from north_hush.desk.outcome.ways import WayDialog
from north_hush.desk.session import Session
from north_hush.desk.tune.dial import HushDial, Response
from north_hush.desk.workers.commands import Command

_HOW = (
    ("on_alarm", tr("on alarm")),
    ("always", tr("always")),
    ("low_and_full", tr("always low, alarms in full")),
    ("never", tr("nothing")),
)
_BORN = {dial.field: getattr(Keep(), dial.field, Tell(way="-").every_s) for dial in OUTCOME_DIALS}
_NARROW = QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
_LINE = 40
"""Letters that fit into a button."""
_turns = count()


class OutcomePanel(QWidget):
    """Right panel of the Outcome stage; picture, trace and the three lanes stay in sight."""

    def __init__(
        self,
        session: Session,
        replays: Replays,
        comparison: Comparison,
        theme: Theme,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.pin = QPushButton(tr("Pin"), checkable=True, toolTip=tr("Compare what follows with the rules of now"))
        self.pin.clicked.connect(lambda on: comparison.pin_present() if on else comparison.unpin())
        self._session, self._replays = session, replays
        self._turn = ""
        self.cutting, self.testing = Command(self), Command(self)
        self._pictures: tempfile.TemporaryDirectory[str] | None = None
        self.how = QComboBox(accessibleName=tr("Keep"), toolTip=tr("What is kept of the footage"))
        for value, words in _HOW:
            self.how.addItem(words, value)
        self.how.activated.connect(lambda _: self._keep(how=self.how.currentData()))
        self.how.setSizeAdjustPolicy(_NARROW)
        self.way = QComboBox(accessibleName=tr("Tell"), toolTip=tr("Who is told when an alarm starts"))
        self.way.setSizeAdjustPolicy(_NARROW)
        self.way.activated.connect(self._on_way)
        self.edit_way = QToolButton(
            text="…", toolTip=tr("Change or remove this way"), accessibleName=tr("Change this way")
        )
        self.edit_way.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(self.edit_way)
        menu.addAction(tr("Change…"), lambda: self._edit(self.way.currentData()))
        menu.addAction(tr("Remove"), self._remove_way)
        self.edit_way.setMenu(menu)
        self.dials = {dial.field: HushDial(dial, _BORN[dial.field], theme) for dial in OUTCOME_DIALS}
        for dial in self.dials.values():
            dial.turned.connect(self._on_turned)
        self.more = MoreKeeping(session, [self.dials[dial.field] for dial in OUTCOME_DIALS if dial.more])
        self.open_more = QPushButton(
            tr("More…"), checkable=True, toolTip=tr("Joining, splitting, snapshots, names, ages, the disk")
        )
        self.open_more.toggled.connect(self.more.setVisible)
        self.preview = QPushButton(tr("Preview"), toolTip=tr("The first message as it will look, pictures and all"))
        self.preview.clicked.connect(self._preview)
        self.test = QPushButton(
            tr("Send a test"), toolTip=tr("Send that message now, marked as a test, and hear what the other side says")
        )
        self.test.clicked.connect(self._send_test)
        self.cost = wrapped(muted(""))
        self.cost.setAccessibleName(tr("What it costs"))
        self.said = Saying()
        self.offers = QVBoxLayout()
        self.cut = QPushButton(
            tr("Make these clips…"),
            toolTip=tr("Cut the recordings into the very files a recorder would leave. They are not changed."),
        )
        self.cut.clicked.connect(self._cut)
        self.bar = QProgressBar(textVisible=False, accessibleName=tr("Clips made"))
        self.bar.hide()
        self._lay_out()
        self.cutting.said.connect(lambda _: self.bar.setValue(self.bar.value() + 1))
        self.cutting.ended.connect(self._on_cut)
        self.testing.ended.connect(self._on_tested)
        for changed in (session.changed, session.view_changed):
            changed.connect(self.refresh)
        replays.changed.connect(self._show_costs)
        replays.curves_changed.connect(self._show_curves)

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 8)
        column.setSpacing(8)
        column.addWidget(stage_title(tr("Outcome")))
        column.addLayout(form_row(tr("Keep"), self.how))
        for field in ("before_s", "after_s", "drop_under_frames"):
            column.addWidget(self.dials[field])
        column.addWidget(rule())
        row = form_row(tr("Tell"), self.way)
        row.addWidget(self.edit_way)
        column.addLayout(row)
        column.addWidget(self.dials["every_s"])
        buttons = QHBoxLayout()
        buttons.addWidget(self.preview)
        buttons.addWidget(self.test)
        column.addLayout(buttons)
        column.addWidget(rule())
        column.addWidget(self.cost)
        column.addLayout(self.offers)
        column.addWidget(self.said)
        column.addWidget(self.more)
        self.more.hide()
        column.addStretch(1)
        column.addWidget(self.bar)
        last = QHBoxLayout()
        last.addWidget(self.cut, 1)
        last.addWidget(self.pin)
        last.addWidget(self.open_more)
        column.addLayout(last)

    # --- showing ----------------------------------------------------------------------------------------------------

    def enter(self) -> None:
        """The stage is shown."""
        self._replays.watch(on=True)
        self.refresh()

    def leave(self) -> None:
        """Another stage is shown."""
        self._replays.watch(on=False)

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        for dial in self.dials.values():
            dial.track.dress(theme)

    def close_worker(self) -> None:
        """End what runs beside."""
        self.cutting.close()
        self.testing.close()
        self._replays.close()
        if self._pictures is not None:
            self._pictures.cleanup()

    def refresh(self) -> None:
        """Show the session's outcome."""
        if not self.isVisible():
            return
        site, outcome = self._session.site, self._session.view.outcome
        keep, told = outcome.keep, outcome.tell[0].way if outcome.tell else ""
        with QSignalBlocker(self.how), QSignalBlocker(self.way):
            self.how.setCurrentIndex(self.how.findData(keep.how))
            self.way.clear()
            self.way.addItem(tr("nobody"), "")
            for way in site.ways:
                self.way.addItem(f"{way.name} ({way.kind})", way.name)
            self.way.addItem(tr("Another way…"), None)
            self.way.setCurrentIndex(max(0, self.way.findData(told)))
            self.way.setToolTip(
                tr("Who is told when an alarm starts: {currentText}", currentText=self.way.currentText())
            )
        for field, dial in self.dials.items():
            dial.show_value(value_of(outcome, field))
            dial.setEnabled(bool(told) if field == "every_s" else keep.how != "never")
        for widget in (self.edit_way, self.preview, self.test):
            widget.setEnabled(bool(told) and not self.testing.running)
        self.cut.setEnabled(keep.how != "never" or self.cutting.running)
        self.more.refresh()

    def _show_curves(self) -> None:
        for field, dial in self.dials.items():
            dial.track.show_curve(_response(self._replays.curves.get(field)))
        while (held := self.offers.takeAt(0)) is not None:
            if (widget := held.widget()) is not None:
                widget.deleteLater()
        for advice in self._replays.advice:
            button = QPushButton(fill(advice.words, _LINE), toolTip=tr("Take it; Ctrl+Z brings back what was"))
            button.setProperty("role", "turn")
            button.clicked.connect(partial(self._take, advice))
            self.offers.addWidget(button)

    def _show_costs(self) -> None:
        costs = self._replays.costs
        if costs is None:
            self.cost.setText(tr("Working out what alarms lead to…"))
            return
        if costs.led:
            self.pin.setChecked(costs.against is not None)
        self.cost.setText(cost_text(costs, self._session.view.outcome, self._session.site.disk))

    # --- doing ------------------------------------------------------------------------------------------------------

    def _keep(self, **changes: object) -> None:
        view_id = self._session.view_id
        self._session.do(tr("Keep"), lambda site: outcomes.set_keep(site, view_id, **changes))

    def _on_turned(self, field: str, value: float, ended: bool) -> None:
        self._turn = self._turn or f"outcome-{next(_turns)}"
        self._set(field, value, self._turn)
        if ended:
            self._turn = ""

    def _set(self, field: str, value: float, turn: str = "") -> None:
        view_id = self._session.view_id
        self._session.do(
            self.dials[field].dial.label,
            lambda site: outcomes.set_outcome(site, view_id, turned(site.view(view_id).outcome, field, value)),
            turn,
        )

    def _take(self, advice: OutcomeAdvice) -> None:
        self._set(advice.field, advice.value)

    def _on_way(self, place: int) -> None:
        name, view_id = self.way.itemData(place), self._session.view_id
        if name is None:
            self._edit("")
            return
        self._session.do(tr("Tell"), lambda site: outcomes.tell_by(site, view_id, name))

    def _edit(self, name: str) -> None:
        """State a way, or change one; what is new is told by at once."""
        site, view_id = self._session.site, self._session.view_id
        dialog = WayDialog(site.name, site.way(name) if name else None, self)
        if dialog.exec() == QDialog.DialogCode.Accepted and dialog.way is not None:
            way = dialog.way
            self._session.do(
                tr("Way {name}", name=way.name),
                lambda site: outcomes.tell_by(outcomes.put_way(site, way, name), view_id, way.name),
            )
        self.refresh()

    def _remove_way(self) -> None:
        name = self.way.currentData()
        if name:
            self._session.do(tr("Remove way {name}", name=name), lambda site: outcomes.remove_way(site, name))

    def _saved(self) -> bool:
        """Have the site on disk, where the command reads it."""
        error = self._session.flush()
        if error is not None:
            self.said.tell(str(error), wrong=True)
        return error is None

    def _send_test(self) -> None:
        if self._saved():
            self.said.tell(tr("Sending…"))
            self.testing.start("notify", self._session.path, "--test", self.way.currentData())
            self.refresh()

    def _preview(self) -> None:
        if self._saved():
            self._pictures = self._pictures or tempfile.TemporaryDirectory(prefix="north-hush-notice-")
            self.said.tell(tr("Making the message…"))
            self.testing.start("notify", self._session.path, "--json", "--out", self._pictures.name)
            self.refresh()

    def _on_tested(self, well: bool, printed: str, error: str) -> None:
        self.refresh()
        if not well:
            self.said.tell(error or tr("It ended without a word."), wrong=True)
        elif printed.startswith("{"):
            self.said.tell("")
            way = self.way.currentData()
            rows = [row for row in json.loads(printed)["notices"] if row["way"] == way]
            if rows:
                NoticeDialog(rows[0], self).show()
            else:
                self.said.tell(tr("No alarm of this footage is told by it."))
        else:
            self.said.tell(tr("Sent. {printed}", printed=printed))

    def _cut(self) -> None:
        """Ask where to, and cut; or stop cutting."""
        if self.cutting.running:
            self.cutting.stop()
            self._on_cut(False, "", tr("Stopped. The clips that were done are there."))
            return
        costs = self._replays.costs
        folder = QFileDialog.getExistingDirectory(self, tr("Where the clips go"), str(self._session.path.parent))
        if folder and self._saved():
            self.make_clips(Path(folder), sum(len(led.clips) for led in costs.led.values()) if costs is not None else 0)

    def make_clips(self, folder: Path, expected: int) -> None:
        """Cut all clips of the view into a folder, in a process beside the window."""
        self.said.tell("")
        self.bar.setRange(0, expected)
        self.bar.setValue(0)
        self.bar.show()
        self.cut.setText(tr("Stop"))
        self.cutting.start("clips", self._session.path, "--out", folder, "--only", self._session.view.name)

    def _on_cut(self, well: bool, printed: str, error: str) -> None:
        self.bar.hide()
        self.cut.setText(tr("Make these clips…"))
        made = sum("  -  " not in line for line in printed.splitlines())
        self.said.tell(
            tr("{made} clips made.", made=made) if well else error or tr("It ended without a word."), wrong=not well
        )


def _response(curve: OutcomeCurve | None) -> Response | None:
    return None if curve is None else Response(curve.values, curve.cost, curve.lost, curve.words)
