"""The command line: the same core as the window, for scripts."""

from __future__ import annotations

import json
import sys
from functools import wraps
from pathlib import Path
from typing import Any, TypeVar

import click
from pydantic import ValidationError

from north_hush import __version__
from north_hush.core.errors import HushError, SiteError

CommandT = TypeVar("CommandT", bound=Any)


def _told(command: CommandT) -> CommandT:
    """Turn an error on purpose into one line on standard error and exit code 1."""

    @wraps(command)
    def run(*args: Any, **kwargs: Any) -> Any:
        try:
            return command(*args, **kwargs)
        except HushError as error:
            raise click.ClickException(str(error)) from error

    return run  # type: ignore[return-value]


@click.group(context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__, prog_name="north-hush")
def main() -> None:
    """Tune motion detection for fixed cameras against recorded footage."""


@main.command("open")
@click.argument("paths", nargs=-1, type=click.Path(path_type=Path))
@click.option("--fps", type=float, help="Frame rate of image folders, in frames/s.")
@_told
def open_command(paths: tuple[Path, ...], fps: float | None) -> None:
    """Open the window on a site file, or on recordings."""
    from north_hush.desk.app import run

    sys.exit(run(paths, fps))


@main.command()
@click.option("--open", "in_window", is_flag=True, help="Open the shipped demo in the window.")
@click.option("--fresh", is_flag=True, help="With --open: start over from the shipped demo site.")
@click.option("--seed", type=click.IntRange(0, 2**31), default=1, show_default=True)
@click.option(
    "--out", type=click.Path(path_type=Path), help="Make new recordings, their truth and a site file in this folder."
)
@click.option("--recording", "names", multiple=True, help="Make only this recording (may be repeated).")
@click.option("--seconds", type=float, help="Length of each recording in seconds.")
@_told
def demo(
    in_window: bool, fresh: bool, seed: int, out: Path | None, names: tuple[str, ...], seconds: float | None
) -> None:
    """Open the Skerry Quay demo, or make fresh recordings of it."""
    from north_hush.demo.site import lay_out_demo

    if out is None:
        site_path = lay_out_demo(fresh=fresh)
        if in_window:
            from north_hush.desk.app import run

            sys.exit(run((site_path,), None))
        click.echo(site_path)
        return
    click.echo(_make_demo(seed, out, names, seconds))


