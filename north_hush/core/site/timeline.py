"""Recordings of a view on one time line: in order, with the gaps between them and where they overlap."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from itertools import pairwise
from zoneinfo import ZoneInfo

from north_hush.core.site.recording import Recording

TOUCH_S = 2.0
"""Recordings this near to each other touch: a recorder needs a moment for the next file."""
_LOOKED_BACK = 8
"""So many recordings may lie beside each other, as of several streams."""


@dataclass(frozen=True)
class Piece:
    """A recording on the line, in UTC."""

    recording: str
    start: datetime
    end: datetime


@dataclass(frozen=True)
class Timeline:
    """Pieces in order of time.

    Attributes
    ----------
    undated : ids of recordings of which nobody knows when they were
    gaps : ends and starts of pieces between which nothing is
    overlaps : ids of two recordings, and for how many seconds both are there
    """

    pieces: tuple[Piece, ...]
    undated: tuple[str, ...]
    gaps: tuple[tuple[datetime, datetime], ...]
    overlaps: tuple[tuple[str, str, float], ...]

    def days(self, zone: ZoneInfo) -> list[date]:
        """Every local day from the first to the last on which anything is."""
        if not self.pieces:
            return []
        first = self.pieces[0].start.astimezone(zone).date()
        last = max(piece.end for piece in self.pieces).astimezone(zone).date()
        return [first + timedelta(days=number) for number in range((last - first).days + 1)]

    def at(self, moment: datetime) -> Piece | None:
        """The piece at a moment, else the next one after it, else the last."""
        for piece in self.pieces:
            if moment < piece.end:
                return piece
        return self.pieces[-1] if self.pieces else None

    def covering(self, moment: datetime) -> Piece | None:
        """The piece that is there at a moment; of several the one that began last."""
        return max((piece for piece in self.pieces if piece.start <= moment < piece.end), key=_start, default=None)

    def after(self, recording: str) -> Piece | None:
        """The piece that follows on one, where they touch."""
        places = {piece.recording: place for place, piece in enumerate(self.pieces)}
        place = places.get(recording)
        if place is None or place + 1 == len(self.pieces):
            return None
        following = self.pieces[place + 1]
        apart_s = (following.start - self.pieces[place].end).total_seconds()
        return following if abs(apart_s) <= TOUCH_S else None


def _start(piece: Piece) -> datetime:
    return piece.start


def timeline_of(recordings: Iterable[Recording]) -> Timeline:
    """Put recordings on one line, by when they were taken as typed, else as they said when they came in."""
    pieces, undated = list[Piece](), list[str]()
    for held in recordings:
        began = _began(held)
        if began is None:
            undated.append(held.id)
            continue
        pieces.append(Piece(held.id, began, began + timedelta(seconds=held.length_s or 0.0)))
    pieces.sort(key=lambda piece: (piece.start, piece.end, piece.recording))
    gaps, overlaps = list[tuple[datetime, datetime]](), list[tuple[str, str, float]]()
    latest: Piece | None = None
    for before, piece in pairwise(pieces):
        latest = before if latest is None or before.end > latest.end else latest
        apart_s = (piece.start - latest.end).total_seconds()
        if apart_s > TOUCH_S:
            gaps.append((latest.end, piece.start))
        elif apart_s < -TOUCH_S:
            overlaps.append(
                (latest.recording, piece.recording, min(-apart_s, (piece.end - piece.start).total_seconds()))
            )
    return Timeline(tuple(pieces), tuple(undated), tuple(gaps), tuple(overlaps))


def _began(held: Recording) -> datetime | None:
    if held.taken_at is None and held.stated_at is not None:
        return held.stated_at + timedelta(seconds=held.clock_offset_s)
    return held.taken_at


def lead_ids(recordings: Iterable[Recording], back_s: float) -> dict[str, tuple[tuple[str, float], ...]]:
    """What recordings follow on without a gap, by their ids: of each the newest first, with how many seconds before it that began,
    until so many seconds are covered. Those of which a time or a length is not known lead nothing."""
    held = list(recordings)
    lengthy = {one.id for one in held if one.length_s and one.fingerprint}
    pieces = [piece for piece in timeline_of(held).pieces if piece.recording in lengthy]
    before = [_before(pieces, place) for place in range(len(pieces))]
    found = dict[str, tuple[tuple[str, float], ...]]()
    for place, piece in enumerate(pieces):
        leads, earlier = list[tuple[str, float]](), before[place]
        while earlier is not None:
            ahead_s = (piece.start - pieces[earlier].start).total_seconds()
            leads.append((pieces[earlier].recording, ahead_s))
            earlier = before[earlier] if ahead_s < back_s else None
        if leads:
            found[piece.recording] = tuple(leads)
    return found


def _before(pieces: Sequence[Piece], place: int) -> int | None:
    """Which of the pieces shortly before one ends where it begins."""
    for earlier in range(place - 1, max(-1, place - 1 - _LOOKED_BACK), -1):
        if abs((pieces[place].start - pieces[earlier].end).total_seconds()) <= TOUCH_S:
            return earlier
    return None
