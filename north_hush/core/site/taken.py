"""When recordings were taken, as their names say it."""

from __future__ import annotations

from zoneinfo import ZoneInfo

from north_hush.core.footage.naming import moment_of
from north_hush.core.site.model import replaced
from north_hush.core.site.recording import Recording


def named_taken(recording: Recording, pattern: str, zone: ZoneInfo) -> Recording:
    """The recording, taken when its name says by a pattern; as it is where its name says nothing."""
    moment = moment_of(pattern, recording.path) if pattern else None
    if moment is None:
        return recording
    return replaced(recording, taken_at=moment if moment.tzinfo else moment.replace(tzinfo=zone))
