"""The recording that is on: its frames, its evidence, and what the view's zones make of it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import partial
from pathlib import Path
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from north_hush.core.detect.lane import Lane
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.errors import FootageError, HushError
from north_hush.core.evaluate.armed import Armed
from north_hush.core.evaluate.evaluation import Evaluation
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.evaluate.recordings import options_of
from north_hush.core.explain.restless import Restlessness, restlessness_over
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.index import FrameIndex
from north_hush.core.footage.options import Channel, EvidenceOptions
from north_hush.core.footage.store import evidence_key, known_evidence, read_evidence, read_partial
from north_hush.core.scene.items import Privacy
from north_hush.core.scene.plan import Plan
from north_hush.core.site.file import find_recording
from north_hush.core.site.model import View
from north_hush.core.site.recording import Recording
from north_hush.desk.evaluating import Evaluating, On, fail_over
from north_hush.desk.passing import Passing
from north_hush.desk.pictures import Pictures
from north_hush.desk.playhead import Playhead
from north_hush.desk.session import Session
from north_hush.desk.workers.background import Background
from north_hush.desk.workers.scheduler import Urgency


class Deck(QObject):
    """Plays a recording and keeps its lanes up to date with the site."""

    recording_changed = Signal()
    opened = Signal()
    """The index of the recording is known."""
    frame_changed = Signal(int)
    shown = Signal(QImage, object)
    """The picture of the frame, and its difference to the frame before in grey levels while that is looked at, else None."""
    thumbnail = Signal(int, object, QImage)
    """Frame number, the box that was asked for, and the picture of it."""
    still = Signal(int, QImage)
    privacy_changed = Signal()
    """Pictures kept anywhere are to be asked for again."""
    pass_progressed = Signal(float, float)
    pass_ended = Signal()
    evidence_changed = Signal()
    glance_changed = Signal()
    lanes_changed = Signal()
    restless_changed = Signal()
    failed = Signal(object)
    replaced = Signal(str)
    """Another file lies where the recording lay; its fingerprint."""

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._background = Background(("evidence", "inflate", "restless"), self, Urgency.NOW)
        self._evaluating = Evaluating(session, self._what_is_on, self._fail, self)
        self._evaluating.changed.connect(self.lanes_changed)
        self.pictures, self.passes = Pictures(self), Passing(self)
        self._forward()
        self.recording: Recording | None = None
        self.index: FrameIndex | None = None
        self.evidence: Evidence | None = None
        self.known: tuple[str, FrameIndex, Evidence] | None = None
        """The recording that is on, by its id, once it is wholly analysed, or was. Other threads may read it."""
        self.stored = True
        self._passed: Callable[..., Evidence] = read_partial
        """Reads what a running pass has written so far."""
        self._named: tuple[object, ...] = ()
        """All that the evidence of the recording depends on, its content aside."""
        self.playhead = Playhead(self)
        self.playhead.moved.connect(self._show)
        self._privacy = session.view.privacy
        self.restless: Restlessness | None = None
        self._rows: NDArray[np.int64] = np.zeros(0, np.int64)
        session.changed.connect(self._follow_site)
        session.view_changed.connect(self._follow_site)

    def _forward(self) -> None:
        """What pictures and passes tell is told as the deck's."""
        pictures, passes = self.pictures, self.passes
        pictures.opened.connect(self._on_opened)
        for theirs, ours in (
            (pictures.shown, self.shown), (pictures.thumbnail, self.thumbnail), (pictures.still, self.still),
            (pictures.failed, self.failed), (passes.progressed, self.pass_progressed), (passes.ended, self.pass_ended),
            (passes.glance_changed, self.glance_changed),
        ):  # fmt: skip
            theirs.connect(ours)
        passes.block_ready.connect(self._on_block)
        passes.done.connect(self._on_pass_done)
        passes.failed.connect(self._fail)

    # --- what is on -------------------------------------------------------------------------------------------------

    def put_on(self, recording: Recording | None) -> None:
        """Put on another recording; None takes the present one off."""
        self._take_off()
        self.recording = recording
        self.recording_changed.emit()
        if recording is not None:
            self._named = self._session.evidence_name(recording.model_copy(update={"fingerprint": ""}))
        else:
            self.lanes_changed.emit()
            return
        try:
            footage = find_recording(recording, self._session.path)
        except FootageError as error:
            self.failed.emit(error)
            return
        self.pictures.put_on(footage, recording.orientation, self._privacy)

    def close(self) -> None:
        """End every worker."""
        self._take_off()
        self._background.close()
        self._evaluating.close()

    def _take_off(self) -> None:
        self.playhead.take_off()
        self._session.uncovered = False
        self._background.drop()
        self._evaluating.drop()
        self.passes.cancel(wait=True)
        self.passes.look(None)
        self.pictures.take_off()
        self.index = self.evidence = self.restless = self.known = None
        self._rows = np.zeros(0, np.int64)

    def _follow_site(self) -> None:
        """After an edit: reload when the recording itself changed, else evaluate again."""
        view = self._session.view
        self._cover(view.privacy)
        held = {recording.id: recording for recording in view.recordings}
        now = held.get(self.recording.id) if self.recording else None
        if now is None:
            self.put_on(view.recordings[0] if view.recordings else None)
            return
        before, self.recording = self._named, now
        self._named = self._session.evidence_name(now.model_copy(update={"fingerprint": ""}))
        if before != self._named:
            self.put_on(now)
        else:
            self.frame_changed.emit(self.frame)  # its time may be another one
            self.evaluate()

    def _cover(self, privacy: tuple[Privacy, ...]) -> None:
        """Blank other places when the privacy masks are others; what was uncovered is covered again."""
        if privacy != self._privacy:
            self._privacy, self._session.uncovered = privacy, False
            self.pictures.cover(privacy)
            self._show()
            self.privacy_changed.emit()

    @property
    def uncovered(self) -> bool:
        """Whether what lies below privacy masks is shown."""
        return self._session.uncovered

    def uncover(self, uncovered: bool) -> None:
        """Show what lies below privacy masks in the picture, or cover it again. Nothing else ever shows it."""
        self._session.uncovered = uncovered and bool(self._privacy)
        self._show()
        self.privacy_changed.emit()

    @property
    def zone(self) -> ZoneInfo:
        """The site's time zone."""
        return self._session.site.zone

    # --- frames -----------------------------------------------------------------------------------------------------

    def _on_opened(self, index: FrameIndex, fingerprint: str) -> None:
        assert self.recording is not None
        self.index = index
        self.playhead.put_on(index)
        self.opened.emit()
        if self.recording.fingerprint not in ("", fingerprint):
            self.replaced.emit(fingerprint)
        self._show()
        view, recording, path = self._session.view, self.recording, self._session.path

        def look() -> tuple[EvidenceOptions, Evidence | None]:
            options = options_of(view, recording, index, path)
            return options, known_evidence(fingerprint, options, lean=True)

        self._background.order("evidence", look, lambda looked: self._on_looked(fingerprint, *looked), self._fail)

    def _on_looked(self, fingerprint: str, options: EvidenceOptions, found: Evidence | None) -> None:
        if found is not None:
            self._use(found)
        if found is None or found.lean:  # what is left of it shows until its values are there again
            self._start_pass(options, evidence_key(fingerprint, options))

    @property
    def view_kind(self) -> str:
        """Whether the picture, the difference, the cells or the restlessness is looked at."""
        return self.pictures.kind

    @property
    def frame(self) -> int:
        """The frame that is shown."""
        return self.playhead.frame

    def show_kind(self, kind: str) -> None:
        """Show the picture, the difference or the cells."""
        self.pictures.kind = kind
        self._show()

    def _show(self) -> None:
        self.pictures.show(self.frame, bare=self._session.uncovered)
        self.frame_changed.emit(self.frame)

    # --- evidence ---------------------------------------------------------------------------------------------------

    def _start_pass(self, options: EvidenceOptions, key: str) -> None:
        assert self.index is not None
        self._passed = partial(
            read_partial, key=key, grid=self.index.grid(options.orientation, options.cell_px), options=options
        )
        self.passes.start(self.index.footage, options)

    def _on_block(self, folder: Path, counts: list[int]) -> None:
        read = self._passed
        if self.evidence is not None and self.evidence.lean and self.lanes:
            return  # alarms of all of it are shown
        self._background.order("evidence", lambda: read(folder, counts=counts), self._use, lambda error: None)

    def _on_pass_done(self, folder: Path, stored: bool) -> None:
        self.stored = stored
        self._background.order("evidence", lambda: read_evidence(folder), self._use, self._fail)

    def start_pass_again(self) -> None:
        """Start the pass of the recording that is on again, after it was cancelled or failed."""
        if self.passes.running is None and self.recording is not None:
            self.put_on(self.recording)

    def _use(self, evidence: Evidence) -> None:
        assert self.index is not None
        self.evidence = evidence
        if evidence.whole:
            self.passes.look(None)
        if (evidence.whole or evidence.lean) and self.recording is not None:
            self.known = self.recording.id, self.index, evidence
        self._rows = np.searchsorted(self.index.time_us, evidence.time_us).astype(np.int64)
        self.evidence_changed.emit()
        self.evaluate()

    def frame_of(self, row: int) -> int:
        """Frame number of an evidence row; they differ where frames could not be decoded."""
        return int(self._rows[min(max(row, 0), len(self._rows) - 1)]) if len(self._rows) else row

    @property
    def row(self) -> int | None:
        """The evidence row of the shown frame, None while there is none."""
        if len(self._rows) == 0:
            return None
        row = int(np.searchsorted(self._rows, self.frame))
        return row if row < len(self._rows) and self._rows[row] == self.frame else None

    # --- lanes ------------------------------------------------------------------------------------------------------

    def _what_is_on(self) -> On:
        return On(self.recording, self.index, self.evidence)

    def evaluate(self) -> None:
        """Work out levels and alarms again, in the background; the newest order wins."""
        self._evaluating.evaluate()

    @property
    def evaluator(self) -> Evaluator:
        """What lanes are worked out with, and what it remembers."""
        return self._evaluating.evaluator

    @property
    def lanes(self) -> list[Lane]:
        """What the items of the view make of the evidence."""
        return self._evaluating.lanes

    @property
    def settings(self) -> Mapping[str, ZoneSettings]:
        """The dials over the recording that is on, see `Evaluating`."""
        return self._evaluating.settings

    @property
    def armed(self) -> Armed | None:
        """When the items of the view are armed over it, see `Evaluating`."""
        return self._evaluating.armed

    def armed_as(self, view: View) -> Armed | None:
        """The same in the hours of another state of the view."""
        return self._evaluating.armed_as(view)

    def judged(self, lanes: list[Lane] | None = None, plan: Plan | None = None) -> Evaluation | None:
        """Lanes (None: those that are on) held against what is known of the recording, see `Evaluating`."""
        return self._evaluating.judged(lanes, plan)

    def inflate(self, channel: Channel, row: int) -> None:
        """Have the values of a channel round a frame at hand for the cells view; what is remembered of levels may need none of
        them."""
        evidence = self.evidence
        if evidence is not None:
            self._background.order(
                "inflate",
                lambda: evidence.values(channel, row, row + 1),
                lambda _: self._show(),
                self.fail_over(evidence),
            )

    def measure_restlessness(self, channel: Channel, limit_quarters: int, span_us: tuple[int, int] | None) -> None:
        """Work out the restlessness map over the recording, or a stretch of it, in the background."""
        evidence = self.evidence
        if evidence is None:
            return
        first, after = np.searchsorted(evidence.time_us, span_us).tolist() if span_us else (0, len(evidence.frames))
        self._background.order(
            "restless",
            lambda: restlessness_over(evidence, channel, limit_quarters, (first, after)),
            self._on_restless,
            self.fail_over(evidence),
        )

    def _on_restless(self, measured: Restlessness) -> None:
        self.restless = measured
        self.restless_changed.emit()

    @property
    def settled(self) -> bool:
        """True when no work is waiting or running."""
        return self._background.idle and self._evaluating.settled and self.passes.running is None

    def fail_over(self, evidence: Evidence) -> Callable[[HushError], None]:
        """What is done when work on evidence fails, see `evaluating.fail_over`."""
        return fail_over(evidence, self._fail)

    def _fail(self, error: HushError) -> None:
        self.failed.emit(error)
