"""Which clips and snapshots alarms leave: all at once for a replay, and as a machine that is told what happens when it happens for what
comes live.

Rules:

- A clip begins `before` seconds ahead of the alarm that opens it, and lasts to `after` seconds past the end (or the start) of the
  last alarm in it, never less than to its end. One that has begun does not begin earlier for a later alarm.
- Another alarm belongs to it when its own time before reaches within `join_s` of the clip's end.
- A clip that is longer than the longest is split; its pieces share its fate.
- When it is over it is dropped if change lasted under `drop_under_frames` in every alarm of it, or none is of a kind that counts.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from operator import itemgetter
from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from north_hush.core.hours.spans import Spans, first_running, union
from north_hush.core.outcome.raised import Raised, first_running_of
from north_hush.core.outcome.rules import Keep
from north_hush.core.words import tr

US_PER_S = 1_000_000
ClipWhy = Literal["alarm", "brief", "kind", "hours"]
WHY_WORDS: dict[ClipWhy, str] = {
    "alarm": "alarm",
    "brief": tr("dropped: change lasted too few frames"),
    "kind": tr("dropped: not of a kind that is kept"),
    "hours": tr("not kept in these hours"),
}


class Clip(NamedTuple):
    """A clip by its nominal span, the end no longer inside; its file may begin a key frame earlier. A tuple, since a replay makes
    thousands.

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
        assert run is not None and number in run.open, tr("an alarm ends that did not start")
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
    opening: Mapping[str, Spans] | None = None,
) -> list[Clip]:
    """All clips of some footage, in order of time.

    Parameters
    ----------
    alarms : in any order; a clip names them by their places
    keep : the view's rule, for joining and the longest clip; `keep_of` gives that of an item
    footage : from when to when there is any, the end no longer inside
    kept : by item, when footage is kept for it. An alarm that never runs in them opens no clip and is in none.
    opening : by item, when its alarms may open clips, where that is less; one counts from its first instant then
    """
    if keep.how == "never" or not alarms:
        return []
    rules = {item: _Rule(keep_of(item)) for item in {held.item for held in alarms}}
    begins = np.array(first_running_of(alarms, kept if opening is None else opening))
    if opening is not None:
        later = zip(alarms, begins.tolist(), strict=True)
        alarms = [replace(held, start_us=at) if at > held.start_us else held for held, at in later]
    found = _runs(alarms, np.flatnonzero(begins >= 0), rules, _us(keep.join_s), _us(keep.longest_s))
    for number in np.flatnonzero(begins < 0).tolist():
        held = alarms[number]
        rule = rules[held.item]
        found.append(Clip(held.start_us - rule.before_us, held.end_us + rule.after_us, (number,), "hours"))
    hours = union(kept.values()).tolist()
    first, after = footage
    if len(hours) == 1:  # most often: nothing to cut but at the ends
        first, after = max(first, hours[0][0]), min(after, hours[0][1])
    cut: list[Clip] = []
    if len(hours) == 1:
        if (
            found
            and len(begins) == np.count_nonzero(begins >= 0)
            and first <= found[0].start_us
            and found[-1].end_us <= after
        ):
            return found  # runs come in order, each over before the next one begins
        whole, over = list[Clip](), list[Clip]()
        for clip in found:
            (whole if first <= clip.start_us and clip.end_us <= after else over).append(clip)
        cut, found = whole, over
    for clip in found:
        cut += _in_hours(clip, footage, hours)
    return sorted(cut, key=itemgetter(0, 1))  # by start and end


