"""A day of short clips at the slipway, as a recorder leaves them that keeps what moved: for Hours, and for footage on the clock.

Made again with `python -m north_hush.demo.day --seed 9`: each clip is a window of one of the demo's scripts, with the day's own clock.
"""

from __future__ import annotations

import json
import shutil
import sys
from collections.abc import Iterator
from dataclasses import dataclass, replace
from datetime import date, datetime, time, timedelta
from importlib import resources
from pathlib import Path
from zoneinfo import ZoneInfo

import click

from north_hush.core.errors import HushError
from north_hush.core.footage.gathering import gathered
from north_hush.core.hours.clock import Place
from north_hush.core.judge.incidents import Incident, Truth
from north_hush.core.site import edits
from north_hush.core.site.file import SUFFIX
from north_hush.core.site.model import Site, replaced
from north_hush.core.site.saving import save_site
from north_hush.demo.crossings import walkers_of
from north_hush.demo.encode import Encoder
from north_hush.demo.nuisances.clock import Clock
from north_hush.demo.render import Rendered, box_frac, render
from north_hush.demo.script import Play, Script, write_script
from north_hush.demo.shot import Shot, Span
from north_hush.demo.site import demo_folder, demo_site

DAY = date(2026, 9, 23)
"""A Wednesday, with almost as much night as day."""
ZONE, PLACE = "Atlantic/Faroe", Place(latitude=62.01, longitude=-6.77)
ARMED = "Mo-Fr 20:00-07:00; Sa,Su"
"""While the quay is closed: it is open on weekdays, for the ferry at ten past nine and until eight."""
RECORDING = 'Mo-Fr 20:00-07:00 "always", Mo-Fr 07:00-20:00 "on alarm"; Sa,Su "always"'
NOTIFYING = "Mo-Fr 22:00-06:00; Sa,Su"
_CLIP_S, _BYTES_MAX = 20.0, 330_000
_ENTERS_S = 2.0
_PLACE_STEP = 2


@dataclass(frozen=True)
class Window:
    """A clip: when it was on the site's clock, and what of a script it shows: from a play's first steps on, or from a time."""

    at: time
    script: str
    shows: int | float
    counts: bool = False
    """Whether who is seen there is an incident: by day people come and go."""


WINDOWS = (
    Window(time(0, 41, 10), "night", 0, True), Window(time(1, 47, 12), "night", 1, True), Window(time(2, 20, 30), "night", 0.5),
    Window(time(3, 12, 40), "night", 2, True), Window(time(4, 50, 5), "night", 3, True), Window(time(6, 20, 0), "dusk", 145.0),
    Window(time(6, 48, 20), "dusk", 0, True), Window(time(9, 10, 0), "afternoon", 64.0), Window(time(10, 25, 30), "afternoon", 0),
    Window(time(11, 42, 0), "afternoon", 1), Window(time(13, 5, 10), "afternoon", 3), Window(time(14, 30, 40), "afternoon", 147.0),
    Window(time(16, 12, 0), "afternoon", 5), Window(time(17, 40, 0), "afternoon", 188.5), Window(time(19, 41, 30), "dusk", 2, True),
    Window(time(20, 5, 10), "dusk", 1, True), Window(time(20, 31, 0), "dusk", 40.0),
)  # fmt: skip


@dataclass(frozen=True)
class _DayClock(Clock):
    """Shows the time of the day of each clip."""

    shown: tuple[tuple[Span, datetime], ...] = ()

    def _text(self, time_s: float) -> str:
        for (start, end), at in self.shown:
            if start <= time_s < end:
                return (at + timedelta(seconds=time_s - start)).strftime("%Y-%m-%d %H:%M:%S  SKERRY SLIP")
        return super()._text(time_s)

    def apply(self, shot: Shot, time_s: float) -> None:
        if any(start <= time_s < end for (start, end), _ in self.shown):
            super().apply(shot, time_s)


def spans_of(script: Script) -> dict[Window, Span]:
    """From when to when of a script each of its windows shows, in seconds."""
    found = {}
    for window in (held for held in WINDOWS if held.script == script.name):
        first = window.shows
        if isinstance(first, int):
            first = walkers_of(script.plays[first])[0].path.start_s + _ENTERS_S
        found[window] = (float(first), min(float(first) + _CLIP_S, script.duration_s))
    begins = sorted(start for start, _ in found.values())
    for window, (start, end) in found.items():  # one that would reach into the next is shorter
        found[window] = (start, min([end, *(later for later in begins if later > start)]))
    return found


def clip_name(window: Window) -> str:
    """What a recorder calls it."""
    return f"slip_{DAY:%Y%m%d}_{window.at:%H%M%S}"


