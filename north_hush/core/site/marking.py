"""Named changes of what is known of a recording: incidents and verdicts on alarms."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Literal, TypeVar

import numpy as np

from north_hush.core.judge.incidents import Incident, PlaceRow, Truth, Verdict
from north_hush.core.judge.matching import Span
from north_hush.core.judge.place import boxes_at, near_in_place
from north_hush.core.site.edits import in_view
from north_hush.core.site.model import Site, View, replaced
from north_hush.core.site.recording import Recording, SetAside
from north_hush.core.words import tr

Judgement = Literal["real", "nuisance", "unsure"]
JOIN_S = 10.0
"""Real alarms no further apart, and near in place, are one incident: somebody who walks by raises several, and one is enough
to meet him."""
_APART_FRAC, _APART_FRAC_PER_S, _APART_AT_MOST_FRAC = 0.05, 0.1, 0.15
"""How far apart, in shares of the picture, two boxes may be to be of one body, how much more for each second between, and the
most: over a longer gap somebody is met again elsewhere, and chains of alarms would be one incident all over the picture."""
_SAME_MOMENT_S = 0.02
_SET_ASIDE = ("truth", "device_alarms", "clock_offset_s", "taken_at")
"""What belongs to the footage and not to its path."""

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
    """Judge alarms. A real one becomes an incident over its span, where it was (its trail), joined with those near in time and
    place. Any other becomes a verdict in the place of earlier ones on the same item. A verdict touches what it was given on:
    only an incident that judging this item's alarms real has made is withdrawn."""

    def change(truth: Truth) -> Truth:
        verdicts = _without(truth.verdicts, alarms)
        incidents = truth.incidents
        if judgement == "real":
            for alarm in alarms:
                incidents = _with_incident(incidents, _incident_of(alarm, incidents, note), JOIN_S)
            return replaced(truth, incidents=incidents, verdicts=verdicts)
        for alarm in alarms if any(one.judged_on for one in incidents) else ():
            incidents = tuple(held for one in incidents for held in _withdrawn(one, alarm))
        made = [
            Verdict(start_s=held.onset_s, end_s=held.end_s, item=held.item, kind=judgement, cause=cause, note=note)
            for held in alarms
        ]
        return replaced(truth, incidents=incidents, verdicts=_in_order((*verdicts, *made)))

    return change_truth(site, view_id, recording_id, change)


def _without(verdicts: Sequence[Verdict], alarms: Sequence[Span]) -> tuple[Verdict, ...]:
    """Verdicts that none of some alarms takes the place of: those on other items, and those at other times."""
    of_item: dict[str, list[Span]] = {}
    for alarm in alarms:
        of_item.setdefault(alarm.item, []).append(alarm)
    return tuple(held for held in verdicts if not any(_over(held, alarm) for alarm in of_item.get(held.item, ())))


def _incident_of(alarm: Span, incidents: Sequence[Incident], note: str) -> Incident:
    return Incident(
        name=_free_name(incidents),
        start_s=round(alarm.onset_s, 3),
        end_s=round(alarm.end_s, 3),
        place=alarm.trail,
        judged_on=(alarm.item,) if alarm.item else (),
        note=note,
    )


def _withdrawn(incident: Incident, alarm: Span) -> tuple[Incident, ...]:
    """What is left of an incident when an alarm it was made of is judged otherwise: the incident itself, or the same on the
    other items' alarms, or nothing."""
    if alarm.item not in incident.judged_on or incident.walk or not _within(incident, alarm):
        return (incident,)
    others = tuple(item for item in incident.judged_on if item != alarm.item)
    return (replaced(incident, judged_on=others),) if others else ()


def mark_walk(site: Site, view_id: str, recording_id: str, start_s: float, end_s: float) -> Site:
    """Mark a walk test: an incident of its own, joined with nothing, since where it begins and ends was decided."""

    def change(truth: Truth) -> Truth:
        first, last = sorted((round(max(0.0, start_s), 3), round(max(0.0, end_s), 3)))
        walk = Incident(name=_free_name(truth.incidents, tr("Walk")), start_s=first, end_s=last, walk=True)
        return replaced(truth, incidents=_in_order((*truth.incidents, walk)))

    return change_truth(site, view_id, recording_id, change)