def _make_demo(seed: int, out: Path, names: tuple[str, ...], seconds: float | None) -> Path:
    from north_hush.core.site.file import SUFFIX, save_site
    from north_hush.demo.catalogue import RECORDINGS
    from north_hush.demo.render import record
    from north_hush.demo.script import write_script
    from north_hush.demo.site import demo_site

    made = []
    for script in [write_script(name, seed, seconds) for name in names or RECORDINGS]:
        with click.progressbar(length=1000, label=script.name, file=sys.stderr) as bar:
            made.append(record(script, out, lambda done, of, bar=bar: bar.update(1000 * done // of - bar.pos)))  # type: ignore[misc]
    site_path = out / f"skerry-quay{SUFFIX}"
    save_site(demo_site(made), site_path)
    return site_path


def _mark(text: str, option: str) -> tuple[str, tuple[float, float], float]:
    """Read NAME=x,y,height in fractions of the picture."""
    name, _, numbers = text.partition("=")
    try:
        x, y, height = (float(number) for number in numbers.split(","))
    except ValueError as error:
        raise SiteError(
            f"{option} {text}", "is not NAME=x,y,height in fractions.", "x,y is where the feet are."
        ) from error
    return name, (x, y), height


def _shape(text: str, option: str) -> tuple[str, tuple[tuple[float, float], ...]]:
    """Read NAME=x,y;x,y;... in fractions of the picture."""
    name, _, points = text.partition("=")
    try:
        outline = tuple((float(x), float(y)) for x, y in (point.split(",") for point in points.split(";")))
    except ValueError as error:
        raise SiteError(
            f"{option} {text}", "is not NAME=x,y;x,y... in fractions.", "Points run from 0,0 to 1,1."
        ) from error
    return name, outline


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.argument("recordings", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--zone", "zones", multiple=True, help="NAME=x,y;x,y;x,y in fractions of the picture (may be repeated).")
@click.option("--wire", "wires", multiple=True, help="NAME=x,y;x,y: a tripwire that must not be broken.")
@click.option("--mask", "masks", multiple=True, help="The same as --zone, for a mask.")
@click.option("--privacy", "privacy", multiple=True, help="The same as --zone, for a privacy mask.")
@click.option(
    "--size-mark", "size_marks", multiple=True, help="NAME=x,y,height: the height of a person whose feet are at x,y."
)
@click.option("--fps", type=float, help="Frame rate of image folders, in frames/s.")
@click.option("--name", help="Name of the site; by default that of the file.")
@_told
def new(
    site_path: Path,
    recordings: tuple[Path, ...],
    zones: tuple[str, ...],
    wires: tuple[str, ...],
    masks: tuple[str, ...],
    privacy: tuple[str, ...],
    size_marks: tuple[str, ...],
    fps: float | None,
    name: str | None,
) -> None:
    """Make a site file with one camera view of RECORDINGS."""
    from north_hush.core.footage.fingerprint import fingerprint
    from north_hush.core.footage.index import Footage, index_recording
    from north_hush.core.site import drawing, edits
    from north_hush.core.site.file import SUFFIX, describe_invalid, save_site, stored_path

    if site_path.exists():
        raise SiteError(str(site_path), "is there already.", "Choose another name, or remove it first.")
    try:
        site = edits.new_site(name or site_path.name.removesuffix(SUFFIX).removesuffix(".json"))
        view_id = site.views[0].id
        for path in recordings:
            footage = Footage(path, fps if path.is_dir() else None)
            index_recording(footage)
            site = edits.add_recording(
                site,
                view_id,
                stored_path(path, site_path),
                fingerprint=fingerprint(footage),
                frames_per_s=footage.frames_per_s,
            )
        for option, texts, add in (
            ("--zone", zones, drawing.add_zone), ("--wire", wires, drawing.add_wire), ("--mask", masks, drawing.add_mask),
            ("--privacy", privacy, drawing.add_privacy),
        ):  # fmt: skip
            for text in texts:
                item_name, outline = _shape(text, option)
                site = add(site, view_id, outline, item_name or None)
        for text in size_marks:
            item_name, foot, height = _mark(text, "--size-mark")
            site = drawing.add_size_mark(site, view_id, foot, height, item_name or None)
    except ValidationError as error:
        raise SiteError(str(site_path), describe_invalid(error), "Nothing was written.") from error
    save_site(site, site_path)
    click.echo(site_path)


@main.command()
@click.argument("recording", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
@click.option("--fps", type=float, help="Frame rate of an image folder, in frames/s.")
@click.option("--rotate", type=click.Choice(["0", "90", "180", "270"]), help="Turn clockwise by degrees.")
@click.option("--flip", is_flag=True, help="Flip left to right.")
@_told
def evidence(recording: Path, as_json: bool, fps: float | None, rotate: str | None, flip: bool) -> None:
    """Make or find the evidence of a RECORDING, and say what it is."""
    from north_hush.core.footage.fingerprint import fingerprint
    from north_hush.core.footage.index import Footage, index_recording
    from north_hush.core.footage.options import EvidenceOptions, Orientation
    from north_hush.core.footage.passes import make_evidence
    from north_hush.core.footage.store import evidence_key, find_evidence, folder_bytes, read_evidence, stored_folder

    index = index_recording(Footage(recording, fps))
    turn = (
        Orientation.model_validate({"rotation_deg": int(rotate or 0), "flip": flip})
        if rotate or flip
        else index.orientation
    )
    options = EvidenceOptions(orientation=turn)
    key = evidence_key(fingerprint(index.footage), options)
    held, folder = find_evidence(key), stored_folder(key)
    if held is None:
        made = make_evidence(index, options)
        assert made is not None
        folder = made[0]
        held = read_evidence(folder)
    facts = {
        "path": str(recording),
        "width": held.grid.width,
        "height": held.grid.height,
        "codec": index.codec,
        "frames": len(held.frames),
        "duration_s": round(held.duration_s, 3),
        "frames_per_s": round(index.frames_per_s, 3),
        "worst_interval_s": round(index.worst_interval_us / 1e6, 3),
        "taken_at": index.taken_at.isoformat() if index.taken_at else None,
        "bytes": folder_bytes(folder),
        "oddities": [*index.oddities, *held.oddities],
    }
    click.echo(
        json.dumps(facts, indent=1) if as_json else "\n".join(f"{name:>16}  {value}" for name, value in facts.items())
    )


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
@click.option("--tuning", help="Use this tuning instead of the one in use.")
@click.option(
    "--why", is_flag=True, help="With reasons: patch, path, likely cause, and the least turns that silence it."
)
@_told
def alarms(site_path: Path, as_json: bool, tuning: str | None, why: bool) -> None:
    """List the alarms of a SITE's recordings under its settings."""
    from north_hush.core.footage.index import clock_text
    from north_hush.core.site.file import load_site
    from north_hush.core.site.report import site_alarms

    found = site_alarms(load_site(site_path), site_path, tuning, why=why)
    if as_json:
        click.echo(json.dumps(found, indent=1))
        return
    for row in found["recordings"]:
        click.echo(f"{row['view']}  {row['path']}  " + (row.get("error") or f"{len(row['alarms'])} alarms"))
        for alarm in row.get("alarms", ()):
            length = alarm["end_s"] - alarm["start_s"]
            click.echo(
                f"  {clock_text(alarm['start_s'] * 1e6):>9}  {length:6.1f} s  peak {alarm['peak_percent']:6.2f} %  {alarm['name']}"
                + (f"  {_why_text(alarm['why'])}" if why else "")
            )


def _why_text(reasons: dict[str, Any]) -> str:
    text = f"{reasons['looks_like']} ({reasons['sure']:.0%} sure)"
    turns = reasons["silenced_by"]
    return text + (f"; silenced by {turns[0]['dial']} {turns[0]['value']:g}" if turns else "")


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.option("--out", required=True, type=click.Path(path_type=Path, file_okay=False), help="Folder for the images.")
@click.option("--format", "kind", type=click.Choice(["png", "pgm", "pgm-plain"]), default="png", show_default=True)
@click.option(
    "--polarity",
    type=click.Choice(["white-watched", "black-watched"]),
    default="white-watched",
    show_default=True,
    help="What white, or black, stands for; grey is part strength.",
)
@_told
def masks(site_path: Path, out: Path, kind: str, polarity: str) -> None:
    """Write the detection and privacy masks of a SITE's views as images of exactly the picture's size."""
    from north_hush.core.site.file import load_site
    from north_hush.core.site.masks import write_masks

    for path in write_masks(load_site(site_path), site_path, out, kind, polarity.replace("-", "_")):  # type: ignore[arg-type]
        click.echo(path)


@main.command("print")
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.option("--out", required=True, type=click.Path(path_type=Path, file_okay=False), help="Folder for the pictures.")
@_told
def print_wires(site_path: Path, out: Path) -> None:
    """Write the wire prints of a SITE's tripwires over its recordings as PNG, marked with their alarms."""
    from north_hush.core.site.file import load_site
    from north_hush.core.site.prints import write_prints

    for path in write_prints(load_site(site_path), site_path, out):
        click.echo(path)


@main.command("score")
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
@click.option("--tuning", help="Use this tuning instead of the one in use.")
@_told
def score_command(site_path: Path, as_json: bool, tuning: str | None) -> None:
    """Score a SITE's settings against its incidents, per recording and in all."""
    from north_hush.core.site.file import load_site
    from north_hush.core.site.report import site_scores

    found = site_scores(load_site(site_path), site_path, tuning)
    if as_json:
        click.echo(json.dumps(found, indent=1))
        return
    for row in (*found["recordings"], *found["in_all"]):
        what = row.get("path", "in all")
        click.echo(f"{row['view']}  {what}  " + (row.get("error") or _score_text(row)))


def _score_text(row: dict[str, Any]) -> str:
    if not row["incidents"]:
        return f"{row['alarms']} alarms; no incident is marked, so nothing can be said of them"
    text = (
        f"{row['met']} of {row['incidents']} incidents met, {row['nuisance']} nuisance alarms, {row['repeats']} repeats"
    )
    text += f", {row['not_judged']} alarms not judged" if row["not_judged"] else ""
    return text + (f"; missed: {', '.join(row['missed'])}" if row["missed"] else "")


@main.command()
@click.option("--seeds", type=click.IntRange(1, 100), default=10, show_default=True, help="How many seeds.")
@click.option("--first", type=click.IntRange(2, 2**31), default=21, show_default=True, help="The first seed.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
@click.option(
    "--keep", type=click.Path(path_type=Path), help="Keep the recordings in this folder, and use those in it."
)
@_told
def trial(seeds: int, first: int, as_json: bool, keep: Path | None) -> None:
    """Score the demo's tunings, factory and tuned, on recordings of other seeds."""
    from north_hush.demo.trial import run_trial

    found = run_trial(range(first, first + seeds), keep, lambda said: click.echo(said, err=True))
    if as_json:
        click.echo(json.dumps(found, indent=1))
        return
    for name, row in found["in_all"].items():
        click.echo(
            f"{name}: {_score_text(row)}; {row['nuisance_time_percent']} % of the time outside incidents in alarm"
        )


@main.command()
@_told
def schema() -> None:
    """Print the JSON Schema of the site file."""
    from north_hush.core.site.file import site_schema

    click.echo(json.dumps(site_schema(), indent=1))


@main.command()
@click.argument("out", type=click.Path(path_type=Path))
@_told
def example(out: Path) -> None:
    """Do the main job on the demo without a monitor: alarms under both tunings, and a picture of the window, into OUT."""
    from north_hush.core.site.file import load_site
    from north_hush.core.site.report import site_alarms
    from north_hush.demo.site import lay_out_demo
    from north_hush.desk.app import picture_of_window

    site_path = lay_out_demo(out, fresh=True)
    site = load_site(site_path)
    for tuning in site.views[0].tunings:
        found = site_alarms(site, site_path, tuning.name)
        target = out / f"alarms-{tuning.name}.json"
        target.write_text(json.dumps(found, indent=1) + "\n")
        click.echo(
            f"{tuning.name}: {sum(len(row.get('alarms', ())) for row in found['recordings'])} alarms, in {target}"
        )
    click.echo(f"window: {picture_of_window(site_path, out / 'window.png')}")


@main.command()
def prepare() -> None:
    """Compile the hot kernels ahead of time; later starts find them on disk."""
    from north_hush.core.prepare import compile_kernels

    compile_kernels()


@main.command("_pass", hidden=True)
def pass_command() -> None:
    from north_hush.core.footage.pass_worker import serve

    sys.exit(serve())


@main.command("_print", hidden=True)
def print_command() -> None:
    from north_hush.core.footage.print_worker import serve

    sys.exit(serve())


@main.command("_frames", hidden=True)
def frames_command() -> None:
    from north_hush.core.footage.frame_worker import serve

    sys.exit(serve())
