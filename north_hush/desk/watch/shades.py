"""What a tuning in the shade would have told beside what was told, since it runs."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from north_hush.core.site.model import View
from north_hush.core.words import tr
from north_hush.desk.look.panel import Saying
from north_hush.desk.workers.commands import Command


class ShadeRow(QWidget):
    """There while the chosen camera has a tuning in its shade."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.asking = Command(self)
        self.asking.ended.connect(self._on_told)
        self._view: View | None = None
        self._path = Path()
        self.compare = QPushButton(toolTip=tr("What it would have told since it runs, beside what was told"))
        self.compare.setAccessibleName(tr("Compare with the shade"))
        self.compare.clicked.connect(self._compare)
        self.said = Saying()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.compare)
        column.addWidget(self.said)
        self.hide()

    def show_view(self, view: View | None, path: Path) -> None:
        """Be of another camera, or of the same with other settings."""
        if view is None or self._view is None or (view.id, view.shade) != (self._view.id, self._view.shade):
            self.said.tell("")
        self._view, self._path = view, path
        self.setVisible(view is not None and view.shade is not None)
        if view is not None and view.shade is not None:
            self.compare.setText(tr("In the shade: “{shade}”", shade=view.shade))

    def close_worker(self) -> None:
        """End what runs."""
        self.asking.close()

    def _compare(self) -> None:
        if self._view is not None:
            self.said.tell(tr("Comparing…"))
            self.asking.start("shade", self._path, "--view", self._view.name, "--json")

    def _on_told(self, well: bool, printed: str, error: str) -> None:
        weeks = json.loads(printed)["views"] if well else []
        if not well:
            self.said.tell(error or tr("It ended without a word."), wrong=True)
        elif not weeks:
            self.said.tell(tr("Nothing yet: it runs from the next frame on, while the camera is watched."))
        else:
            self.said.tell(self._words(weeks[0]))

    def _words(self, week: dict[str, Any]) -> str:
        names = self._view.names if self._view is not None else {}
        lines = [tr("In {hours:.1f} h:", hours=float(week["hours"]))]
        lines += [
            tr(
                "{item}: {told} told, {shade} in the shade, {both} of both",
                item=names.get(row["item"], row["item"]), told=row["told"], shade=row["shade"], both=row["both"],
            )
            for row in week["items"]
        ]  # fmt: skip
        return "\n".join(lines if week["items"] else [*lines, tr("neither told anything")])
