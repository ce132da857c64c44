"""Hours as they are edited: drawn, typed, copied and turned round, each in one step that can be taken back."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import date
from itertools import count

from PySide6.QtCore import QObject, Signal

from north_hush.core.errors import HushError
from north_hush.core.hours.clock import ALWAYS, SUN, check_hours
from north_hush.core.hours.plan import KINDS, Hours
from north_hush.core.hours.week import Week, together, turned_round
from north_hush.core.hours.worded import day_copied, drawn, with_word, without_rule
from north_hush.core.site import edits
from north_hush.core.site.model import Site
from north_hush.core.words import begun, tr
from north_hush.desk.session import Session

LABELS = {"armed": tr("Armed"), "recording": begun(tr("recording")), "notifying": tr("Notifying")}
_BY_SUN = tr("Hours by the sun have become clock times of this week; Ctrl+Z brings them back.")
_drags = count()


class Draft(QObject):
    """Edits the hours of the view that is shown, or of one of its items, by the week that is shown."""

    told = Signal(str)
    """What is wrong, or to be known; empty when nothing is."""

    def __init__(self, session: Session, item: Callable[[], str]) -> None:
        super().__init__()
        self._session, self._asked = session, item
        self._drag = ""
        self.monday = date.today()
        """Of the week that is shown."""

    @property
    def _item(self) -> str:
        return self._asked()

    @property
    def own(self) -> Hours:
        """The hours that are edited: what is stated for the view or the item alone."""
        view = self._session.view
        return view.item_hours.get(self._item, Hours()) if self._item else view.hours

    @property
    def held(self) -> Hours:
        """The hours that are in force for it."""
        view = self._session.view
        return view.hours_of(self._item) if self._item else view.hours

    def type(self, kind: str, text: str) -> None:
        """Hours were typed; what is none is told and changes nothing."""
        if text == (getattr(self.own, kind) or ""):
            self.told.emit("")
            return
        try:
            if text:
                check_hours(text)
        except ValueError as error:
            self.told.emit(f"{error}.")
            return
        self.told.emit("")
        self._put({kind: text}, tr("{labels} hours", labels=LABELS[kind]))

    def draw(self, kind: str, week: Week, ended: bool) -> None:
        """The week was drawn: its text follows, and rules of dates stay."""
        self._drag = self._drag or f"hours-{next(_drags)}"
        before = self.text_of(kind)
        text = drawn(before, self._session.site.clock, self.monday, week)
        if text != before:
            self._put({kind: text}, tr("{labels} hours", labels=LABELS[kind]), self._drag)
            self.told.emit(_BY_SUN if SUN.search(before) and not SUN.search(text) else "")
        if ended:
            self._drag = ""

    def say_how(self, day: int, minute: float, said: str) -> None:
        """State how footage is kept in the piece of recording that runs on a day at a minute."""
        text = with_word(self.text_of("recording"), self._session.site.clock, self.monday, day, minute, said)
        self._put({"recording": text}, tr("Kept {said}", said=said) if said else tr("Kept as Outcome says"))

    def text_of(self, kind: str) -> str:
        """The text that is in force."""
        return getattr(self.held, kind) or ALWAYS

    def _put(self, texts: dict[str, str], what: str, drag: str = "") -> None:
        """State some of the three hours in one step."""
        view_id, item = self._session.view_id, self._item

        def put(site: Site) -> Site:
            for kind, text in texts.items():
                site = edits.set_hours(site, view_id, item, kind, text)
            return site

        self._session.do(what, put, drag)

    def copy_days(self, source: int, targets: Sequence[int]) -> None:
        """Give days the three hours of another, in one step."""
        clock, before = self._session.site.clock, {kind: self.text_of(kind) for kind in KINDS}
        after = dict(before)
        for target in targets:
            after = {kind: day_copied(text, clock, self.monday, source, target) for kind, text in after.items()}
        texts = {kind: text for kind, text in after.items() if text != before[kind]}
        if texts:
            self._put(texts, tr("Copy a day"))

    def add_exception(self, kind: str, text: str) -> None:
        """A rule of a date is added; one that is none is told."""
        try:
            check_hours(text)
        except ValueError as error:
            self.told.emit(f"{error}.")
            return
        self.told.emit("")
        self._put({kind: together(self.text_of(kind), text)}, tr("Exception: {value}", value=text))

    def remove_exception(self, kind: str, text: str) -> None:
        """A rule of a date is taken away."""
        self._put({kind: without_rule(self.text_of(kind), text)}, tr("Exception taken away: {value}", value=text))

    def turn_round(self) -> None:
        """Armed when it was not, and the other way round."""
        try:
            text = turned_round(self.text_of("armed"), self._session.site.clock, self.monday)
        except HushError as error:
            self.told.emit(str(error))
            return
        self._put({"armed": text}, tr("Turn the armed hours round"))

    def copy_to_views(self, views: list[str]) -> None:
        """Give views the hours of this one, in one step."""
        view_id = self._session.view_id
        self._session.do(tr("Copy hours to views"), lambda site: edits.copy_hours(site, view_id, views))
