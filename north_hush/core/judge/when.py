"""Alarms by hour of the day and by day, from when their recordings were taken."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from north_hush.core.judge.matching import Span
from north_hush.core.judge.score import Worth

HOURS = 24


@dataclass(frozen=True)
class Bar:
    """Alarms of one hour of the day, or of one day.

    Attributes
    ----------
    label : "14" for the hour that begins at two, or a date as 2026-11-23
    footage_s : footage that falls into it; a bar without footage says nothing of its hour
    """

    label: str
    real: int = 0
    nuisance: int = 0
    unjudged: int = 0
    footage_s: float = 0.0

    @property
    def alarms(self) -> int:
        """All but the unsure ones."""
        return self.real + self.nuisance + self.unjudged


@dataclass(frozen=True)
class Taken:
    """A recording's alarms with what each is worth, and when it was taken."""

    at: datetime
    duration_s: float
    alarms: Sequence[tuple[Span, Worth]]


def by_hour(recordings: Iterable[Taken]) -> list[Bar]:
    """A bar for each hour of the day, whatever the day."""
    return _bars(recordings, lambda moment: f"{moment.hour:02d}", [f"{hour:02d}" for hour in range(HOURS)])


def by_day(recordings: Iterable[Taken]) -> list[Bar]:
    """A bar for each day that has footage."""
    return _bars(recordings, lambda moment: f"{moment:%Y-%m-%d}", [])


def _bars(recordings: Iterable[Taken], label_of: Callable[[datetime], str], labels: list[str]) -> list[Bar]:
    counts: dict[str, dict[str, float]] = {label: {} for label in labels}

    def add(moment: datetime, what: str, amount: float) -> None:
        held = counts.setdefault(label_of(moment), {})
        held[what] = held.get(what, 0) + amount

    for recording in recordings:
        for moment, length_s in _pieces(recording.at, recording.duration_s):
            add(moment, "footage_s", length_s)
        for span, worth in recording.alarms:
            if worth != "unsure":
                what = {"real": "real", "nuisance": "nuisance", "not judged": "unjudged"}[worth]
                add(recording.at + timedelta(seconds=span.start_s), what, 1)
    return [
        Bar(
            label,
            int(held.get("real", 0)),
            int(held.get("nuisance", 0)),
            int(held.get("unjudged", 0)),
            round(held.get("footage_s", 0.0), 6),
        )
        for label, held in sorted(counts.items())
    ]


def _pieces(at: datetime, duration_s: float) -> Iterator[tuple[datetime, float]]:
    """A stretch of time cut at full hours."""
    moment, left_s = at, duration_s
    while left_s > 0:
        next_hour = moment.replace(minute=0, second=0, microsecond=0) + timedelta(hours=1)
        length_s = min(left_s, (next_hour - moment).total_seconds())
        yield moment, length_s
        moment, left_s = next_hour, left_s - length_s
