"""The stages in the order of the work, and which one is shown."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QObject, Qt, Signal
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QStackedWidget, QWidget

from north_hush.core.words import tr
from north_hush.desk.ask.stage import ask_stage
from north_hush.desk.draw.stage import draw_stage
from north_hush.desk.footage.stage import footage_stage
from north_hush.desk.handover.stage import handover_stage
from north_hush.desk.hours.stage import hours_stage
from north_hush.desk.judge.stage import judge_stage
from north_hush.desk.look.panel_room import PanelRoom
from north_hush.desk.look.roles import Theme
from north_hush.desk.outcome.stage import outcome_stage
from north_hush.desk.overview.stage import overview_stage
from north_hush.desk.stage import Binding, Desk, Stage
from north_hush.desk.tune.stage import tune_stage
from north_hush.desk.watch.stage import watch_stage

MAKERS: tuple[Callable[[Desk, Theme], Stage], ...] = (
    overview_stage,
    footage_stage,
    draw_stage,
    tune_stage,
    judge_stage,
    ask_stage,
    hours_stage,
    outcome_stage,
    handover_stage,
    watch_stage,
)
"""A line for each stage."""
PANEL_PX = 336


class Stages(QObject):
    """Holds the stages, shows one, and enables the keys of that one."""

    shown = Signal(str)

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(desk.window)
        self.all = tuple(make(desk, theme) for make in MAKERS)
        self._by_key = {stage.key: stage for stage in self.all}
        self._actions: list[tuple[Stage, Binding, QAction]] = []
        self.now: Stage | None = None
        self._picture = desk.picture
        self.stack = QStackedWidget()
        self.stack.setFixedWidth(PANEL_PX)
        self.room = QStackedWidget()
        self.room.addWidget(desk.picture)
        for stage in self.all:
            if stage.board is not None:
                self.room.addWidget(stage.board)
            stage.panel.setObjectName("surface")
            stage.panel.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
            self.stack.addWidget(PanelRoom(stage.panel))
            goes_there = Binding((stage.shortcut,), stage.label, partial(self.show, stage.key), everywhere=True)
            for binding in (goes_there, *stage.bindings):
                self._actions.append((stage, binding, bound(binding, desk.window)))

    @property
    def keys(self) -> tuple[str, ...]:
        """Keys of all stages, in the order of the work."""
        return tuple(self._by_key)

    def panel(self, key: str) -> QWidget:
        """The panel of a stage."""
        return self._by_key[key].panel

    def show(self, key: str) -> None:
        """Show a stage; the one before is left first, and a stage that is shown is entered anew."""
        stage = self._by_key[key]
        if self.now is not None and self.now is not stage:
            self.now.leave()
        self.now = stage
        self.stack.setCurrentIndex(self.all.index(stage))
        self.room.setCurrentWidget(stage.board or self._picture)
        for owner, binding, action in self._actions:
            action.setEnabled(binding.everywhere or owner is stage)
        stage.enter()
        self.shown.emit(key)

    def menu(self) -> list[tuple[str, list[QAction]]]:
        """The stages themselves, and the actions of each that has some."""
        going = [action for stage, binding, action in self._actions if binding.text == stage.label]
        own = [
            (stage.label, [action for owner, _, action in self._actions if owner is stage and action not in going])
            for stage in self.all
        ]
        return [(tr("Stage"), going), *((label, actions) for label, actions in own if actions)]

    def dress(self, theme: Theme) -> None:
        """Dress every stage in a theme."""
        for stage in self.all:
            stage.dress(theme)

    def close(self) -> None:
        """End what runs in the background."""
        for stage in self.all:
            stage.close()


def bound(binding: Binding, window: QWidget) -> QAction:
    """An action of the window for some keys."""
    action = QAction(binding.text, window)
    action.setShortcuts([QKeySequence(key) for key in binding.keys])
    action.setAutoRepeat(binding.repeats)
    action.triggered.connect(lambda _=False: binding.act())
    window.addAction(action)
    return action
