"""Commands that open or make something: the window, the demo, sites."""

from __future__ import annotations

import contextlib
import json
import sys
import threading
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

import click
from pydantic import ValidationError

from north_hush.cli.group import json_option, main, points_of, tell_files, told
from north_hush.core.errors import SiteError

if TYPE_CHECKING:
    from north_hush.core.scene.items import Watches
    from north_hush.core.site.model import Site


@main.command("open")
@click.argument("paths", nargs=-1, type=click.Path(path_type=Path))
@click.option("--fps", type=float, help="Frame rate of image folders, in frames/s.")
@click.option("--stage", default="", help="Which stage to show, such as watch.")
@told
def open_command(paths: tuple[Path, ...], fps: float | None, stage: str) -> None:
    """Open the window on a site file, or on recordings."""
    from north_hush.desk.language import take_up

    take_up()
    from north_hush.desk.app import run

    sys.exit(run(paths, fps, stage))


@main.command()
@click.option("--open", "in_window", is_flag=True, help="Open the shipped demo in the window.")
@click.option("--fresh", is_flag=True, help="With --open: start over from the shipped demo site.")
@click.option(
    "--live", is_flag=True, help="Two stand-in cameras and a site that watches them; with --open in the window."
)
@click.option("--day", is_flag=True, help="A day of short clips with hours instead; with --open in the window.")
@click.option("--seed", type=click.IntRange(0, 2**31), default=1, show_default=True)
@click.option(
    "--out", type=click.Path(path_type=Path), help="Make new recordings, their truth and a site file in this folder."
)
@click.option("--recording", "names", multiple=True, help="Make only this recording (may be repeated).")
@click.option("--seconds", type=float, help="Length of each recording in seconds.")
@json_option
@told
def demo(
    in_window: bool,
    fresh: bool,
    live: bool,
    day: bool,
    seed: int,
    out: Path | None,
    names: tuple[str, ...],
    seconds: float | None,
    as_json: bool,
) -> None:
    """Open the Skerry Quay demo, or make fresh recordings of it."""
    if in_window:
        from north_hush.desk.language import take_up

        take_up()
    from north_hush.demo.day import lay_out_day
    from north_hush.demo.site import lay_out_demo

    if live:
        _show_live(fresh=fresh, in_window=in_window)
        return
    if out is None:
        site_path = (lay_out_day if day else lay_out_demo)(fresh=fresh)
        if in_window:
            from north_hush.desk.app import run

            sys.exit(run((site_path,), None))
        tell_files([site_path], as_json=as_json)
        return
    tell_files([_make_demo(seed, out, names, seconds)], as_json=as_json)


def _show_live(*, fresh: bool, in_window: bool) -> None:
    """The live demo in the window, or without one its cameras until Ctrl+C."""
    from north_hush.demo.live import lay_out_live, stand_in_cameras

    with stand_in_cameras() as addresses:
        site_path = lay_out_live(addresses, fresh=fresh)
        if in_window:
            from north_hush.desk.app import run

            sys.exit(run((site_path,), None, stage="watch"))
        click.echo(site_path)
        with contextlib.suppress(KeyboardInterrupt):
            threading.Event().wait()


