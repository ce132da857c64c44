"""Who is told when, as a machine that is told what happens when it happens.

Rules, for each telling by itself:

- An alarm is told when it starts, or when the hours of notifying begin while it runs; where kinds or certainty limit what is told,
  when it ends, since they are known only then.
- Within the interval after a message nothing is sent. What comes meanwhile is told together when the interval is over (it was
  raised while people were to be told, so it is told though the hours may have ended), or is held back where nothing is collected.
- A message that nobody answers is told to the next way after its seconds. A replay takes it that nobody answers.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Mapping, Sequence
from operator import itemgetter
from typing import Literal, NamedTuple

from north_hush.core.hours.spans import Spans
from north_hush.core.outcome.clips import US_PER_S
from north_hush.core.outcome.raised import Raised, first_running_of
from north_hush.core.outcome.rules import Tell

NoticeWhy = Literal["told", "collected", "unanswered", "interval", "hours", "kind"]
SENT: frozenset[NoticeWhy] = frozenset({"told", "collected", "unanswered"})


class Notice(NamedTuple):
    """A message, or one that was held back. A tuple, since a replay makes thousands.

    Attributes
    ----------
    telling : place of the rule it comes from
    alarms : numbers of the alarms it tells of
    why : how it came to be sent, or what held it back
    """

    at_us: int
    telling: int
    way: str
    alarms: tuple[int, ...]
    why: NoticeWhy

    @property
    def sent(self) -> bool:
        return self.why in SENT


class Teller:
    """One telling: tell it of alarms in order of time; it gives messages when they are due."""

    def __init__(self, place: int, tell: Tell) -> None:
        self._place, self.tell = place, tell
        self._every_us = round(tell.every_s * US_PER_S)
        self._last_us: int | None = None
        self._waiting: list[int] = []

    def alarm(self, number: int, at_us: int) -> list[Notice]:
        """An alarm is to be told at an instant."""
        done = self.now(at_us)
        if self._last_us is None or at_us - self._last_us >= self._every_us:
            return [*done, *self.sent(at_us, (number,), "told")]
        if self.tell.collect:
            self._waiting.append(number)
            return done
        return [*done, Notice(at_us, self._place, self.tell.way, (number,), "interval")]

    def now(self, at_us: int) -> list[Notice]:
        """What was due by an instant."""
        due = self.due_us
        if due is None or due > at_us:
            return []
        waiting, self._waiting = tuple(self._waiting), []
        return self.sent(due, waiting, "collected")

    @property
    def due_us(self) -> int | None:
        """When what is collected goes out; None while nothing is."""
        return self._last_us + self._every_us if self._waiting and self._last_us is not None else None

    def finish(self) -> list[Notice]:
        """What is still collected goes out when its time comes."""
        due = self.due_us
        return [] if due is None else self.now(due)

    def coming(self) -> list[Notice]:
        """What goes out when the interval is over, as far as it is known by now."""
        due = self.due_us
        return [] if due is None else self._chain(due, tuple(self._waiting), "collected")

    def sent(self, at_us: int, alarms: tuple[int, ...], why: NoticeWhy) -> list[Notice]:
        """A message goes out, and those of its chain after it."""
        self._last_us = at_us
        return self._chain(at_us, alarms, why)

    def _chain(self, at_us: int, alarms: tuple[int, ...], why: NoticeWhy) -> list[Notice]:
        first = Notice(at_us, self._place, self.tell.way, alarms, why)
        step = round(self.tell.unanswered_s * US_PER_S)
        chain = enumerate(self.tell.then, start=1)
        return [first, *(Notice(at_us + turn * step, self._place, way, alarms, "unanswered") for turn, way in chain)]


def notices_of(alarms: Sequence[Raised], tellings: Sequence[Tell], notifying: Mapping[str, Spans]) -> list[Notice]:
    """All messages that alarms lead to, and those that were held back, in order of time.

    Parameters
    ----------
    notifying : by item, when people are told of it
    """
    found: list[Notice] = []
    begins = first_running_of(alarms, notifying) if tellings and alarms else []
    for place, tell in enumerate(tellings):
        queue: list[tuple[int, int]] = []
        plain, items = tell.plain, set(tell.items)
        for number, begin_us in enumerate(begins):
            held = alarms[number]
            if items and held.item not in items:
                continue
            if begin_us < 0:
                found.append(Notice(held.start_us, place, tell.way, (number,), "hours"))
            elif plain:
                queue.append((begin_us, number))
            elif tell.hold(held.kind, held.sure):
                queue.append((held.end_us, number))
            else:
                found.append(Notice(held.end_us, place, tell.way, (number,), "kind"))
        queue.sort()
        found += _told(place, tell, queue) if tell.every_s else _by_teller(place, tell, queue)
    return sorted(found, key=itemgetter(0, 1, 3))  # by when, rule and alarms


def _by_teller(place: int, tell: Tell, queue: Sequence[tuple[int, int]]) -> list[Notice]:
    """What `Teller` gives for alarms in order of time."""
    teller, found = Teller(place, tell), list[Notice]()
    for at_us, number in queue:
        found += teller.alarm(number, at_us)
    return found + teller.finish()


def _told(place: int, tell: Tell, queue: Sequence[tuple[int, int]]) -> list[Notice]:
    """The same, from message to message instead of from alarm to alarm. A test holds the two to be equal."""
    found: list[Notice] = []
    times, numbers = [at for at, _ in queue], [number for _, number in queue]
    every_us, teller = round(tell.every_s * US_PER_S), Teller(place, tell)
    first = 0
    while first < len(times):
        found += teller.sent(times[first], (numbers[first],), "told")
        first, due = first + 1, times[first] + every_us
        while first < len(times) and times[first] < due:
            after = bisect_left(times, due, first)
            held = numbers[first:after]
            if tell.collect:
                found += teller.sent(due, tuple(held), "collected")
                due += every_us
            else:
                found += [
                    Notice(times[first + k], place, tell.way, (number,), "interval") for k, number in enumerate(held)
                ]
            first = after
    return found


def longest_untold_us(alarms: Sequence[Raised], notices: Sequence[Notice]) -> int:
    """The longest that anything which was to be told waited for its message: from the start of an alarm to the first message that was
    sent at or after it. An alarm that no message followed counts for nothing here: it is among those held back."""
    sent = sorted(notice.at_us for notice in notices if notice.sent and notice.why != "unanswered")
    worst, place = 0, 0
    told = sorted({number for notice in notices if notice.why not in ("hours", "kind") for number in notice.alarms})
    for start in sorted(alarms[number].start_us for number in told):
        while place < len(sent) and sent[place] < start:
            place += 1
        if place < len(sent):
            worst = max(worst, sent[place] - start)
    return worst
