"""Which clips and snapshots alarms leave, as a machine that is told what happens when it happens. Replay drives it over a recording,
live over what comes.

Rules:

- A clip begins `before` seconds ahead of the alarm that opens it, and lasts to `after` seconds past the end (or the start) of the
  last alarm in it, never less than to its end. One that has begun does not begin earlier for a later alarm.
- Another alarm belongs to it when its own time before reaches within `join_s` of the clip's end.
- A clip that is longer than the longest is split; its pieces share its fate.
- When it is over it is dropped if change lasted under `drop_under_frames` in every alarm of it, or none is of a kind that counts.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from operator import itemgetter
from typing import Literal

import numpy as np

from north_hush.core.hours.spans import Spans, first_running, union
from north_hush.core.outcome.raised import Raised, first_running_of
from north_hush.core.outcome.rules import Keep

US_PER_S = 1_000_000
ClipWhy = Literal["alarm", "brief", "kind", "hours", "disk"]
WHY_WORDS: dict[ClipWhy, str] = {
    "alarm": "alarm",
    "brief": "dropped: change lasted too few frames",
    "kind": "dropped: not of a kind that is kept",
    "hours": "not kept in these hours",
    "disk": "no room on the disk",
}


@dataclass(frozen=True)
class Clip:
    """A clip by its nominal span, the end no longer inside; its file may begin a key frame earlier.

    Attributes
    ----------
    alarms : numbers of the alarms that run in it
    why : "alarm" for one that is kept, else what held it back
    """

    start_us: int
    end_us: int
    alarms: tuple[int, ...]
    why: ClipWhy = "alarm"

    @property
    def kept(self) -> bool:
        return self.why == "alarm"


@dataclass(slots=True)
class _Run:
    start_us: int
    until_us: int
    spans: list[tuple[int, int, int]] = field(default_factory=list)
    open: set[int] = field(default_factory=set)
    lasted: bool = False
    fits: bool = False


class _Rule:
    """The rule of an item in whole microseconds, worked out once."""

    __slots__ = ("after_us", "before_us", "drop_under", "from_end", "keep")

    def __init__(self, keep: Keep) -> None:
        self.keep, self.from_end, self.drop_under = keep, keep.after_from == "end", keep.drop_under_frames
        self.before_us, self.after_us = _us(keep.before), _us(keep.after)


class ClipMachine:
    """Tell it of alarms as they start and end, in order of time, and what time it is; it gives clips when they are over."""

    def __init__(self, keep_of: Callable[[str], Keep], keep: Keep, widest_before_s: float) -> None:
        self._keep_of = keep_of
        self._join_us, self._longest_us = _us(keep.join_s), _us(keep.longest_s)
        self._wait_us = _us(widest_before_s) + self._join_us
        self._run: _Run | None = None
        self._floor_us: int | None = None
        self._started: dict[int, int] = {}
        self._rules: dict[str, _Rule] = {}

    def start(self, number: int, item: str, at_us: int) -> list[Clip]:
        """An alarm started."""
        run, done = self._run, list[Clip]()
        begin = at_us - self._rule(item).before_us
        if run is not None and not run.open and begin > run.until_us + self._join_us:
            done, run = self._close(), None
        if run is None:
            begin = begin if self._floor_us is None else max(begin, self._floor_us)
            run = self._run = _Run(begin, at_us)
        run.open.add(number)
        self._started[number] = at_us
        return done

    def end(self, number: int, raised: Raised) -> None:
        """An alarm ended; only now is it known how long change lasted, and what it was."""
        run = self._run
        assert run is not None and number in run.open, "an alarm ends that did not start"
        rule = self._rule(raised.item)
        started, ended = self._started.pop(number), raised.end_us
        run.open.discard(number)
        run.spans.append((started, ended, number))
        run.until_us = max(run.until_us, (ended if rule.from_end else started) + rule.after_us, ended + 1)
        if not run.lasted and rule.keep.hold(raised.kind, raised.sure):
            run.fits = True
            run.lasted = raised.changed_frames >= rule.drop_under

    def now(self, at_us: int) -> list[Clip]:
        """What is over at an instant: no alarm that comes can belong to it any more."""
        over = self._run is not None and not self._run.open and at_us > self._run.until_us + self._wait_us
        return self._close() if over else []

    def finish(self) -> list[Clip]:
        """The footage ends; every alarm has ended before."""
        return self._close() if self._run is not None else []

    def _rule(self, item: str) -> _Rule:
        rule = self._rules.get(item)
        if rule is None:
            rule = self._rules[item] = _Rule(self._keep_of(item))
        return rule

    def _close(self) -> list[Clip]:
        run, self._run = self._run, None
        assert run is not None
        self._floor_us = run.until_us
        why: ClipWhy = "alarm" if run.lasted else "brief" if run.fits else "kind"
        spans = run.spans if len(run.spans) == 1 else sorted(run.spans)
        if run.until_us - run.start_us <= self._longest_us:
            return [Clip(run.start_us, run.until_us, tuple(number for _, _, number in spans), why)]
        pieces, begin = list[Clip](), run.start_us
        while begin < run.until_us:
            end = min(begin + self._longest_us, run.until_us)
            inside = tuple(number for start, last, number in spans if start < end and last >= begin)
            pieces.append(Clip(begin, end, inside, why))
            begin = end
        return pieces


def clips_of(
    alarms: Sequence[Raised],
    keep_of: Callable[[str], Keep],
    keep: Keep,
    footage: tuple[int, int],
    kept: Mapping[str, Spans],
) -> list[Clip]:
    """All clips of some footage, in order of time.

    Parameters
    ----------
    alarms : in any order; a clip names them by their places
    keep : the view's rule, for joining and the longest clip; `keep_of` gives that of an item
    footage : from when to when there is any, the end no longer inside
    kept : by item, when footage is kept for it. An alarm that never runs in them opens no clip and is in none.
    """
    if keep.how == "never":
        return []
    begins = first_running_of(alarms, kept)
    widest = max((keep_of(item).before for item in {held.item for held in alarms}), default=0.0)
    machine = ClipMachine(keep_of, keep, widest)
    found: list[Clip] = []
    for at_us, ends, number in _events(alarms):
        held = alarms[number]
        if begins[number] < 0:
            if not ends:
                rule = keep_of(held.item)
                found.append(Clip(at_us - _us(rule.before), held.end_us + _us(rule.after), (number,), "hours"))
        elif ends:
            machine.end(number, held)
        else:
            found += machine.start(number, held.item, at_us)
    found += machine.finish()
    hours = union(kept.values()).tolist()
    cut = [piece for clip in found for piece in _in_hours(clip, footage, hours)]
    return sorted(cut, key=lambda clip: (clip.start_us, clip.end_us))


def _events(alarms: Sequence[Raised]) -> Iterable[tuple[int, bool, int]]:
    """Starts and ends by time; at one instant what starts comes first, so that alarms that touch are one run."""
    events = [(held.start_us, False, number) for number, held in enumerate(alarms)]
    events += [(held.end_us, True, number) for number, held in enumerate(alarms)]
    return sorted(events)


def _in_hours(clip: Clip, footage: tuple[int, int], hours: list[list[int]]) -> list[Clip]:
    """A clip as far as there is footage, and as far as that is kept then."""
    start, end = max(clip.start_us, footage[0]), min(clip.end_us, footage[1])
    if end <= start:
        return []
    same = (start, end) == (clip.start_us, clip.end_us)
    cut = clip if same else replace(clip, start_us=start, end_us=end)
    if not clip.kept:
        return [cut]
    place = bisect_right(hours, start, key=itemgetter(1))
    parts = []
    while place < len(hours) and hours[place][0] < end:
        first, last = max(start, hours[place][0]), min(end, hours[place][1])
        parts.append(cut if (first, last) == (start, end) else replace(cut, start_us=first, end_us=last))
        place += 1
    return parts or [replace(cut, why="hours")]


def _us(seconds: float) -> int:
    return round(seconds * US_PER_S)


@dataclass(frozen=True)
class Snapshot:
    """A picture kept while an alarm lasts."""

    at_us: int
    alarm: int


def snapshots_of(alarms: Sequence[Raised], keep_of: Callable[[str], Keep], kept: Mapping[str, Spans]) -> list[Snapshot]:
    """Pictures while alarms last: one at the start, then one every so many seconds, at most so many; in hours in which footage is
    kept, of alarms that count."""
    places: list[tuple[int, int]] = []
    for number, held in enumerate(alarms):
        keep = keep_of(held.item)
        step = _us(keep.snapshot_every_s)
        if step and keep.hold(held.kind, held.sure):
            last = min(held.end_us, held.start_us + step * (keep.snapshots_most - 1))
            places += [(at, number) for at in range(held.start_us, last + 1, step)]
    places.sort()
    held_in = {
        item: _inside(spans, [at for at, number in places if alarms[number].item == item])
        for item, spans in kept.items()
    }
    return [Snapshot(at, number) for at, number in places if at in held_in[alarms[number].item]]


def _inside(spans: Spans, times_us: list[int]) -> set[int]:
    at = np.array(times_us, np.int64)
    return set(at[first_running(spans, at, at) >= 0].tolist())