def mark_incident(
    site: Site,
    view_id: str,
    recording_id: str,
    start_s: float,
    end_s: float,
    name: str = "",
    place: tuple[PlaceRow, ...] = (),
) -> Site:
    """Mark an incident, joined with those it overlaps that are near in place; the ends may come in either order."""
    first, last = sorted((round(max(0.0, start_s), 3), round(max(0.0, end_s), 3)))

    def change(truth: Truth) -> Truth:
        made = Incident(name=name or _free_name(truth.incidents), start_s=first, end_s=last, place=place)
        return replaced(truth, incidents=_with_incident(truth.incidents, made, named=bool(name)))

    return change_truth(site, view_id, recording_id, change)


def place_incident(
    site: Site, view_id: str, recording_id: str, place: int, at_s: float, box: tuple[float, float, float, float]
) -> Site:
    """Draw where an incident was at a moment, by its place in the list; boxes of other moments stay, one of the same moment
    is replaced."""

    def change(truth: Truth) -> Truth:
        held = truth.incidents[place]
        rows = [row for row in held.place if abs(row[0] - at_s) > _SAME_MOMENT_S]
        moved = replaced(held, place=tuple(sorted([*rows, (round(at_s, 3), *box)])))
        return replaced(truth, incidents=(*truth.incidents[:place], moved, *truth.incidents[place + 1 :]))

    return change_truth(site, view_id, recording_id, change)


def _with_incident(
    incidents: tuple[Incident, ...], made: Incident, join_s: float = 0.0, *, named: bool = False
) -> tuple[Incident, ...]:
    """Incidents with one more; those it overlaps, or that are near in time and place and of the same items, become one with
    it, under the first one's name. A walk test stays as it was marked."""
    if any(held.walk and held.start_s <= made.start_s and held.end_s >= made.end_s for held in incidents):
        return incidents
    over = [held for held in incidents if not held.walk and held.items == made.items and _near(held, made, join_s)]
    if len(over) == 1 and _holds(over[0], made):
        return incidents
    parts = sorted((*over, made), key=lambda held: (held.start_s, held.end_s))
    joined = Incident(
        name=made.name if named or not over else over[0].name,
        start_s=min(held.start_s for held in parts),
        end_s=max(held.end_s for held in parts),
        note=" ".join(held.note for held in (*over, made) if held.note)[:500],
        items=made.items,
        place=_one_way([held.place for held in parts]),
        judged_on=tuple(sorted({item for held in parts for item in held.judged_on})) if made.judged_on else (),
    )
    return _in_order((*(held for held in incidents if held not in over), joined))


def _holds(held: Incident, made: Incident) -> bool:
    """Tell whether an incident says all that another would add to it."""
    within = held.start_s <= made.start_s and held.end_s >= made.end_s
    known = set(made.place) <= set(held.place)
    return within and known and not made.note and set(made.judged_on) <= set(held.judged_on)


def _near(held: Incident, made: Incident, join_s: float) -> bool:
    apart_s = max(held.start_s - made.end_s, made.start_s - held.end_s, 0.0)
    if apart_s > join_s:
        return False
    return near_in_place(held.place, made.place, min(_APART_FRAC + _APART_FRAC_PER_S * apart_s, _APART_AT_MOST_FRAC))


def _one_way(places: Sequence[tuple[PlaceRow, ...]]) -> tuple[PlaceRow, ...]:
    """Several places as one: at each moment of any, the box round all that are there then, so that whatever lay in one of them
    lies in it too. Not known when any is not."""
    if not all(places):
        return ()
    rows: list[PlaceRow] = []
    for at_s in sorted({row[0] for place in places for row in place}):
        known = [place for place in places if place[0][0] <= at_s <= place[-1][0]]
        boxes = np.array([boxes_at(place, np.array([at_s]))[0] for place in known])
        (left, top), (right, bottom) = boxes[:, :2].min(axis=0).tolist(), boxes[:, 2:].max(axis=0).tolist()
        rows.append((at_s, round(left, 4), round(top, 4), round(right, 4), round(bottom, 4)))
    return tuple(rows)


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
    back = next((held for held in recording.set_aside if held.fingerprint == fingerprint), None)
    aside = tuple(held for held in recording.set_aside if held.fingerprint not in (fingerprint, recording.fingerprint))
    kept = {name: getattr(recording, name) for name in _SET_ASIDE}
    plain = {name: SetAside.model_fields[name].default for name in _SET_ASIDE[1:]} | {"truth": Truth()}
    if kept != plain:
        aside = (*aside, SetAside(fingerprint=recording.fingerprint, **kept))
    now = {name: getattr(back, name) for name in _SET_ASIDE} if back is not None else plain
    return replaced(recording, fingerprint=fingerprint, set_aside=aside, **now)


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


def _free_name(incidents: Sequence[Incident], what: str = tr("Incident")) -> str:
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
