"""What a plan of hours costs over the measured footage, and what could be left out."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from north_hush.core.evaluate.armed import us_of
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.hours.clock import ALWAYS, Clock, hours_spans
from north_hush.core.hours.plan import Hours
from north_hush.core.hours.spans import Spans, runs, spans_of, total_us
from north_hush.core.hours.tide import Measured, Saving, out_of_hours, running, savings, tide_of
from north_hush.core.hours.week import Week
from north_hush.core.site.model import Site
from north_hush.core.words import tr, trn
from north_hush.desk.look.panel import muted, wrapped

_OFFERED = 2


@dataclass(frozen=True)
class Planned:
    """Hours of a view or an item, the week that is shown, its pieces of notifying, and the hours that are pinned."""

    hours: Hours
    site: Site
    monday: date
    told: Week
    pinned: Hours | None = None


class CostsBox(QWidget):
    """Lines of text, and a button for each stretch that could be left out."""

    left_out = Signal(object)
    """A `Saving` that was pressed."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.said = wrapped(muted(""))
        self.said.setAccessibleName(tr("What the hours cost"))
        self.savings = QVBoxLayout()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addWidget(self.said)
        column.addLayout(self.savings)

    def show_plan(self, plan: Planned, parts: Sequence[Measured]) -> None:
        """Say what hours cost over what was measured.

        Raises
        ------
        HushError : the hours cannot be turned into instants.
        """
        while (row := self.savings.takeAt(0)) is not None:
            widget = row.widget()
            if widget is not None:
                widget.deleteLater()
        if not parts:
            self.said.setText(tr("No recording with a time is analysed yet: nobody knows what a week holds."))
            return
        self.said.setText("\n".join([*costs(plan, parts), *against(plan, parts)]))
        for saving in savings(tide_of(parts, plan.site.zone), plan.told)[:_OFFERED]:
            self.savings.addWidget(self._offer(saving))

    def _offer(self, saving: Saving) -> QPushButton:
        start, end = (f"{minute // 60:02d}:{minute % 60:02d}" for minute in saving.piece)
        button = QPushButton(
            tr(
                "Not telling {days_text} {start}-{end}: {nuisances} of {of} notices fewer",
                days_text=saving.days_text,
                start=start,
                end=end,
                nuisances=saving.nuisances,
                of=saving.of,
            ),
            toolTip=tr(
                "No incident of the measured footage lies in it. Takes it out of the notifying hours; Ctrl+Z brings it back."
            ),
        )
        button.setProperty("role", "turn")
        button.clicked.connect(partial(self.left_out.emit, saving))
        return button


def costs(plan: Planned, parts: Sequence[Measured]) -> list[str]:
    """What hours cost, in lines."""
    held, site, monday = plan.hours, plan.site, plan.monday
    clock = site.clock
    armed = [_over(held, clock, part, "armed") for part in parts]
    told = [_over(held, clock, part, "notifying") for part in parts]
    footage_us = sum(total_us(part.footage) for part in parts)
    armed_us = sum(total_us(spans) for spans in armed)
    alarms, notices = sum(map(running, parts, armed)), sum(map(running, parts, told))
    out = sum(out_of_hours([part], spans) for part, spans in zip(parts, armed, strict=True))
    ends = (monday, monday + timedelta(days=7))  # a week may have an hour more or less
    start_us, end_us = (us_of(datetime(on.year, on.month, on.day, tzinfo=site.zone)) for on in ends)
    share = total_us(hours_spans(held.armed or ALWAYS, clock, start_us, end_us)) / (end_us - start_us)
    lines = [
        tr("Armed {share:.0%} of this week.", share=share)
        if share
        else tr("Never armed: no alarm counts in this week."),
        tr(
            "Of {footage_us:,.0f} min of footage {armed_us:,.0f} min are armed: {alarms} alarms, "
            "{notices} of them told.",
            footage_us=footage_us / US_PER_S / 60,
            armed_us=armed_us / US_PER_S / 60,
            alarms=alarms,
            notices=notices,
        ),
    ]
    if out:
        lines.append(
            trn(
                "{out} incident lies out of hours: a gap in the plan.",
                "{out} incidents lie out of hours: a gap in the plan.",
                out,
                out=out,
            )
        )
    return lines


def against(plan: Planned, parts: Sequence[Measured]) -> list[str]:
    """What became of the alarms and incidents of the pinned hours; nothing without a pin, or where hours are the same."""
    if plan.pinned is None or plan.pinned == plan.hours:
        return []
    counts = Counter[tuple[str, str]]()
    for part in parts:
        (was, told), (now, tell) = (
            [_over(held, plan.site.clock, part, kind) for kind in ("armed", "notifying")]
            for held in (plan.pinned, plan.hours)
        )
        for what, pairs, before, after in (
            ("alarm", part.alarms, was, now), ("notice", part.alarms, told, tell), ("incident", part.incidents, was, now),
        ):  # fmt: skip
            ran, still = runs(before, pairs), runs(after, pairs)
            counts[what, "fewer"] += int((ran & ~still).sum())
            counts[what, "more"] += int((still & ~ran).sum())
    told_of = [f"{count} {what}{'s' * (count > 1)} {way}" for (what, way), count in counts.items() if count]
    return [tr("Against the pin: {value}.", value=", ".join(told_of) or "nothing of what was measured")]


def _over(held: Hours, clock: Clock, part: Measured, kind: str) -> Spans:
    """When one of the three hours holds over the footage of a recording."""
    pieces = [held.spans(kind, clock, start, end) for start, end in part.footage.tolist()]
    return spans_of((int(a), int(b)) for piece in pieces for a, b in piece.tolist())
