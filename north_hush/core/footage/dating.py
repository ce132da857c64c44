"""When a recording was taken: what its container, its name and its file's date say, and which of them counts."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta, tzinfo
from pathlib import Path
from typing import Literal

Source = Literal["recording", "file name", "file date"]
AGREE_S = 120.0
"""Statements that differ by more are told apart, and the window asks which is right."""

_NAMED = re.compile(
    r"(?<!\d)(20\d\d)([-_.]?)(0[1-9]|1[0-2])\2(0[1-9]|[12]\d|3[01])"
    r"[-_. T]{0,3}([01]\d|2[0-3])[-_.:hH]?([0-5]\d)(?:[-_.:mM]?([0-5]\d))?(?:[.,]\d+)?(Z)?(?!\d)"
)
"""A date followed by a clock time, as recorders write them: 20260614_150207, 2026-06-14 15.02.07, 2026-06-14T15-02Z."""
_COUNTER = re.compile(r"\d{3,}")
"""Of a running number there are as many as files; a camera has one digit or two."""


@dataclass(frozen=True)
class Dated:
    """A statement of when the first frame was taken. A moment without an offset is of the site's own clock."""

    source: Source
    moment: datetime

    def at(self, zone: tzinfo) -> datetime:
        """The moment, in UTC."""
        held = self.moment if self.moment.tzinfo else self.moment.replace(tzinfo=zone)
        return held.astimezone(UTC)


def named_date(name: str) -> datetime | None:
    """The moment a file's name states, without an offset unless it ends in Z; None when it states none."""
    for match in _NAMED.finditer(name):
        year, _, month, day, hour, minute, second, utc = match.groups()
        try:
            return datetime(
                int(year), int(month), int(day), int(hour), int(minute), int(second or 0), tzinfo=UTC if utc else None
            )
        except ValueError:
            continue
    return None


def undated_name(stem: str) -> str:
    """What a name without its suffix says besides a moment and a running number: which camera or stream it is of; empty where it
    states no moment."""
    for match in _NAMED.finditer(stem):
        if named_date(match.group()) is not None:
            parts = (_COUNTER.sub("", part).strip(" _-.") for part in (stem[: match.start()], stem[match.end() :]))
            return " ".join(part for part in parts if part)
    return ""


def stated_date(*tags: Mapping[str, str]) -> datetime | None:
    """The moment that the metadata of a container or stream state; in UTC where it says no offset (ISO 14496-12)."""
    for held in tags:
        text = held.get("creation_time") or held.get("date")
        if text:
            try:
                moment = datetime.fromisoformat(text.replace("Z", "+00:00"))
            except ValueError:
                continue
            if moment.year > 1970:  # recorders without a clock write the beginning of time
                return moment if moment.tzinfo else moment.replace(tzinfo=UTC)
    return None


def dates_of(path: Path, duration_s: float, *tags: Mapping[str, str], ends: bool = True) -> tuple[Dated, ...]:
    """All that tells when a recording was taken, what counts most first.

    A file is written until its recording ends, so its date less the length is when it began; `ends` False takes the date as
    it is (the first image of a folder).
    """
    found = []
    stated, named = stated_date(*tags), named_date(path.name)
    if stated is not None:
        found.append(Dated("recording", stated))
    if named is not None:
        found.append(Dated("file name", named))
    written = datetime.fromtimestamp(path.stat().st_mtime, UTC)
    found.append(Dated("file date", written - timedelta(seconds=duration_s) if ends else written))
    return tuple(found)


def disagreeing(dates: Sequence[Dated], zone: tzinfo) -> tuple[Dated, ...]:
    """The statements a recording makes itself, where they differ; a file's date, which every copy changes, is asked only
    where nothing else tells."""
    own = [held for held in dates if held.source != "file date"]
    if len(own) < 2:
        return ()
    moments = [held.at(zone) for held in own]
    apart_s = (max(moments) - min(moments)).total_seconds()
    return tuple(own) if apart_s > AGREE_S else ()
