"""The command that looks for cameras in the network, and asks one for its streams."""

from __future__ import annotations

import json
from dataclasses import asdict
from pathlib import Path
from typing import Any

import click

from north_hush.cli.group import asked_password, json_option, main, told
from north_hush.core.errors import HushError


@main.command()
@click.option("--seconds", type=click.FloatRange(0.1, 60), default=3.0, show_default=True, help="How long to listen.")
@click.option("--at", "address", help="Ask this camera for its streams: HOST, or the address of its device service.")
@click.option("--user", default="", help="As this user; the password is asked for, or read from standard input.")
@click.option(
    "--pictures", type=click.Path(path_type=Path, file_okay=False), help="Write a picture of each stream here."
)
@json_option
@told
def cameras(seconds: float, address: str | None, user: str, pictures: Path | None, as_json: bool) -> None:
    """Look for cameras in the network, or ask one for its streams, the largest first."""
    from north_hush.core.soap import SoapDevice
    from north_hush.core.watch.discovery import device_address, find_devices, proposed, streams_of

    if address is None:
        found = find_devices(seconds)
        if as_json:
            click.echo(json.dumps({"devices": [asdict(held) for held in found]}, indent=1))
            return
        for held in found:
            click.echo(f"{held.address}  {held.name}  {held.hardware}".rstrip())
        if not found:
            click.echo("No camera answers. Ask one by its address: --at HOST", err=True)
        return
    password = asked_password() if user else ""
    offered = streams_of(SoapDevice(device_address(address), user, password))
    analysed, recorded = proposed(offered)
    rows = []
    for place, stream in enumerate(offered, start=1):
        row = {**asdict(stream), "analyse": stream == analysed, "record": stream == recorded}
        if pictures is not None:
            try:
                row["picture"] = str(_picture(stream.address, user, password, pictures / f"stream-{place}.jpg"))
            except HushError as error:
                row["error"] = str(error)
        rows.append(row)
    if as_json:
        click.echo(json.dumps({"streams": rows}, indent=1))
        return
    for row in rows:
        uses = ", ".join(use for use in ("analyse", "record") if row[use])
        said = f"{row['width']} x {row['height']}, {row['frames_per_s']:g} frames/s, {row['codec']}"
        click.echo(f"{row['address']}  {said}  {uses}  {row.get('error', '')}".rstrip())


def _picture(address: str, user: str, password: str, target: Path) -> Path:
    """Write the first picture of a stream."""
    from north_hush.core.site.cameras import camera_of
    from north_hush.core.watch.source_kinds import open_source

    _, camera, _ = camera_of(f"camera={address}")
    stream = camera.streams[0].model_copy(update={"user": user or camera.streams[0].user})
    source = open_source(camera.source, stream, password)
    try:
        picture = next(source.frames).picture
    finally:
        source.close()
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        image: Any = picture.to_image()
        image.save(target, "JPEG", quality=85)
    except OSError as error:
        raise HushError(str(target), f"cannot be written ({error.strerror}).", "Check permissions.") from error
    return target


@main.command("own-alarms")
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.option("--view", "name", required=True, help="The view whose camera it is.")
@click.option("--at", "address", required=True, help="Its HOST, or the address of its device service; '' for no more.")
@json_option
@told
def own_alarms(site_path: Path, name: str, address: str, as_json: bool) -> None:
    """Listen to what the camera of a view itself raises (ONVIF events), as input contacts of the view."""
    from north_hush.core.site.edits import set_camera
    from north_hush.core.site.file import load_site
    from north_hush.core.site.saving import mark_of, save_site
    from north_hush.core.watch.discovery import device_address

    known, site = mark_of(site_path), load_site(site_path)
    view = next((held for held in site.views if name in (held.name, held.id)), None)
    if view is None or view.camera is None:
        there = ", ".join(held.name for held in site.views if held.camera is not None) or "none"
        raise HushError(f"--view {name}", "has no camera.", f"These have one: {there}.")
    events = device_address(address) if address.strip() else ""
    save_site(set_camera(site, view.id, view.camera.model_copy(update={"events": events})), site_path, known)
    click.echo(json.dumps({"view": view.name, "events": events}) if as_json else f"{view.name}: {events or 'no more'}")
