"""The demo site: the slipway camera with its recordings, starting zones and two tunings."""

from __future__ import annotations

import shutil
from importlib import resources
from pathlib import Path

import numpy as np
import platformdirs
from numpy.typing import NDArray

from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.errors import HushError, SiteError
from north_hush.core.footage.fingerprint import fingerprint
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.judge.incidents import Incident, PlaceRow, Truth
from north_hush.core.scene.outline import Point
from north_hush.core.site.drawing import add_mask, add_privacy, add_size_mark, add_wire, add_zone
from north_hush.core.site.edits import (
    add_recording,
    add_tuning,
    change_recording,
    new_site,
    put_settings,
    use_tuning,
)
from north_hush.core.site.file import SUFFIX
from north_hush.core.site.model import Site
from north_hush.core.site.saving import save_site
from north_hush.demo.camera import HEIGHT_PX, WIDTH_PX, project
from north_hush.demo.catalogue import CROWD, GALE, RECORDINGS, WIRES_PX
from north_hush.demo.truth import Incident as RenderedIncident
from north_hush.demo.truth import Truth as Rendered
from north_hush.demo.tuned import tuned_settings

SITE_NAME = "Skerry Quay"
_PLACE_STEP_S = 0.2
_SLIPWAY_PX = ((60, 538), (246, 300), (370, 226), (612, 226), (660, 300), (802, 538))
_QUAY_PX = ((8, 156), (542, 156), (542, 188), (8, 188))
_WINDOW_PX = ((824, 220), (860, 220), (860, 310), (824, 310))
_PERSON_M = 1.75
_PEOPLE_AT = (("Near person", 1.2, 10.0), ("Far person", 0.6, 26.0))
"""Names of the size marks, and where they stand: metres to the right of the middle, and away from the camera."""
_CLOCK_PX = ((6, 6), (408, 6), (408, 34), (6, 34))

_NOISY = ZoneSettings(change_limit_grey=3.0, start_percent=0.8, clear_percent=0.8, confirm_frames=1, release_frames=3)
_NOISY_WIRE = ZoneSettings(
    change_limit_grey=3.0, start_percent=4.0, clear_percent=4.0, confirm_frames=1, release_frames=3
)
_LIGHTS = {"afternoon": "day", "dusk": "dusk", "night": "night", "snow": "day"}


def demo_site(recordings: list[Path]) -> Site:
    """Build the site for recordings that lie beside where the site file will be."""
    site = new_site(SITE_NAME, "Slipway")
    view_id = site.views[0].id
    for path in recordings:
        site = add_recording(site, view_id, path.name, fingerprint=fingerprint(Footage(path)))
    site = add_zone(site, view_id, _frac(_SLIPWAY_PX), "Slipway")
    site = add_zone(site, view_id, _frac(_QUAY_PX), "Far quay")
    for name, first, second in WIRES_PX:
        site = add_wire(site, view_id, _frac((first, second)), name)
    site = add_mask(site, view_id, _frac(_CLOCK_PX), "Clock")
    site = add_privacy(site, view_id, _frac(_WINDOW_PX), "Loft window")
    for name, across_m, depth_m in _PEOPLE_AT:
        foot, head = project([(across_m, 0.0, depth_m), (across_m, _PERSON_M, depth_m)]).tolist()
        height_frac = round((foot[1] - head[1]) / HEIGHT_PX, 5)
        site = add_size_mark(site, view_id, _frac(((foot[0], foot[1]),))[0], height_frac, name)
    site = add_tuning(site, view_id, "tuned")
    for number, path in enumerate(recordings):
        light = _LIGHTS.get(path.stem, "day")
        recording_id = site.views[0].recordings[number].id
        site = change_recording(site, view_id, recording_id, light=light, truth=_truth(path))
    tuned = tuned_settings()
    for watcher in site.views[0].watchers:
        noisy = _NOISY_WIRE if watcher in site.views[0].wires else _NOISY
        site = put_settings(site, view_id, "factory", watcher.id, noisy)
        site = put_settings(site, view_id, "tuned", watcher.id, tuned.get(watcher.id, noisy))
    return use_tuning(site, view_id, "factory")


