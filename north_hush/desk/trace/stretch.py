"""The line above the lanes: what the stretch in view holds, what is under the mouse, and steps from value to value."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QDoubleSpinBox, QHBoxLayout, QPushButton, QToolButton, QWidget

from north_hush.core.detect.lane import Lane
from north_hush.core.explain.stretch import next_over, stretch_of
from north_hush.core.site import edits
from north_hush.core.words import tr, trn
from north_hush.desk.deck import Deck
from north_hush.desk.look.number import NumberBox
from north_hush.desk.look.panel import OneLine
from north_hush.desk.look.roles import Theme
from north_hush.desk.look.style import icon
from north_hush.desk.session import Session


class StretchBar(QWidget):
    """A slim row over the trace, about the selected item's lane."""

    print_toggled = Signal(bool)
    print_wanted = Signal()
    """The wire print is to be saved."""

    def __init__(self, session: Session, deck: Deck, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._deck = session, deck
        self.stretch_s: Callable[[], tuple[float, float] | None] = lambda: None
        self.facts = OneLine()
        self.facts.setAccessibleName(tr("Stretch in view"))
        self.value = NumberBox(decimals=2, minimum=0.01, maximum=100, singleStep=0.1, suffix=" %")
        self.value.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.value.setFixedWidth(64)
        self.value.setToolTip(tr("Step to frames at which the level passes this value"))
        self.value.setAccessibleName(tr("Level to step to in percent"))
        self._follows_start = True
        self.value.valueChanged.connect(lambda _: self._set_own())
        self.before = self._button(tr("Frame before that passes the value  (Shift+N)"), lambda: self.step(-1))
        self.next = self._button(tr("Next frame that passes the value  (N)"), lambda: self.step(1))
        self.take = self._button(tr("Take the level of the shown frame as the start level  (Shift+L)"), self.take_level)
        self.print = QPushButton(tr("Print"), checkable=True)
        self.print.setProperty("flat", "true")
        self.print.setToolTip(tr("Wire print: the pixels under the selected tripwire, side by side for every frame"))
        self.print.toggled.connect(self.print_toggled)
        self.save = QToolButton(
            toolTip=tr("Save the wire print as PNG"), accessibleName=tr("Save the wire print as PNG")
        )
        self.save.setProperty("flat", "true")
        self.save.clicked.connect(self.print_wanted)
        self.print.toggled.connect(self.save.setVisible)
        self.save.hide()
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 2, 8, 0)
        row.setSpacing(4)
        row.addWidget(self.facts, 1)
        for widget in (self.value, self.before, self.next, self.take, self.print, self.save):
            row.addWidget(widget, 0, Qt.AlignmentFlag.AlignVCenter)
        self.dress(theme)

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self.before.setIcon(icon("caret-double-left", theme))
        self.next.setIcon(icon("caret-double-right", theme))
        self.take.setIcon(icon("arrow-line-down", theme))
        self.save.setIcon(icon("download-simple", theme))

    def _button(self, tip: str, act: Callable[[], None]) -> QToolButton:
        button = QToolButton(toolTip=tip, accessibleName=tip.split("  ", maxsplit=1)[0])
        button.setProperty("flat", "true")
        button.clicked.connect(act)
        return button

    @property
    def lane(self) -> Lane | None:
        """The lane of the selected item, else the first."""
        lanes = self._deck.lanes
        return next((lane for lane in lanes if lane.zone_id == self._session.item_id), lanes[0] if lanes else None)

    def refresh(self, hover: str = "") -> None:
        """Say what is under the mouse, else what the stretch in view holds."""
        self.print.setVisible(bool(self._session.view.wires))
        lane, evidence, stretch_s = self.lane, self._deck.evidence, self.stretch_s()
        if lane is None or evidence is None or stretch_s is None or len(lane.areas) != len(evidence.frames):
            self.facts.say("")
            return
        if self._follows_start and not self.value.hasFocus():
            self.value.blockSignals(True)
            self.value.setValue(lane.settings.start_percent)
            self.value.blockSignals(False)
        tag = getattr(self._session.view.item(lane.zone_id), "letter", "") or lane.name
        self.facts.say(
            hover or f"{tag}  {stretch_text(*_facts(lane, self._deck, stretch_s))}",
            tr("{name}, in the stretch in view", name=lane.name),
        )

    def _set_own(self) -> None:
        lane = self.lane
        self._follows_start = lane is not None and self.value.value() == lane.settings.start_percent

    def step(self, way: int) -> None:
        """Go to the next frame that passes the value, or the one before."""
        lane, evidence, row = self.lane, self._deck.evidence, self._deck.row
        if lane is None or evidence is None or row is None or len(lane.areas) != len(evidence.frames):
            return
        found = next_over(lane, evidence, row, self.value.value(), way)
        if found is None:
            self.facts.say(
                tr(
                    "No frame {value} this one passes {value2:g} %",
                    value=tr("after") if way > 0 else tr("before"),
                    value2=self.value.value(),
                )
            )
            return
        self._deck.playhead.pause()
        self._deck.playhead.seek(self._deck.frame_of(found))

    def take_level(self) -> None:
        """Take the level of the shown frame as the start level of the item."""
        lane, row = self.lane, self._deck.row
        if lane is None or row is None or row >= len(lane.areas):
            return
        percent = round(min(100.0, lane.percent(int(lane.areas[row]))), 2)
        if percent < self.value.minimum():
            self.facts.say(tr("The level here is 0: nothing could be told from it"))
            return
        view_id = self._session.view_id
        self._session.do(
            tr("Start level of {name}", name=lane.name),
            lambda site: edits.set_dials(site, view_id, lane.zone_id, start_percent=percent),
        )


def _facts(lane: Lane, deck: Deck, stretch_s: tuple[float, float]) -> tuple[int, int, int, float]:
    assert deck.evidence is not None
    held = stretch_of(lane, deck.evidence, *stretch_s)
    return held.over, held.frames, held.alarms, 100 * held.alarm_s / held.length_s if held.length_s else 0.0


def stretch_text(over: int, frames: int, alarms: int, alarm_percent: float) -> str:
    """The facts of a stretch in one line."""
    share = 100 * over / frames if frames else 0.0
    return trn(
        "over start: {over:,} of {frames:,} frames ({share:.1f} %), {alarms} alarm, "
        "{alarm_percent:.1f} % of the time in alarm",
        "over start: {over:,} of {frames:,} frames ({share:.1f} %), {alarms} alarms, "
        "{alarm_percent:.1f} % of the time in alarm",
        alarms,
        over=over,
        frames=frames,
        share=share,
        alarms=alarms,
        alarm_percent=alarm_percent,
    )
