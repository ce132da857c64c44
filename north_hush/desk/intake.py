"""Recordings come in: files and folders are chosen, added, found again, or asked about when another one lies there."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QFileDialog, QInputDialog, QWidget

from north_hush.core.errors import HushError
from north_hush.core.footage.fingerprint import fingerprint
from north_hush.core.footage.gathering import Gathering, gathered, stream_words, videos_in
from north_hush.core.footage.index import Footage
from north_hush.core.judge.incidents import Truth
from north_hush.core.site import edits, marking
from north_hush.core.site.file import stored_path
from north_hush.core.site.model import Site
from north_hush.core.words import tr
from north_hush.desk.deck import Deck
from north_hush.desk.notice import Answer, NoticeBar
from north_hush.desk.opening import comes_as_many
from north_hush.desk.session import Session
from north_hush.desk.workers.background import Background

_TOLD_EVERY = 25
_STREAMS_NAMED = 4


class Intake(QObject):
    """Asks over a window, and puts what was chosen into the view that is shown."""

    added = Signal()
    """A recording came in, and is on."""
    _looked = Signal(int, int)

    def __init__(self, session: Session, deck: Deck, notice: NoticeBar, over: QWidget) -> None:
        super().__init__(over)
        self._session, self._deck, self._notice, self._over = session, deck, notice, over
        self._work = Background(("gather",), self)
        self._cancelled = False
        self._stored: dict[Path, str] = {}
        """Of what is gathered, the path as the site keeps it: worked out beside, since each asks the disk."""
        self._looked.connect(self._on_looked)

    def choose_recordings(self) -> None:
        """Ask for files and add them."""
        names, _ = QFileDialog.getOpenFileNames(self._over, tr("Add recordings"), str(self._session.path.parent))
        self.add_recordings([Path(name) for name in names])

    def choose_folder(self) -> None:
        """Ask for a folder, of videos or of numbered images, and add it."""
        name = QFileDialog.getExistingDirectory(self._over, tr("Add a folder"), str(self._session.path.parent))
        if name:
            self.add_recordings([Path(name)])

    def add_recordings(self, paths: list[Path]) -> None:
        """Add recordings to the view and put the first of them on; what cannot be read is said and left out. Folders of videos, and
        many files at once, are looked at in the background and come in order of time."""
        if comes_as_many(paths):
            self._gather(videos_in(paths))
            return
        added = ""
        for path in paths:
            try:
                footage = Footage(path, self._ask_rate(path) if path.is_dir() else None)
                digest = fingerprint(footage)
            except HushError as error:
                self._notice.tell(error)
                continue
            if any(held.fingerprint == digest for held in self._session.view.recordings):
                continue
            self._add(path, footage, digest)
            added = added or self._session.view.recordings[-1].id
        recording = next((held for held in self._session.view.recordings if held.id == added), None)
        if recording is not None and (self._deck.recording is None or self._deck.recording.id != added):
            self._deck.put_on(recording)
            self.added.emit()

    def _gather(self, paths: list[Path]) -> None:
        """Look at many recordings; the window goes on meanwhile."""
        zone = self._session.site.zone
        self._cancelled = False
        self._notice.say(tr("Looking at {count:,} recordings…", count=len(paths)))

        site_path = self._session.path

        def look() -> Gathering:
            found = gathered(paths, zone, self._looked.emit, lambda: self._cancelled)
            self._stored = {held.path: stored_path(held.path, site_path) for held in found.recordings}
            return found

        self._work.order("gather", look, self._on_gathered, self._notice.tell)

    def _on_looked(self, done: int, of: int) -> None:
        if done < of and done % _TOLD_EVERY == 0:
            self._notice.say(tr("Looking at {of:,} recordings: {done:,} done…", of=of, done=done))

    def _on_gathered(self, found: Gathering) -> None:
        """Ask which, where they are of different sizes or names: those are several streams, or several cameras."""
        self._notice.hide()
        streams = found.streams
        if len(streams) < 2:
            self._take_gathered(found)
            return
        told = ", ".join(f"{stream_words(one)} ({len(found.of(one).recordings)})" for one in streams[:_STREAMS_NAMED])
        more = tr(" and {count} others", count=len(streams) - _STREAMS_NAMED) if len(streams) > _STREAMS_NAMED else ""
        one = found.of(streams[0])
        self._notice.ask(
            tr("These look like {count} streams or cameras: {told}{more}.", count=len(streams), told=told, more=more),
            Answer(
                tr(
                    "Take the {count} of {stream_words}",
                    count=len(one.recordings),
                    stream_words=stream_words(streams[0]),
                ),
                tr("The others are left out"),
                lambda: self._take_gathered(one),
            ),
            Answer(tr("Take all"), tr("They are all of this camera view"), lambda: self._take_gathered(found)),
        )

    def _take_gathered(self, found: Gathering) -> None:
        view_id, before = self._session.view_id, {held.id for held in self._session.view.recordings}
        rows = [(self._stored[held.path], held) for held in found.recordings]
        if rows:
            words = tr("Add {count} recordings", count=len(rows))
            self._session.do(words, lambda site: edits.add_gathered(site, view_id, rows))
        new = [held for held in self._session.view.recordings if held.id not in before]
        if found.errors:
            more = tr(" So were {count} others.", count=len(found.errors) - 1) if len(found.errors) > 1 else ""
            self._notice.say(tr("{errors} It was left out.{more}", errors=found.errors[0], more=more), wrong=True)
        if new:
            self._deck.put_on(new[0])
            self.added.emit()

    def close_worker(self) -> None:
        """End the thread."""
        self._cancelled = True
        self._work.close()

    def _add(self, path: Path, footage: Footage, digest: str) -> None:
        stored, view_id, rate = stored_path(path, self._session.path), self._session.view_id, footage.frames_per_s

        def add(site: Site) -> Site:
            return edits.add_recording(site, view_id, stored, fingerprint=digest, frames_per_s=rate)

        self._session.do(tr("Add {name}", name=path.name), add)

    def _ask_rate(self, folder: Path) -> float:
        """Ask how many images a second a folder holds.

        Raises
        ------
        HushError : the question was turned down.
        """
        rate, given = QInputDialog.getDouble(
            self._over, tr("Image folder"), tr("Frames per second of {name}:", name=folder.name), 10.0, 0.01, 1000.0, 2
        )
        if not given:
            raise HushError(
                str(folder), tr("was not added: its frame rate is not known."), tr("Add it again and state one.")
            )
        return rate

    def locate_recording(self, recording_id: str) -> None:
        """Ask where a recording is now."""
        name, _ = QFileDialog.getOpenFileName(self._over, tr("Locate the recording"), str(self._session.path.parent))
        if name and recording_id:
            stored, view_id = stored_path(Path(name), self._session.path), self._session.view_id
            self._session.do(
                tr("Locate recording"), lambda site: edits.change_recording(site, view_id, recording_id, path=stored)
            )

    def ask_replaced(self, fingerprint: str) -> None:
        """Another file lies at a recording's path: ask what to do with what is known of the old one. Both are kept."""
        recording, view_id = self._deck.recording, self._session.view_id
        if recording is None:
            return

        def take(*, same: bool) -> None:
            self._session.do(
                tr("Keep the verdicts with the new file") if same else tr("Set the verdicts aside"),
                lambda site: marking.take_file(site, view_id, recording.id, fingerprint, same=same),
            )

        if recording.truth == Truth():
            take(same=False)
            return
        known = len(recording.truth.incidents) + len(recording.truth.verdicts)
        self._notice.ask(
            tr(
                "{path} is another file than the one its {known} incidents and verdicts were made for.",
                path=recording.path,
                known=known,
            ),
            Answer(
                tr("Same footage"),
                tr("Keep them with this file, as after cutting or converting it"),
                lambda: take(same=True),
            ),
            Answer(
                tr("Other footage"),
                tr("Set them aside; they come back when the old file does"),
                lambda: take(same=False),
            ),
        )
