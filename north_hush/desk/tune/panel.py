"""Tune stage: which zone, which tuning, its dials, and the alarms they raise."""

from __future__ import annotations

from itertools import count

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from north_hush.core.detect.dials import DIALS, MORE_DIALS, Dial
from north_hush.core.detect.replay import WHOLE_PICTURE_NAME
from north_hush.core.detect.settings import FACTORY
from north_hush.core.footage.index import FrameIndex
from north_hush.core.judge.score import score, spans_of
from north_hush.core.scene.items import Wire
from north_hush.core.scene.plan import WHOLE_PICTURE_ID
from north_hush.core.site import edits
from north_hush.desk.deck import Deck
from north_hush.desk.look.panel import form_row, muted, rule, stage_title, wrapped
from north_hush.desk.look.roles import Theme
from north_hush.desk.session import Session
from north_hush.desk.tune.alarms import AlarmList
from north_hush.desk.tune.dial import HushDial

_turns = count()
_NEVER_OFF = ("guard_hold_s", "longest_s")
_CHANNELS = (
    ("step", "the frame before"),
    ("step_200ms", "0.2 s before"),
    ("step_500ms", "0.5 s before"),
    ("drift", "a slow background"),
    ("settle", "slow against fast background"),
)
_RATES = ((0, "every frame"), (5, "5 frames a second"), (2, "2 frames a second"))
_USUALS = (
    (0.0, "from nothing"),
    (10.0, "above the usual of 10 s"),
    (60.0, "above that of 1 min"),
    (600.0, "above that of 10 min"),
)
_UNITS = (("percent", "% of the view"), ("heights", "person heights"))


