"""Named changes of what is known of a recording: incidents and verdicts on alarms."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Literal, TypeVar

from north_hush.core.judge.incidents import Incident, Truth, Verdict
from north_hush.core.judge.score import Span
from north_hush.core.site.edits import in_view
from north_hush.core.site.model import Site, View, replaced

Judgement = Literal["real", "nuisance", "unsure"]
JOIN_S = 10.0
"""Real alarms no further apart are one incident: somebody who walks by raises several, and one is enough to meet him."""

HeldT = TypeVar("HeldT", Incident, Verdict)


def judge(
    site: Site,
    view_id: str,
    recording_id: str,
    alarms: Sequence[Span],
    judgement: Judgement,
    cause: str = "",
    name: str = "",
) -> Site:
    """Judge alarms. A real one becomes an incident over its span, joined with what it overlaps; any other a verdict in the
    place of earlier verdicts on it, and incidents that were made by judging it real are withdrawn."""

    def change(truth: Truth) -> Truth:
        for alarm in alarms:
            truth = _judged(truth, alarm, judgement, cause, name)
        return truth

    return change_truth(site, view_id, recording_id, change)


def _judged(truth: Truth, alarm: Span, judgement: Judgement, cause: str, name: str) -> Truth:
    verdicts = tuple(held for held in truth.verdicts if not (held.item in ("", alarm.item) and _over(held, alarm)))
    if judgement == "real":
        incidents = _with_incident(truth.incidents, alarm.onset_s, alarm.end_s, name, JOIN_S)
        return replaced(truth, verdicts=verdicts, incidents=incidents)
    incidents = tuple(held for held in truth.incidents if not _within(held, alarm))
    verdict = Verdict(start_s=alarm.onset_s, end_s=alarm.end_s, item=alarm.item, kind=judgement, cause=cause)
    return replaced(truth, incidents=incidents, verdicts=_in_order((*verdicts, verdict)))


def mark_incident(site: Site, view_id: str, recording_id: str, start_s: float, end_s: float, name: str = "") -> Site:
    """Mark an incident, joined with those it overlaps; the ends may come in either order."""
    first, last = sorted((round(max(0.0, start_s), 3), round(max(0.0, end_s), 3)))
    return change_truth(
        site,
        view_id,
        recording_id,
        lambda truth: replaced(truth, incidents=_with_incident(truth.incidents, first, last, name)),
    )


def _with_incident(
    incidents: tuple[Incident, ...], start_s: float, end_s: float, name: str, join_s: float = 0.0
) -> tuple[Incident, ...]:
    """Incidents with one more; those of the whole view it overlaps, or that are near, become one with it, under the first
    one's name."""
    over = [
        held
        for held in incidents
        if held.item == "" and held.start_s <= end_s + join_s and held.end_s >= start_s - join_s
    ]
    if len(over) == 1 and over[0].start_s <= start_s and over[0].end_s >= end_s:
        return incidents
    named = name or next((held.name for held in over), "") or _free_name(incidents)
    first, last = min([start_s, *(held.start_s for held in over)]), max([end_s, *(held.end_s for held in over)])
    note = " ".join(held.note for held in over if held.note)[:500]
    joined = Incident(name=named, start_s=round(first, 3), end_s=round(last, 3), note=note)
    return _in_order((*(held for held in incidents if held not in over), joined))


def change_incident(site: Site, view_id: str, recording_id: str, place: int, **changes: object) -> Site:
    """Change name, span, item or note of an incident, by its place in the list."""

    def change(truth: Truth) -> Truth:
        held = replaced(truth.incidents[place], **changes)
        return replaced(truth, incidents=(*truth.incidents[:place], held, *truth.incidents[place + 1 :]))

    return change_truth(site, view_id, recording_id, change)


def remove_incident(site: Site, view_id: str, recording_id: str, place: int) -> Site:
    """Take an incident off."""
    return change_truth(
        site,
        view_id,
        recording_id,
        lambda truth: replaced(truth, incidents=(*truth.incidents[:place], *truth.incidents[place + 1 :])),
    )


def set_complete(site: Site, view_id: str, recording_id: str, complete: bool) -> Site:
    """Say whether every incident of a recording is marked, so that any other alarm is a nuisance."""
    return change_truth(site, view_id, recording_id, lambda truth: replaced(truth, complete=complete))


def put_truth(site: Site, view_id: str, recording_id: str, truth: Truth) -> Site:
    """Replace all that is known of a recording."""
    return change_truth(site, view_id, recording_id, lambda _: truth)


def change_truth(site: Site, view_id: str, recording_id: str, change: Callable[[Truth], Truth]) -> Site:
    """Change what is known of one recording.

    Raises
    ------
    pydantic.ValidationError : the result makes no sense.
    """

    def in_recording(view: View) -> View:
        kept = (
            replaced(held, truth=change(held.truth)) if held.id == recording_id else held for held in view.recordings
        )
        return replaced(view, recordings=tuple(kept))

    return in_view(site, view_id, in_recording)


def _free_name(incidents: Sequence[Incident]) -> str:
    taken, number = {held.name for held in incidents}, 1
    while f"Incident {number}" in taken:
        number += 1
    return f"Incident {number}"


def _in_order(held: tuple[HeldT, ...]) -> tuple[HeldT, ...]:
    return tuple(sorted(held, key=lambda one: (one.start_s, one.end_s)))


def _over(held: Verdict, alarm: Span) -> bool:
    return held.start_s <= alarm.end_s and held.end_s >= alarm.onset_s


def _within(held: Incident, alarm: Span) -> bool:
    """An incident no longer than the alarm itself, as judging it real makes one."""
    return held.start_s >= alarm.onset_s - 0.001 and held.end_s <= alarm.end_s + 0.001
