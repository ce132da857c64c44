"""Recordings of a view as evidence: from the store, or by a new pass."""

from __future__ import annotations

from contextlib import suppress
from pathlib import Path
from zoneinfo import ZoneInfo

from north_hush.core.errors import FootageError
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.fingerprint import fingerprint
from north_hush.core.footage.index import FrameIndex, index_recording
from north_hush.core.footage.options import EvidenceOptions, Lead
from north_hush.core.footage.passes import evidence_of
from north_hush.core.footage.store import known_evidence
from north_hush.core.site.file import find_recording
from north_hush.core.site.model import View, replaced
from north_hush.core.site.recording import Recording
from north_hush.core.site.timeline import Timeline, lead_ids, timeline_of


def options_of(view: View, recording: Recording, index: FrameIndex, site_path: Path) -> EvidenceOptions:
    """What the evidence of a recording is made by: how it is turned, and what it follows on in its view."""
    usual = EvidenceOptions(orientation=recording.orientation or index.orientation)
    leads, known = list[Lead](), {held.id: held for held in view.recordings}
    for lead_id, ahead_s in lead_ids(view.recordings, usual.drift_window_s).get(recording.id, ()):
        held = known[lead_id]
        with suppress(FootageError):
            path = str(find_recording(held, site_path).path)
            leads.append(
                Lead(path=path, fingerprint=held.fingerprint, ahead_s=round(ahead_s), frames_per_s=held.frames_per_s)
            )
    return usual.model_copy(update={"lead": tuple(leads)})


def indexed_evidence(
    view: View, recording: Recording, site_path: Path, *, lean: bool = False
) -> tuple[FrameIndex, Evidence | None]:
    """Frames of a recording of a view, and its evidence if that is in the store, see `known_evidence`; no pass is made.

    Raises
    ------
    FootageError : the recording is not there or cannot be read.
    """
    index = index_recording(find_recording(recording, site_path))
    return index, known_evidence(fingerprint(index.footage), options_of(view, recording, index, site_path), lean=lean)


def read_recording(view: View, recording: Recording, site_path: Path) -> tuple[FrameIndex, Evidence]:
    """Frames and evidence of a recording of a view, the evidence from the store or by a new pass.

    Raises
    ------
    FootageError : the recording is not there or cannot be read.
    """
    index = index_recording(find_recording(recording, site_path))
    return index, evidence_of(index, options_of(view, recording, index, site_path))


def recording_evidence(view: View, recording: Recording, site_path: Path) -> Evidence:
    """Evidence of a recording of a view, see `read_recording`."""
    return read_recording(view, recording, site_path)[1]


def dated_timeline(view: View, site_path: Path, zone: ZoneInfo) -> Timeline:
    """The time line of a view; what of its recordings was not noted when they came in is read from them. One that cannot be read
    stays undated, or without length."""
    return timeline_of(_noted(held, site_path, zone) for held in view.recordings)


def _noted(recording: Recording, site_path: Path, zone: ZoneInfo) -> Recording:
    """A recording with its length, and when it says that it was taken."""
    if recording.length_s is None or (recording.taken_at is None and recording.stated_at is None):
        with suppress(FootageError):
            index = index_recording(find_recording(recording, site_path))
            return replaced(recording, length_s=index.duration_s, stated_at=index.taken_at(zone))
    return recording
