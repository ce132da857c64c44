"""The very files that a recorder would leave: clips and snapshots of a site's alarms, cut out of its recordings."""

from __future__ import annotations

import shutil
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

from north_hush.core.errors import FootageError, SiteError
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.evaluate.led_to import led_to
from north_hush.core.footage.index import FrameIndex
from north_hush.core.footage.server import FrameServer
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.grid import Grid
from north_hush.core.handover.along import OtherViews
from north_hush.core.handover.events import cues_text
from north_hush.core.handover.report import Asked, evaluated
from north_hush.core.outcome.clips import WHY_WORDS, Clip
from north_hush.core.outcome.cutting import Cut, copies, cut_copy, cut_encoded, frames_between, key_before, pictures
from north_hush.core.outcome.naming import Names
from north_hush.core.outcome.replay import Replayed
from north_hush.core.outcome.rules import Naming, Stamp
from north_hush.core.outcome.stamping import draw_stamp, save_picture, stamp_text
from north_hush.core.outcome.weight import weight_of
from north_hush.core.progress import PROGRESS
from north_hush.core.site.model import Site, View
from north_hush.core.site.recording import Recording
from north_hush.core.site.whole import write_whole
from north_hush.core.words import tr

_ENCODED_SHARE = 2.0
"""Bytes of an encoded clip against those of the recording, for the check of room on disk."""


@dataclass(frozen=True)
class Place:
    """A recording whose clips are cut."""

    site: Site
    view: View
    recording: Recording
    index: FrameIndex

    @property
    def grid(self) -> Grid:
        return self.index.grid(self.recording.orientation)

    def at(self, time_us: int) -> datetime | None:
        """The site's clock at a time after the first frame."""
        began = self.recording.began(self.index, self.site.zone)
        return None if began is None else (began + timedelta(microseconds=time_us)).astimezone(self.site.zone)

    def fields(self, start_us: int, end_us: int, item: str, kind: str) -> dict[str, str]:
        """What a pattern of names may name. Where no clock is known, times are those since the start."""
        start, end = self.at(start_us), self.at(end_us)
        spoken = {"view": self.view.name, "item": item, "kind": kind, "recording": Path(self.recording.path).stem}
        if start is None or end is None:
            first, last = (f"{us // 60_000_000:02d}m{us / 1e6 % 60:05.2f}s" for us in (start_us, end_us))
            return {**spoken, "date": "undated", "time": first, "start": first, "end": last}
        first, last = (f"{at:%Y-%m-%dT%H%M%S}.{at.microsecond // 10_000:02d}" for at in (start, end))
        return {**spoken, "date": f"{start:%Y-%m-%d}", "time": f"{start:%H%M%S}", "start": first, "end": last}


def name_of(view: View, item: str) -> str:
    """The name of an item that may be drawn no more."""
    return view.names.get(item, item)


def site_clips(
    asked: Asked, folder: Path, *, only: str | None = None, stamp: bool = False, dry: bool = False
) -> Iterator[dict[str, Any]]:
    """Cut all clips and snapshots of a site's alarms into a folder, or say which it would be; a row each, those that are dropped too.

    Raises
    ------
    SiteError : nothing is called `only`, or there is no room on disk.
    FootageError : a file cannot be written.
    """
    evaluator, names = Evaluator(), dict[str, Names]()
    others = OtherViews(evaluator, asked, make=True)
    known = {text for view in asked.site.views for text in (view.name, *view.names.values())}
    known |= {item for view in asked.site.views for item in view.names} | {view.id for view in asked.site.views}
    if only is not None and only not in known:
        raise SiteError(
            f"--only {only}", tr("names no view, zone or wire."), tr("There are {join}.", join=", ".join(sorted(known)))
        )
    for view, used in asked.views():
        for recording in view.recordings:
            try:
                index, found = evaluated(evaluator, asked, view, used, recording)
            except FootageError as error:
                PROGRESS.info("%s", error)
                continue
            with_them = others.asked_of(view, recording, index)
            led = led_to(evaluator, asked.site, view, recording, index, found, with_them, all_hours=asked.all_hours)
            place = Place(asked.site, view, recording, index)
            pattern = view.outcome.naming.pattern
            free = names.setdefault(pattern, Names(pattern))
            clips = [clip for clip in led.clips if _wanted(clip, led, view, only)]
            if not dry and clips:
                _check_room(place, clips, folder)
            for clip in clips:
                yield clip_row(place, clip, led, free, folder, stamp=stamp, dry=dry)
            if not dry:
                _cut_snapshots(place, led, free, folder, stamp=stamp, only=only)


def _wanted(clip: Clip, led: Replayed, view: View, only: str | None) -> bool:
    items = {led.alarms[number].item for number in clip.alarms}
    return (
        only is None or only in (view.name, view.id) or bool({only} & {n for i in items for n in (i, name_of(view, i))})
    )


def _check_room(place: Place, clips: Sequence[Clip], folder: Path) -> None:
    weight = weight_of(place.index)
    needed = _ENCODED_SHARE * sum(weight.between(clip.start_us, clip.end_us) for clip in clips if clip.kept)
    there = folder
    while not there.exists():
        there = there.parent
    free = shutil.disk_usage(there).free
    if needed > free:
        raise SiteError(
            str(folder),
            tr(
                "has room for {free:,.0f} MB, and the clips of {path} may take {needed:,.0f} MB.",
                free=free / 1000000.0,
                path=place.recording.path,
                needed=needed / 1000000.0,
            ),
            tr("Choose another disk, or cut fewer with --only."),
        )


