"""What happened at all cameras, to be looked through on one time line: marks, and where there is footage of them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any, Literal

from north_hush.core.site.model import View
from north_hush.core.site.recording import Recording

Form = Literal["zone", "wire", "sensor", "fault"]
_AROUND_S, _LONGEST_S = 2.0, 20.0
"""Of a mark so much is played before and after, and of a long one no more than this."""


@dataclass(frozen=True)
class Mark:
    """An alarm or a fault, from when to when; `end` is `start` where it has no length or still runs.

    Attributes
    ----------
    view : the camera's view, by id
    picture : path of the picture that began it; '' without one
    """

    view: str
    item: str
    form: Form
    start: datetime
    end: datetime
    said: str = ""
    picture: str = ""


def marks_of(events: Iterable[dict[str, Any]], views: Sequence[View]) -> list[Mark]:
    """Alarms and faults of some views out of the events of the store, by their start. Walk tests are none."""
    by_name = {view.name: view for view in views}
    found, running = list[Mark](), dict[tuple[str, str], int]()
    for event in events:
        view = by_name.get(event["view"])
        if view is None or event.get("walk"):
            continue
        at, key = datetime.fromisoformat(event["time_utc"]), (view.id, event["item"])
        if event["what"] == "alarm_start":
            running[key] = len(found)
            found.append(Mark(*key, _form(view, event["item"]), at, at, "", str(event.get("picture", ""))))
        elif event["what"] == "alarm_end" and key in running:
            begun = found[running[key]]
            found[running.pop(key)] = Mark(*key, begun.form, begun.start, max(at, begun.start), "", begun.picture)
        elif event["what"] == "fault":
            found.append(Mark(view.id, "", "fault", at, at, str(event.get("fault", ""))))
    return sorted(found, key=lambda mark: (mark.start, mark.view, mark.item))


def _form(view: View, item: str) -> Form:
    if any(wire.id == item for wire in view.wires):
        return "wire"
    return "sensor" if any(sensor.id == item for sensor in view.sensors) else "zone"


def recorded(events: Iterable[dict[str, Any]], view: View) -> View:
    """The view with the files that the service recorded of it as its recordings, as far as they are still there; clips beside footage
    of the same time are left out."""
    files = [
        (datetime.fromisoformat(event["start_utc"]), datetime.fromisoformat(event["time_utc"]), event)
        for event in events
        if event["view"] == view.name
        and event["what"] in ("clip", "footage")
        and event.get("file")
        and "start_utc" in event
    ]
    there = [held for held in files if Path(held[2]["file"]).exists()]
    footage = [(start, end) for start, end, event in there if event["what"] == "footage"]
    kept = [
        held
        for held in there
        if held[2]["what"] == "footage" or not any(start <= held[0] and held[1] <= end for start, end in footage)
    ]
    turned = next((held.orientation for held in view.recordings if held.orientation is not None), None)
    recordings = [
        Recording(
            id=f"file-{number}", path=event["file"], taken_at=start, orientation=turned,
            length_s=max(0.0, (end - start).total_seconds()),
        )
        for number, (start, end, event) in enumerate(sorted(kept, key=lambda held: held[0]), start=1)
    ]  # fmt: skip
    return view.model_copy(update={"recordings": tuple(recordings)})


def played(marks: Sequence[Mark]) -> list[tuple[str, datetime, datetime]]:
    """What is played back to back: each alarm with some time around it, those of a view that overlap as one."""
    found = list[tuple[str, datetime, datetime]]()
    latest = dict[str, int]()
    for mark in marks:
        if mark.form == "fault":
            continue
        start = mark.start - timedelta(seconds=_AROUND_S)
        end = min(mark.end, mark.start + timedelta(seconds=_LONGEST_S)) + timedelta(seconds=_AROUND_S)
        place = latest.get(mark.view)
        if place is not None and start <= found[place][2]:
            found[place] = (mark.view, found[place][1], max(end, found[place][2]))
            continue
        latest[mark.view] = len(found)
        found.append((mark.view, start, end))
    return sorted(found, key=lambda held: held[1])
