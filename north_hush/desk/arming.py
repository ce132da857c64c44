"""When the items of the view are armed over the recording that is on, and under which dials, worked out once for as long as nothing
of it changes."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.errors import HushError
from north_hush.core.evaluate.armed import Armed, armed_over
from north_hush.core.evaluate.switched import settings_over
from north_hush.core.footage.index import FrameIndex
from north_hush.core.site.recording import Recording
from north_hush.desk.session import Session


class Arming:
    """Remembers the last answer: the same object is returned until hours, clock, items or recording are other ones."""

    def __init__(self, session: Session, fail: Callable[[HushError], None]) -> None:
        self._session, self._fail = session, fail
        self._index: FrameIndex | None = None
        self._basis: object = None
        self._armed: Armed | None = None
        self._settings: tuple[object, Mapping[str, ZoneSettings]] | None = None

    def over(self, recording: Recording, index: FrameIndex) -> Armed | None:
        """None where everything counts; hours that cannot be read are told once, and everything counts."""
        site, view = self._session.site, self._session.view
        basis = (
            recording.taken_at,
            recording.clock_offset_s,
            site.clock,
            view.hours,
            view.item_hours,
            view.watchers,
        )
        if self._index is not index or basis != self._basis:
            self._index, self._basis = index, basis
            try:
                self._armed = armed_over(site, view, recording, index)
            except HushError as error:
                self._armed = None
                self._fail(error)
        return self._armed

    def settings(self, recording: Recording, index: FrameIndex) -> Mapping[str, ZoneSettings]:
        """The dials over a recording, see `settings_over`; hours that cannot be read are told, and the tuning in use is on."""
        site, view = self._session.site, self._session.view
        basis = (
            recording.taken_at,
            recording.clock_offset_s,
            site.clock,
            view.by_hours,
            view.tunings,
            view.tuning_in_use,
        )
        if self._settings is None or self._settings[0] != (basis, id(index)):
            try:
                found = settings_over(site, view, recording, index)
            except HushError as error:
                found = view.tuning.settings
                self._fail(error)
            self._settings = (basis, id(index)), found
        return self._settings[1]
