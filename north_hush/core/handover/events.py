"""Events as files: alarms with verdicts as CSV, as WebVTT beside a recording, and truth read from a file."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

from pydantic import TypeAdapter, ValidationError

from north_hush.core.errors import SiteError
from north_hush.core.footage.index import index_recording
from north_hush.core.handover.calendar import alarm_entries, write_calendar
from north_hush.core.handover.names import FileNames
from north_hush.core.handover.report import Asked, site_alarms, site_scores
from north_hush.core.judge.incidents import INCIDENTS_MAX, Incident, Truth
from north_hush.core.judge.table_file import plain_cell, table_rows, table_text
from north_hush.core.site.file import describe_invalid, find_recording
from north_hush.core.site.marking import put_truth
from north_hush.core.site.model import Site, View
from north_hush.core.site.recording import Recording
from north_hush.core.site.whole import write_whole
from north_hush.core.words import tr

ALARM_COLUMNS = (
    "view", "path", "tuning", "item", "name", "kind", "start_at", "onset_s", "start_s", "end_s", "ended_by", "peak_percent",
    "direction", "verdict",
)  # fmt: skip
_FILE_BYTES_MAX = 20_000_000


def alarms_csv(recordings: Sequence[dict[str, Any]]) -> str:
    """Alarms of `report.site_alarms` as CSV with a header."""
    out = io.StringIO()
    writer = csv.DictWriter(out, ALARM_COLUMNS, extrasaction="ignore", lineterminator="\n")
    writer.writeheader()
    for row in recordings:
        for alarm in row.get("alarms", ()):
            told = {"view": row["view"], "path": row["path"], "tuning": row["tuning"], **alarm}
            writer.writerow({name: plain_cell(value) for name, value in told.items()})
    return out.getvalue()


def webvtt(row: dict[str, Any], incidents: Sequence[Incident]) -> str:
    """Alarms and incidents of one recording as WebVTT cues (W3C WebVTT), which players show over the recording."""
    cues = [
        (
            alarm["start_s"],
            max(alarm["end_s"], alarm["start_s"] + 0.5),
            f"{alarm['name']}: {alarm.get('verdict', 'alarm')}",
        )
        for alarm in row.get("alarms", ())
    ]
    cues += [
        (held.start_s, max(held.end_s, held.start_s + 0.5), tr("incident: {name}", name=held.name))
        for held in incidents
    ]
    return cues_text(cues)


def cues_text(cues: Sequence[tuple[float, float, str]]) -> str:
    """Texts from some seconds to others as WebVTT."""
    parts = ["WEBVTT"]
    for start, end, text in sorted(cues):
        safe = text.replace("&", "&amp;").replace("<", "&lt;").replace("\n", " ").replace("-->", "->")
        parts.append(f"{_cue_time(start)} --> {_cue_time(end)}\n{safe}")
    return "\n\n".join(parts) + "\n"


def write_events(asked: Asked, folder: Path) -> Iterator[Path]:
    """Write alarms.csv, alarms.json and scores.json, for each recording a .vtt of its name, and alarms.ics where it is known when any
    alarm was; give the files.

    Raises
    ------
    SiteError : the folder cannot be written.
    """
    found, scores = site_alarms(asked), site_scores(asked)
    texts = {
        "alarms.csv": alarms_csv(found["recordings"]),
        "alarms.json": json.dumps(found, indent=1) + "\n",
        "scores.json": json.dumps(scores, indent=1) + "\n",
    }
    truths = {(view.name, held.path): held.truth for view in asked.site.views for held in view.recordings}
    names = FileNames()
    for row in found["recordings"]:
        texts[names.free(Path(row["path"]).stem, ".vtt")] = webvtt(row, truths[row["view"], row["path"]].incidents)
    for file, text in texts.items():
        target = folder / file
        try:
            folder.mkdir(parents=True, exist_ok=True)
            write_whole(target, text.encode())
        except OSError as error:
            raise SiteError(
                str(target), tr("cannot be written ({strerror}).", strerror=error.strerror), tr("Check permissions.")
            ) from error
        yield target
    entries = alarm_entries(found["recordings"])
    if entries:
        write_calendar(folder / "alarms.ics", tr("{name}, alarms", name=asked.site.name), entries)
        yield folder / "alarms.ics"


def named_recording(site: Site, site_path: Path, recording: str) -> tuple[View, Recording]:
    """A recording by its path or file name, with its view.

    Raises
    ------
    SiteError : no recording or more than one has that name.
    """
    named = [
        (view, held)
        for view in site.views
        for held in view.recordings
        if recording in (held.path, Path(held.path).name)
    ]
    if len(named) != 1:
        known = ", ".join(held.path for view in site.views for held in view.recordings)
        many = tr("names no recording") if not named else tr("names more than one recording")
        raise SiteError(
            recording,
            tr("{many_} of {site_path}.", many_=many, site_path=site_path),
            tr("It has {known}.", known=known),
        )
    return named[0]


def take_truth(site: Site, site_path: Path, recording: str, truth_path: Path) -> tuple[Site, list[str]]:
    """The site with the incidents of a file as the truth of a recording, named by its path or file name.

    Raises
    ------
    SiteError : no recording or more than one has that name, or the file makes no sense.
    """
    view, held = named_recording(site, site_path, recording)
    index = index_recording(find_recording(held, site_path))
    found, notes = read_truth(truth_path, index.duration_s, [item.id for item in view.watchers])
    return put_truth(site, view.id, held.id, found), notes


def _cue_time(seconds: float) -> str:
    whole = round(seconds * 1000)
    return f"{whole // 3_600_000:02d}:{whole // 60_000 % 60:02d}:{whole // 1000 % 60:02d}.{whole % 1000:03d}"


def read_truth(path: Path, duration_s: float, items: Sequence[str]) -> tuple[Truth, list[str]]:
    """Read incidents from JSON (a list of objects, or an object with `incidents`) or CSV with a header.

    Fields are name, start_s, end_s, and as one likes note, items (in CSV one, or several with a blank between), and in JSON
    place: rows of a time and the left, top, right and bottom of a box as fractions. Spans that overlap are kept as they are:
    two people may be there at once.

    Returns
    -------
    The truth, and what was put right: spans that reach over the recording's end are cut there.

    Raises
    ------
    SiteError : the file cannot be read, or a row makes no sense; it names the row.
    """
    rows = _rows(path)
    if len(rows) > INCIDENTS_MAX:
        raise SiteError(
            str(path),
            tr("holds {count:,} incidents, more than {incidents_max:,}.", count=len(rows), incidents_max=INCIDENTS_MAX),
            tr("Split it."),
        )
    incidents, notes = [], []
    for number, row in enumerate(rows, start=1):
        try:
            held = Incident.model_validate(_with_items(row))
        except ValidationError as error:
            raise SiteError(
                tr("{path}, incident {number}", path=path, number=number),
                describe_invalid(error),
                tr("Nothing was changed."),
            ) from error
        if held.start_s > duration_s:
            raise SiteError(
                tr("{path}, incident {number}", path=path, number=number),
                tr(
                    "starts at {start_s:g} s, after the recording's end at {duration_s:g} s.",
                    start_s=held.start_s,
                    duration_s=duration_s,
                ),
                tr("Nothing was changed: check that the file belongs to this recording."),
            )
        strange = [item for item in held.items if item not in items]
        if strange:
            raise SiteError(
                tr("{path}, incident {number}", path=path, number=number),
                tr("is of '{strange}', which is no zone or wire of this view.", strange=strange[0]),
                tr("Use one of {value}, or leave it empty.", value=", ".join(items) or "none"),
            )
        if held.end_s > duration_s:
            notes.append(tr("incident {number} was cut at the recording's end", number=number))
            held = held.model_copy(update={"end_s": max(held.start_s, round(duration_s, 3))})
        incidents.append(held)
    incidents.sort(key=lambda held: (held.start_s, held.end_s))
    return Truth(incidents=tuple(incidents), complete=True), notes


def _with_items(row: dict[str, Any]) -> dict[str, Any]:
    """A row with its items as a list; older files and tables name one as `item`."""
    told = {name: value for name, value in row.items() if name != "item"}
    items = row.get("items", row.get("item"))
    if isinstance(items, str):
        items = items.split()
    return {**told, "items": items} if items else told


def _rows(path: Path) -> list[dict[str, Any]]:
    text = table_text(path, _FILE_BYTES_MAX, tr("It should be a list of incidents."))
    if path.suffix.lower() != ".json":
        return [
            {name.strip(): value.strip() for name, value in row.items() if name and isinstance(value, str) and value}
            for row in table_rows(text, path)[1]
        ]
    try:
        held = json.loads(text)
        held = held.get("incidents", held) if isinstance(held, dict) else held
        return TypeAdapter(list[dict[str, Any]]).validate_python(held)
    except ValidationError as error:
        raise SiteError(
            str(path), tr("is no list of incidents."), tr("Write a list of objects with name, start_s, end_s.")
        ) from error
    except (ValueError, RecursionError) as error:  # numbers of thousands of digits, lists in lists in lists
        where = tr("line {lineno}", lineno=error.lineno) if isinstance(error, json.JSONDecodeError) else str(error)[:80]
        raise SiteError(str(path), tr("is not JSON ({where}).", where=where), tr("Check the file.")) from error
