"""The score in words and by recording."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem, QWidget

from north_hush.core.judge.rates import rate_interval, share_interval
from north_hush.core.judge.score import Score
from north_hush.desk.judge.scores import Standing

_COLUMNS = ("Recording", "met", "nuisance", "to judge", "h/day")
HOURS_COLUMN = len(_COLUMNS) - 1
_ROW_PX = 22


class ScoreTable(QTableWidget):
    """A row a recording, and one for all of them."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(0, len(_COLUMNS), parent)
        self.setHorizontalHeaderLabels(list(_COLUMNS))
        self.verticalHeader().hide()
        self.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
        self.setShowGrid(False)
        self.setAccessibleName("Scores by recording")
        self.setToolTip(
            "Click a recording to put it on. Hours a day: for how much of a day it stands; double click to say."
        )
        header = self.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)

    def show_standings(self, standings: list[Standing], total: Score) -> None:
        """Show scores; a recording that is not analysed has none."""
        rows = [(Path(held.recording.path).stem, held.score, held.recording.hours_per_day) for held in standings]
        if len(rows) > 1:
            rows.append(("in all", total, None))
        self.setRowCount(len(rows))
        for place, (name, score, hours) in enumerate(rows):
            texts = [name, "–", "", "", f"{hours:g}" if hours else "–"]
            if score is not None:
                texts[1] = f"{score.met}/{score.incidents}" if score.incidents else "–"
                texts[2:4] = str(score.nuisances), str(score.unjudged or "")
            if name == "in all":
                texts[HOURS_COLUMN] = ""
            for column, text in enumerate(texts):
                self.setItem(place, column, _cell(text, column, score))
            self.setRowHeight(place, _ROW_PX)
        self.setFixedHeight(28 + _ROW_PX * max(1, len(rows)))


def _cell(text: str, column: int, score: Score | None) -> QTableWidgetItem:
    item = QTableWidgetItem(text)
    item.setFlags(Qt.ItemFlag.ItemIsEnabled)
    if column:
        item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
    if score is None:
        item.setToolTip("Not analysed yet: click it to put it on")
    elif score.missed and column == 1:
        item.setToolTip("Missed: " + ", ".join(score.missed))
    return item


def head_text(held: Score) -> str:
    """Met, nuisances, repeats and not judged, in words."""
    if not held.footage_s:
        return "No recording is analysed yet"
    parts = [f"{held.met} of {held.incidents} incidents met" if held.incidents else "no incident is marked yet"]
    parts.append("1 nuisance" if held.nuisances == 1 else f"{held.nuisances} nuisances")
    if held.repeats:
        parts.append(f"{held.repeats} repeats")
    if held.unsure:
        parts.append(f"{held.unsure} unsure")
    if held.unjudged:
        parts.append(f"{held.unjudged} not judged")
    return ", ".join(parts)


def rates_text(held: Score) -> str:
    """Rates with their intervals; what is not defined is left out."""
    if not held.footage_s:
        return ""
    lines = []
    share, rate = share_interval(held.met, held.incidents), rate_interval(held.nuisances, held.footage_s / 3600)
    if share is not None:
        lines.append(f"Met {100 * held.met / held.incidents:.0f} % ({100 * share[0]:.0f} to {100 * share[1]:.0f} %)")
    if rate is not None and held.nuisance_per_hour is not None:
        lines.append(
            f"{held.nuisance_per_hour:.1f} nuisances an hour ({rate[0]:.1f} to {rate[1]:.1f}), {24 * held.nuisance_per_hour:,.0f} a day"
        )
    lines.append(
        f"{held.alarm_percent or 0:.1f} % of the time in alarm, {24 * held.alarm_s / held.footage_s:.1f} h of clips a day"
    )
    if held.delays_s:
        delays = sorted(held.delays_s)
        f_text = f", F {held.f():.2f}" if held.f() is not None else ""
        lines.append(
            f"Delay {delays[len(delays) // 2]:.1f} s, worst {delays[-1]:.1f} s, {held.already_on} already on{f_text}"
        )
    return "\n".join(lines)
