"""A question put to all recordings of a site, as plain values for scripts."""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from pathlib import Path
from typing import Any

import av.error
import numpy as np
from numpy.typing import NDArray

from north_hush.core.ask.limits import NO_LIMITS, AskLimits, checked_limits, limited
from north_hush.core.ask.look import Box
from north_hush.core.ask.moves import Answer, Moves
from north_hush.core.ask.question import Question, checked
from north_hush.core.errors import EvidenceError, FootageError
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.evaluate.recordings import read_recording
from north_hush.core.footage.covering import covered_luma
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.index import FrameIndex
from north_hush.core.footage.luma import PLANE_SCALE, analysis_plane
from north_hush.core.footage.picked import grouped, has_keys, picked_frames
from north_hush.core.footage.server import FrameServer
from north_hush.core.site.model import Site, View
from north_hush.core.words import tr

_CACHE_BYTES = 32 * 1024**2
_FIRST_SIGHTS = 300_000
"""Answers of so many are there at once; a person is seen ten times a second."""
_KEPT_MOST = 2000
"""Pictures on the analysis plane: some 115 KB each."""
_DECODERS_MOST = 4
"""More would wait for the disk and hold memory."""


def ask_recording(
    question: Question, index: FrameIndex, evidence: Evidence, view: View, evaluator: Evaluator
) -> list[Answer]:
    """Answers of one recording, in the order of time.

    Raises
    ------
    HushError : a place holds no cell, or a frame that must be looked at cannot be decoded.
    """
    parts = list(ask_in_parts(question, index, evidence, view, evaluator))
    return sorted((one for part in parts for one in part), key=lambda one: (one.start_s, one.end_s))


def ask_in_parts(
    question: Question, index: FrameIndex, evidence: Evidence, view: View, evaluator: Evaluator
) -> Iterator[list[Answer]]:
    """The same, a few answers first: those of the tracks that begin first, then ever more.

    Raises
    ------
    HushError : see `ask_recording`.
    EvidenceError : it needs values that were let go.
    """
    try:
        yield from _parts(question, index, evidence, view, evaluator)
    except EvidenceError as error:
        if evidence.whole:
            raise
        raise EvidenceError(
            str(index.footage.path),
            tr("was analysed, but that was let go to make room."),
            tr("Put it on to analyse it again, and ask again."),
        ) from error


def _parts(
    question: Question, index: FrameIndex, evidence: Evidence, view: View, evaluator: Evaluator
) -> Iterator[list[Answer]]:
    if question.kind in ("left", "taken"):
        from north_hush.core.ask.things import left_or_taken  # takes as long to import as the window to paint

        tracks, look = partial(evaluator.apart, evidence, view.plan), partial(_Looker, index, evidence, view)
        names = partial(evaluator.kinds, evidence, view.plan)
        yield from left_or_taken(question, evidence, view.privacy, tracks, names, look)
        return
    followed = evaluator.apart(evidence, view.plan)
    kinds, time_s = evaluator.kinds(evidence, view.plan), evidence.seconds
    for part in [followed] if question.kind == "nothing" else followed.parts(_FIRST_SIGHTS):
        yield Moves(part, kinds, time_s, evidence.grid).answers(question)


class _Looker:
    """Pictures of evidence rows as grey levels, privacy masks covered."""

    def __init__(self, index: FrameIndex, evidence: Evidence, view: View) -> None:
        self._server, self._grid, self._privacy = FrameServer(index, _CACHE_BYTES), evidence.grid, view.privacy
        self._rows = np.searchsorted(index.time_us, evidence.time_us)
        self._kept: dict[int, NDArray[np.uint16]] = {}

    def prepare(self, rows: Iterable[int]) -> None:
        """Go through the recording once, and keep the pictures that are wanted."""
        wanted = sorted(set(rows))[:_KEPT_MOST]
        self._kept = {row: self._kept[row] for row in wanted if row in self._kept}
        self._pick({int(self._rows[row]): row for row in wanted if row not in self._kept})
        for row in wanted:
            if row not in self._kept:
                self._kept[row] = self._single(int(self._rows[row]))

    def _single(self, number: int) -> NDArray[np.uint16]:
        """A frame by itself."""
        return self._plane(self._server.frame(number))

    def _pick(self, row_of: dict[int, int]) -> None:
        """Keep frames by their numbers, each processor some; those that cannot be had so are read as others are, which says what is
        wrong."""
        if not row_of or not has_keys(self._server.index):
            return
        groups, shares = grouped(self._server.index, row_of), min(_DECODERS_MOST, os.cpu_count() or 1)
        with ThreadPoolExecutor(shares) as pool:
            for kept in pool.map(partial(self._picked, row_of), (groups[share::shares] for share in range(shares))):
                self._kept |= kept

    def _picked(self, row_of: dict[int, int], groups: Sequence[Sequence[int]]) -> dict[int, NDArray[np.uint16]]:
        kept: dict[int, NDArray[np.uint16]] = {}
        try:
            for place, picture in picked_frames(self._server.index, groups):
                kept[row_of[place]] = self._plane(picture)
        except (av.error.FFmpegError, FootageError, OSError, ValueError):
            pass
        return kept

    def __call__(self, row: int, box: Box) -> NDArray[np.float64]:
        plane = self._kept.get(row)
        if plane is None:
            plane = self._kept[row] = self._single(int(self._rows[row]))
        return np.asarray(plane[box] / PLANE_SCALE, np.float64)

    def _plane(self, picture: av.VideoFrame) -> NDArray[np.uint16]:
        return analysis_plane(self._grid.orient(covered_luma(picture, self._grid, self._privacy)), self._grid.factor)


def ask_site(
    site: Site, site_path: Path, question: Question, limits: AskLimits = NO_LIMITS, views: Sequence[View] = ()
) -> dict[str, Any]:
    """Answers of every recording of every view, or of some; one that cannot be read is listed under `errors`.

    Raises
    ------
    HushError : the question or a limit makes no sense.
    """
    question, limits = checked(question), checked_limits(limits)
    evaluator = Evaluator()
    answers: list[dict[str, Any]] = []
    errors: list[dict[str, str]] = []
    for view in views or site.views:
        for recording in view.recordings:
            if limits.lights and recording.light not in limits.lights:
                continue
            try:
                index, evidence = read_recording(view, recording, site_path)
                found = ask_recording(question, index, evidence, view, evaluator)
                found = limited(found, limits, site.clock, recording.path, recording.began(index, site.zone))
            except FootageError as error:
                errors.append({"view": view.name, "recording": recording.path, "error": str(error)})
                continue
            answers += [{"view": view.name, "recording": recording.path, **_plain(one)} for one in found]
    return {"answers": answers, "errors": errors}


def _plain(one: Answer) -> dict[str, float]:
    names = ("start_s", "end_s", "sure", "before_s", "after_s")
    return {name: round(float(getattr(one, name)), 3) for name in names}
