"""Alarms of a whole site as plain values, for scripts and for files."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from north_hush.core.detect.replay import Lane, Replay
from north_hush.core.errors import FootageError
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.index import index_recording
from north_hush.core.footage.options import EvidenceOptions
from north_hush.core.footage.passes import evidence_of
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.site.file import find_recording
from north_hush.core.site.model import Recording, Site, Tuning, View


def site_alarms(site: Site, site_path: Path, tuning: str | None = None) -> dict[str, Any]:
    """Alarms of every recording of every view, under the tuning in use or a named one where a view has it.

    A recording that cannot be read is listed with its `error`; the others still count.
    """
    replay, rows = Replay(), []
    for view in site.views:
        for recording in view.recordings:
            row: dict[str, Any] = {"view": view.name, "path": recording.path}
            try:
                evidence = recording_evidence(recording, site_path)
            except FootageError as error:
                rows.append({**row, "error": str(error)})
                continue
            lanes = replay.lanes(evidence, view.plan, _tuning_of(view, tuning).settings)
            facts = {"duration_s": round(evidence.duration_s, 3), "frames": len(evidence.frames)}
            rows.append({**row, **facts, "alarms": alarm_rows(lanes, evidence), "oddities": list(evidence.oddities)})
    return {"site": site.name, "recordings": rows}


def _tuning_of(view: View, name: str | None) -> Tuning:
    return next((tuning for tuning in view.tunings if tuning.name == name), view.tuning)


def recording_evidence(recording: Recording, site_path: Path) -> Evidence:
    """Evidence of a recording of a site, from the store or by a new pass.

    Raises
    ------
    FootageError : the recording is not there or cannot be read.
    """
    index = index_recording(find_recording(recording, site_path))
    return evidence_of(index, EvidenceOptions(orientation=recording.orientation or index.orientation))


def alarm_rows(lanes: list[Lane], evidence: Evidence) -> list[dict[str, Any]]:
    """Alarms of all lanes in order of time."""
    time_us = evidence.time_us
    rows = [
        {
            "item": lane.zone_id,
            "name": lane.name,
            "kind": lane.kind,
            "onset_s": _seconds(time_us[alarm.onset_frame]),
            "start_s": _seconds(time_us[alarm.start_frame]),
            "end_s": _seconds(time_us[alarm.end_frame]),
            "ended_by": alarm.ended_by,
            "start_frame": alarm.start_frame,
            "peak_percent": round(lane.percent(alarm.peak_area), 3),
            **({"direction": alarm.direction, "place": alarm.place} if alarm.direction else {}),
        }
        for lane in lanes
        for alarm in lane.alarms
    ]
    return sorted(rows, key=lambda row: (row["start_s"], row["item"]))


def _seconds(time_us: int) -> float:
    return round(int(time_us) / US_PER_S, 3)
