"""The device's own alarm list in a site: taken from a file, and compared with the settings in use."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.footage.index import index_recording
from north_hush.core.handover.events import named_recording
from north_hush.core.handover.report import Asked, evaluated, score_row
from north_hush.core.judge.device import AlarmTable, Choice, device_alarms, device_spans
from north_hush.core.judge.ledger import STATES, ledger
from north_hush.core.judge.score import score
from north_hush.core.site.edits import change_recording
from north_hush.core.site.file import find_recording
from north_hush.core.site.model import Site


def take_device(site: Site, site_path: Path, recording: str, table: AlarmTable, choice: Choice) -> tuple[Site, int]:
    """The site with a list of alarms kept with a recording, and how many of them lay outside of it.

    Raises
    ------
    SiteError : no recording has that name, or a row makes no sense.
    FootageError : the recording is not there or cannot be read.
    """
    view, held = named_recording(site, site_path, recording)
    index = index_recording(find_recording(held, site_path))
    found = device_alarms(table, choice, index.duration_s, held.began(index, site.zone), site.zone)
    return change_recording(site, view.id, held.id, device_alarms=found.alarms), found.outside


def compare_device(site: Site, site_path: Path, recording: str) -> dict[str, Any]:
    """The score of the device's alarms beside that of the tuning in use, and what became of each.

    Raises
    ------
    SiteError : no recording has that name.
    FootageError : the recording is not there or cannot be read.
    """
    view, held = named_recording(site, site_path, recording)
    now = evaluated(Evaluator(), Asked(site, site_path, all_hours=True), view, view.tuning, held)[1]
    device = device_spans(held.device_alarms)
    found = ledger(device, now.spans, held.truth, by_item=False)
    return {
        "path": held.path,
        "tuning": view.tuning_in_use,
        "device": score_row([score(device, held.truth, now.evidence.footage_s, [None] * len(held.truth.incidents))]),
        "now": score_row([now.score]),
        "ledger": {state: found.count(state) for state in STATES},
        "lost_incidents": list(found.lost_incidents),
    }