def clip_row(
    place: Place, clip: Clip, led: Replayed, names: Names, folder: Path, *, stamp: bool, dry: bool
) -> dict[str, Any]:
    """Cut one clip, and say what came of it."""
    items = list(dict.fromkeys(led.alarms[number].item for number in clip.alarms))
    row: dict[str, Any] = {
        "file": None,
        "view": place.view.name,
        "item": items[0] if items else "",
        "items": items,
        "recording": place.recording.path,
        "start_s": round(clip.start_us / US_PER_S, 3),
        "end_s": round(clip.end_us / US_PER_S, 3),
        "file_start_s": None,
        "frames": 0,
        "why": WHY_WORDS[clip.why],
    }
    between = frames_between(place.index, clip.start_us, clip.end_us)
    if not clip.kept or between is None:
        return row if between is not None or not clip.kept else {**row, "why": tr("no frame lies in it")}
    naming = place.view.outcome.naming
    ending = f".{naming.container}"
    kind = next((led.alarms[number].kind for number in clip.alarms), "unclear")
    name = names.free(place.fields(clip.start_us, clip.end_us, name_of(place.view, row["item"]), kind), ending)
    target = folder.resolve() / name
    burnt = naming.stamp or (Stamp() if stamp else None)
    if dry:
        copied = burnt is None and _copied(place, ending)
        first = key_before(place.index, between[0]) if copied else between[0]
        cut = Cut(first, between[1], between[1] - first + 1, not copied)
    else:
        cut = make_clip(place, between, target, naming, burnt)
        _write_times(place, cut, led, target)
    start_s = round(int(place.index.time_us[cut.first]) / US_PER_S, 3)
    return {**row, "file": str(target), "file_start_s": start_s, "frames": cut.frames}


def _copied(place: Place, ending: str) -> bool:
    return copies(place.index, place.recording.orientation, place.view.privacy, ending)


def make_clip(place: Place, between: tuple[int, int], target: Path, naming: Naming, burnt: Stamp | None) -> Cut:
    """Cut frames of a recording into a file: copied where that can be, else encoded under its privacy masks.

    Raises
    ------
    FootageError : it cannot be read or written.
    """
    if burnt is None and _copied(place, f".{naming.container}"):
        return cut_copy(place.index, *between, target)
    began, zone = place.recording.began(place.index, place.site.zone), place.site.zone

    def draw(pixels: Any, number: int) -> None:
        if burnt is not None:
            draw_stamp(pixels, stamp_text(began, int(place.index.time_us[number]), zone), burnt)

    return cut_encoded(place.index, place.grid, *between, target, place.view.privacy, draw)


def _write_times(place: Place, cut: Cut, led: Replayed, target: Path) -> None:
    """The soft time stamp: what clock it was, and the alarms, as WebVTT beside the clip."""
    start_us, end_us = int(place.index.time_us[cut.first]), int(place.index.time_us[cut.last])
    began, zone = place.recording.began(place.index, place.site.zone), place.site.zone
    cues = [
        ((at_us - start_us) / US_PER_S, (at_us - start_us) / US_PER_S + 1, stamp_text(began, at_us, zone))
        for at_us in range(start_us, end_us + 1, US_PER_S)
    ]
    for held in led.alarms:
        if held.start_us <= end_us and held.end_us >= start_us:
            begin, last = max(held.start_us, start_us) - start_us, min(held.end_us, end_us) - start_us
            cues.append(
                (begin / US_PER_S, max(last / US_PER_S, begin / US_PER_S + 0.5), name_of(place.view, held.item))
            )
    try:
        write_whole(target.with_suffix(".vtt"), cues_text(cues).encode())
    except OSError as error:
        raise FootageError(
            str(target), tr("cannot be written ({strerror}).", strerror=error.strerror), tr("Check the disk.")
        ) from error


def _cut_snapshots(place: Place, led: Replayed, names: Names, folder: Path, *, stamp: bool, only: str | None) -> None:
    """Write the pictures that are kept while alarms last."""
    if not led.snapshots:
        return
    naming, server = place.view.outcome.naming, FrameServer(place.index)
    burnt = naming.stamp or (Stamp() if stamp else None)
    began = place.recording.began(place.index, place.site.zone)
    try:
        for shot in led.snapshots:
            held = led.alarms[shot.alarm]
            item = name_of(place.view, held.item)
            if only is not None and only not in (item, held.item, place.view.name, place.view.id):
                continue
            between = frames_between(place.index, shot.at_us, shot.at_us + 10 * US_PER_S)
            if between is None:
                continue
            first = between[0]
            for number, pixels in pictures(server, place.grid, range(first, first + 1), place.view.privacy):
                at_us = int(place.index.time_us[number])
                if burnt is not None:
                    draw_stamp(pixels, stamp_text(began, at_us, place.site.zone), burnt)
                target = folder.resolve() / names.free(
                    place.fields(at_us, at_us, item, held.kind), f".{naming.picture}"
                )
                save_picture(pixels, place.at(at_us), target)
    except OSError as error:
        raise FootageError(
            str(folder), tr("cannot be written ({strerror}).", strerror=error.strerror), tr("Check the disk.")
        ) from error
    finally:
        server.close()
