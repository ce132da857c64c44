"""What zones and wires make of kinds on a recording, where they report some alone."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from north_hush.core.detect.alarms import ALLOWED, REFUSED
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.evaluate.following import Following, tracks_key
from north_hush.core.evaluate.places import Places
from north_hush.core.follow.broken import BrokenWatch
from north_hush.core.follow.chances import enough
from north_hush.core.follow.crossing import Crossing, of_kinds
from north_hush.core.follow.owned import FRAME, TRACK
from north_hush.core.follow.tracks import FRAME as TRACK_FRAME
from north_hush.core.follow.tracks import SIGHT_FIELDS
from north_hush.core.follow.tracks import TRACK as TRACK_NUMBER
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.kept import pieces
from north_hush.core.memo import Memo
from north_hush.core.scene.items import Watcher
from north_hush.core.scene.plan import Plan


class Reported:
    """Holds what is followed against the kinds that an item reports."""

    def __init__(self, memo: Memo, following: Following, places: Places) -> None:
        self._memo, self._following, self._places = memo, following, places

    def likely(
        self, evidence: Evidence, plan: Plan, sights: NDArray[np.float64], dials: ZoneSettings
    ) -> NDArray[np.float64]:
        """How likely each sight of a zone is of a kind that it reports, (sights,) float64.

        Parameters
        ----------
        sights : (sights, owned.OWNED_FIELDS) float64
        """
        return self._following.chances(evidence, plan).of(sights[:, TRACK], sights[:, FRAME], dials.kinds)

    def crossings(
        self, evidence: Evidence, plan: Plan, crossings: Sequence[Crossing], dials: ZoneSettings
    ) -> list[Crossing]:
        """The crossings of what is likely enough of a kind that is reported, when they are told."""
        if not dials.limits_kinds:
            return list(crossings)
        rows = np.array([(held.track, held.told_frame) for held in crossings], np.float64).reshape(-1, 2)
        likely = self._following.chances(evidence, plan).of(rows[:, 0], rows[:, 1], dials.kinds)
        return of_kinds(crossings, likely, dials)

    def broken_by(
        self, evidence: Evidence, watcher: Watcher | None, plan: Plan, dials: ZoneSettings
    ) -> NDArray[np.uint8]:
        """Which frames may confirm, see `advance`: those in which something of a kind that is reported is on a line that must not be
        broken."""

        weights = self._places.of(watcher, plan, evidence.grid).weights

        def make() -> NDArray[np.float64]:
            """Frame and chance of each sight on the line: turning the dial asks again and again."""
            found = self._on_line(evidence, watcher, plan, dials)
            rows = [np.column_stack([sights[:, TRACK_FRAME], likely]) for sights, likely in found]
            return np.concatenate([np.zeros((0, 2)), *rows])

        key = (
            "on line", tracks_key(evidence, plan.privacy), weights.key, plan.size_marks, dials.kinds, plan.taught,
        )  # fmt: skip
        found = self._memo.made(key, make)
        allowed = np.full(len(evidence.frames), REFUSED, np.uint8)
        allowed[found[enough(found[:, 1], dials), 0].astype(np.int64)] = ALLOWED
        return allowed

    def refused_on_line(
        self, evidence: Evidence, watcher: Watcher | None, plan: Plan, dials: ZoneSettings
    ) -> NDArray[np.float64]:
        """Sights on a line that must not be broken which are of no kind that is reported, (sights, SIGHT_FIELDS) float64."""
        found = [sights[~enough(likely, dials)] for sights, likely in self._on_line(evidence, watcher, plan, dials)]
        return np.concatenate([np.zeros((0, SIGHT_FIELDS)), *found])

    def _on_line(
        self, evidence: Evidence, watcher: Watcher | None, plan: Plan, dials: ZoneSettings
    ) -> Iterator[tuple[NDArray[np.float64], NDArray[np.float64]]]:
        """What is followed on a line, and how likely it is of a kind that is reported."""
        watch = BrokenWatch(self._places.of(watcher, plan, evidence.grid).weights, evidence.grid)
        chances = self._following.chances(evidence, plan)
        for part in pieces(self._following.tracks(evidence, plan.privacy)):
            sights = part[watch.on_it(part)]
            yield sights, chances.of(sights[:, TRACK_NUMBER], sights[:, TRACK_FRAME], dials.kinds)
