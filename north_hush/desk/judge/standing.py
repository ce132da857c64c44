"""The score as tables by recording and by item."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem, QWidget

from north_hush.core.judge.score import Score, summed
from north_hush.core.words import number, tr
from north_hush.desk.judge.scores import Standing
from north_hush.desk.judge.words import met_text

_RECORDING_COLUMNS = (tr("Recording"), tr("met"), tr("nuis."), tr("to judge"), tr("unseen"), tr("h/day"))
_ITEM_COLUMNS = (tr("Zone or wire"), tr("met"), tr("nuis."), tr("to judge"), tr("quiet"))
UNSEEN_COLUMN, HOURS_COLUMN = 4, 5
_ROW_PX = 22


class ScoreTable(QTableWidget):
    """Scores, a row each."""

    def __init__(self, columns: Sequence[str], name: str, tip: str, parent: QWidget | None = None) -> None:
        super().__init__(0, len(columns), parent)
        self.setHorizontalHeaderLabels(list(columns))
        self.verticalHeader().hide()
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setTabKeyNavigation(False)  # Tab goes on; arrows move inside
        self.setShowGrid(False)
        self.setAccessibleName(name)
        self.setToolTip(tip)
        header = self.horizontalHeader()
        header.setMinimumSectionSize(20)
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)

    def show_rows(self, rows: Sequence[tuple[Sequence[str], Score | None]]) -> None:
        """Show rows of texts, each with the score it comes from."""
        self.setRowCount(len(rows))
        model, changed = self.model(), False
        with QSignalBlocker(model):  # told of each cell, the header measures the whole table each time
            for place, (texts, score) in enumerate(rows):
                for column, text in enumerate(texts):
                    changed |= self._show_cell(place, column, text, _tip_of(column, score))
        if changed:
            model.dataChanged.emit(model.index(0, 0), model.index(len(rows) - 1, self.columnCount() - 1))
        for place in range(len(rows)):
            self.setRowHeight(place, _ROW_PX)
        for column in range(1, self.columnCount()):  # a column nobody has filled takes no room
            texts = [row[0][column] for row in rows]
            self.setColumnHidden(column, column != HOURS_COLUMN and not any(texts))

    def _show_cell(self, row: int, column: int, text: str, tip: str) -> bool:
        """Write a cell; whether it says something else now."""
        item = self.item(row, column)
        if item is None:
            item = QTableWidgetItem()
            item.setFlags(Qt.ItemFlag.ItemIsEnabled)
            if column:
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            self.setItem(row, column, item)
        if item.text() == text and item.toolTip() == tip:
            return False
        item.setText(text)
        item.setToolTip(tip)
        return True


def recording_table() -> ScoreTable:
    """The table by recording."""
    return ScoreTable(
        _RECORDING_COLUMNS,
        tr("Scores by recording"),
        tr(
            "Click a recording to put it on. Unseen: met and nuisances under settings chosen on the others alone. "
            "Hours a day: for how much of a day it stands; double click to say."
        ),
    )


def item_table() -> ScoreTable:
    """The table by zone and wire."""
    return ScoreTable(
        _ITEM_COLUMNS,
        tr("Scores by zone and wire"),
        tr(
            "Each zone and wire alone, over all recordings: the incidents that concern it, and how much of the quiet time "
            "it is in alarm. Click one to select it."
        ),
    )


def recording_rows(
    standings: Sequence[Standing], total: Score, unseen: Mapping[str, Score | None]
) -> list[tuple[Sequence[str], Score | None]]:
    """A row a recording, and one for all of them; one that is not analysed has no score."""
    rows: list[tuple[Sequence[str], Score | None]] = []
    for held in standings:
        hours = held.recording.hours_per_day
        blind = unseen.get(held.recording.path)
        said = f"{met_text(blind)} · {blind.nuisances}" if blind is not None else ""
        rows.append(
            ((Path(held.recording.path).stem, *_counts(held.score), said, f"{hours:g}" if hours else "–"), held.score)
        )
    if len(rows) > 1:
        together = summed(held for held in unseen.values() if held is not None)
        said = f"{met_text(together)} · {together.nuisances}" if together.footage_s else ""
        hours = sum(held.recording.hours_per_day or 0.0 for held in standings)
        rows.append(((tr("in all"), *_counts(total), said, f"{hours:g}" if hours else ""), total))
    return rows


def item_rows(standings: Sequence[Standing], names: Mapping[str, str]) -> list[tuple[Sequence[str], Score | None]]:
    """A row an item, over all recordings."""
    found: list[tuple[Sequence[str], Score | None]] = []
    scores = [held.items(names) for held in standings]
    for item, name in names.items():
        held = summed(one[item] for one in scores if item in one)
        found.append(((name, *_counts(held), f"{number(100 * (held.quiet_share or 0), '.1f')} %"), held))
    return found


def _counts(score: Score | None) -> tuple[str, str, str]:
    if score is None:
        return "–", "", ""
    return met_text(score), str(score.nuisances), str(score.unjudged or "")


def _tip_of(column: int, score: Score | None) -> str:
    if score is None:
        return tr("Not analysed yet: click it to put it on")
    return tr("Missed: ") + ", ".join(score.missed) if score.missed and column == 1 else ""
