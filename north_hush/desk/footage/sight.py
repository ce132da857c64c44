"""How well the camera sees: the level of each kind of blindness over the recording, and the dials that decide when it is told."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from functools import partial

import numpy as np
from numpy.typing import NDArray
from PySide6.QtWidgets import QComboBox, QDialog, QHBoxLayout, QLabel, QLineEdit, QPushButton, QVBoxLayout, QWidget

from north_hush.core.advise.sight_curves import FIELDS, SIGHT_DIALS, Field, SightCurve, curve_of, level_of, turned
from north_hush.core.errors import HushError
from north_hush.core.evaluate.blind import blind_told
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.stamps import clock_text
from north_hush.core.hours.clock import ALWAYS, check_hours
from north_hush.core.sight.rules import BORN, KINDS, WORDS, Blindness, SightRule
from north_hush.core.sight.sight import Blind
from north_hush.core.site import seeing
from north_hush.core.words import begun, tr
from north_hush.desk.deck import Deck
from north_hush.desk.look.panel import muted, wrapped
from north_hush.desk.look.roles import Theme
from north_hush.desk.session import Session
from north_hush.desk.trace.level_plot import LevelPlot
from north_hush.desk.tune.dial import HushDial, Response
from north_hush.desk.workers.background import Background

_LEVEL, _TOLD = "level", "told"
_PLOT_PX, _WIDE_PX = 150, 560
_SPANS_MOST = 8


class SightDialog(QDialog):
    """One kind at a time. What is turned counts at once; Ctrl+Z in the window brings it back."""

    def __init__(self, session: Session, deck: Deck, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("How well the camera sees"))
        self.setMinimumWidth(_WIDE_PX)
        self._session, self._deck = session, deck
        self._work = Background((_LEVEL, _TOLD, *FIELDS), self)
        self._open = True
        self.kind = QComboBox(accessibleName=tr("Kind of blindness"), toolTip=tr("What makes the camera blind"))
        for kind in KINDS:
            self.kind.addItem(begun(WORDS[kind]), kind)
        self.kind.activated.connect(lambda _: self.refresh())
        self.looked_for = QPushButton(tr("Looked for"), checkable=True)
        self.looked_for.setAutoDefault(False)  # Return in a number is not meant for it
        self.looked_for.setToolTip(tr("Whether this view tells this kind at all"))
        self.looked_for.clicked.connect(lambda on: self._put(BORN[self._kind] if on else None))
        self.plot = LevelPlot(theme)
        self.plot.setFixedHeight(_PLOT_PX)
        self.plot.setToolTip(tr("Click: go there. Wheel: zoom. Solid: start level. Dashed: clear level."))
        self.plot.time_picked.connect(deck.playhead.seek_s)
        self.dials = {dial.field: HushDial(dial, getattr(BORN["covered"], dial.field), theme) for dial in SIGHT_DIALS}
        for dial in self.dials.values():
            dial.turned.connect(self._on_turned)
        self.said = wrapped(QLabel(""))
        self.hours = QLineEdit(placeholderText=tr("always, or as Mo-Fr 18:00-06:00"), accessibleName=tr("Hours"))
        self.hours.setToolTip(tr("Weekdays, times and dates, as in Hours: 2026 Nov 24-26 22:00-05:00"))
        self.hours.editingFinished.connect(self._on_hours)
        self._lay_out()
        self.refresh()

    def _lay_out(self) -> None:
        top = QHBoxLayout()
        top.addWidget(self.kind, 1)
        top.addWidget(self.looked_for)
        column = QVBoxLayout(self)
        column.setSpacing(8)
        column.addLayout(top)
        column.addWidget(self.plot)
        column.addWidget(self.said)
        for dial in self.dials.values():
            column.addWidget(dial)
        in_hours = QHBoxLayout()
        in_hours.addWidget(QLabel(tr("Told in these hours")))
        in_hours.addWidget(self.hours, 1)
        column.addLayout(in_hours)
        column.addWidget(wrapped(muted(tr("The hill over a dial is how often it is told in this recording."))))

    @property
    def _kind(self) -> Blindness:
        kind: Blindness = self.kind.currentData()
        return kind

    def refresh(self) -> None:
        """Show the kind that is chosen: its rule, its level, and what other values would tell."""
        kind, rules = self._kind, self._session.view.sight_rules
        rule = rules.get(kind)
        shown = rule or BORN[kind]
        self.looked_for.setChecked(rule is not None)
        for field, dial in self.dials.items():
            dial.setEnabled(rule is not None)
            dial.show_value(getattr(shown, field))
            dial.track.show_curve(None)
        self.hours.setEnabled(rule is not None)
        self.hours.setText(shown.hours)
        self.plot.show_limits(shown.start_percent, shown.clear_percent)
        evidence = self._deck.evidence
        if evidence is None or not evidence.whole:
            self.said.setText(tr("The level is shown once the recording is analysed."))
            return
        self._work.order(_LEVEL, partial(level_of, evidence, kind, rules), self._show_level, lambda _: None)
        if rule is None:
            self.said.setText(tr("Not looked for in this view."))
            self._work.drop_kind(_TOLD)
            return
        find = partial(blind_told, clock=self._session.site.clock, began=self._began)
        self._work.order(_TOLD, partial(_told, evidence, kind, rules, find), self.said.setText, self._say_why)
        for field in FIELDS:
            work = partial(curve_of, evidence, kind, field, rules, lambda: self._open, find)
            self._work.order(field, work, self._show_curve, lambda _: None)

    @property
    def _began(self) -> datetime | None:
        recording, index = self._deck.recording, self._deck.index
        return None if recording is None or index is None else recording.began(index, self._session.site.zone)

    def _say_why(self, error: HushError) -> None:
        self.said.setText(str(error))

    def _show_level(self, found: tuple[NDArray[np.float64], NDArray[np.float64]]) -> None:
        self.plot.show_level(*found)

    def _show_curve(self, curve: SightCurve | None) -> None:
        if curve is None:
            return
        words = tuple(curve.words(place) for place in range(len(curve.values)))
        heights = tuple(float(times) for times in curve.times)
        self.dials[curve.field].track.show_curve(Response(curve.values, heights, (0.0,) * len(words), words))

    def _on_turned(self, field: Field, value: float, ended: bool) -> None:
        rule = turned(self._session.view.sight_rules.get(self._kind, BORN[self._kind]), field, value)
        self.plot.show_limits(rule.start_percent, rule.clear_percent)
        if ended:
            self._put(rule)

    def _on_hours(self) -> None:
        """Take over what was written; what cannot be read stays there, with why."""
        rule, text = self._session.view.sight_rules.get(self._kind), self.hours.text().strip()
        if rule is None or text == rule.hours:
            return
        try:
            check_hours(text or ALWAYS)
        except ValueError as error:
            self.said.setText(f"{error}.")
            return
        self._put(rule.model_copy(update={"hours": text}))

    def _put(self, rule: SightRule | None) -> None:
        kind, view_id = self._kind, self._session.view_id
        name = tr("When it is told: {kind}", kind=WORDS[kind])
        self._session.do(name, lambda site: seeing.set_sight(site, view_id, kind, rule))
        self.refresh()

    def done(self, result: int) -> None:
        """What waits in the background is let go; what runs ends soon, and nobody waits for it."""
        self._open = False
        self._work.drop()
        super().done(result)


def _told(
    evidence: Evidence,
    kind: Blindness,
    rules: dict[Blindness, SightRule],
    find: Callable[[Evidence, dict[Blindness, SightRule]], list[Blind]],
) -> str:
    """What the rule as it is tells, in words."""
    found = [one for one in find(evidence, rules) if one.kind == kind]
    if not found:
        return tr("Not told in this recording.")
    spans = [
        tr(
            "{start} to {end}",
            start=clock_text(one.start_us),
            end=tr("the end") if one.end_us is None else clock_text(one.end_us),
        )
        for one in found
    ]
    return tr("Told: {spans}.", spans=", ".join(spans[:_SPANS_MOST]) + (" …" if len(spans) > _SPANS_MOST else ""))
