"""Sealed packs out of the window: of an alarm, an incident, an answer, or the stretch that the trace shows."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject, Qt
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QAbstractItemView, QFileDialog, QWidget

from north_hush.core.errors import HushError
from north_hush.core.site.recording import Recording
from north_hush.core.words import tr
from north_hush.desk.notice import NoticeBar
from north_hush.desk.session import Session
from north_hush.desk.workers.commands import Command

AROUND_S = 5.0
"""Of an alarm or an incident so much before and after goes along."""
Span = tuple[Recording, float, float]


class Packing(QObject):
    """Asks where a pack goes, and makes it beside the window."""

    def __init__(self, session: Session, notice: NoticeBar, over: QWidget) -> None:
        super().__init__(over)
        self._session, self._notice, self._over = session, notice, over
        self.command, self._target = Command(self), ""
        self.command.ended.connect(self._on_ended)

    def pack(self, recording: Recording, start_s: float, end_s: float) -> None:
        """Pack a stretch of a recording, in its own seconds."""
        stem = f"{Path(recording.path).stem}-pack.zip"
        target, _ = QFileDialog.getSaveFileName(
            self._over, tr("Sealed pack"), str(self._session.path.with_name(stem)), tr("Sealed packs (*.zip)")
        )
        if not target:
            return
        error = self._session.flush()
        if error is not None:
            self._notice.tell(error)
            return
        self._target = target
        self._notice.say(tr("Packing…"))
        span = ("--from", f"{max(0.0, start_s):.3f}", "--to", f"{end_s:.3f}")
        self.command.start("pack", self._session.path, recording.path, *span, "--out", target)

    def offer(self, rows: QAbstractItemView, current: Callable[[], Span | None]) -> None:
        """Let a list pack what is current in it, by its menu."""

        def act() -> None:
            span = current()
            if span is not None:
                self.pack(span[0], span[1] - AROUND_S, span[2] + AROUND_S)

        action = QAction(tr("Sealed pack…"), rows)
        action.triggered.connect(act)
        rows.addAction(action)
        rows.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)

    def close(self) -> None:
        """End what runs."""
        self.command.close()

    def _on_ended(self, well: bool, printed: str, error: str) -> None:
        if well:
            self._notice.say(tr("Sealed pack written: {target}", target=self._target))
        else:
            self._notice.tell(
                HushError(tr("Sealed pack"), error or printed or tr("ended without a word."), tr("Nothing was left."))
            )
