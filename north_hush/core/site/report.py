"""Alarms of a whole site as plain values, for scripts and for files."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from pathlib import Path
from statistics import median
from typing import Any

from north_hush.core.detect.replay import Lane, Replay
from north_hush.core.errors import FootageError
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.fingerprint import fingerprint
from north_hush.core.footage.index import FrameIndex, index_recording
from north_hush.core.footage.options import EvidenceOptions
from north_hush.core.footage.passes import evidence_of
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.footage.store import evidence_key, find_evidence
from north_hush.core.judge.incidents import Truth
from north_hush.core.judge.rates import day_of, rate_interval, share_interval
from north_hush.core.judge.score import Score, item_scores, score, spans_of, summed, verdicts_of
from north_hush.core.scene.plan import WHOLE_PICTURE_ID, watcher_id
from north_hush.core.site.file import find_recording
from north_hush.core.site.model import Recording, Site, Tuning, View
from north_hush.core.site.why import lane_reasons, lane_rows


def site_alarms(site: Site, site_path: Path, tuning: str | None = None, *, why: bool = False) -> dict[str, Any]:
    """Alarms of every recording of every view, under the tuning in use or a named one where a view has it; on demand with
    their reasons, what was refused, and what each item cannot see.

    A recording that cannot be read is listed with its `error`; the others still count.
    """
    replay, rows, notes = Replay(), [], []
    for view in site.views:
        notes += idle_settings(view, _tuning_of(view, tuning))
        for row, recording in _listed(view):
            try:
                index, evidence = _read(recording, site_path)
            except FootageError as error:
                rows.append({**row, "error": str(error)})
                continue
            lanes = replay.lanes(evidence, view.plan, _tuning_of(view, tuning).settings)
            facts: dict[str, Any] = {"duration_s": round(evidence.duration_s, 3), "frames": len(evidence.frames)}
            found = alarm_rows(lanes, evidence, recording.truth)
            if why:
                reasons = lane_reasons(replay, evidence, view.plan, lanes, recording.truth)
                found = [{**alarm, "why": reasons[alarm["item"], alarm["start_frame"]]} for alarm in found]
                facts["items"] = lane_rows(replay, evidence, view.plan, lanes)
            rows.append({**row, **facts, "alarms": found, "oddities": [*index.oddities, *evidence.oddities]})
    return {"site": site.name, "recordings": rows, "notes": notes}


def idle_settings(view: View, tuning: Tuning) -> list[str]:
    """What of a tuning does nothing: settings of items that are not drawn. They are kept, for undo and for other tunings."""
    drawn = {watcher_id(held) for held in view.plan.watchers} | {WHOLE_PICTURE_ID}
    return [
        f"{view.name}: tuning '{tuning.name}' has settings for '{item}', which is not drawn; they do nothing."
        for item in tuning.settings
        if item not in drawn
    ]


def site_scores(site: Site, site_path: Path, tuning: str | None = None) -> dict[str, Any]:
    """Scores of every recording of every view, and of each view in all, as `site_alarms` evaluates them."""
    replay, rows, views = Replay(), [], []
    for view in site.views:
        scores: list[tuple[Score, float | None]] = []
        by_item: list[dict[str, Score]] = []
        for row, recording in _listed(view):
            try:
                evidence, lanes = _evaluated(replay, view, recording, site_path, tuning)
            except FootageError as error:
                rows.append({**row, "error": str(error)})
                continue
            spans = spans_of(lanes, evidence.time_us)
            held = score(spans, recording.truth, evidence.duration_s)
            scores.append((held, recording.hours_per_day))
            items = item_scores(spans, [lane.zone_id for lane in lanes], recording.truth, evidence.duration_s)
            by_item.append(items)
            rows.append({**row, **score_row(held), "items": {item: score_row(one) for item, one in items.items()}})
        views.append(
            {
                "view": view.name,
                **score_row(summed(held for held, _ in scores)),
                "items": {
                    item: score_row(summed(items[item] for items in by_item))
                    for item in (by_item[0] if by_item else ())
                },
                "weighted_day": asdict(day) if (day := day_of(scores)) is not None else None,
            }
        )
    return {"site": site.name, "recordings": rows, "in_all": views}


def _listed(view: View) -> list[tuple[dict[str, Any], Recording]]:
    return [({"view": view.name, "path": recording.path}, recording) for recording in view.recordings]


def _evaluated(
    replay: Replay, view: View, recording: Recording, site_path: Path, tuning: str | None
) -> tuple[Evidence, list[Lane]]:
    evidence = recording_evidence(recording, site_path)
    return evidence, replay.lanes(evidence, view.plan, _tuning_of(view, tuning).settings)


def score_row(held: Score) -> dict[str, Any]:
    """A score as plain values; rates that are not defined are None."""
    delays = sorted(held.delays_s)
    return {
        "incidents": held.incidents,
        "met": held.met,
        "missed": list(held.missed),
        "alarms": held.alarms,
        "nuisance": held.nuisances,
        "unsure": held.unsure,
        "not_judged": held.unjudged,
        "repeats": held.repeats,
        "met_interval": _interval(share_interval(held.met, held.incidents)),
        "nuisance_per_hour": _rounded(held.nuisance_per_hour),
        "nuisance_per_hour_interval": _interval(rate_interval(held.nuisances, held.footage_s / 3600)),
        "nuisance_per_day": _rounded(None if held.nuisance_per_hour is None else 24 * held.nuisance_per_hour),
        "clip_hours_per_day": _rounded(24 * held.alarm_s / held.footage_s if held.footage_s else None),
        "time_in_alarm": _rounded(held.alarm_s / held.footage_s if held.footage_s else None),
        "time_in_alarm_percent": _rounded(held.alarm_percent),
        "nuisance_time_percent": _rounded(held.nuisance_percent),
        "delay_s": {"median": round(median(delays), 3), "worst": round(delays[-1], 3)} if delays else None,
        "already_on": held.already_on,
        "f": _rounded(held.f()),
    }


def _interval(found: tuple[float, float] | None) -> list[float] | None:
    return None if found is None else [round(found[0], 3), round(found[1], 3)]


def _rounded(value: float | None) -> float | None:
    return None if value is None else round(value, 3)


def _tuning_of(view: View, name: str | None) -> Tuning:
    return next((tuning for tuning in view.tunings if tuning.name == name), view.tuning)


def indexed_evidence(recording: Recording, site_path: Path) -> tuple[FrameIndex, Evidence | None]:
    """Frames of a recording of a site, and its evidence if that is in the store; no pass is made.

    Raises
    ------
    FootageError : the recording is not there or cannot be read.
    """
    index = index_recording(find_recording(recording, site_path))
    options = EvidenceOptions(orientation=recording.orientation or index.orientation)
    return index, find_evidence(evidence_key(fingerprint(index.footage), options))


def recording_evidence(recording: Recording, site_path: Path) -> Evidence:
    """Evidence of a recording of a site, from the store or by a new pass.

    Raises
    ------
    FootageError : the recording is not there or cannot be read.
    """
    return _read(recording, site_path)[1]


def _read(recording: Recording, site_path: Path) -> tuple[FrameIndex, Evidence]:
    index = index_recording(find_recording(recording, site_path))
    return index, evidence_of(index, EvidenceOptions(orientation=recording.orientation or index.orientation))


def alarm_rows(lanes: list[Lane], evidence: Evidence, truth: Truth | None = None) -> list[dict[str, Any]]:
    """Alarms of all lanes in order of time; with what is known of the recording, what each is worth."""
    verdicts = {}
    if truth is not None and truth.known:
        spans = spans_of(lanes, evidence.time_us)
        verdicts = {
            (span.item, span.start_s): told for span, told in zip(spans, verdicts_of(spans, truth), strict=True)
        }
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
            **_verdict_row(verdicts, lane.zone_id, int(time_us[alarm.start_frame]) / US_PER_S),
        }
        for lane in lanes
        for alarm in lane.alarms
    ]
    return sorted(rows, key=lambda row: (row["start_s"], row["item"]))


def _verdict_row(verdicts: Mapping[tuple[str, float], str], item: str, start_s: float) -> dict[str, str]:
    told = verdicts.get((item, start_s))
    return {"verdict": told} if told else {}


def _seconds(time_us: int) -> float:
    return round(int(time_us) / US_PER_S, 3)
