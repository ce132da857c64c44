"""What is asked about hours with a menu: how footage is kept, and whereto hours are copied."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PySide6.QtWidgets import QMenu, QWidget

from north_hush.core.hours.plan import KEPT
from north_hush.core.hours.week import DAYS
from north_hush.core.site.model import View
from north_hush.core.words import tr
from north_hush.desk.hours.draft import Draft


def how_menu(parent: QWidget, draft: Draft, day: int, minute: float) -> QMenu:
    """How footage is kept in the piece of the recording hours that holds a minute of a day."""
    menu = QMenu(parent)
    for said in ("", *KEPT):
        menu.addAction(said or tr("as Outcome says"), partial(draft.say_how, day, minute, said))
    return menu


def days_menu(parent: QWidget, draft: Draft, day: int) -> QMenu:
    """Onto which days a day is copied."""
    menu = QMenu(parent)
    for words, days in ((tr("Weekdays"), range(5)), (tr("Weekend"), range(5, 7)), (tr("All days"), range(7))):
        menu.addAction(tr("Copy to {words}", words=words.lower()), partial(draft.copy_days, day, tuple(days)))
    menu.addSeparator()
    for other, name in enumerate(DAYS):
        if other != day:
            menu.addAction(tr("Copy to {name}", name=name), partial(draft.copy_days, day, (other,)))
    return menu


def views_menu(parent: QWidget, draft: Draft, others: Sequence[View]) -> QMenu:
    """To which other views the hours of one are copied."""
    menu = QMenu(parent)
    menu.addAction(tr("All views"), partial(draft.copy_to_views, [view.id for view in others]))
    for view in others:
        menu.addAction(view.name, partial(draft.copy_to_views, [view.id]))
    return menu