def gale_site(recording: Path) -> Site:
    """The gale as a site of its own: its camera is turned, so that what is drawn on the other would lie."""
    site = new_site("Skerry Quay in a gale", "Slipway")
    site = add_recording(site, "view-1", recording.name, fingerprint=fingerprint(Footage(recording)))
    return change_recording(site, "view-1", "recording-1", truth=_truth(recording))


def _truth(recording: Path) -> Truth:
    """What really happens in a demo recording, by the truth beside it."""
    truth_path = recording.with_suffix(".truth.json")
    if not truth_path.exists():
        return Truth()
    rendered = Rendered.model_validate_json(truth_path.read_text("utf-8"))
    time_us = index_recording(Footage(recording)).time_us
    held = (
        Incident(name=one.name, start_s=one.start_s, end_s=one.end_s, place=_place(one, time_us))
        for one in rendered.incidents
    )
    return Truth(incidents=tuple(held), complete=True)


def _place(incident: RenderedIncident, time_us: NDArray[np.int64]) -> tuple[PlaceRow, ...]:
    """Where an incident was, about every 0.2 s and at its last frame, wherever anything of it can be seen."""
    rows: list[PlaceRow] = []
    last = len(incident.boxes) - 1
    for number, box in enumerate(incident.boxes):
        at_s = int(time_us[min(incident.first_frame + number, len(time_us) - 1)]) / US_PER_S
        if box is not None and (not rows or at_s - rows[-1][0] >= _PLACE_STEP_S or number == last):
            rows.append((round(at_s, 3), *box))
    return tuple(rows)


def _frac(points_px: tuple[tuple[float, float], ...]) -> tuple[Point, ...]:
    return tuple((round(x / WIDTH_PX, 5), round(y / HEIGHT_PX, 5)) for x, y in points_px)


def demo_folder() -> Path:
    """Where the demo is laid out for the user to work on."""
    return Path(platformdirs.user_data_path("north-hush")) / "Skerry Quay"


def shipped_recordings() -> list[Path]:
    """The recordings of the demo's site that ship with North Hush, their truth beside them; the gale is a site of its own."""
    return [demo_recording(name) for name in (*RECORDINGS, CROWD)]


def demo_recording(name: str) -> Path:
    """One of the demo's recordings by name.

    Raises
    ------
    SiteError : there is none of that name.
    """
    known = (*RECORDINGS, CROWD, GALE)
    if name not in known:
        raise SiteError(f"recording '{name}'", "is no file and none of the demo.", f"The demo has {', '.join(known)}.")
    return Path(str(resources.files("north_hush.demo") / "data" / f"{name}.mp4"))


def lay_out_demo(folder: Path | None = None, *, fresh: bool = False) -> Path:
    """Copy the shipped demo into a folder and return its site file, beside which that of the gale lies; earlier ones are kept unless
    `fresh`.

    Raises
    ------
    HushError : the folder cannot be written.
    """
    folder = folder or demo_folder()
    site_path = folder / f"skerry-quay{SUFFIX}"
    try:
        folder.mkdir(parents=True, exist_ok=True)
        copies = []
        for source in (*shipped_recordings(), demo_recording(GALE)):
            copies.append(folder / source.name)
            for item in (source, source.with_suffix(".truth.json"), source.with_suffix(".device.csv")):
                target = folder / item.name
                if item.exists() and (not target.exists() or target.stat().st_size != item.stat().st_size):
                    shutil.copyfile(item, target)
    except OSError as error:
        raise HushError(
            str(folder), f"cannot be written ({error.strerror}).", "Free some space or check permissions."
        ) from error
    gale_path = folder / f"{GALE}{SUFFIX}"
    if fresh or not site_path.exists():
        save_site(demo_site(copies[:-1]), site_path)
    if fresh or not gale_path.exists():
        save_site(gale_site(copies[-1]), gale_path)
    return site_path
