"""The open site: its value, its history, its file. Widgets read it and send it named edits."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import suppress
from pathlib import Path

from pydantic import ValidationError
from PySide6.QtCore import QElapsedTimer, QObject, QTimer, Signal

from north_hush.core.errors import HushError, SiteError
from north_hush.core.footage.options import DRIFT_WINDOW_S
from north_hush.core.site.edits import use_tuning
from north_hush.core.site.file import describe_invalid, load_site
from north_hush.core.site.history import History
from north_hush.core.site.lock import SiteLock
from north_hush.core.site.model import Site, View
from north_hush.core.site.recording import Recording
from north_hush.core.site.saving import Mark, SiteChangedError, mark_of, save_site
from north_hush.core.site.secret import uncovers
from north_hush.core.site.timeline import lead_ids
from north_hush.core.words import tr

SAVE_DELAY_MS, SAVE_LATEST_MS, RETRY_MS = 400, 1_600, 5_000
"""A save waits for a pause in the editing, but no longer than the second; one that failed is tried again."""


class Session(QObject):
    """One site file, held against other windows with a lock file beside it."""

    changed = Signal()
    """The site's value is another one."""
    view_changed = Signal()
    """Another camera view is shown."""
    item_selected = Signal(str)
    save_state = Signal(str)
    failed = Signal(object)
    changed_elsewhere = Signal()
    """Another program has written the file since it was read here; nothing is written until `keep_mine` or `take_theirs`."""
    _saved = Signal()

    def __init__(self, path: Path, site: Site | None = None, parent: QObject | None = None) -> None:
        """Open a site file, or start one with `site`.

        Raises
        ------
        SiteError : it cannot be read or written, or another window has it.
        """
        super().__init__(parent)
        self.path = path
        self.fresh = site is not None
        """True when the site was made just now."""
        self._lock = SiteLock(path)
        try:
            if site is not None:
                save_site(site, path)
            self._known = mark_of(path)
            self.history = History(site or load_site(path))
        except HushError:
            self._lock.release()
            raise
        self.view_id = self.site.views[0].id
        self.selection: tuple[str, ...] = ()
        self.uncovered = False
        """Whether somebody who may is looking under the privacy masks now."""
        self._leads: tuple[tuple[Recording, ...], Mapping[str, object]] = ((), {})
        """What recordings follow on, by their ids, and of which recordings that is."""
        self._writer = ThreadPoolExecutor(1)
        self._writing: Future[Mark | None] | None = None
        self._on_disk = self.site
        self._taken_up = self.site
        """What the save that runs, or ran last, writes."""
        self._error: HushError | None = None
        """What the last save ended with."""
        self._conflict = self._closed = False
        self._timer = QTimer(self, singleShot=True, interval=SAVE_DELAY_MS)
        self._timer.timeout.connect(self._save)
        self._unsaved = QElapsedTimer()
        """Since the first edit that no save took up yet."""
        self._saved.connect(self._on_saved)

    @property
    def site(self) -> Site:
        return self.history.site

    @property
    def view(self) -> View:
        return self.site.view(self.view_id)

    def evidence_name(self, recording: Recording) -> tuple[object, ...]:
        """All that the evidence of a recording of the view depends on: where it is, how it is turned, what it follows on."""
        recordings = self.view.recordings
        if self._leads[0] is not recordings:
            self._leads = recordings, lead_ids(recordings, DRIFT_WINDOW_S)
        follows = self._leads[1].get(recording.id)
        return recording.path, str(recording.orientation), recording.frames_per_s, recording.fingerprint, follows

    def show_view(self, view_id: str) -> None:
        """Show another camera view."""
        if view_id != self.view_id:
            self.view_id = view_id
            self.select("")
            self.view_changed.emit()

    @property
    def item_id(self) -> str:
        """The item selected last, '' when nothing is."""
        return self.selection[-1] if self.selection else ""

    def select(self, item_id: str) -> None:
        """Select one item; '' selects nothing."""
        self.select_many((item_id,) if item_id else ())

    def select_many(self, item_ids: tuple[str, ...]) -> None:
        """Select several items; the last is the one panels show."""
        if item_ids != self.selection:
            self.selection = item_ids
            self.item_selected.emit(self.item_id)

    def toggle(self, item_id: str) -> None:
        """Add an item to the selection, or take it out."""
        if item_id in self.selection:
            self.select_many(tuple(held for held in self.selection if held != item_id))
        elif item_id:
            self.select_many((*self.selection, item_id))

    def do(self, name: str, edit: Callable[[Site], Site], drag: str = "", *, asked: bool = False) -> bool:
        """Apply a named edit; moves with the same `drag` become one step. `asked`: the passphrase was given for it. False when it was
        refused or changed nothing."""
        try:
            after = edit(self.site)
        except ValidationError as error:
            self.failed.emit(SiteError(name, describe_invalid(error), tr("Nothing was changed.")))
            return False
        except HushError as error:
            self.failed.emit(error)
            return False
        if not (asked or self._may(name, after)) or not self.history.do(name, after, drag):
            return False
        self._after_change()
        return True

    def _may(self, name: str, after: Site) -> bool:
        """Tell whether a change needs no passphrase, or it was given; else say so."""
        what = "" if self.uncovered else uncovers(self.site, after)
        if what:
            self.failed.emit(
                SiteError(
                    name,
                    tr("would take away {what}.", what=what),
                    tr("Uncover first, in Draw: the passphrase is asked."),
                )
            )
        return not what

    def undo(self) -> None:
        """Take the last step back."""
        self.go_to(len(self.history.names) - 1)

    def go_to(self, steps_done: int) -> None:
        """Go to a place in the history."""
        if self._may(tr("Undo"), self.history.at(steps_done)):
            self.history.go_to(steps_done)
            self._after_change()

    def redo(self) -> None:
        """Do the step last taken back again."""
        self.go_to(len(self.history.names) + 1)

    def use_tuning(self, name: str) -> None:
        """Use another tuning of the view."""
        self.do(tr("Use tuning {name}", name=name), lambda site: use_tuning(site, self.view_id, name))

    def flush(self) -> HushError | None:
        """Write what is not written yet and wait for it; what kept it from being written, if anything did."""
        self._timer.stop()
        self._settle()
        if self.site == self._on_disk:
            return None
        if self._conflict:
            return SiteError(
                str(self.path), tr("was changed by another program."), tr("Keep this version, or take that one.")
            )
        self._save()
        self._settle()
        if self._error is not None and not self._conflict:
            self._timer.start(RETRY_MS)
        return self._error

    def keep_mine(self) -> None:
        """Write over what another program wrote; that becomes the version before."""
        self._known, self._conflict, self._error = None, False, None
        self._save()

    def take_theirs(self) -> None:
        """Take what another program wrote, as one step that can be undone."""
        try:
            known, theirs = mark_of(self.path), load_site(self.path)
        except HushError as error:
            self.failed.emit(error)
            return
        self._known, self._conflict, self._error, self._on_disk = known, False, None, theirs
        if self.history.do(tr("Take what another program wrote"), theirs):
            self._after_change()
        if self.view_id not in {view.id for view in self.site.views}:
            self.show_view(self.site.views[0].id)

    def close(self) -> None:
        """Let go of the file, written as far as it can be."""
        self.flush()
        self._closed = True  # what is still on its way finds no window any more
        self._timer.stop()
        self._writer.shutdown(wait=True)
        self.blockSignals(True)
        self._lock.release()

    def _after_change(self) -> None:
        self.select_many(tuple(held for held in self.selection if self.view.item(held) is not None))
        self.changed.emit()
        if self._conflict:
            return
        self.save_state.emit("saving")
        if not self._unsaved.isValid():
            self._unsaved.start()
        if not self._timer.isActive() or self._unsaved.elapsed() < SAVE_LATEST_MS:
            self._timer.start(SAVE_DELAY_MS)

    def _save(self) -> None:
        if (
            self._writing is not None and not self._writing.done()
        ):  # one after the other: each knows what the last one wrote
            self._timer.start(SAVE_DELAY_MS)
            return
        self._settle()
        self._unsaved.invalidate()
        self._taken_up = self.site
        self._writing = self._writer.submit(save_site, self.site, self.path, self._known)
        self._writing.add_done_callback(self._tell_saved)

    def _tell_saved(self, _: Future[Mark | None]) -> None:
        with suppress(RuntimeError):  # the window is gone
            self._saved.emit()

    def _settle(self) -> None:
        """Wait for the save that runs, if one does, and note what came of it."""
        if self._writing is None:
            return
        writing, self._writing = self._writing, None
        error = writing.exception()
        self._error = error if isinstance(error, HushError) or error is None else SiteError(str(self.path), f"{error}.")
        if error is None:
            self._known, self._on_disk = writing.result(), self._taken_up
        elif isinstance(error, SiteChangedError):
            self._conflict = True

    def _on_saved(self) -> None:
        if self._closed or (self._writing is not None and not self._writing.done()):
            return  # of the save before; the one that runs will be told
        self._settle()
        if self._conflict:
            self.save_state.emit(tr("not saved"))
            self.changed_elsewhere.emit()
        elif self._error is not None:
            self.save_state.emit(tr("not saved"))
            self.failed.emit(self._error)
            self._timer.start(RETRY_MS)
        elif not self._timer.isActive():
            self.save_state.emit("saved" if self.site == self._on_disk else tr("not saved"))