def _runs(
    alarms: Sequence[Raised], numbers: NDArray[np.int64], rules: Mapping[str, _Rule], join_us: int, longest_us: int
) -> list[Clip]:
    """What `ClipMachine` gives for some alarms, all at once: a run ends where the time before the next alarm begins later than the join
    after the latest end until then. A test holds the two to be equal."""
    if not len(numbers):
        return []
    rows = [alarms[number] for number in numbers.tolist()]
    places = {item: place for place, item in enumerate(rules)}
    own, each = np.zeros(len(rows), np.int64), list(rules.values())
    if len(each) > 1:
        own = np.array([places[held.item] for held in rows])
    starts, ends = np.array([held.start_us for held in rows]), np.array([held.end_us for held in rows])
    before, after_us = (np.array([getattr(rule, name) for rule in each])[own] for name in ("before_us", "after_us"))
    from_end = np.array([rule.from_end for rule in each])[own]
    until = np.maximum(np.where(from_end, ends, starts) + after_us, ends + 1)
    fits = np.ones(len(rows), bool)
    if not all(rule.keep.plain for rule in each):
        fits = np.array([rules[held.item].keep.hold(held.kind, held.sure) for held in rows])
    drop_under = np.array([rule.drop_under for rule in each])[own]
    lasted = fits & (np.array([held.changed_frames for held in rows]) >= drop_under)
    order = np.lexsort((numbers, ends, starts))
    starts, until, numbers = starts[order], until[order], numbers[order]
    fits, lasted = fits[order], lasted[order]
    begin, reach, last = starts - before[order], np.maximum.accumulate(until), ends[order]
    first = np.concatenate([[0], np.flatnonzero(begin[1:] > reach[:-1] + join_us) + 1])
    after = np.append(first[1:], len(starts))
    run_ends = reach[after - 1]
    run_starts = np.maximum(begin[first], np.concatenate([[begin[0]], run_ends[:-1]]))
    kept, fit = (np.logical_or.reduceat(held, first).tolist() for held in (lasted, fits))
    found, in_order, starts_us, last_us = list[Clip](), numbers.tolist(), starts.tolist(), last.tolist()
    edges = zip(run_starts.tolist(), run_ends.tolist(), first.tolist(), after.tolist(), kept, fit, strict=True)
    made = tuple.__new__  # a third of the time is making clips; this is what their own `_make` does
    for start, end, low, high, is_kept, is_fit in edges:
        why: ClipWhy = "alarm" if is_kept else "brief" if is_fit else "kind"
        if end - start <= longest_us:
            found.append(made(Clip, (start, end, tuple(in_order[low:high]), why)))
            continue
        spans = list(zip(in_order[low:high], starts_us[low:high], last_us[low:high], strict=True))
        for piece in range(start, end, longest_us):
            close = min(piece + longest_us, end)
            inside = tuple(number for number, began, over in spans if began < close and over >= piece)
            found.append(Clip(piece, close, inside, why))
    return found


def _in_hours(clip: Clip, footage: tuple[int, int], hours: list[list[int]]) -> list[Clip]:
    """A clip as far as there is footage, and as far as that is kept then."""
    start, end = max(clip.start_us, footage[0]), min(clip.end_us, footage[1])
    if end <= start:
        return []
    same = (start, end) == (clip.start_us, clip.end_us)
    cut = clip if same else clip._replace(start_us=start, end_us=end)
    if not clip.kept:
        return [cut]
    place = bisect_right(hours, start, key=itemgetter(1))
    parts = []
    while place < len(hours) and hours[place][0] < end:
        first, last = max(start, hours[place][0]), min(end, hours[place][1])
        parts.append(cut if (first, last) == (start, end) else cut._replace(start_us=first, end_us=last))
        place += 1
    return parts or [cut._replace(why="hours")]


def _us(seconds: float) -> int:
    return round(seconds * US_PER_S)


class Snapshot(NamedTuple):
    """A picture kept while an alarm lasts."""

    at_us: int
    alarm: int


def snapshots_of(alarms: Sequence[Raised], keep_of: Callable[[str], Keep], kept: Mapping[str, Spans]) -> list[Snapshot]:
    """Pictures while alarms last: one at the start, then one every so many seconds, at most so many; in hours in which footage is
    kept, of alarms that count."""
    places: list[tuple[int, int]] = []
    rules = {item: keep_of(item) for item in {held.item for held in alarms}}
    steps = {item: _us(keep.snapshot_every_s) for item, keep in rules.items()}
    for number, held in enumerate(alarms if any(steps.values()) else ()):
        keep, step = rules[held.item], steps[held.item]
        if step and keep.hold(held.kind, held.sure):
            last = min(held.end_us, held.start_us + step * (keep.snapshots_most - 1))
            places += [(at, number) for at in range(held.start_us, last + 1, step)]
    places.sort()
    if places and all(_covers(kept[item], places[0][0], places[-1][0]) for item in rules):  # most often
        return list(map(Snapshot._make, places))
    held_in = {
        item: _inside(spans, [at for at, number in places if alarms[number].item == item])
        for item, spans in kept.items()
    }
    return [Snapshot(at, number) for at, number in places if at in held_in[alarms[number].item]]


def _covers(spans: Spans, first_us: int, last_us: int) -> bool:
    """Whether a set is one span with both instants in it."""
    return len(spans) == 1 and bool(spans[0, 0] <= first_us and last_us < spans[0, 1])


def _inside(spans: Spans, times_us: list[int]) -> set[int]:
    at = np.array(times_us, np.int64)
    return set(at[first_running(spans, at, at) >= 0].tolist())
