"""The device's own alarm list in a site: taken from a file, and compared with the settings in use."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from north_hush.core.detect.replay import Replay
from north_hush.core.footage.index import corrected_taken_at, index_recording
from north_hush.core.judge.device import AlarmTable, Choice, device_alarms, device_spans
from north_hush.core.judge.ledger import STATES, ledger
from north_hush.core.judge.score import score, spans_of
from north_hush.core.site.edits import change_recording
from north_hush.core.site.events import named_recording
from north_hush.core.site.file import find_recording
from north_hush.core.site.model import Site
from north_hush.core.site.report import recording_evidence, score_row


def take_device(site: Site, site_path: Path, recording: str, table: AlarmTable, choice: Choice) -> tuple[Site, int]:
    """The site with a list of alarms kept with a recording, and how many of them lay outside of it.

    Raises
    ------
    SiteError : no recording has that name, or a row makes no sense.
    FootageError : the recording is not there or cannot be read.
    """
    view, held = named_recording(site, site_path, recording)
    index = index_recording(find_recording(held, site_path))
    found = device_alarms(table, choice, index.duration_s, corrected_taken_at(index, held.clock_offset_s))
    return change_recording(site, view.id, held.id, device_alarms=found.alarms), found.outside


def compare_device(site: Site, site_path: Path, recording: str) -> dict[str, Any]:
    """The score of the device's alarms beside that of the tuning in use, and what became of each.

    Raises
    ------
    SiteError : no recording has that name.
    FootageError : the recording is not there or cannot be read.
    """
    view, held = named_recording(site, site_path, recording)
    evidence = recording_evidence(held, site_path)
    lanes = Replay().lanes(evidence, view.plan, view.tuning.settings)
    device, now = device_spans(held.device_alarms), spans_of(lanes, evidence.time_us)
    found = ledger(device, now, held.truth, by_item=False)
    return {
        "path": held.path,
        "tuning": view.tuning_in_use,
        "device": score_row(score(device, held.truth, evidence.duration_s)),
        "now": score_row(score(now, held.truth, evidence.duration_s)),
        "ledger": {state: found.count(state) for state in STATES},
        "lost_incidents": list(found.lost_incidents),
    }
