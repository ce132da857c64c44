"""The device's own alarm list in a site: taken from a file, and compared with the settings in use."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from north_hush.core.errors import SiteError
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.footage.index import index_recording
from north_hush.core.handover.events import named_recording
from north_hush.core.handover.report import Asked, evaluated
from north_hush.core.handover.rows import score_row
from north_hush.core.judge.device import AlarmTable, Choice, DeviceAlarm, device_alarms, device_spans
from north_hush.core.judge.ledger import STATES, ledger
from north_hush.core.judge.score import score
from north_hush.core.site.edits import change_recording
from north_hush.core.site.file import find_recording
from north_hush.core.site.model import Site
from north_hush.core.words import tr


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


def take_contacts(
    site: Site, site_path: Path, recording: str, table: AlarmTable, choice: Choice, contact: str | None
) -> tuple[Site, tuple[DeviceAlarm, ...], int]:
    """The site with the times at which input contacts were on over a recording, those times, and how many lay outside of it. All are of
    one contact where it is named, else of the one that each row names.

    Raises
    ------
    SiteError : no recording has that name, a row makes no sense, or nothing says of which contact it is.
    FootageError : the recording is not there or cannot be read.
    """
    view, held = named_recording(site, site_path, recording)
    index = index_recording(find_recording(held, site_path))
    found = device_alarms(table, choice, index.duration_s, held.began(index, site.zone), site.zone)
    taken = tuple(one.model_copy(update={"label": contact}) if contact else one for one in found.alarms)
    if any(not one.label for one in taken):
        raise SiteError(str(table.path), tr("does not say of which contact a row is."), tr("Name one: --contact NAME."))
    kept = tuple(one for one in held.contacts if one.label not in {new.label for new in taken})
    return change_recording(site, view.id, held.id, contacts=(*kept, *taken)), taken, found.outside


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