class TunePanel(QWidget):
    """Right panel of the Tune stage."""

    def __init__(self, session: Session, deck: Deck, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._deck = session, deck
        self._turn = ""
        self.zone = QComboBox(toolTip="The zone or tripwire whose dials are shown", accessibleName="Zone or wire")
        self.zone.currentIndexChanged.connect(self._on_zone)
        self.tuning = QComboBox(toolTip="The named set of dials in use for this camera view", accessibleName="Tuning")
        self.tuning.currentTextChanged.connect(session.use_tuning)
        self.channel = QComboBox(toolTip="What each frame is compared with", accessibleName="Compare with")
        for name, label in _CHANNELS:
            self.channel.addItem(label, name)
        self.channel.currentIndexChanged.connect(lambda _: self._set(channel=self.channel.currentData()))
        self.dials = {
            dial.field: HushDial(dial, float(getattr(FACTORY, dial.field)), theme) for dial in (*DIALS, *MORE_DIALS)
        }
        self.more = QPushButton(
            "More dials", checkable=True, toolTip="Size, travel, light guard, re-arm and longest alarm"
        )
        self.more.setProperty("flat", "true")
        self.more_dials = QWidget()
        self.more_dials.hide()
        self.more.toggled.connect(self.more_dials.setVisible)
        self.alarms = AlarmList(session, deck, theme)
        self.crossing_note = wrapped(
            muted("Watched for crossings: what moves is followed, and only the change limit counts.")
        )
        self.summary = QLabel("")
        self.summary.setProperty("role", "title")
        self.score = muted("")
        self.score.setAccessibleName("Score of this recording")
        self._lay_out()
        for dial in self.dials.values():
            dial.turned.connect(self._on_turned)
        session.changed.connect(self.refresh)
        session.view_changed.connect(self.refresh)
        session.item_selected.connect(lambda _: self.refresh())
        deck.lanes_changed.connect(self._summarise)
        deck.opened.connect(self.refresh)
        self.refresh()

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 8)
        column.setSpacing(8)
        column.addWidget(stage_title("Tune"))
        column.addLayout(form_row("Tuning", self.tuning))
        column.addLayout(form_row("Zone or wire", self.zone))
        column.addLayout(form_row("Compare with", self.channel))
        column.addWidget(rule())
        ends = QHBoxLayout()
        ends.addWidget(muted("louder"))
        ends.addStretch(1)
        ends.addWidget(muted("quieter"))
        for dial in DIALS:
            column.addWidget(self.dials[dial.field])
        column.addLayout(ends)
        column.addWidget(self.more)
        more = QVBoxLayout(self.more_dials)
        more.setContentsMargins(0, 0, 0, 0)
        for dial in MORE_DIALS:
            more.addWidget(self.dials[dial.field])
        column.addWidget(self.more_dials)
        column.addWidget(self.crossing_note)
        column.addWidget(rule())
        column.addWidget(self.summary)
        column.addWidget(self.score)
        column.addWidget(self.alarms, 1)

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self.alarms.dress(theme)
        for dial in self.dials.values():
            dial.track.dress(theme)

    def _show_used(self) -> None:
        """A wire watched for crossings follows paths: its levels and waits raise nothing."""
        watcher = self._session.view.item(self.zone_id)
        crosses = isinstance(watcher, Wire) and watcher.watches != "broken"
        for field, dial in self.dials.items():
            dial.setEnabled(not crosses or field == "change_limit_grey")
        self.crossing_note.setVisible(crosses)

    @property
    def zone_id(self) -> str:
        """The zone whose dials are shown."""
        return str(self.zone.currentData() or WHOLE_PICTURE_ID)

    def refresh(self) -> None:
        """Show the session's values."""
        view = self._session.view
        with QSignalBlocker(self.tuning):
            self.tuning.clear()
            self.tuning.addItems([tuning.name for tuning in view.tunings])
            self.tuning.setCurrentText(view.tuning_in_use)
        wanted = self._session.item_id or self.zone_id
        with QSignalBlocker(self.zone):
            self.zone.clear()
            for watcher in view.plan.watchers:
                if watcher is None:
                    self.zone.addItem(WHOLE_PICTURE_NAME, WHOLE_PICTURE_ID)
                else:
                    self.zone.addItem(f"{watcher.letter}  {watcher.name}", watcher.id)
            self.zone.setCurrentIndex(max(0, self.zone.findData(wanted)))
        self._show_used()
        settings = view.tuning.of(self.zone_id)
        with QSignalBlocker(self.channel):
            self.channel.setCurrentIndex(self.channel.findData(settings.channel))
        part = "line" if isinstance(view.item(self.zone_id), Wire) else "zone"
        for field, dial in self.dials.items():
            dial.unit.setText(dial.dial.unit.replace("zone", part))
            value = getattr(settings, field)
            dial.show_value(value, self._note(dial.dial, value))
        self._summarise()

    def _note(self, dial: Dial, value: float) -> str:
        """How long a number of frames lasts on the recording that is on; "off" where a dial does nothing."""
        index = self._deck.index
        if dial.unit == "frames":
            return "" if index is None else frames_text(index, int(value))
        idle = dial in MORE_DIALS and dial.field not in _NEVER_OFF and value == getattr(FACTORY, dial.field)
        return "off" if idle else ""

    def _summarise(self) -> None:
        count_ = len(self.alarms.alarms.rows)
        lanes, evidence = self._deck.lanes, self._deck.evidence
        if evidence is None:
            self.score.hide()
            self.summary.setText("Alarms")
            return
        in_alarm = sum(row.length_s for row in self.alarms.alarms.rows)
        share = 100 * in_alarm / max(evidence.duration_s * max(1, len(lanes)), 1e-9)
        partly = "" if evidence.whole else " so far"
        noun = "alarm" if count_ == 1 else "alarms"
        self.summary.setText(f"{count_} {noun}{partly}, {share:.1f} % of the time")
        recording = self._deck.recording
        known = recording is not None and evidence.whole and recording.truth.known
        self.score.setVisible(known)
        if recording is not None and known:
            held = score(spans_of(lanes, evidence.time_us), recording.truth, evidence.duration_s)
            self.score.setText(f"{held.met} of {held.incidents} incidents met, {held.nuisances} nuisance alarms")
            self.score.setToolTip(f"Missed: {', '.join(held.missed)}" if held.missed else "No incident is missed.")

    def _on_zone(self) -> None:
        self._session.select("" if self.zone_id == WHOLE_PICTURE_ID else self.zone_id)
        self.refresh()

    def _on_turned(self, field: str, value: float, ended: bool) -> None:
        self._turn = self._turn or f"turn-{next(_turns)}"
        number = int(value) if self.dials[field].dial.decimals == 0 else value
        self._set(**{field: number})
        if ended:
            self._turn = ""

    def _set(self, **dials: object) -> None:
        view_id, zone_id = self._session.view_id, self.zone_id
        field = next(iter(dials))
        label = self.dials[field].dial.label if field in self.dials else "Compare with"
        name = self.zone.currentText().split("  ")[-1]
        if not self._session.do(
            f"{label} of {name}", lambda site: edits.set_dials(site, view_id, zone_id, **dials), self._turn
        ):
            self.refresh()


def frames_text(index: FrameIndex, frames: int) -> str:
    """How long some frames last: n frames span n - 1 intervals, median and (where it differs) worst."""
    usual = (frames - 1) * index.usual_interval_us / 1000
    worst = (frames - 1) * index.worst_interval_us / 1000
    return f"{usual:,.0f} ms" if worst < 1.5 * usual or frames == 1 else f"{usual:,.0f}–{worst:,.0f} ms"
