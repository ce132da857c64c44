"""The trace: a ribbon of the whole recording above one lane a zone."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from itertools import count

import numpy as np
from PySide6.QtCore import QPointF, QTimer, Signal
from PySide6.QtWidgets import QStackedLayout, QVBoxLayout, QWidget

from north_hush.core.detect.lane import Lane
from north_hush.core.explain.stretch import largest_patch_percent
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.stamps import US_PER_S, clock_text
from north_hush.core.judge.ledger import Entry
from north_hush.core.site import edits
from north_hush.core.words import number, tr
from north_hush.desk.comparison import DEVICE, Comparison
from north_hush.desk.deck import Deck
from north_hush.desk.look.roles import Theme
from north_hush.desk.session import Session
from north_hush.desk.sight_now import SightNow
from north_hush.desk.trace.first_look import FirstLook
from north_hush.desk.trace.ground import GroundFinder
from north_hush.desk.trace.lane import Extras, LanePlot
from north_hush.desk.trace.marks import Bar
from north_hush.desk.trace.print_row import PrintRow
from north_hush.desk.trace.ribbon import Ribbon
from north_hush.desk.trace.stack import LaneStack
from north_hush.desk.trace.stretch import StretchBar

_FRAME_MS = 16
"""A picture of the screen."""
_drags = count()


class TracePane(QWidget):
    """Levels and alarms of the recording that is on; limits can be dragged, times picked."""

    time_picked = Signal(float)
    span_dragged = Signal(float, float)
    """A stretch in seconds, dragged with Shift held."""
    zoomed = Signal()
    """Another stretch is shown; see `stretch_us`."""

    def __init__(
        self,
        session: Session,
        deck: Deck,
        comparison: Comparison,
        sight: SightNow,
        theme: Theme,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.setObjectName("ground")
        self.setAccessibleName(tr("Trace"))
        self._session, self._deck, self._comparison, self._theme = session, deck, comparison, theme
        self._sight = sight
        sight.changed.connect(self._refresh_in_turn)
        self._uncovered: tuple[str, tuple[tuple[float, float], ...]] = ("", ())
        self._ground = GroundFinder()
        self._drag = ""
        self._shown_recording = ""
        self.stack = LaneStack(theme)
        self.stack.built.connect(self._on_built)
        self.ribbon = Ribbon(theme)
        self.ribbon.time_picked.connect(self.time_picked)
        self.ribbon.stretch_dragged.connect(self._on_stretch_dragged)
        self.stack.graphics.addItem(self.ribbon, row=0, col=0)
        self.first_look = FirstLook(deck, theme)
        self.first_look.time_picked.connect(self.time_picked)
        holder = QWidget()
        self._either = QStackedLayout(holder)
        self._either.addWidget(self.first_look)
        self._either.addWidget(self.stack)
        self.print_row = PrintRow(session, deck, self.stack, self)
        self.print_row.time_picked.connect(self.time_picked)
        self.prints = self.print_row.maker
        self.prints.changed.connect(self.refresh)
        self.bar = StretchBar(session, deck, theme)
        self.bar.print_toggled.connect(self.prints.show)
        self.bar.print_wanted.connect(self.print_row.save)
        self.bar.stretch_s = self.stack.span_s
        self._bar_timer = QTimer(self, singleShot=True, interval=30)
        self._bar_timer.timeout.connect(self.bar.refresh)
        self.stack.graphics.scene().sigMouseMoved.connect(self._on_mouse)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.bar)
        column.addWidget(holder, 1)
        self.below = QVBoxLayout()
        """For what a stage shows under the lanes."""
        column.addLayout(self.below)
        self.setMinimumHeight(140)
        self.wait_ms: Callable[[], int] = lambda: 0
        """For how long a changed lane lets others paint first."""
        self._due = QTimer(self, singleShot=True)
        self._due.timeout.connect(self.refresh)
        comparison.changed.connect(self._refresh_in_turn)  # which follows every change of the lanes
        session.item_selected.connect(lambda _: self._bar_timer.start())
        deck.frame_changed.connect(lambda _: self._show_time())
        deck.recording_changed.connect(self.refresh)
        self.time_picked.connect(deck.playhead.seek_s)
        self.dress(theme)

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        self.stack.dress(theme)
        self.ribbon.dress(theme)
        self.first_look.plot.dress(theme)
        self.bar.dress(theme)
        self.print_row.dress(theme)
        self.refresh()

    def _refresh_in_turn(self) -> None:
        wait_ms = self.wait_ms()
        if not wait_ms:
            self.refresh()
        elif not self._due.isActive():  # who turns on and on must not put it off for ever
            self._due.start(wait_ms)

    def let_in(self) -> None:
        """What was waited for is there: draw in a moment, when it is painted."""
        if self._due.isActive():
            self._due.start(_FRAME_MS)

    def refresh(self) -> None:
        """Draw the deck's lanes again, those of the second tuning under their own."""
        self._due.stop()
        evidence, shown = self._deck.evidence, self._lanes_shown()
        if evidence is None or not shown or len(evidence.frames) == 0:
            self._either.setCurrentIndex(0)
            self._shown_recording = ""
            self.bar.refresh()
            return
        self._either.setCurrentIndex(1)
        self.stack.want(len(shown))
        if any(len(lane.areas) != len(evidence.frames) for lane, _ in shown):
            return  # lanes of an earlier part of the pass; newer ones are on their way
        states = self._states()
        self.stack.show_lanes([partial(self._draw_lane, lane, tuning, evidence, states) for lane, tuning in shown])
        self._show_ribbon(evidence)
        self.print_row.refresh(evidence, self._theme)
        self._set_extent()
        self._show_time()
        said = (
            f"{lane.name} {tuning}".strip() + tr(": {count} alarms", count=len(lane.alarms)) for lane, tuning in shown
        )
        self.setAccessibleDescription("; ".join(said))
        self._bar_timer.start()

    def _draw_lane(
        self, lane: Lane, tuning: str, evidence: Evidence, states: dict[str, list[Entry]], plot: LanePlot
    ) -> None:
        item = self._session.view.item(lane.zone_id)
        name = f"{lane.name}, {tuning}" if tuning else ""
        warning = self._sight.warning if item is not None else ""
        letter = getattr(item, "letter", "")
        uncovered = self._uncovered if self._uncovered[0] == lane.zone_id else None
        found = self._deck.judged()
        truth = None if found is None else (found.truth, found.concerns)
        basis = (
            name,
            warning,
            letter,
            uncovered,
            truth,
            tuple(states.get(lane.zone_id, ())),
            bool(states),
            self._theme.name,
        )
        if plot.shows(lane, evidence.frames, basis):  # of all lanes a turned dial changes one
            plot.show_limits(lane)
            return
        plot.show_lane(lane, evidence, letter, self._extras(lane, evidence, states, beside=tuning), name, warning)
        plot.basis = basis

    def _lanes_shown(self) -> list[tuple[Lane, str]]:
        """Lanes from top to bottom, those of the second tuning with its name."""
        beside = {lane.zone_id: lane for lane in self._comparison.beside_lanes}
        shown: list[tuple[Lane, str]] = []
        for lane in self._deck.lanes:
            shown.append((lane, self._session.view.tuning_in_use if beside else ""))
            if lane.zone_id in beside:
                shown.append((beside[lane.zone_id], self._comparison.beside))
        return shown

    def _states(self) -> dict[str, list[Entry]]:
        """Ledger entries by item; empty while nothing is compared."""
        found: dict[str, list[Entry]] = {}
        for entry in self._comparison.ledger.entries if self._comparison.ledger is not None else ():
            found.setdefault(entry.span.item, []).append(entry)
        return found

    def _extras(self, lane: Lane, evidence: Evidence, states: dict[str, list[Entry]], *, beside: str) -> Extras:
        """Alarms, incidents and ground along a lane."""
        bars = [Bar(alarm.start_s, alarm.end_s) for alarm in lane.alarms]
        if states and (not beside or beside != self._comparison.beside):
            bars = [Bar(held.span.start_s, held.span.end_s, held.state) for held in states.get(lane.zone_id, ())]
        found = self._deck.judged()
        known = zip(found.truth.incidents, found.concerns, strict=True) if found is not None else ()
        own = [(held.start_s, held.end_s) for held, items in known if items is None or lane.zone_id in items]
        ground = self._ground.of(lane.settings, evidence)
        if self._uncovered[0] == lane.zone_id and not beside:
            ground = [*ground, *((start, end, "uncovered") for start, end in self._uncovered[1])]
        return Extras(bars, own, ground)

    def show_uncovered(self, item_id: str, spans_s: tuple[tuple[float, float], ...]) -> None:
        """Show where an item is not covered; see the blind check."""
        if (item_id, spans_s) != self._uncovered:
            self._uncovered = (item_id, spans_s)
            self.refresh()

    def _show_ribbon(self, evidence: Evidence) -> None:
        alarms = [alarm for lane in self._deck.lanes for alarm in lane.alarms]
        frames = np.array([(alarm.start_frame, alarm.end_frame) for alarm in alarms], np.int64).reshape(-1, 2)
        bars = [Bar(*span) for span in evidence.seconds[frames].tolist()]
        gone = [Bar(held.span.start_s, held.span.end_s, held.state) for held in self._states().get(DEVICE, ())]
        bars += gone  # the device's alarms are of the view, and of no lane
        recording = self._deck.recording
        incidents = recording.truth.incidents if recording is not None else ()
        self.ribbon.show_all(bars, [(held.start_s, held.end_s) for held in incidents], self._deck.passes.glance)

    def close_workers(self) -> None:
        """End what runs in the background."""
        self.print_row.close()

    def _set_extent(self) -> None:
        """Limit zoom and pan to the recording; show all of a recording that was not shown before."""
        index, recording = self._deck.index, self._deck.recording
        if index is None or recording is None:
            return
        end_s = max(index.duration_s, 0.1)
        self.ribbon.box.setXRange(0, end_s, padding=0)
        self.stack.set_end(end_s)
        if self._shown_recording != recording.id:
            self._shown_recording = recording.id
            self.lanes[0].box.setXRange(0, end_s, padding=0)

    @property
    def lanes(self) -> list[LanePlot]:
        """The lanes that are built, from the top."""
        return self.stack.lanes

    def _on_built(self, lane: LanePlot) -> None:
        lane.limit_dragged.connect(self._on_limit)
        lane.time_picked.connect(self.time_picked)
        lane.box.span_dragged.connect(self.span_dragged)
        if lane is self.lanes[0]:
            lane.box.sigXRangeChanged.connect(self._on_zoom)

    def stretch_us(self) -> tuple[int, int] | None:
        """First and last moment in view, in microseconds; None while nothing is shown."""
        span_s = self.stack.span_s()
        return None if span_s is None else (int(span_s[0] * US_PER_S), int(span_s[1] * US_PER_S) + 1)

    def _show_time(self) -> None:
        index = self._deck.index
        if index is None:
            return
        seconds = float(index.time_us[self._deck.frame]) / US_PER_S
        self.ribbon.head.setValue(seconds)
        self.stack.show_time(seconds)
        if self.print_row.plot is not None:
            self.print_row.plot.playhead.setValue(seconds)

    def _on_mouse(self, at: QPointF) -> None:
        """Say what lies under the mouse."""
        evidence = self._deck.evidence
        plot = next((lane for lane in self.lanes if lane.box.sceneBoundingRect().contains(at)), None)
        if plot is None or plot.lane is None or evidence is None or len(plot.lane.areas) != len(evidence.frames):
            self._bar_timer.start()
            return
        second = plot.box.mapSceneToView(at).x()
        row = int(np.searchsorted(evidence.time_us, second * US_PER_S, side="right")) - 1
        if not 0 <= row < len(evidence.frames):
            self._bar_timer.start()
            return
        lane = plot.lane
        text = tr(
            "{clock_text}, frame {frame_of:,}: {name} ",
            clock_text=clock_text(int(evidence.time_us[row])),
            frame_of=self._deck.frame_of(row) + 1,
            name=lane.name,
        )
        text += f"{number(lane.percent(int(lane.areas[row])), '.2f')} %"
        if evidence.held_at(lane.settings.stored_channel, row) is not None:
            largest = largest_patch_percent(lane, evidence, self._session.view.plan, row)
            text += tr(", largest patch {largest:.2f} % of the view", largest=largest)
        else:  # it is there when the mouse moves on
            self._deck.inflate(lane.settings.stored_channel, row)
        self.bar.refresh(text if evidence.valid[row] else tr("{value}, not counted", value=text))

    def _on_zoom(self, _: object, window: tuple[float, float]) -> None:
        self.ribbon.show_stretch(*window)
        self._bar_timer.start()
        self.zoomed.emit()

    def _on_stretch_dragged(self, start_s: float, end_s: float) -> None:
        if self.lanes:
            self.lanes[0].box.setXRange(start_s, end_s, padding=0)

    def _on_limit(self, zone_id: str, field: str, percent: float, ended: bool) -> None:
        self._drag = self._drag or f"limit-{next(_drags)}"
        lane = next(lane for lane in self._deck.lanes if lane.zone_id == zone_id)
        label = "start" if field == "start_percent" else "clear"
        view_id = self._session.view_id
        self._session.do(
            tr("Move {label} level of {name}", label=label, name=lane.name),
            lambda site: edits.set_dials(site, view_id, zone_id, **{field: percent}),
            self._drag,
        )
        if ended:
            self._drag = ""
            self.refresh()
