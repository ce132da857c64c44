"""The alarm rule as one state machine. Replay runs it over a whole recording, live over one frame at a time.

Rules, in whole numbers (area / total against a limit in 1/100 %, so that ties are exact):

- Invalid frames count in nothing: they neither confirm nor release.
- Start when `confirm` consecutive valid frames are at or above the start level. The first of them is the onset, the
  last the start.
- End when `release` consecutive valid frames are below the clear level; the last of them is the end.
- A gap ends an alarm at the frame before it, and forgets a run that had begun.
- A frame that is not allowed does not confirm; nor does one before the re-arm time after an end is over. That time is
  counted from the alarm's last frame, also when a gap ended it.
- Of visits, frames in which nobody who counts is there release, instead of those below the clear level. Somebody else comes while one
  runs, and the re-arm time since its start is over: it ends at the frame before, and the next starts. Not while the level counts as
  nothing.
- An alarm that has run for the longest time is split: it ends at the frame before, and the next starts with the first
  frame that is not below the clear level. Where none comes before the release is over, there is no next.
- An alarm still running at the end of the footage is open.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from north_hush.core.compiled import compiled
from north_hush.core.detect.settings import PERCENT_SCALE, ZoneSettings
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.scene.items import Direction
from north_hush.core.scene.outline import Point

EndedBy = Literal["level", "gap", "open", "split", "next", "crossed"]
ENDINGS: tuple[EndedBy, ...] = ("level", "gap", "open", "split", "next")
_BY_LEVEL, _BY_GAP, _BY_SPLIT, _BY_NEXT = 0, 1, 3, 4

REFUSED, ALLOWED, COMES, STAYS = range(4)
"""What a frame is: one that may not confirm; one that may; one in which somebody else comes besides; and one that may not, but in
which who came is still there."""

RINGING, RUN, BELOW, PEAK, FRAMES, ARMED_US, LAST_US = range(7)
"""State: 0 quiet, 1 in alarm, 2 between the pieces of a split one; frames in a row that confirm, and that are below the
clear level; peak area; frames taken; when it is armed again; time of the last frame."""
ONSET, START, ONSET_US, START_US = range(7, 11)
"""State, of the alarm that runs or may begin: frame numbers and times."""
STATE_SIZE = 11

ROW_ONSET, ROW_START, ROW_END, ROW_ENDING, ROW_PEAK, ROW_ONSET_US, ROW_START_US, ROW_END_US = range(8)
"""Columns of an ended alarm."""
ROW_SIZE = 8


@dataclass(frozen=True)
class Alarm:
    """A stretch in which a zone raised its alarm, by frame numbers of the evidence and by time, both ends included.

    Times are microseconds after the first frame of the recording; they hold whatever frames were dropped.
    """

    onset_frame: int
    start_frame: int
    end_frame: int
    ended_by: EndedBy
    peak_area: int
    onset_us: int
    start_us: int
    end_us: int
    direction: Direction | None = None
    place: Point | None = None
    """Of a crossing: which way, and where on the picture."""
    sure: float | None = None
    """How sure a crossing is, 0 to 1."""
    track: int | None = None
    """The track that crossed."""

    @property
    def marked_frame(self) -> int:
        """Where a print marks it: when the line was passed, or when a level confirmed."""
        return self.start_frame if self.direction is None else self.onset_frame

    @property
    def onset_s(self) -> float:
        return self.onset_us / US_PER_S

    @property
    def start_s(self) -> float:
        return self.start_us / US_PER_S

    @property
    def end_s(self) -> float:
        return self.end_us / US_PER_S


def fresh_state() -> NDArray[np.int64]:
    """State of the machine before the first frame, (STATE_SIZE,) int64."""
    return np.zeros(STATE_SIZE, np.int64)


Limits = tuple[int, int, int, int, int, int, bool]


def limits_of(settings: ZoneSettings, *, visits: bool = False) -> Limits:
    """Start and clear level in 1/100 %, confirm and release frames, re-arm and longest time in us, as the machine takes
    them, and whether it is a visit that lasts."""
    start = max(1, round(settings.start_percent * PERCENT_SCALE))
    clear = max(1, round(settings.clear_percent * PERCENT_SCALE))
    rearm_us, longest_us = round(settings.rearm_s * US_PER_S), round(settings.longest_s * US_PER_S)
    return start, clear, settings.confirm_frames, settings.release_frames, rearm_us, longest_us, visits


@compiled
def advance(
    state: NDArray[np.int64],
    areas: NDArray[np.int64],
    valid: NDArray[np.bool_],
    gap: NDArray[np.bool_],
    total: int,
    limits: Limits,
    allowed: NDArray[np.uint8],
    time_us: NDArray[np.int64],
) -> NDArray[np.int64]:
    """Run the machine over frames, changing `state`.

    Parameters
    ----------
    areas : (frames,) int64, changed area per frame in sixteenths of a cell
    valid, gap : (frames,) bool; `gap` marks the first frame after a gap
    total : watched area in sixteenths; 0 never alarms
    limits : see `limits_of`
    allowed : (frames,) uint8, see `STAYS`; what may not confirm does not, whatever its level, and ends nothing either, but a visit
    time_us : (frames,) int64

    Returns
    -------
    (alarms, ROW_SIZE) int64 of those that ended
    """
    start, clear, confirm, release, rearm_us, longest_us, visits = limits
    ended = np.empty((3 * areas.size, ROW_SIZE), np.int64)
    count = 0
    first = state[FRAMES]
    state[FRAMES] += areas.size
    if areas.size == 0:
        return ended[:0]
    if total == 0:
        state[LAST_US] = time_us[-1]
        return ended[:0]
    # Held in locals: a state in memory would be read and written at every frame.
    ringing, run, below, peak = state[RINGING], state[RUN], state[BELOW], state[PEAK]
    armed_us, onset, started = state[ARMED_US], state[ONSET], state[START]
    onset_us, start_us = state[ONSET_US], state[START_US]
    least, quiet = -(-start * total // 10_000), -(-clear * total // 10_000)
    i = -1
    while True:
        i += 1
        if ringing == 0 and run == 0:  # while nothing happens a frame below the start level changes nothing, gap or not
            while i < areas.size and areas[i] < least:
                i += 1
        if i >= areas.size:
            break
        frame = first + i
        before_us = time_us[i - 1] if i > 0 else state[LAST_US]
        if gap[i]:
            if ringing == 1:
                ended[count, ROW_ONSET], ended[count, ROW_START], ended[count, ROW_END] = onset, started, frame - 1
                ended[count, ROW_ENDING], ended[count, ROW_PEAK] = _BY_GAP, peak
                ended[count, ROW_ONSET_US], ended[count, ROW_START_US], ended[count, ROW_END_US] = (
                    onset_us,
                    start_us,
                    before_us,
                )
                count += 1
                armed_us = before_us + rearm_us
            ringing, run, below = 0, 0, 0
        if not valid[i]:
            continue
        area = areas[i]
        if ringing == 0:
            if area >= least and REFUSED < allowed[i] < STAYS and time_us[i] >= armed_us:
                if run == 0:
                    onset, peak, onset_us = frame, 0, time_us[i]
                run += 1
                peak = max(peak, area)
                if run >= confirm:
                    ringing, started, below, start_us = 1, frame, 0, time_us[i]
            else:
                run = 0
            continue
        lasts = allowed[i] != REFUSED if visits else area >= quiet
        lasts_us = time_us[i] - start_us
        comes = allowed[i] == COMES and area > 0 and lasts_us > 0 and lasts_us >= rearm_us
        if ringing == 1 and (lasts_us >= longest_us or comes):
            ended[count, ROW_ONSET], ended[count, ROW_START], ended[count, ROW_END] = onset, started, frame - 1
            ended[count, ROW_ENDING], ended[count, ROW_PEAK] = (_BY_NEXT if comes else _BY_SPLIT), peak
            ended[count, ROW_ONSET_US], ended[count, ROW_START_US], ended[count, ROW_END_US] = (
                onset_us,
                start_us,
                before_us,
            )
            count += 1
            ringing = 2
        if lasts:
            if ringing == 2:
                ringing, onset, started, peak = 1, frame, frame, 0
                onset_us = start_us = time_us[i]
            below = 0
            peak = max(peak, area)
            continue
        peak = max(peak, area)
        below += 1
        if below >= release:
            if ringing == 1:
                ended[count, ROW_ONSET], ended[count, ROW_START], ended[count, ROW_END] = onset, started, frame
                ended[count, ROW_ENDING], ended[count, ROW_PEAK] = _BY_LEVEL, peak
                ended[count, ROW_ONSET_US], ended[count, ROW_START_US], ended[count, ROW_END_US] = (
                    onset_us,
                    start_us,
                    time_us[i],
                )
                count += 1
            armed_us = time_us[i] + rearm_us
            ringing, run, below = 0, 0, 0
    state[RINGING], state[RUN], state[BELOW], state[PEAK] = ringing, run, below, peak
    state[ARMED_US], state[ONSET], state[START] = armed_us, onset, started
    state[ONSET_US], state[START_US], state[LAST_US] = onset_us, start_us, time_us[-1]
    return ended[:count]


def alarms_of(ended: NDArray[np.int64]) -> list[Alarm]:
    """Rows of `advance` as alarms."""
    return [
        Alarm(onset, start, end, ENDINGS[ending], peak, onset_us, start_us, end_us)
        for onset, start, end, ending, peak, onset_us, start_us, end_us in ended.tolist()
    ]


def open_alarm(state: NDArray[np.int64]) -> Alarm | None:
    """The alarm that runs now, as it would stand if the footage ended here."""
    if state[RINGING] != 1:
        return None
    held = state.tolist()
    return Alarm(
        held[ONSET], held[START], held[FRAMES] - 1, "open", held[PEAK], held[ONSET_US], held[START_US], held[LAST_US]
    )


@dataclass(frozen=True, eq=False)
class Part:
    """Frames in a row under one set of dials: changed area, which of them count, and which may confirm, see `advance`."""

    areas: NDArray[np.int64]
    valid: NDArray[np.bool_]
    allowed: NDArray[np.uint8]
    settings: ZoneSettings
    visits: bool = False

    def between(self, first: int, after: int) -> Part:
        """Some of its frames alone."""
        held = slice(first, after)
        return Part(self.areas[held], self.valid[held], self.allowed[held], self.settings, self.visits)


def find_alarms(
    areas: NDArray[np.int64],
    valid: NDArray[np.bool_],
    gap: NDArray[np.bool_],
    total: int,
    settings: ZoneSettings,
    time_us: NDArray[np.int64],
    allowed: NDArray[np.uint8] | None = None,
) -> list[Alarm]:
    """Alarms of a whole recording; parameters as in `advance`, where None allows every frame."""
    allowed = np.full(len(areas), ALLOWED, np.uint8) if allowed is None else allowed
    return switched_alarms([Part(areas, valid, allowed, settings)], gap, total, time_us)


def switched_alarms(
    parts: Sequence[Part], gap: NDArray[np.bool_], total: int, time_us: NDArray[np.int64]
) -> list[Alarm]:
    """Alarms of a whole recording, part by part. Where the dials change confirmation begins anew, and an alarm that runs goes on."""
    state, found, first = fresh_state(), list[Alarm](), 0
    for part in parts:
        state[RUN] = 0
        after = first + len(part.areas)
        areas, times = np.ascontiguousarray(part.areas, np.int64), np.ascontiguousarray(time_us[first:after], np.int64)
        valid, gaps = (np.ascontiguousarray(held) for held in (part.valid, gap[first:after]))
        allowed = np.ascontiguousarray(part.allowed, np.uint8)
        found += alarms_of(
            advance(state, areas, valid, gaps, total, limits_of(part.settings, visits=part.visits), allowed, times)
        )
        first = after
    running = open_alarm(state)
    return [*found, running] if running else found
