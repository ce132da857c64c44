"""Named changes of what is known of a recording: incidents and verdicts on alarms."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Literal, TypeVar

from north_hush.core.judge.incidents import Incident, Truth, Verdict
from north_hush.core.judge.score import Span
from north_hush.core.site.edits import in_view
from north_hush.core.site.model import Recording, SetAside, Site, View, replaced

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
    note: str = "",
) -> Site:
    """Judge alarms. A real one becomes an incident over its span, joined with what it overlaps; any other a verdict in the
    place of earlier verdicts on it, and incidents that were made by judging it real are withdrawn."""

    def change(truth: Truth) -> Truth:
        for alarm in alarms:
            truth = _judged(truth, alarm, judgement, cause, note)
        return truth

    return change_truth(site, view_id, recording_id, change)


def _judged(truth: Truth, alarm: Span, judgement: Judgement, cause: str, note: str) -> Truth:
    verdicts = tuple(held for held in truth.verdicts if not (held.item in ("", alarm.item) and _over(held, alarm)))
    if judgement == "real":
        incidents = _with_incident(truth.incidents, alarm.onset_s, alarm.end_s, "", JOIN_S, note)
        return replaced(truth, verdicts=verdicts, incidents=incidents)
    incidents = tuple(held for held in truth.incidents if held.walk or not _within(held, alarm))
    verdict = Verdict(start_s=alarm.onset_s, end_s=alarm.end_s, item=alarm.item, kind=judgement, cause=cause, note=note)
    return replaced(truth, incidents=incidents, verdicts=_in_order((*verdicts, verdict)))


def mark_walk(site: Site, view_id: str, recording_id: str, start_s: float, end_s: float) -> Site:
    """Mark a walk test: an incident of its own, joined with nothing, since where it begins and ends was decided."""

    def change(truth: Truth) -> Truth:
        first, last = sorted((round(max(0.0, start_s), 3), round(max(0.0, end_s), 3)))
        walk = Incident(name=_free_name(truth.incidents, "Walk"), start_s=first, end_s=last, walk=True)
        return replaced(truth, incidents=_in_order((*truth.incidents, walk)))

    return change_truth(site, view_id, recording_id, change)


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
    incidents: tuple[Incident, ...], start_s: float, end_s: float, name: str, join_s: float = 0.0, note: str = ""
) -> tuple[Incident, ...]:
    """Incidents with one more; those of the whole view it overlaps, or that are near, become one with it, under the first
    one's name. A walk test stays as it was marked."""
    if any(held.walk and held.item == "" and held.start_s <= start_s and held.end_s >= end_s for held in incidents):
        return incidents
    over = [
        held
        for held in incidents
        if held.item == "" and not held.walk and held.start_s <= end_s + join_s and held.end_s >= start_s - join_s
    ]
    if len(over) == 1 and over[0].start_s <= start_s and over[0].end_s >= end_s and not note:
        return incidents
    named = name or next((held.name for held in over), "") or _free_name(incidents)
    first, last = min([start_s, *(held.start_s for held in over)]), max([end_s, *(held.end_s for held in over)])
    notes = " ".join(said for said in (*(held.note for held in over), note) if said)[:500]
    joined = Incident(name=named, start_s=round(first, 3), end_s=round(last, 3), note=notes)
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


def take_file(site: Site, view_id: str, recording_id: str, fingerprint: str, *, same: bool) -> Site:
    """Take the file that lies at a recording's path now for the recording. What is known stays with it when it is of the
    same footage; else it is set aside under the old fingerprint, and what was set aside under the new one comes back."""

    def change(view: View) -> View:
        return replaced(
            view,
            recordings=tuple(
                _with_file(held, fingerprint, same=same) if held.id == recording_id else held
                for held in view.recordings
            ),
        )

    return in_view(site, view_id, change)


def _with_file(recording: Recording, fingerprint: str, *, same: bool) -> Recording:
    if same or not recording.fingerprint:
        return replaced(recording, fingerprint=fingerprint)
    back = next((held.truth for held in recording.set_aside if held.fingerprint == fingerprint), Truth())
    aside = tuple(held for held in recording.set_aside if held.fingerprint not in (fingerprint, recording.fingerprint))
    if recording.truth != Truth():
        aside = (*aside, SetAside(fingerprint=recording.fingerprint, truth=recording.truth))
    return replaced(recording, fingerprint=fingerprint, truth=back, set_aside=aside, device_alarms=())


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


def _free_name(incidents: Sequence[Incident], what: str = "Incident") -> str:
    taken, number = {held.name for held in incidents}, 1
    while f"{what} {number}" in taken:
        number += 1
    return f"{what} {number}"


def _in_order(held: tuple[HeldT, ...]) -> tuple[HeldT, ...]:
    return tuple(sorted(held, key=lambda one: (one.start_s, one.end_s)))


def _over(held: Verdict, alarm: Span) -> bool:
    return held.start_s <= alarm.end_s and held.end_s >= alarm.onset_s


def _within(held: Incident, alarm: Span) -> bool:
    """An incident no longer than the alarm itself, as judging it real makes one."""
    return held.start_s >= alarm.onset_s - 0.001 and held.end_s <= alarm.end_s + 0.001
