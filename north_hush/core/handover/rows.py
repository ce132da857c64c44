"""Rows: scores and alarms as plain values."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta
from statistics import median
from typing import Any
from zoneinfo import ZoneInfo

from north_hush.core.detect.alarms import Alarm
from north_hush.core.evaluate.evaluation import Evaluation
from north_hush.core.judge.rates import met_interval, nuisance_interval
from north_hush.core.judge.score import Score, summed
from north_hush.core.scene.kind import Taught, kind_name


def score_row(parts: Sequence[Score]) -> dict[str, Any]:
    """The score of some recordings together as plain values; rates that are not defined are None. Intervals draw whole
    recordings again and again."""
    held = summed(parts)
    delays = sorted(held.delays_s)
    return {
        "incidents": held.incidents,
        "met": held.met,
        "missed": list(held.missed),
        "by_time_only": held.by_time_only,
        "by_item": {"pairs": held.pairs, "missed": [list(pair) for pair in held.missed_pairs]},
        "alarms": held.alarms,
        "nuisance": held.nuisances,
        "unsure": held.unsure,
        "not_judged": held.unjudged,
        "repeats": held.repeats,
        "met_interval": _interval(met_interval(parts)),
        "nuisance_per_hour": _rounded(held.nuisance_per_hour),
        "nuisance_per_hour_interval": _interval(nuisance_interval(parts)),
        "nuisance_per_day": _rounded(None if held.nuisance_per_hour is None else 24 * held.nuisance_per_hour),
        "clip_hours_per_day": _rounded(24 * held.alarm_s / held.footage_s if held.footage_s else None),
        "time_in_alarm": _rounded(held.alarm_s / held.footage_s if held.footage_s else None),
        "time_in_alarm_percent": _rounded(held.alarm_percent),
        "quiet_time_in_alarm": None if held.quiet_share is None else round(held.quiet_share, 5),
        "nuisance_time_percent": _rounded(None if held.quiet_share is None else 100 * held.quiet_share),
        "watched_s": round(held.watched_s, 1),
        "delay_s": {"median": round(median(delays), 3), "worst": round(delays[-1], 3)} if delays else None,
        "already_on": held.already_on,
        "f": _rounded(held.f()),
    }


def _interval(found: tuple[float, float] | None) -> list[float] | None:
    return None if found is None else [round(found[0], 3), round(found[1], 3)]


def _rounded(value: float | None) -> float | None:
    return None if value is None else round(value, 3)


def _instants(began: datetime, alarm: Alarm, zone: ZoneInfo) -> dict[str, str]:
    """When an alarm started on the site's clock, and its ends in UTC."""
    ends = {"start_utc": alarm.start_us, "end_utc": alarm.end_us}
    utc = {name: (began + timedelta(microseconds=us)).isoformat(timespec="milliseconds") for name, us in ends.items()}
    return {"start_at": clock_at(began, alarm.start_us, zone), **utc}


def alarm_rows(
    found: Evaluation, began: datetime | None, zone: ZoneInfo, kinds: Mapping[int, tuple[str, float]]
) -> list[dict[str, Any]]:
    """Alarms of all lanes in order of time, with the site's clock where that is known; of crossings which way, where, how sure and
    what it was; with what is known of the recording, what each is worth."""
    worths = dict(zip(((one.item, one.start_s) for one in found.spans), found.worths, strict=True))
    rows = [
        {
            "item": lane.zone_id,
            "name": lane.name,
            "kind": lane.kind,
            "onset_s": round(alarm.onset_s, 3),
            "start_s": round(alarm.start_s, 3),
            "end_s": round(alarm.end_s, 3),
            **(_instants(began, alarm, zone) if began is not None else {}),
            "ended_by": alarm.ended_by,
            "start_frame": alarm.start_frame,
            "peak_percent": round(lane.percent(alarm.peak_area), 3),
            **(_crossing_row(alarm, kinds, found.plan.taught) if alarm.direction else {}),
            **({"verdict": worths[lane.zone_id, alarm.start_s]} if found.truth.known else {}),
        }
        for lane in found.lanes
        for alarm in lane.alarms
    ]
    return sorted(rows, key=lambda row: (row["start_s"], row["item"]))


def _crossing_row(alarm: Alarm, kinds: Mapping[int, tuple[str, float]], taught: Sequence[Taught]) -> dict[str, Any]:
    kind = kinds.get(alarm.track) if alarm.track is not None else None
    return {
        "direction": alarm.direction,
        "place": alarm.place,
        "sure": alarm.sure,
        "kind_of": kind_name(kind[0], taught) if kind else "unclear",
    }


def clock_at(began: datetime, time_us: int, zone: ZoneInfo) -> str:
    """When something was on the site's clock, with its offset."""
    moment = began + timedelta(microseconds=time_us)
    return moment.astimezone(zone).isoformat(timespec="milliseconds")
