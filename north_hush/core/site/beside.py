"""Several views at one instant: from when to when any of them has footage, and where most of them do."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta

from north_hush.core.site.timeline import Timeline

Span = tuple[datetime, datetime]
_LEAST = timedelta(seconds=2)


def span_around(moment: datetime, length: timedelta, whole: Span) -> Span:
    """A stretch of some length with an instant in its middle, as far as there is any; never less than two seconds."""
    first, last = whole
    length = max(min(length, last - first), min(_LEAST, last - first))
    start = min(max(moment - length / 2, first), last - length)
    return start, start + length


def whole_span(timelines: Sequence[Timeline]) -> Span | None:
    """From the first to the last instant that any of them has; None where none has any."""
    pieces = [piece for timeline in timelines for piece in timeline.pieces]
    if not pieces:
        return None
    return min(piece.start for piece in pieces), max(piece.end for piece in pieces)


def fullest(timelines: Sequence[Timeline]) -> datetime | None:
    """The first instant at which most of them have footage; None where none has any."""
    starts = sorted({piece.start for timeline in timelines for piece in timeline.pieces})
    there = [sum(timeline.covering(start) is not None for timeline in timelines) for start in starts]
    return starts[there.index(max(there))] if starts else None


def going_on(timelines: Sequence[Timeline], moment: datetime) -> datetime | None:
    """A moment, where any of them has footage; else when the next footage begins, and None after the last."""
    if any(timeline.covering(moment) is not None for timeline in timelines):
        return moment
    return min(
        (piece.start for timeline in timelines for piece in timeline.pieces if piece.start > moment), default=None
    )
