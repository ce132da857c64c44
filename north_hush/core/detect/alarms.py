"""The alarm rule as one state machine. Replay runs it over a whole recording, live over one frame at a time.

Rules, in whole numbers (area / total against a limit in 1/100 %, so that ties are exact):

- Invalid frames count in nothing: they neither confirm nor release.
- Start when `confirm` consecutive valid frames are at or above the start level. The first of them is the onset, the
  last the start.
- End when `release` consecutive valid frames are below the clear level; the last of them is the end.
- A gap ends an alarm at the frame before it, and forgets a run that had begun.
- A frame that is not allowed (see `paths`) does not confirm; nor does one before the re-arm time after an end is over.
- An alarm that has run for the longest time is split: one ends at the frame before, the next starts at once.
- An alarm still running at the end of the footage is open.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from north_hush.core.compiled import compiled
from north_hush.core.detect.crossings import Crossing, Direction
from north_hush.core.detect.settings import PERCENT_SCALE, ZoneSettings
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.scene.items import Wire
from north_hush.core.scene.outline import Point

EndedBy = Literal["level", "gap", "open", "split", "crossed"]
ENDINGS: tuple[EndedBy, ...] = ("level", "gap", "open", "split")

_ALARM, _RUN, _ONSET, _START, _BELOW, _PEAK, _FRAME, _START_US, _ARMED_US = range(9)
STATE_SIZE = 9
PEAK_FRAMES = 256
"""The peak of a crossing is looked for in so many frames before it is sure; the live twin keeps no more."""


@dataclass(frozen=True)
class Alarm:
    """A stretch in which a zone raised its alarm, by frame numbers of the evidence, both ends included."""

    onset_frame: int
    start_frame: int
    end_frame: int
    ended_by: EndedBy
    peak_area: int
    direction: Direction | None = None
    place: Point | None = None
    """Of a crossing: which way, and where on the picture."""


def fresh_state() -> NDArray[np.int64]:
    """State of the machine before the first frame, (STATE_SIZE,) int64."""
    return np.zeros(STATE_SIZE, np.int64)


Limits = tuple[int, int, int, int, int, int]


def limits_of(settings: ZoneSettings) -> Limits:
    """Start and clear level in 1/100 %, confirm and release frames, re-arm and longest time in us, as the machine takes
    them."""
    start = max(1, round(settings.start_percent * PERCENT_SCALE))
    clear = max(1, round(settings.clear_percent * PERCENT_SCALE))
    rearm_us, longest_us = round(settings.rearm_s * US_PER_S), round(settings.longest_s * US_PER_S)
    return start, clear, settings.confirm_frames, settings.release_frames, rearm_us, longest_us


@compiled
def advance(
    state: NDArray[np.int64],
    areas: NDArray[np.int64],
    valid: NDArray[np.bool_],
    gap: NDArray[np.bool_],
    total: int,
    limits: Limits,
    allowed: NDArray[np.bool_],
    time_us: NDArray[np.int64],
) -> NDArray[np.int64]:
    """Run the machine over frames, changing `state`.

    Parameters
    ----------
    areas : (frames,) int64, changed area per frame in sixteenths of a cell
    valid, gap : (frames,) bool; `gap` marks the first frame after a gap
    total : watched area in sixteenths; 0 never alarms
    limits : see `limits_of`
    allowed : (frames,) bool; others do not confirm, whatever their level. They end nothing either.
    time_us : (frames,) int64

    Returns
    -------
    (alarms, 5) int64 of those that ended: onset, start and end frame, place in ENDINGS, peak area
    """
    start, clear, confirm, release, rearm_us, longest_us = limits
    ended = np.empty((3 * areas.size, 5), np.int64)
    count = 0
    first = state[6]
    state[6] += areas.size
    if total == 0:
        return ended[:0]
    # Held in locals: a state in memory would be read and written at every frame.
    ringing, run, onset, started, below, peak = state[0], state[1], state[2], state[3], state[4], state[5]
    start_us, armed_us = state[7], state[8]
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
        if gap[i]:
            if ringing == 1:
                ended[count, 0], ended[count, 1], ended[count, 2] = onset, started, frame - 1
                ended[count, 3], ended[count, 4] = 1, peak
                count += 1
                armed_us = time_us[i] + rearm_us
            ringing, run, below = 0, 0, 0
        if not valid[i]:
            continue
        area = areas[i]
        if ringing == 0:
            if area >= least and allowed[i] and time_us[i] >= armed_us:
                if run == 0:
                    onset, peak = frame, 0
                run += 1
                peak = max(peak, area)
                if run >= confirm:
                    ringing, started, below, start_us = 1, frame, 0, time_us[i]
            else:
                run = 0
            continue
        if time_us[i] - start_us >= longest_us:
            ended[count, 0], ended[count, 1], ended[count, 2] = onset, started, frame - 1
            ended[count, 3], ended[count, 4] = 3, peak
            count += 1
            onset, started, peak, start_us = frame, frame, 0, time_us[i]
        peak = max(peak, area)
        if area >= quiet:
            below = 0
            continue
        below += 1
        if below >= release:
            ended[count, 0], ended[count, 1], ended[count, 2] = onset, started, frame
            ended[count, 3], ended[count, 4] = 0, peak
            count += 1
            armed_us = time_us[i] + rearm_us
            ringing, run, below = 0, 0, 0
    state[0], state[1], state[2], state[3], state[4], state[5] = ringing, run, onset, started, below, peak
    state[7], state[8] = start_us, armed_us
    return ended[:count]


def alarms_of(ended: NDArray[np.int64]) -> list[Alarm]:
    """Rows of `advance` as alarms."""
    return [Alarm(int(row[0]), int(row[1]), int(row[2]), ENDINGS[row[3]], int(row[4])) for row in ended]


def open_alarm(state: NDArray[np.int64]) -> Alarm | None:
    """The alarm that runs now, as it would stand if the footage ended here."""
    if state[_ALARM] == 0:
        return None
    return Alarm(int(state[_ONSET]), int(state[_START]), int(state[_FRAME]) - 1, "open", int(state[_PEAK]))


def find_alarms(
    areas: NDArray[np.int64],
    valid: NDArray[np.bool_],
    gap: NDArray[np.bool_],
    total: int,
    settings: ZoneSettings,
    time_us: NDArray[np.int64],
    allowed: NDArray[np.bool_] | None = None,
) -> list[Alarm]:
    """Alarms of a whole recording; parameters as in `advance`, where None allows every frame."""
    state = fresh_state()
    allowed = np.ones(len(areas), bool) if allowed is None else allowed
    areas, time_us = np.ascontiguousarray(areas, np.int64), np.ascontiguousarray(time_us, np.int64)
    ended = advance(state, areas, valid, gap, total, limits_of(settings), allowed, time_us)
    running = open_alarm(state)
    return alarms_of(ended) + ([running] if running else [])


def crossing_alarms(
    crossings: list[Crossing], wire: Wire, areas: NDArray[np.int64], first_frame: int = 0
) -> list[Alarm]:
    """Crossings in a direction the wire watches, as alarms.

    Parameters
    ----------
    areas : (frames,) int64, changed area of the wire in the frames from `first_frame` on
    """
    alarms = []
    for crossing in crossings:
        if wire.watches not in (crossing.direction, "both"):
            continue
        first = max(crossing.frame, crossing.sure_frame + 1 - PEAK_FRAMES) - first_frame
        peak = int(areas[max(0, first) : crossing.sure_frame + 1 - first_frame].max(initial=0))
        frames = crossing.frame, crossing.sure_frame, crossing.sure_frame
        alarms.append(Alarm(*frames, "crossed", peak, crossing.direction, crossing.place))
    return alarms