def record_day(seed: int, out: Path) -> list[Path]:
    """Render all clips of a seed into a folder, what happens in each beside them."""
    out.mkdir(parents=True, exist_ok=True)
    told, made = dict[str, object](), list[Path]()
    for name in dict.fromkeys(window.script for window in WINDOWS):
        script = write_script(name, seed)
        spans = spans_of(script)
        shown = tuple((span, datetime.combine(DAY, window.at)) for window, span in spans.items())
        nuisances = (held for held in script.nuisances if not isinstance(held, Clock))
        script = replace(
            script, nuisances=(*nuisances, _DayClock(script.taken_at, script.duration_s, shown=shown)), gap_at_s=None
        )
        for window, frames in _windows(script, spans):
            path = out / f"{clip_name(window)}.mp4"
            _write(path, script, frames)
            made.append(path)
            told[path.name] = {
                "light": script.name if script.name in ("dusk", "night") else "day",
                "incidents": _seen(script.plays, frames, window),
            }
            click.echo(path.name, err=True)
    (out / "day.json").write_text(json.dumps(told, separators=(",", ":")) + "\n")
    return made


def _windows(script: Script, spans: dict[Window, Span]) -> Iterator[tuple[Window, list[Rendered]]]:
    """The frames of each window, their times from its start."""
    frames: dict[Window, list[Rendered]] = {window: [] for window in spans}
    last = max(end for _, end in spans.values())
    for frame in render(script):
        for window, (start, end) in spans.items():
            if start <= frame.time_s < end:
                frames[window].append(replace(frame, time_s=frame.time_s - start))
            elif frame.time_s >= end and frames[window]:
                yield window, frames.pop(window)
                frames[window] = []
        if frame.time_s >= last:
            break
    yield from ((window, held) for window, held in frames.items() if held)


def _write(path: Path, script: Script, frames: list[Rendered]) -> None:
    first = frames[0].time_s
    part = replace(script, duration_s=_CLIP_S, bytes_max=_BYTES_MAX, key_interval=20, sounds=())
    with Encoder(path, part, stated=False) as encoder:
        for frame in frames:
            encoder.add(replace(frame, time_s=frame.time_s - first))


def _seen(plays: tuple[Play, ...], frames: list[Rendered], window: Window) -> list[dict[str, object]]:
    """Who is seen in a clip, as incidents of the site."""
    found, first = [], frames[0].time_s
    for number, play in enumerate(plays if window.counts else ()):
        seen = [(round(frame.time_s - first, 3), frame.boxes[number]) for frame in frames]
        rows = [(at, *box_frac(box)) for at, box in seen if box is not None]
        if rows and (window.shows == number or len(rows) > 10):
            found.append(
                {
                    "name": play.name,
                    "start_s": rows[0][0],
                    "end_s": rows[-1][0],
                    "place": [*rows[:-1:_PLACE_STEP], rows[-1]],
                }
            )
    return found


def day_site(folder: Path, site_folder: Path) -> Site:
    """The site of the clips in a folder, with the demo's drawing and its tuned settings, and hours that make sense."""
    told = json.loads((folder / "day.json").read_text("utf-8"))
    drawn = demo_site([])
    site = replaced(drawn, name="Skerry Quay, one day", time_zone=ZONE, place=PLACE)
    rows = [
        (str(held.path.relative_to(site_folder)), held)
        for held in gathered(sorted(folder.glob("*.mp4")), ZoneInfo(ZONE)).recordings
    ]
    site = edits.use_tuning(edits.add_gathered(site, "view-1", rows), "view-1", "tuned")
    for recording in site.views[0].recordings:
        facts = told[Path(recording.path).name]
        incidents = tuple(Incident.model_validate(held) for held in facts["incidents"])
        site = edits.change_recording(
            site, "view-1", recording.id, light=facts["light"], truth=Truth(incidents=incidents, complete=True)
        )
    for kind, text in (("armed", ARMED), ("recording", RECORDING), ("notifying", NOTIFYING)):
        site = edits.set_hours(site, "view-1", "", kind, text)
    return site


def lay_out_day(folder: Path | None = None, *, fresh: bool = False) -> Path:
    """Copy the day's clips into a folder and return the site file beside them; an earlier one is kept unless `fresh`.

    Raises
    ------
    HushError : the folder cannot be written.
    """
    folder = folder or demo_folder()
    site_path, clips = folder / f"skerry-quay-day{SUFFIX}", folder / "one day"
    try:
        clips.mkdir(parents=True, exist_ok=True)
        for source in sorted(Path(str(resources.files("north_hush.demo") / "data" / "day")).iterdir()):
            target = clips / source.name
            if not target.exists() or target.stat().st_size != source.stat().st_size:
                shutil.copyfile(source, target)
    except OSError as error:
        raise HushError(
            str(folder), f"cannot be written ({error.strerror}).", "Free some space or check permissions."
        ) from error
    if fresh or not site_path.exists():
        save_site(day_site(clips, folder), site_path)
    return site_path


@click.command()
@click.option("--seed", type=click.IntRange(0, 2**31), required=True)
@click.option("--out", type=click.Path(path_type=Path), help="By default where the demo keeps them.")
def make(seed: int, out: Path | None) -> None:
    """Render the day's clips anew."""
    record_day(seed, out or Path(str(resources.files("north_hush.demo") / "data" / "day")))


if __name__ == "__main__":
    sys.exit(make())
