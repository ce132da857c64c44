"""What the alarms of a site lead to and what that costs, as plain values for scripts and for the window."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from typing import Any

from north_hush.core.errors import FootageError
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.evaluate.led_to import led_to
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.handover.along import OtherViews, kept_along
from north_hush.core.handover.report import Asked, evaluated, hours_notes
from north_hush.core.hours.plan import Hours
from north_hush.core.hours.spans import total_us
from north_hush.core.judge.rates import resampled
from north_hush.core.outcome.clips import WHY_WORDS
from north_hush.core.outcome.disk import GB, Daily, Lasting, lasting
from north_hush.core.outcome.replay import Figures, Replayed, contact_s, figures_of
from north_hush.core.outcome.rules import Outcome
from north_hush.core.outcome.weight import Weight, weight_of
from north_hush.core.site.model import Site, View

_DAY_S = 86_400.0
_YEAR_START_US, _YEAR_US = 1_767_225_600_000_000, 365 * 86_400 * US_PER_S
"""The hours of a day are a mean over 2026."""


@dataclass(frozen=True)
class DayOf:
    """What a day of a view comes to, measured on its footage.

    Attributes
    ----------
    armed_h, kept_h : hours of a usual day that are armed, and in which footage is kept
    daily : what it puts on the disk
    """

    figures: Figures
    armed_h: float
    kept_h: float
    daily: Daily

    def a_day(self, name: str) -> float:
        """A sum of the figures for a day of its armed hours."""
        return self.figures.a_day(name) * self.armed_h / 24


def hours_a_day(site: Site, hours: Hours, kind: str) -> float:
    """For how many hours of a usual day one of the three holds."""
    if getattr(hours, kind) is None and (kind != "notifying" or hours.armed is None):
        return 24.0
    spans = hours.spans(kind, site.clock, _YEAR_START_US, _YEAR_START_US + _YEAR_US)
    return 24 * total_us(spans) / _YEAR_US


def day_of_view(site: Site, view: View, outcome: Outcome, figures: Figures, *, all_hours: bool = False) -> DayOf:
    """What a day of a view comes to, from the figures of its recordings together: what alarms lead to by armed hours, what is kept
    always by the hours of recording."""
    armed_h, kept_h = (24.0 if all_hours else hours_a_day(site, view.hours, kind) for kind in ("armed", "recording"))
    clip_bytes = figures.a_day("clip_bytes") * armed_h / 24
    continuous = figures.continuous_bytes / figures.kept_s * kept_h * 3600 if figures.kept_s else 0.0
    keep = outcome.keep
    quota = None if keep.quota_gb is None else round(keep.quota_gb * GB)
    daily = Daily(round(clip_bytes), round(continuous), keep.clips_days, keep.continuous_days, quota)
    return DayOf(figures, armed_h, kept_h, daily)


def summed_figures(parts: Sequence[Figures]) -> Figures:
    """Figures of some recordings together."""
    held = Figures()
    for part in parts:
        held = held.plus(part)
    return held


def site_outcome(asked: Asked) -> dict[str, Any]:
    """Clips, snapshots and notices of every recording, what a day of each view comes to, and how long the disk lasts.

    A recording that cannot be read is listed with its `error`; the others still count.

    Raises
    ------
    SiteError : no view has a tuning of that name.
    HushError : hours cannot be turned into instants.
    """
    evaluator, rows, days = Evaluator(), list[dict[str, Any]](), list[tuple[View, DayOf, list[Figures]]]()
    beside = dict[str, dict[str, float]]()
    site, others = asked.site, OtherViews(evaluator, asked, make=True)
    for view, used in asked.views():
        parts, replays = list[Figures](), list[Replayed]()
        for recording in view.recordings:
            row: dict[str, Any] = {"view": view.name, "recording": recording.path}
            try:
                index, found = evaluated(evaluator, asked, view, used, recording)
                weight = weight_of(index)
            except FootageError as error:
                rows.append({**row, "error": str(error)})
                continue
            with_them = others.asked_of(view, recording, index)
            led = led_to(evaluator, site, view, recording, index, found, with_them, all_hours=asked.all_hours)
            figures = figures_of(led, view.outcome, weight)
            rows.append({**row, **outcome_row(led, weight), "figures": asdict(figures)})
            parts.append(figures)
            replays.append(led)
        beside[view.name] = kept_along(site, view, replays)
        days.append(
            (view, day_of_view(site, view, view.outcome, summed_figures(parts), all_hours=asked.all_hours), parts)
        )
    fares = lasting([day.daily for _, day, _ in days], site.disk)
    return {
        "site": site.name,
        "recordings": rows,
        "views": [{"view": view.name, **day_row(day, parts), "along": beside[view.name]} for view, day, parts in days],
        "disk": disk_row(fares, site, [view.name for view, _, _ in days]),
        "notes": hours_notes(asked),
    }


def outcome_row(led: Replayed, weight: Weight) -> dict[str, Any]:
    """What the alarms of one recording lead to."""

    def s(us: int) -> float:
        return round(us / US_PER_S, 3)

    items = [held.item for held in led.alarms]
    return {
        "alarms": len(led.own),
        "clips": [
            {
                "start_s": s(clip.start_us),
                "end_s": s(clip.end_us),
                "items": list(dict.fromkeys(items[number] for number in clip.alarms)),
                "alarms": len(clip.alarms),
                "bytes": weight.between(clip.start_us, clip.end_us) if clip.kept else 0,
                "kept": clip.kept,
                "why": WHY_WORDS[clip.why],
            }
            for clip in led.clips
        ],
        "snapshots": [{"at_s": s(shot.at_us), "item": items[shot.alarm]} for shot in led.snapshots],
        "notices": [
            {
                "at_s": s(notice.at_us),
                "way": notice.way,
                "items": list(dict.fromkeys(items[number] for number in notice.alarms)),
                "alarms": len(notice.alarms),
                "sent": notice.sent,
                "why": notice.why,
            }
            for notice in led.notices
        ],
        "contacts": [{"contact": name, "on_s": round(on_s, 3)} for name, on_s in contact_s(led).items()],
    }


def interval_a_day(day: DayOf, parts: Sequence[Figures], name: str) -> tuple[float, float] | None:
    """95 % interval of a sum for a day of armed hours: whole recordings drawn again and again. None of less than two."""
    share = day.armed_h / 24
    rows = [(getattr(part, name) * _DAY_S * share, part.counted_s) for part in parts]
    return resampled(rows) if len(rows) > 1 else None


def day_row(day: DayOf, parts: Sequence[Figures]) -> dict[str, Any]:
    """A day of a view as plain values; intervals draw whole recordings again and again, since alarms come in clusters."""

    def a_day(name: str) -> dict[str, Any]:
        found = interval_a_day(day, parts, name)
        interval = None if found is None else [round(found[0], 3), round(found[1], 3)]
        return {"a_day": round(day.a_day(name), 3), "interval": interval}

    figures = day.figures
    return {
        "footage_h": round(figures.counted_s / 3600, 3),
        "armed_h_a_day": round(day.armed_h, 2),
        "clips": a_day("clips"),
        "dropped": a_day("brief"),
        "clip_hours": round(day.a_day("clip_s") / 3600, 3),
        "snapshots": a_day("snapshots"),
        "messages": a_day("messages"),
        "held_back": a_day("held_back"),
        "worst_hour": figures.worst_hour,
        "longest_untold_s": round(figures.longest_untold_s, 1),
        "gb_a_day": round((day.daily.clip_bytes + day.daily.continuous_bytes) / GB, 4),
        "clip_gb_a_day": round(day.daily.clip_bytes / GB, 4),
    }


def disk_row(fares: Lasting, site: Site, views: Sequence[str]) -> dict[str, Any]:
    """How the disk fares as plain values."""
    return {
        "size_gb": site.disk.size_gb,
        "full_after_days": fares.full_after_days,
        "used_gb": round(fares.used_bytes / GB, 3),
        "kept": [
            {"view": name, "clips_days": clips, "continuous_days": whole}
            for name, clips, whole in zip(views, fares.clips_days, fares.continuous_days, strict=True)
        ],
    }
