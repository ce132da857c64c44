"""Cameras as people write them: NAME=address, with or without a user; a password in it is taken out."""

from __future__ import annotations

from pathlib import Path
from urllib.parse import unquote, urlsplit, urlunsplit

from north_hush.core.errors import SiteError
from north_hush.core.site.model import Camera, Stream
from north_hush.core.words import tr

_KINDS = {"rtsp": "rtsp", "rtsps": "rtsp", "http": "http", "https": "http"}


def camera_of(text: str) -> tuple[str, Camera, str]:
    """Name, camera and password of NAME=ADDRESS: rtsp://, http://, a device, or a recording that is played as if live. A second address
    of the same kind behind a blank is that of a larger stream, which is recorded while the first one is analysed.

    Raises
    ------
    SiteError : it has no name or no address, or its address is of another kind.
    """
    name, _, address = text.partition("=")
    if not name.strip() or not address.strip():
        raise SiteError(f"--camera {text}", tr("is not NAME=ADDRESS."), tr('Write it as "Slip=rtsp://user@host/path".'))
    first, _, second = address.strip().partition(" ")
    if "://" in first and "://" in second:
        _, analysed, password = camera_of(f"{name}={first}")
        _, recorded, other = camera_of(f"{name}={second.strip()}")
        if analysed.source != recorded.source:
            raise SiteError(f"--camera {name}", tr("has two streams of different kinds."), tr("Give two of one kind."))
        both = (
            analysed.streams[0].model_copy(update={"use": "analyse"}),
            recorded.streams[0].model_copy(update={"use": "record"}),
        )
        return name.strip(), analysed.model_copy(update={"streams": both}), password or other
    if "://" not in address:
        kind = "device" if address.startswith("/dev/") else "recording"
        if kind == "recording" and not Path(address).is_file():
            raise SiteError(
                f"--camera {text}", tr("names no stream and no file."), tr("Begin it with rtsp:// or http://.")
            )
        held = address if kind == "device" else str(Path(address).resolve())
        return name.strip(), Camera.model_validate({"source": kind, "streams": ({"address": held},)}), ""
    try:
        parts = urlsplit(address)
        host = parts.hostname or ""
        place = f"[{host}]" if ":" in host else host
        place += f":{parts.port}" if parts.port else ""
    except ValueError as error:
        raise SiteError(
            f"--camera {text.split('=', maxsplit=1)[0]}",
            tr("has an address that cannot be read ({error}).", error=error),
            tr("Mend it."),
        ) from error
    if parts.scheme not in _KINDS or not host:
        raise SiteError(
            f"--camera {name}",
            tr("has an address of kind '{scheme}'.", scheme=parts.scheme),
            tr("Use rtsp://, http:// or https://, a host and a path."),
        )
    stream = Stream(address=urlunsplit(parts._replace(netloc=place)), user=unquote(parts.username or ""))
    camera = Camera.model_validate({"source": _KINDS[parts.scheme], "streams": (stream,)})
    return name.strip(), camera, unquote(parts.password or "")
