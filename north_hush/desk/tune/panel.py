"""Tune stage: which zone, which tuning, its dials, and the alarms they raise."""

from __future__ import annotations

from itertools import count

from PySide6.QtCore import QSignalBlocker
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from north_hush.core.detect.dials import DIALS, Dial
from north_hush.core.detect.lane import WHOLE_PICTURE_NAME
from north_hush.core.detect.settings import FACTORY
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.judge.ledger import STATES
from north_hush.core.scene.items import Wire
from north_hush.core.scene.plan import WHOLE_PICTURE_ID
from north_hush.core.site import edits
from north_hush.core.words import tr, trn
from north_hush.desk.comparison import Comparison
from north_hush.desk.cuttings import Cuttings
from north_hush.desk.deck import Deck
from north_hush.desk.look.panel import form_row, muted, rule, stage_title, wrapped
from north_hush.desk.look.roles import Theme
from north_hush.desk.session import Session
from north_hush.desk.tune.alarms import AlarmList
from north_hush.desk.tune.choices import Choice, MoreChoices
from north_hush.desk.tune.dial import HushDial, response_of
from north_hush.desk.tune.heights import HeightsNote
from north_hush.desk.tune.insight import Insight
from north_hush.desk.tune.tunings import TuningRow
from north_hush.desk.tune.words import blind_text, frames_text, score_text

_turns = count()
_NEVER_OFF = ("guard_hold_s", "longest_s")


