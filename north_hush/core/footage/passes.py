"""The one pass over a recording that reduces it to stored evidence."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Generator, Iterator
from contextlib import closing
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from north_hush.core.errors import FootageError
from north_hush.core.footage.ahead import ahead
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.fingerprint import fingerprint
from north_hush.core.footage.index import FrameIndex
from north_hush.core.footage.lead import lead_in
from north_hush.core.footage.luma import luma_of
from north_hush.core.footage.numbering import Numbering
from north_hush.core.footage.options import EvidenceOptions
from north_hush.core.footage.reduce import Reducer
from north_hush.core.footage.sound_kept import keep_sound
from north_hush.core.footage.source import Ending, RawFrame, decode_images, decode_video, image_files, open_video
from north_hush.core.footage.stamps import clock_text, gap_us
from north_hush.core.footage.store import evidence_key, find_evidence, known_evidence, read_evidence
from north_hush.core.footage.writing import StoreWriter
from north_hush.core.progress import PROGRESS, TOLD_EVERY_S
from north_hush.core.words import tr

_AHEAD = 4
"""So many pictures are decoded while one is reduced: the decoder's own threads stand still while nobody asks for the next."""


@dataclass(frozen=True)
class Progress:
    """How far a pass is. `block_frames` lists the frames of the blocks that can be read already."""

    frames: int
    expected: int
    folder: Path
    block_frames: tuple[int, ...]
    new_block: bool


def make_evidence(
    index: FrameIndex,
    options: EvidenceOptions,
    *,
    report: Callable[[Progress], None] = lambda progress: None,
    cancelled: Callable[[], bool] = lambda: False,
    threads: int = 0,
    root: Path | None = None,
) -> tuple[Path, bool] | None:
    """Decode a recording once and store its evidence.

    Returns
    -------
    The folder and whether it lasts beyond this session; None when cancelled.

    Raises
    ------
    FootageError : nothing could be decoded.
    EvidenceError : neither the cache nor a temporary folder can be written.
    """
    key = evidence_key(fingerprint(index.footage), options)
    grid = index.grid(options.orientation, options.cell_px)
    writer = StoreWriter(key, grid, options, root)
    reducer = Reducer(grid, options, gap_us(index.usual_interval_us))
    numbering = Numbering(index)
    ending = Ending()
    frames, blocks = 0, list[int]()
    try:
        began = lead_in(reducer, options.lead, index, options.drift_window_s)
        with closing(ahead(decoded(index, ending, threads), _AHEAD)) as made:
            for frame in made:
                if cancelled():
                    writer.discard()
                    return None
                if (frame.picture.width, frame.picture.height) != (index.coded_width, index.coded_height):
                    ending.stopped = tr(
                        "the picture changes to {width} x {height} pixels",
                        width=frame.picture.width,
                        height=frame.picture.height,
                    )
                    break
                number = numbering.next(frame.stamp)
                if number is None:  # more frames than the file has packets for: they have no time
                    ending.damaged += 1
                    continue
                pts, time_us = int(index.pts[number]), int(index.time_us[number])
                new_block = writer.add(reducer.reduce(luma_of(frame.picture), pts, time_us, frame.key), reducer.soil)
                frames += 1
                if new_block:
                    blocks.append(writer.frames - sum(blocks))
                if new_block or frames % 16 == 0:
                    report(Progress(frames, index.frames, writer.folder, tuple(blocks), new_block))
        if frames == 0:
            raise FootageError(
                str(index.footage.path), tr("holds not a single frame that can be decoded."), tr("Export it again.")
            )
        end_us = reducer.last_us
        oddities = (*began, *_ending_oddities(ending, frames, index, end_us))
        folder = writer.finish(oddities, reducer.soil)
        keep_sound(index, read_evidence(folder))
        return folder, writer.stored
    except BaseException:
        writer.discard()
        raise


def decoded(index: FrameIndex, ending: Ending, threads: int = 0) -> Generator[RawFrame]:
    """All frames of a recording that can be decoded; where it breaks off is noted in `ending`."""
    if index.footage.is_folder:
        files = image_files(index.footage.path)
        try:
            yield from decode_images(files)
        except FootageError as error:
            ending.stopped = f"{error.subject} {error.what.rstrip('.')}"
        return
    with open_video(index.footage.path, threads) as (container, stream):
        yield from decode_video(container, stream, ending)


def _ending_oddities(ending: Ending, frames: int, index: FrameIndex, end_us: int) -> Iterator[str]:
    if ending.stopped:
        yield tr("analysed up to {clock_text}: {stopped}", clock_text=clock_text(end_us), stopped=ending.stopped)
    if ending.damaged:
        yield tr("{damaged} damaged frames or packets", damaged=ending.damaged)
    missing = index.frames - frames
    if missing > 0 and not ending.stopped:
        yield tr("{missing:,} of {frames:,} frames cannot be decoded", missing=missing, frames=index.frames)


class _Told:
    """Logs how far a pass is, every few seconds."""

    def __init__(self, path: Path) -> None:
        self._path, self._at = path, time.monotonic()

    def report(self, progress: Progress) -> None:
        """Log the share that is done, unless that was done just now."""
        if time.monotonic() - self._at >= TOLD_EVERY_S:
            self._at = time.monotonic()
            share = min(1.0, progress.frames / max(1, progress.expected))
            PROGRESS.info("%s: %.0f %% analysed", self._path, 100 * share)


def evidence_of(index: FrameIndex, options: EvidenceOptions, root: Path | None = None) -> Evidence:
    """Return the evidence of a recording, from the store or by a new pass in this process, whose progress is logged. Where its values
    were let go, they are made again once one of them is asked for: what is kept beside them may be all that is needed."""
    named = fingerprint(index.footage)
    stored = known_evidence(named, options, root)
    if stored is not None:
        return stored

    def made() -> Evidence:
        found = make_evidence(index, options, report=_Told(index.footage.path).report, root=root)
        assert found is not None  # only a cancelled pass returns None, and nothing cancels this one
        return read_evidence(found[0])

    lean = find_evidence(evidence_key(named, options), root, lean=True)
    return made() if lean is None else replace(lean, load=_once_made(made), whole=True)


def _once_made(made: Callable[[], Evidence]) -> Callable[[str, int], NDArray[np.uint8]]:
    """Values of evidence that is made when the first of them is asked for, by whichever thread."""
    lock, found = threading.Lock(), list[Evidence]()

    def load(channel: str, number: int) -> NDArray[np.uint8]:
        with lock:
            if not found:
                found.append(made())
        return found[0].load(channel, number)

    return load
