"""Commands that stand in for what is outside."""

from __future__ import annotations

import json
import threading
from pathlib import Path
from typing import TYPE_CHECKING

import click

from north_hush.cli.group import json_option, main, told

if TYPE_CHECKING:
    from north_hush.demo.standins.postbox import Arrived


@main.group("stand-in")
def stand_in() -> None:
    """Small stand-ins for cameras and services, to try things out with."""


@stand_in.command()
@click.option("--smtp-port", type=click.IntRange(0, 65535), default=0, help="Port for mail; 0 takes a free one.")
@click.option("--http-port", type=click.IntRange(0, 65535), default=0, help="Port for web requests.")
@click.option("--fail", "fail_first", type=click.IntRange(0), default=0, help="Answer so many requests with 503 first.")
@click.option("--out", "folder", type=click.Path(path_type=Path, file_okay=False), help="Write the pictures here.")
@click.option("--for", "seconds", type=click.FloatRange(0), help="End after so many seconds; else with Ctrl+C.")
@json_option
@told
def postbox(
    smtp_port: int, http_port: int, fail_first: int, folder: Path | None, seconds: float | None, as_json: bool
) -> None:
    """Take mail and web requests, and show what arrived."""
    from north_hush.core.errors import HushError
    from north_hush.demo.standins.postbox import Postbox, save_pictures

    count = 0

    def show(arrived: Arrived) -> None:
        nonlocal count
        count += 1
        paths = save_pictures(arrived, count, folder) if folder is not None else []
        row = {**arrived.row(), "files": [str(path) for path in paths]}
        pictures = ", ".join(f"{name} ({size:,} bytes)" for name, size in row["pictures"].items()) or "no picture"
        click.echo(json.dumps(row) if as_json else f"{arrived.road}  {arrived.subject}  [{pictures}]\n{arrived.text}\n")

    try:
        with Postbox(smtp_port, http_port, fail_first=fail_first, told=show) as held:
            ready = {"smtp": held.smtp, "url": held.url}
            click.echo(json.dumps(ready) if as_json else f"Mail at {held.smtp}, web requests at {held.url}")
            threading.Event().wait(seconds)
    except KeyboardInterrupt:
        return
    except OSError as error:
        raise HushError("postbox", f"cannot listen ({error.strerror or error}).", "Choose other ports.") from error


@stand_in.command()
@click.option(
    "--recording", "recording", default="afternoon", show_default=True, help="A recording of the demo, or a file."
)
@click.option("--rtsp", is_flag=True, help="Over RTSP, where GStreamer's server is installed; else MJPEG over HTTP.")
@click.option("--port", type=click.IntRange(0, 65535), default=0, help="0 takes a free one.")
@click.option(
    "--outage", type=click.FloatRange(0), default=0, help="The stream ends after so many seconds, again and again."
)
@click.option("--stall", type=click.FloatRange(0), default=0, help="Nothing comes for ten seconds, every so many.")
@click.option("--loss", type=click.FloatRange(0, 1), default=0, help="Share of pictures that are cut off.")
@click.option("--lag", type=click.FloatRange(0), default=0, help="Every picture comes so many seconds late.")
@click.option("--password", default="", help="Asked of the user 'operator'.")
@click.option("--once", is_flag=True, help="End with the recording instead of playing it again.")
@click.option("--for", "seconds", type=click.FloatRange(0), help="End after so many seconds; else with Ctrl+C.")
@json_option
@told
def camera(
    recording: str,
    rtsp: bool,
    port: int,
    outage: float,
    stall: float,
    loss: float,
    lag: float,
    password: str,
    once: bool,
    seconds: float | None,
    as_json: bool,
) -> None:
    """Play a recording of Skerry Quay as a live camera."""
    from north_hush.core.errors import HushError
    from north_hush.demo.site import demo_recording
    from north_hush.demo.standins.camera import CameraStandIn
    from north_hush.demo.standins.rtsp import RtspStandIn

    path = Path(recording) if Path(recording).exists() else demo_recording(recording)
    if rtsp and (outage or stall or loss or lag or once):
        raise HushError("--rtsp", "takes no outage, stall, loss, lag or once.", "Leave --rtsp away for these.")

    def stand_in() -> CameraStandIn | RtspStandIn:
        if rtsp:
            return RtspStandIn(path, port, password=password)
        return CameraStandIn(
            path, port, outage_s=outage, stall_s=stall, loss=loss, lag_s=lag, password=password, once=once
        )

    try:
        with stand_in() as held:
            click.echo(json.dumps({"url": held.url}) if as_json else f"Camera at {held.url}")
            threading.Event().wait(seconds)
    except KeyboardInterrupt:
        return
    except OSError as error:
        raise HushError("camera", f"cannot listen ({error.strerror or error}).", "Choose another port.") from error


@stand_in.command()
@click.option(
    "--http-port", type=click.IntRange(0, 65535), default=0, help="Port for web requests; 0 takes a free one."
)
@click.option("--broker", default="", help="HOST:PORT of an MQTT broker to listen at besides.")
@click.option("--topic", default="contacts", show_default=True, help="The topic there.")
@click.option("--for", "seconds", type=click.FloatRange(0), help="End after so many seconds; else with Ctrl+C.")
@json_option
@told
def contacts(http_port: int, broker: str, topic: str, seconds: float | None, as_json: bool) -> None:
    """Output contacts that show when they are switched: a request or message of {"contact": NAME, "on": true}."""
    from north_hush.core.errors import HushError
    from north_hush.demo.standins.contacts import Contacts, Switched

    def show(switched: Switched) -> None:
        row = switched.row()
        click.echo(json.dumps(row) if as_json else f"{row['contact']}  {'on' if row['on'] else 'off'}  ({row['road']})")

    try:
        with Contacts(http_port, broker, topic, show) as held:
            ready = {"url": held.url, "broker": broker, "topic": topic if broker else ""}
            click.echo(
                json.dumps(ready) if as_json else f"Contacts at {held.url}{f', {broker} {topic}' if broker else ''}"
            )
            threading.Event().wait(seconds)
    except KeyboardInterrupt:
        return
    except OSError as error:
        raise HushError("contacts", f"cannot listen ({error.strerror or error}).", "Choose another port.") from error


@stand_in.command()
@click.option("--port", type=click.IntRange(0, 65535), default=0, help="0 takes a free one.")
@click.option("--password", default="", help="Asked of the user 'operator'.")
@click.option("--stream", "streams", multiple=True, help="Address of its large stream; given again, of its small one.")
@click.option("--rules", "rules_most", type=click.IntRange(1), default=16, show_default=True, help="It takes no more.")
@click.option("--for", "seconds", type=click.FloatRange(0), help="End after so many seconds; else with Ctrl+C.")
@json_option
@told
def device(
    port: int, password: str, streams: tuple[str, ...], rules_most: int, seconds: float | None, as_json: bool
) -> None:
    """A device with ONVIF media, analytics and PTZ services: it tells its streams, takes rules which make sense, turns to presets, and
    says what is wrong."""
    from north_hush.core.errors import HushError
    from north_hush.demo.standins.onvif_device import DeviceStandIn

    try:
        large, small, *_ = (*streams, *streams[-1:], "", "")
        with DeviceStandIn(port, password=password, rules_most=rules_most, streams=(large, small)) as held:
            click.echo(json.dumps({"url": held.url}) if as_json else f"Device at {held.url}")
            threading.Event().wait(seconds)
    except KeyboardInterrupt:
        return
    except OSError as error:
        raise HushError("device", f"cannot listen ({error.strerror or error}).", "Choose another port.") from error