def _make_demo(seed: int, out: Path, names: tuple[str, ...], seconds: float | None) -> Path:
    from north_hush.core.site.file import SUFFIX
    from north_hush.core.site.saving import save_site
    from north_hush.demo.catalogue import CROWD, GALE, RECORDINGS
    from north_hush.demo.encode import record
    from north_hush.demo.script import write_script
    from north_hush.demo.site import demo_site, gale_site

    made = []
    for script in [write_script(name, seed, seconds) for name in names or (*RECORDINGS, CROWD, GALE)]:
        with click.progressbar(length=1000, label=script.name, file=sys.stderr) as bar:
            made.append(record(script, out, lambda done, of, bar=bar: bar.update(1000 * done // of - bar.pos)))  # type: ignore[misc]
    gales, others = [path for path in made if path.stem == GALE], [path for path in made if path.stem != GALE]
    site_path = out / f"{'skerry-quay' if others else GALE}{SUFFIX}"
    for gale in gales:
        save_site(gale_site(gale), out / f"{GALE}{SUFFIX}")
    if others:
        save_site(demo_site(others), site_path)
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
    outline = points_of(points, f"{option} {text}", "NAME=x,y;x,y...")
    return name, outline


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.argument("recordings", nargs=-1, type=click.Path(path_type=Path))
@click.option(
    "--camera",
    "cameras",
    multiple=True,
    metavar="NAME=ADDRESS",
    help="A live camera: rtsp://, http://, a device, or a recording played as if live. Each is a view; what is drawn is of the first.",
)
@click.option("--in-file", is_flag=True, help="Keep passwords of cameras in a file of your own instead of the keyring.")
@click.option("--zone", "zones", multiple=True, help="NAME=x,y;x,y;x,y in fractions of the picture (may be repeated).")
@click.option("--wire", "wires", multiple=True, help="NAME=x,y;x,y: a tripwire that must not be broken.")
@click.option("--crossing", "crossings", multiple=True, help="NAME=x,y;x,y: a tripwire that things cross.")
@click.option(
    "--way",
    type=click.Choice(["both", "a_to_b", "b_to_a"]),
    default="both",
    show_default=True,
    help="Which way a crossing counts. Looking along a line drawn downwards, side A is at the right of the picture.",
)
@click.option("--mask", "masks", multiple=True, help="The same as --zone, for a mask.")
@click.option("--privacy", "privacy", multiple=True, help="The same as --zone, for a privacy mask.")
@click.option(
    "--size-mark", "size_marks", multiple=True, help="NAME=x,y,height: the height of a person whose feet are at x,y."
)
@click.option("--fps", type=float, help="Frame rate of image folders, in frames/s.")
@click.option("--name", help="Name of the site; by default that of the file.")
@json_option
@told
def new(
    site_path: Path,
    recordings: tuple[Path, ...],
    cameras: tuple[str, ...],
    in_file: bool,
    zones: tuple[str, ...],
    wires: tuple[str, ...],
    crossings: tuple[str, ...],
    way: Watches,
    masks: tuple[str, ...],
    privacy: tuple[str, ...],
    size_marks: tuple[str, ...],
    fps: float | None,
    name: str | None,
    as_json: bool,
) -> None:
    """Make a site file with one camera view of RECORDINGS (files, or folders of them), or with live cameras."""
    from north_hush.core.footage.fingerprint import fingerprint
    from north_hush.core.footage.gathering import videos_in
    from north_hush.core.footage.index import Footage, index_recording
    from north_hush.core.outcome.passwords import keep_password
    from north_hush.core.site import drawing, edits
    from north_hush.core.site.file import SUFFIX, describe_invalid, stored_path
    from north_hush.core.site.saving import save_site

    if not recordings and not cameras:
        raise click.UsageError("Give recordings, or a live camera with --camera.")
    if site_path.exists():
        raise SiteError(str(site_path), "is there already.", "Choose another name, or remove it first.")
    what = str(site_path)
    try:
        site = edits.new_site(name or site_path.name.removesuffix(SUFFIX).removesuffix(".json"))
        view_id = site.views[0].id
        for path in recordings:
            if path.is_dir() and (videos := videos_in([path])) != [path]:
                site = _with_folder(site, view_id, videos, site_path)
                continue
            footage = Footage(path, fps if path.is_dir() else None)
            index_recording(footage)
            site = edits.add_recording(
                site,
                view_id,
                stored_path(path, site_path),
                fingerprint=fingerprint(footage),
                frames_per_s=footage.frames_per_s,
            )
        site, passwords = _with_cameras(site, cameras)
        for option, texts, add in (
            ("--zone", zones, drawing.add_zone), ("--wire", wires, drawing.add_wire),
            ("--crossing", crossings, partial(drawing.add_wire, watches=way)), ("--mask", masks, drawing.add_mask),
            ("--privacy", privacy, drawing.add_privacy),
        ):  # fmt: skip
            for drawn in texts:
                what = f"{option} {drawn}"
                item_name, outline = _shape(drawn, option)
                site = add(site, view_id, outline, item_name or None)
        for drawn in size_marks:
            what = f"--size-mark {drawn}"
            item_name, foot, height = _mark(drawn, "--size-mark")
            site = drawing.add_size_mark(site, view_id, foot, height, item_name or None)
    except ValidationError as error:
        raise SiteError(what, describe_invalid(error), "Nothing was written.") from error
    for view_name, password in passwords.items():
        keep_password(site.name, view_name, password, in_file=in_file)
    save_site(site, site_path)
    tell_files([site_path], as_json=as_json)


def _with_folder(site: Site, view_id: str, videos: list[Path], site_path: Path) -> Site:
    """The site with the videos of a folder, in order of time; those that cannot be read are told and left out."""
    from north_hush.core.footage.gathering import gathered, stream_words
    from north_hush.core.site import edits
    from north_hush.core.site.file import stored_path

    found = gathered(videos, site.zone)
    for error in found.errors:
        click.echo(f"{error} It is left out.", err=True)
    if len(found.streams) > 1:
        told = ", ".join(map(stream_words, found.streams))
        click.echo(f"These look like {len(found.streams)} streams or cameras: {told}. All were taken.", err=True)
    return edits.add_gathered(site, view_id, [(stored_path(held.path, site_path), held) for held in found.recordings])


def _with_cameras(site: Site, texts: tuple[str, ...]) -> tuple[Site, dict[str, str]]:
    """The site with a view for each camera, the first one where recordings lie; and passwords by view, asked for where there is a user
    without."""
    from north_hush.core.site import edits
    from north_hush.core.site.cameras import camera_of

    passwords: dict[str, str] = {}
    for number, text in enumerate(texts):
        name, camera, password = camera_of(text)
        if number:
            site = edits.add_view(site, name)
        else:
            site = edits.rename_view(site, site.views[0].id, name)
        site = edits.set_camera(site, site.views[-1].id, camera)
        if camera.streams[0].user and not password:
            asked = sys.stdin.isatty()
            password = (
                click.prompt(f"Password of {name}", hide_input=True, err=True)
                if asked
                else sys.stdin.readline().rstrip("\n")
            )
        if password:
            passwords[name] = password
    return site, passwords


@main.command()
@click.argument("out", type=click.Path(path_type=Path))
@json_option
@told
def example(out: Path, as_json: bool) -> None:
    """Do the main job on the demo without a monitor: alarms under both tunings, and a picture of the window, into OUT."""
    from north_hush.core.handover.report import Asked, site_alarms
    from north_hush.core.site.file import load_site
    from north_hush.demo.site import lay_out_demo
    from north_hush.desk.app import picture_of_window

    site_path = lay_out_demo(out, fresh=True)
    site, written = load_site(site_path), []
    for tuning in site.views[0].tunings:
        found = site_alarms(Asked(site, site_path, tuning.name))
        target = out / f"alarms-{tuning.name}.json"
        target.write_text(json.dumps(found, indent=1) + "\n")
        written.append(target)
        alarms = sum(len(row.get("alarms", ())) for row in found["recordings"])
        click.echo(f"{tuning.name}: {alarms} alarms, in {target}", err=as_json)
    picture = picture_of_window(site_path, out / "window.png")
    if as_json:
        tell_files([*written, picture], as_json=True)
    else:
        click.echo(f"window: {picture}")


@main.command()
def prepare() -> None:
    """Compile the hot kernels ahead of time; later starts find them on disk."""
    from north_hush.core.prepare import compile_kernels, mark_prepared

    compile_kernels()
    mark_prepared()
