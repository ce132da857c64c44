"""Recordings of a site as evidence: from the store, or by a new pass."""

from __future__ import annotations

from pathlib import Path

from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.fingerprint import fingerprint
from north_hush.core.footage.index import FrameIndex, index_recording
from north_hush.core.footage.options import EvidenceOptions
from north_hush.core.footage.passes import evidence_of
from north_hush.core.footage.store import evidence_key, find_evidence
from north_hush.core.site.file import find_recording
from north_hush.core.site.model import Recording


def indexed_evidence(recording: Recording, site_path: Path) -> tuple[FrameIndex, Evidence | None]:
    """Frames of a recording of a site, and its evidence if that is in the store; no pass is made.

    Raises
    ------
    FootageError : the recording is not there or cannot be read.
    """
    index = index_recording(find_recording(recording, site_path))
    options = EvidenceOptions(orientation=recording.orientation or index.orientation)
    return index, find_evidence(evidence_key(fingerprint(index.footage), options))


def read_recording(recording: Recording, site_path: Path) -> tuple[FrameIndex, Evidence]:
    """Frames and evidence of a recording of a site, the evidence from the store or by a new pass.

    Raises
    ------
    FootageError : the recording is not there or cannot be read.
    """
    index = index_recording(find_recording(recording, site_path))
    return index, evidence_of(index, EvidenceOptions(orientation=recording.orientation or index.orientation))


def recording_evidence(recording: Recording, site_path: Path) -> Evidence:
    """Evidence of a recording of a site, see `read_recording`."""
    return read_recording(recording, site_path)[1]
