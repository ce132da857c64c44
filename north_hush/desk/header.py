"""The header: site, camera view, recordings, save state, undo and redo, theme."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

from PySide6.QtCore import QSignalBlocker, QSize, Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QButtonGroup, QComboBox, QHBoxLayout, QInputDialog, QLabel, QMenu, QToolButton, QWidget

from north_hush.core.errors import HushError
from north_hush.core.evaluate.armed import us_of
from north_hush.core.judge.score import Score
from north_hush.core.site import edits
from north_hush.core.site.timeline import timeline_of
from north_hush.core.words import tr
from north_hush.desk.analysis import Analysis
from north_hush.desk.days import NONE, DayStrip
from north_hush.desk.deck import Deck
from north_hush.desk.judge.words import chip_text, head_text
from north_hush.desk.look.roles import Theme
from north_hush.desk.look.style import icon
from north_hush.desk.pass_box import PassBox
from north_hush.desk.session import Session

HEIGHT_PX = 44
_NEW_VIEW = tr("New camera view…")
_RENAME_VIEW = tr("Rename this view…")
_LIGHT_MARKS = {"day": "sun", "dusk": "sun-horizon", "night": "moon"}
_CHIPS_MAX = 6
_NAME_MAX, _NAME_SHORT = 18, 7
_HISTORY_MAX = 20
_SAVE_TEXT = {"saved": "saved", "saving": tr("saving…"), "not saved": tr("not saved")}


class Header(QWidget):
    """The row at the top of the window."""

    theme_wanted = Signal()

    def __init__(
        self, session: Session, deck: Deck, analysis: Analysis, theme: Theme, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setObjectName("surface")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(HEIGHT_PX)
        self._session, self._deck, self._theme = session, deck, theme
        self.site = QLabel("")
        self.site.setProperty("role", "stage")
        self.view = QComboBox(toolTip=tr("Camera view"), accessibleName=tr("Camera view"))
        self.view.activated.connect(self._on_view)
        self._chips = QHBoxLayout()
        self._chips.setSpacing(4)
        self._chip_group = QButtonGroup(self)
        self.days = DayStrip(theme)
        self.days.chosen.connect(self._put_on)
        self.days.hide()
        self._chips_shown: object = None
        self._passed = True
        self._scores: dict[str, Score] = {}
        self.passing = PassBox(analysis, theme)
        analysis.progressed.connect(lambda *_: self._make_room())
        analysis.ended.connect(self._make_room)
        self.never = QLabel(tr("⊘ never armed"), accessibleName=tr("Never armed"))
        self.never.setToolTip(tr("No alarm of this view counts at any instant of the year: look at its hours"))
        self.never.setProperty("role", "warning")
        self.never.hide()
        self._hours_shown: object = None
        self.save_state = QLabel(tr("saved"), accessibleName=tr("Save state"))
        self.save_state.setProperty("role", "muted")
        self.undo = self._button(tr("Undo"), session.undo)
        self.redo = self._button(tr("Redo"), session.redo)
        self.history = self._button(tr("History: go back or forward by many steps"), None)
        self.history.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.history.setMenu(QMenu(self.history))
        self.history.menu().aboutToShow.connect(self._fill_history)
        self.theme = self._button(tr("Change between night watch and day fog"), self.theme_wanted.emit)
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 0, 12, 0)
        row.setSpacing(12)
        row.addWidget(self.site)
        row.addWidget(self.view)
        row.addLayout(self._chips)
        row.addWidget(self.days, 1)
        row.addStretch(0)
        row.addWidget(self.never)
        row.addWidget(self.passing)
        row.addWidget(self.save_state)
        for button in (self.undo, self.redo, self.history, self.theme):
            row.addWidget(button)
        session.changed.connect(self.refresh)
        session.view_changed.connect(self.refresh)
        session.save_state.connect(lambda state: self.save_state.setText(_SAVE_TEXT[state]))
        deck.recording_changed.connect(self.refresh)
        self.dress(theme)

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        self.undo.setIcon(icon("arrow-u-up-left", theme))
        self.redo.setIcon(icon("arrow-u-up-right", theme))
        self.history.setIcon(icon("clock-counter-clockwise", theme))
        self.theme.setIcon(icon("lamp", theme))
        self.passing.dress(theme)
        self.days.dress(theme)
        self.refresh()

    def _fill_history(self) -> None:
        """Steps undone above, the present one marked, the ones before it below: newest first."""
        menu, history = self.history.menu(), self._session.history
        menu.clear()
        names = [tr("Opened"), *history.names, *history.undone_names]
        now = len(history.names)
        first = max(0, now - _HISTORY_MAX)
        for place in reversed(range(first, min(len(names), now + _HISTORY_MAX + 1))):
            action = menu.addAction(names[place], lambda place=place: self._session.go_to(place))
            action.setCheckable(True)
            action.setChecked(place == now)

    def refresh(self) -> None:
        """Show the session's values."""
        history = self._session.history
        self.site.setText(self._session.site.name)
        with QSignalBlocker(self.view):
            self.view.clear()
            for view in self._session.site.views:
                self.view.addItem(view.name, view.id)
            self.view.setCurrentIndex(self.view.findData(self._session.view_id))
            self.view.insertSeparator(self.view.count())
            self.view.addItem(_RENAME_VIEW)
            self.view.addItem(_NEW_VIEW)
        for button, name, word, key in (
            (self.undo, history.undo_name, tr("Undo"), "Ctrl+Z"),
            (self.redo, history.redo_name, tr("Redo"), "Ctrl+Shift+Z"),
        ):
            button.setEnabled(bool(name))
            button.setToolTip(f"{word}: {name}  ({key})" if name else tr("Nothing to {word}", word=word.lower()))
        self._show_never()
        self._show_chips()

    def _show_never(self) -> None:
        """Say on every stage when hours never hold."""
        view, clock = self._session.view, self._session.site.clock
        shown = view.hours, view.item_hours, [watcher.id for watcher in view.watchers], clock
        if shown == self._hours_shown:
            return
        self._hours_shown, now_us = shown, us_of(datetime.now(UTC))
        held = [view.hours_of(watcher.id) for watcher in view.watchers] or [view.hours]
        try:
            ever = any(hours.ever_armed(clock, now_us) for hours in held)
        except HushError:  # told where they are stated
            ever = True
        self.never.setVisible(not ever)

    def show_scores(self, scores: dict[str, Score]) -> None:
        """Show the scores of recordings, by their ids, on the chips."""
        if scores != self._scores:
            self._scores = scores
            self.days.show_scores(scores)
            self._say_scores()

    def _show_chips(self) -> None:
        """Make the recording chips anew, when they would differ."""
        on = self._deck.recording
        kept = [
            (held.id, held.path, held.light, held.taken_at, held.clock_offset_s)
            for held in self._session.view.recordings
        ]
        shown = (kept, on.id if on else "", self._theme.name, self._session.site.time_zone)
        if shown == self._chips_shown:
            self._say_scores()
            return
        self._chips_shown = shown
        while (held := self._chips.takeAt(0)) is not None:
            if (widget := held.widget()) is not None:
                if isinstance(widget, QToolButton):
                    self._chip_group.removeButton(widget)
                widget.setParent(None)
                widget.deleteLater()
        recordings = self._session.view.recordings
        many = len(recordings) > _CHIPS_MAX
        line = timeline_of(recordings) if many else NONE
        self.days.setVisible(bool(line.pieces))
        if line.pieces:  # a chip for each has no room, nor has a week of them any order
            names = {held.id: Path(held.path).name for held in recordings}
            lights = {held.id: held.light for held in recordings}
            self.days.show_line(line, self._session.site.zone, names, on.id if on else "", lights)
            self.days.show_scores(self._scores)
            return
        for recording in recordings[:_CHIPS_MAX]:
            name = Path(recording.path).stem
            chip = QToolButton(checkable=True)
            chip.setProperty("role", "chip")
            chip.setToolButtonStyle(chip.toolButtonStyle().ToolButtonTextBesideIcon)
            chip.setIcon(icon(_LIGHT_MARKS[recording.light], self._theme))
            chip.setIconSize(QSize(14, 14))
            chip.setAccessibleName(tr("Recording {name}", name=name))
            chip.setChecked(on is not None and on.id == recording.id)
            chip.clicked.connect(lambda _, recording_id=recording.id: self._put_on(recording_id))
            self._chip_group.addButton(chip)
            self._chips.addWidget(chip)
            chip.show()  # now: what is not shown takes no room in the layout, and the room is measured below
        if many:
            self._chips.addWidget(QLabel(tr("+{count} under Footage", count=len(recordings) - _CHIPS_MAX)))
        self._say_scores()

    def _put_on(self, recording_id: str) -> None:
        """Put a recording on as the site has it now, truth and all."""
        self._deck.put_on(next(held for held in self._session.view.recordings if held.id == recording_id))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._say_scores()

    def _make_room(self) -> None:
        """Chips give way to the pass that runs, and come back after it."""
        if self.passing.isHidden() is not self._passed:
            self._passed = self.passing.isHidden()
            self._say_scores()

    def _say_scores(self) -> None:
        """Write names and scores on the chips that are there; where there is no room, shorter names, then no scores."""
        for longest, with_score in ((_NAME_MAX, True), (_NAME_SHORT, True), (_NAME_MAX, False), (_NAME_SHORT, False)):
            self._write_chips(longest, with_score=with_score)
            self._chips.invalidate()  # a nested layout keeps its size until the next turn of the event loop
            if self.sizeHint().width() <= self.width():
                return

    def _write_chips(self, longest: int, *, with_score: bool) -> None:
        for recording, chip in zip(self._session.view.recordings, self._chip_group.buttons(), strict=False):
            name, score = Path(recording.path).stem, self._scores.get(recording.id)
            short = name if len(name) <= longest else f"{name[: longest - 2]}…"
            chip.setText(f"{short}  {chip_text(score)}" if score is not None and with_score else short)
            said = f": {head_text(score)}" if score is not None else ""
            chip.setToolTip(f"{recording.path} ({recording.light}){said}")

    def _button(self, name: str, act: Callable[[], object] | None) -> QToolButton:
        button = QToolButton(toolTip=name, accessibleName=name)
        button.setProperty("flat", "true")
        button.setIconSize(QSize(18, 18))
        if act is not None:
            button.clicked.connect(act)
        return button

    def _on_view(self, place: int) -> None:
        text, view_id = self.view.itemText(place), self._session.view_id
        if text == _NEW_VIEW:
            name, given = QInputDialog.getText(self, tr("New camera view"), tr("Name of the camera view:"))
            if given and self._session.do(
                tr("Add view {name}", name=name), lambda site: edits.add_view(site, name.strip())
            ):
                self._session.show_view(self._session.site.views[-1].id)
        elif text == _RENAME_VIEW:
            name, given = QInputDialog.getText(
                self, tr("Rename camera view"), tr("Name:"), text=self._session.view.name
            )
            if given:
                self._session.do(
                    tr("Rename view {name}", name=name), lambda site: edits.rename_view(site, view_id, name.strip())
                )
        else:
            self._session.show_view(self.view.itemData(place))
        self.refresh()
