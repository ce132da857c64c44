"""The window's end of asking a recording about things, for which pictures are decoded."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, Signal

from north_hush.core.ask.ask_worker import ask_request
from north_hush.core.ask.moves import Answer
from north_hush.core.ask.question import Question
from north_hush.core.site.model import View
from north_hush.core.site.recording import Recording
from north_hush.desk.workers.child import Child


class AskWork(Child):
    """One recording asked in a child process."""

    part = Signal(list)
    """Answers of a stretch of it."""
    done = Signal()

    def __init__(
        self, site_path: Path, view: View, recording: Recording, question: Question, parent: QObject | None = None
    ) -> None:
        super().__init__("_ask", ask_request(site_path, view, recording, question), recording.path, parent)

    def on_other(self, answer: dict[str, Any]) -> bool:
        if answer["event"] != "part":
            return False
        self.part.emit([Answer(**held) for held in answer["answers"]])
        return True

    def on_done(self, answer: dict[str, Any]) -> None:
        self.done.emit()