class TunePanel(QWidget):
    """Right panel of the Tune stage."""

    def __init__(
        self, session: Session, deck: Deck, comparison: Comparison, insight: Insight, cuttings: Cuttings, theme: Theme
    ) -> None:
        super().__init__()
        self._session, self._deck, self._comparison = session, deck, comparison
        self._turn = ""
        self.insight, self.theme = insight, theme
        self.zone = QComboBox(
            toolTip=tr("The zone or tripwire whose dials are shown"), accessibleName=tr("Zone or wire")
        )
        self.zone.currentIndexChanged.connect(self._on_zone)
        self.tunings = TuningRow(session, comparison, theme)
        self.channel = Choice("channel")
        self.more_choices = MoreChoices()
        self.dials = {dial.field: HushDial(dial, float(getattr(FACTORY, dial.field)), theme) for dial in DIALS}
        self.more = QPushButton(
            tr("More dials"),
            checkable=True,
            toolTip=tr("Analysis rate, kinds, size, travel, smoothing, light guard, re-arm, longest alarm"),
        )
        self.more.setProperty("flat", "true")
        self.heights = HeightsNote(session, deck)
        self.more_dials = QWidget()
        self.more_dials.hide()
        self.share = QPushButton(tr("Same for all items"))
        self.share.setToolTip(
            tr(
                "Analysis rate, smoothing, light guard and reported kinds of this item for every zone and wire, as a recorder has "
                "them once a view"
            )
        )
        self.share.clicked.connect(self._share)
        self.more.toggled.connect(self.more_dials.setVisible)
        self.more.toggled.connect(lambda _: self.refresh())
        self.pin = QPushButton(tr("Pin"), checkable=True)
        self.pin.setToolTip(
            tr("Keep the present settings; every alarm is then kept, silenced, new or lost against them")
        )
        self.pin.clicked.connect(lambda on: comparison.pin_present() if on else comparison.unpin())
        self.alarms = AlarmList(session, deck, comparison, cuttings, theme)
        self.alarms.chosen.connect(self.insight.explain)
        self.crossing_note = wrapped(
            muted(
                tr(
                    "Watched for crossings: what moves is followed, whatever the dials; certainty and size decide what is reported."
                )
            )
        )
        self.blind = wrapped(muted(""))
        self.blind.setAccessibleName(tr("Blind check"))
        self.summary = QLabel("")
        self.summary.setProperty("role", "title")
        self.score = wrapped(muted(""))
        self.score.setAccessibleName(tr("Score of this recording"))
        self._lay_out()
        for dial in self.dials.values():
            dial.turned.connect(self._on_turned)
        for choice in (self.channel, *self.more_choices.choices.values()):
            choice.chosen.connect(lambda field, value: self._set(**{field: value}))
        self.more_choices.choices["things_in"].chosen.connect(self.heights.need)
        session.changed.connect(self.refresh)
        session.view_changed.connect(self.refresh)
        session.item_selected.connect(lambda _: self.refresh())
        comparison.changed.connect(self._summarise)
        deck.opened.connect(self.refresh)
        self.insight.curve_changed.connect(self._on_curve)
        self.insight.checked.connect(self._say_blind)
        self.refresh()

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 8)
        column.setSpacing(6)
        top = QHBoxLayout()
        top.addWidget(stage_title(tr("Tune")))
        top.addStretch(1)
        top.addWidget(self.pin)
        column.addLayout(top)
        column.addLayout(form_row(tr("Tuning"), self.tunings))
        column.addLayout(form_row(tr("Zone or wire"), self.zone))
        column.addLayout(form_row(self.channel.label, self.channel))
        column.addWidget(rule())
        ends = QHBoxLayout()
        ends.addWidget(muted(tr("louder")))
        ends.addWidget(self.more, 1)
        ends.addWidget(muted(tr("quieter")))
        for dial in (held for held in DIALS if not held.more):
            column.addWidget(self.dials[dial.field])
        column.addLayout(ends)
        more = QVBoxLayout(self.more_dials)
        more.setContentsMargins(0, 0, 0, 0)
        more.addWidget(self.more_choices)
        more.addWidget(self.heights)
        for dial in (held for held in DIALS if held.more):
            more.addWidget(self.dials[dial.field])
        more.addWidget(self.share)
        column.addWidget(self.more_dials)
        column.addWidget(self.crossing_note)
        column.addWidget(self.blind)
        column.addWidget(rule())
        column.addWidget(self.summary)
        column.addWidget(self.score)
        column.addWidget(self.alarms, 1)
        self.alarms.setMinimumHeight(112)

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self.theme = theme
        self.alarms.dress(theme)
        self.tunings.dress(theme)
        for dial in self.dials.values():
            dial.track.dress(theme)

    def _show_used(self) -> None:
        """A wire watched for crossings follows what moves: its levels and waits raise nothing. What breaks one that must not be
        is asked for its kind alone."""
        watcher = self._session.view.item(self.zone_id)
        crosses = isinstance(watcher, Wire) and watcher.crossed
        measures = crosses or not isinstance(watcher, Wire)
        for dial in DIALS:
            self.dials[dial.field].setVisible(dial.counts_for(crosses) and (measures or dial.things_in is None))
        self.more_choices.show_row("things_in", shown=measures)
        self.crossing_note.setVisible(crosses)
        self.channel.setEnabled(not crosses)

    @property
    def zone_id(self) -> str:
        """The zone whose dials are shown."""
        return str(self.zone.currentData() or WHOLE_PICTURE_ID)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.refresh()

    def refresh(self) -> None:
        """Show the session's values; while another stage is shown nothing is worked out for nobody."""
        if not self.isVisible() and self.zone.count():
            return
        view = self._session.view
        self.tunings.refresh()
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
        self.channel.show_value(settings.channel)
        self.more_choices.kinds.offer(view.taught)
        self.more_choices.show_settings(settings)
        self.heights.show_settings(settings)
        for dial in self.dials.values():
            if not dial.dial.counts_under(settings):
                dial.setVisible(False)
        part = "line" if isinstance(view.item(self.zone_id), Wire) else "zone"
        for field, dial in self.dials.items():
            dial.unit.setText(dial.dial.unit.replace("zone", part))
            value = getattr(settings, field)
            dial.show_value(value, self._note(dial.dial, value))
        self.insight.show(self.zone_id, self._fields_in_sight())
        self._summarise()

    def _fields_in_sight(self) -> tuple[str, ...]:
        """Dials whose curves are wanted: those shown, and of a wire watched for crossings the change limit."""
        shown = (dial for dial in DIALS if self.more.isChecked() or not dial.more)
        return tuple(
            dial.field for dial in shown if self.dials[dial.field].isEnabled() and not self.dials[dial.field].isHidden()
        )

    def _on_curve(self, field: str) -> None:
        self.dials[field].track.show_curve(response_of(self.insight.curves.get(field)))

    def _say_blind(self) -> None:
        text, tip = blind_text(self.insight.blind)
        self.blind.setText(text)
        self.blind.setToolTip(tip)

    def _note(self, dial: Dial, value: float) -> str:
        """How long a number of frames lasts on the recording that is on; "off" where a dial does nothing."""
        index = self._deck.index
        if dial.unit == "frames":
            return "" if index is None else frames_text(index, int(value))
        born = 0.0 if dial.field == "kind_sure_percent" else getattr(FACTORY, dial.field)
        idle = dial.more and dial.field not in _NEVER_OFF and value == born
        return tr("off") if idle else ""

    def _summarise(self) -> None:
        if not self.isVisible():
            return
        lanes, evidence = self._deck.lanes, self._deck.evidence
        if evidence is None:
            self.score.hide()
            self.summary.setText(tr("Alarms"))
            return
        alarms = [alarm for lane in lanes for alarm in lane.alarms]
        ringing_s = sum(alarm.end_us - alarm.start_us for alarm in alarms) / US_PER_S
        share = 100 * ringing_s / max(evidence.footage_s * max(1, len(lanes)), 1e-9)
        partly = "" if evidence.whole or evidence.lean else tr(" so far")
        self.summary.setText(
            trn(
                "{alarms} alarm{partly}, {share:.1f} % of the time",
                "{alarms} alarms{partly}, {share:.1f} % of the time",
                len(alarms),
                alarms=len(alarms),
                partly=partly,
                share=share,
            )
        )
        recording = self._deck.recording
        known = recording is not None and evidence.whole and recording.truth.known
        held = self._comparison.score_of(lanes)
        self.score.setVisible(known or self._comparison.ledger is not None)
        lines = []
        if known and held is not None:
            lines.append(score_text(held))
            self.score.setToolTip(
                tr("Missed: {join}", join=", ".join(held.missed)) if held.missed else tr("No incident is missed.")
            )
        beside = self._comparison.score_of(self._comparison.beside_lanes) if self._comparison.beside_lanes else None
        if known and beside is not None:
            lines.append(f"{self._comparison.beside}: {score_text(beside)}")
        found = self._comparison.ledger
        self.pin.setChecked(self._comparison.pin is not None)
        if found is not None:
            lines.append(
                tr("Against {base_name}: ", base_name=self._comparison.base_name)
                + ", ".join(f"{found.count(state)} {state}" for state in STATES)
            )
        self.score.setText("\n".join(lines))

    def _on_zone(self) -> None:
        self._session.select("" if self.zone_id == WHOLE_PICTURE_ID else self.zone_id)
        self.refresh()

    def _share(self) -> None:
        view_id, zone_id = self._session.view_id, self.zone_id
        self._session.do(
            tr("Same rate, smoothing, light guard and kinds for all items"),
            lambda site: edits.share_view_settings(site, view_id, zone_id),
        )

    def _on_turned(self, field: str, value: float, ended: bool) -> None:
        self._turn = self._turn or f"turn-{next(_turns)}"
        number = self.dials[field].dial.number(value)
        self._set(**{field: number})
        if ended:
            self._turn = ""

    def _set(self, **dials: object) -> None:
        view_id, zone_id = self._session.view_id, self.zone_id
        field = next(iter(dials))
        choices = {"channel": self.channel, **self.more_choices.choices}
        label = self.dials[field].dial.label if field in self.dials else choices[field].label
        name = self.zone.currentText().split("  ")[-1]
        if not self._session.do(
            tr("{label} of {name}", label=label, name=name),
            lambda site: edits.set_dials(site, view_id, zone_id, **dials),
            self._turn,
        ):
            self.refresh()
