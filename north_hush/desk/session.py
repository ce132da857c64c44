"""The open site: its value, its history, its file. Widgets read it and send it named edits."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import suppress
from pathlib import Path

from pydantic import ValidationError
from PySide6.QtCore import QLockFile, QObject, QTimer, Signal

from north_hush.core.errors import HushError, SiteError
from north_hush.core.site.edits import use_tuning
from north_hush.core.site.file import describe_invalid, load_site, save_site
from north_hush.core.site.history import History
from north_hush.core.site.model import Site, View

SAVE_DELAY_MS = 400


class Session(QObject):
    """One site file, held against other windows with a lock file beside it."""

    changed = Signal()
    """The site's value is another one."""
    view_changed = Signal()
    """Another camera view is shown."""
    item_selected = Signal(str)
    save_state = Signal(str)
    failed = Signal(object)
    _saved = Signal(object)

    def __init__(self, path: Path, site: Site | None = None, parent: QObject | None = None) -> None:
        """Open a site file, or start one with `site`.

        Raises
        ------
        SiteError : it cannot be read or written, or another window has it.
        """
        super().__init__(parent)
        self.path = path
        self._lock = _locked(path)
        try:
            if site is not None:
                save_site(site, path)
            self.history = History(site or load_site(path))
        except HushError:
            self._lock.unlock()
            raise
        self.view_id = self.site.views[0].id
        self.selection: tuple[str, ...] = ()
        self._writer = ThreadPoolExecutor(1)
        self._writing: Future[None] | None = None
        self._on_disk = self.site
        self._timer = QTimer(self, singleShot=True, interval=SAVE_DELAY_MS)
        self._timer.timeout.connect(self._save)
        self._saved.connect(self._on_saved)

    @property
    def site(self) -> Site:
        return self.history.site

    @property
    def view(self) -> View:
        return self.site.view(self.view_id)

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

    def do(self, name: str, edit: Callable[[Site], Site], drag: str = "") -> bool:
        """Apply a named edit; moves with the same `drag` become one step. False when it was refused or changed nothing."""
        try:
            after = edit(self.site)
        except ValidationError as error:
            self.failed.emit(SiteError(name, describe_invalid(error), "Nothing was changed."))
            return False
        except HushError as error:
            self.failed.emit(error)
            return False
        if not self.history.do(name, after, drag):
            return False
        self._after_change()
        return True

    def undo(self) -> None:
        """Take the last step back."""
        self.history.undo()
        self._after_change()

    def go_to(self, steps_done: int) -> None:
        """Go to a place in the history."""
        self.history.go_to(steps_done)
        self._after_change()

    def redo(self) -> None:
        """Do the step last taken back again."""
        self.history.redo()
        self._after_change()

    def use_tuning(self, name: str) -> None:
        """Use another tuning of the view."""
        self.do(f"Use tuning {name}", lambda site: use_tuning(site, self.view_id, name))

    def close(self) -> None:
        """Write what is not written yet and let go of the file."""
        self._timer.stop()
        if self.site != self._on_disk:
            self._save()
        self._writer.shutdown(wait=True)
        self.blockSignals(True)  # what was still on its way finds no window any more
        self._lock.unlock()

    def _after_change(self) -> None:
        self.select_many(tuple(held for held in self.selection if self.view.item(held) is not None))
        self.changed.emit()
        self.save_state.emit("saving")
        self._timer.start()

    def _save(self) -> None:
        site = self.site
        self._writing = self._writer.submit(save_site, site, self.path)
        self._on_disk = site
        self._writing.add_done_callback(self._tell_saved)

    def _tell_saved(self, writing: Future[None]) -> None:
        with suppress(RuntimeError):  # the window is gone
            self._saved.emit(writing.exception())

    def _on_saved(self, error: Exception | None) -> None:
        if error is None:
            self.save_state.emit("saved" if self.site == self._on_disk else "saving")
            return
        self.save_state.emit("not saved")
        if isinstance(error, HushError):
            self.failed.emit(error)


def _locked(path: Path) -> QLockFile:
    lock = QLockFile(str(path) + ".lock")
    lock.setStaleLockTime(0)
    if not lock.tryLock(0):
        if lock.error() == QLockFile.LockError.LockFailedError:
            process = lock.getLockInfo()[0]
            raise SiteError(str(path), f"is open in another window (process {process}).", "Close it there first.")
        raise SiteError(
            str(path), "cannot be opened for writing.", "Check the folder's permissions, or copy it elsewhere."
        )
    return lock
