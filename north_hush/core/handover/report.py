"""Alarms, levels and scores of a whole site as plain values, for scripts and for files."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import numpy as np

from north_hush.core.errors import FootageError, SiteError
from north_hush.core.evaluate.armed import armed_over
from north_hush.core.evaluate.evaluation import Evaluation
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.evaluate.led_to import kinds_of_crossings
from north_hush.core.evaluate.recordings import read_recording
from north_hush.core.evaluate.sensed import sensed_over
from north_hush.core.evaluate.switched import settings_over
from north_hush.core.footage.index import FrameIndex
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.handover.rows import alarm_rows, clock_at, score_row
from north_hush.core.handover.why import lane_reasons, lane_rows
from north_hush.core.hours.worded import said_in
from north_hush.core.judge.rates import day_of
from north_hush.core.judge.score import Score, summed
from north_hush.core.outcome.raisers import BY_RAISERS
from north_hush.core.scene.plan import WHOLE_PICTURE_ID, watcher_id
from north_hush.core.site.model import Site, Tuning, View
from north_hush.core.site.recording import Recording
from north_hush.core.words import tr


def tuning_of(view: View, name: str | None) -> Tuning:
    """A view's tuning by name, or the one in use for None.

    Raises
    ------
    SiteError : the view has no tuning of that name.
    """
    return view.tuning if name is None else view.tuning_named(name)


def views_with(site: Site, tuning: str | None) -> list[tuple[View, Tuning]]:
    """Views with the tuning that is asked for; views without it are left out.

    Raises
    ------
    SiteError : no view has it.
    """
    found = [(view, tuning_of(view, tuning)) for view in site.views if tuning in (None, *_names(view))]
    if not found:
        known = sorted({name for view in site.views for name in _names(view)})
        raise SiteError(
            tr("tuning '{tuning}'", tuning=tuning),
            tr("is in no view of '{name}'.", name=site.name),
            tr("It has {join}.", join=", ".join(known)),
        )
    return found


def _names(view: View) -> list[str]:
    return [held.name for held in view.tunings]


@dataclass(frozen=True)
class Asked:
    """What is asked of a site: under which tuning (None: the one in use), whether its hours count, and of which recording (its id;
    empty: of all)."""

    site: Site
    path: Path
    tuning: str | None = None
    all_hours: bool = False
    recording: str = ""

    def recordings(self, view: View) -> tuple[Recording, ...]:
        """Those of a view that are asked of."""
        return tuple(held for held in view.recordings if self.recording in ("", held.id))

    def views(self) -> list[tuple[View, Tuning]]:
        """Views with the tuning, see `views_with`."""
        return views_with(self.site, self.tuning)


def evaluated(
    evaluator: Evaluator, asked: Asked, view: View, tuning: Tuning, recording: Recording
) -> tuple[FrameIndex, Evaluation]:
    """What a tuning raises on a recording, in the hours of its view.

    Raises
    ------
    FootageError : the recording is not there or cannot be read.
    HushError : the hours cannot be turned into instants.
    """
    index, evidence = read_recording(view, recording, asked.path)
    armed = None if asked.all_hours else armed_over(asked.site, view, recording, index)
    switches = asked.tuning is None and tuning is view.tuning
    settings = (
        settings_over(asked.site, view, recording, index, all_hours=asked.all_hours) if switches else tuning.settings
    )
    sensed = sensed_over(view, recording, index, evidence)
    found = evaluator.evaluate(evidence, view.plan, settings, recording.truth, armed, sensed)
    evaluator.keep(found)
    return index, found


def hours_notes(asked: Asked) -> list[str]:
    """What is said of hours: that they count, or not."""
    notes = []
    for view in asked.site.views:
        if view.has_hours:
            what = tr("left aside: all hours count") if asked.all_hours else tr("in force: only armed alarms count")
            notes.append(tr("{name}: hours are {what}.", name=view.name, what=what))
        lacking = [] if view.sensors else [said for said in said_in(view.hours.recording or "") if said in BY_RAISERS]
        if lacking:
            notes.append(
                tr(
                    "{name}: keeps footage '{lacking}' and has no sensors, so that nothing is kept then.",
                    name=view.name,
                    lacking=lacking[0],
                )
            )
    return notes


def site_alarms(asked: Asked, *, why: bool = False) -> dict[str, Any]:
    """Alarms of every recording of every view, under the tuning in use or a named one; on demand with their reasons, what was
    refused, and what each item cannot see.

    A recording that cannot be read is listed with its `error`; the others still count.

    Raises
    ------
    SiteError : no view has a tuning of that name.
    """
    evaluator, rows, notes, site = Evaluator(), [], hours_notes(asked), asked.site
    for view, used in asked.views():
        notes += idle_settings(view, used)
        for row, recording in _listed(asked, view, used):
            try:
                index, found = evaluated(evaluator, asked, view, used, recording)
            except FootageError as error:
                rows.append({**row, "error": str(error)})
                continue
            evidence = found.evidence
            facts: dict[str, Any] = {"duration_s": round(evidence.duration_s, 3), "frames": len(evidence.frames)}
            began = recording.began(index, site.zone)
            facts["began"] = None if began is None else began.astimezone(site.zone).isoformat()
            facts |= _hours_facts(found)
            if began is None and view.has_hours and not asked.all_hours:
                notes.append(
                    tr(
                        "{name}: nobody knows when {path} was taken; all of it counts as armed.",
                        name=view.name,
                        path=recording.path,
                    )
                )
            alarms = alarm_rows(found, began, site.zone, kinds_of_crossings(evaluator, found))
            if why:
                reasons = lane_reasons(evaluator, found)
                alarms = [{**alarm, "why": reasons[alarm["item"], alarm["start_frame"]]} for alarm in alarms]
                facts["items"] = lane_rows(evaluator, found)
            rows.append({**row, **facts, "alarms": alarms, "oddities": [*index.oddities, *evidence.oddities]})
    return {"site": site.name, "recordings": rows, "notes": notes}


def idle_settings(view: View, tuning: Tuning) -> list[str]:
    """What of a tuning does nothing: settings of items that are not drawn. They are kept, for undo and for other tunings."""
    drawn = {watcher_id(held) for held in view.plan.watchers} | {WHOLE_PICTURE_ID}
    return [
        tr(
            "{name}: tuning '{name2}' has settings for '{item}', which is not drawn; they do nothing.",
            name=view.name,
            name2=tuning.name,
            item=item,
        )
        for item in tuning.settings
        if item not in drawn
    ]


def site_scores(asked: Asked) -> dict[str, Any]:
    """Scores of every recording of every view, and of each view in all, as `site_alarms` evaluates them.

    Raises
    ------
    SiteError : no view has a tuning of that name.
    """
    evaluator, rows, views = Evaluator(), [], []
    for view, used in asked.views():
        scores: list[tuple[Score, float | None]] = []
        by_item: list[dict[str, Score]] = []
        for row, recording in _listed(asked, view, used):
            try:
                found = evaluated(evaluator, asked, view, used, recording)[1]
            except FootageError as error:
                rows.append({**row, "error": str(error)})
                continue
            items = found.item_scores(watcher_id(held) for held in view.plan.watchers)
            scores.append((found.score, recording.hours_per_day))
            by_item.append(items)
            worths = {item: score_row([one]) for item, one in items.items()}
            rows.append({**row, **score_row([found.score]), **_hours_facts(found), "items": worths})
        views.append(
            {
                "view": view.name,
                "tuning": used.name,
                **score_row([held for held, _ in scores]),
                "items": {
                    item: score_row([items[item] for items in by_item]) for item in (by_item[0] if by_item else ())
                },
                "weighted_day": asdict(day) if (day := day_of(scores)) is not None else None,
                "warnings": _silent(by_item),
            }
        )
    return {"site": asked.site.name, "recordings": rows, "in_all": views, "notes": hours_notes(asked)}


def _hours_facts(found: Evaluation) -> dict[str, Any]:
    """What hours leave of a recording; empty where all of it counts."""
    if found.armed_s is None:
        return {}
    return {"armed_s": round(found.armed_s, 3), "out_of_hours": [held.name for held in found.out_of_hours]}


def _silent(by_item: Sequence[dict[str, Score]]) -> list[str]:
    """Items that raise no alarm at all though incidents concern them."""
    found = []
    for item in by_item[0] if by_item else ():
        total = summed(items[item] for items in by_item)
        if total.incidents and not total.alarms:
            found.append(tr("{item} raises no alarm at all", item=item))
    return found


def site_levels(asked: Asked, over_percent: float = 0.0) -> Iterator[tuple[str, str, float, str, str, str, float]]:
    """View, path, seconds from the start, clock time (empty where that is not known), item, name and level in percent of each
    frame that counts, in order; only levels from `over_percent` on.

    Raises
    ------
    SiteError : no view has a tuning of that name.
    FootageError : a recording is not there or cannot be read.
    """
    evaluator, site = Evaluator(), asked.site
    for view, used in asked.views():
        for recording in view.recordings:
            index, found = evaluated(evaluator, asked, view, used, recording)
            began, evidence = recording.began(index, site.zone), found.evidence
            levels = np.stack([lane.level_percent for lane in found.lanes]) if found.lanes else np.zeros((0, 0))
            for frame in np.flatnonzero(evidence.valid & (levels >= over_percent).any(axis=0)).tolist():
                at_us = int(evidence.time_us[frame])
                clock = "" if began is None else clock_at(began, at_us, site.zone)
                for lane, level in zip(found.lanes, levels[:, frame].tolist(), strict=True):
                    if level >= over_percent:
                        at_s = round(at_us / US_PER_S, 3)
                        yield view.name, recording.path, at_s, clock, lane.zone_id, lane.name, round(level, 3)


def _listed(asked: Asked, view: View, tuning: Tuning) -> list[tuple[dict[str, Any], Recording]]:
    return [
        ({"view": view.name, "path": recording.path, "tuning": tuning.name}, recording)
        for recording in asked.recordings(view)
    ]
