"""A second place for clips: a folder, an SFTP server, or a WebDAV server. A file is there under its name when all of it is."""

from __future__ import annotations

import contextlib
import os
import shutil
import subprocess
from pathlib import Path, PurePosixPath
from urllib.parse import quote, urlsplit

from north_hush.core.errors import HushError
from north_hush.core.outcome.rules import SecondPlace
from north_hush.core.words import tr

_TIMEOUT_S = 120.0
PASSWORD_NAME = tr("second place")
"""By what name the keyring has its password."""


class CopyError(HushError):
    """A file could not be copied."""


def copy_there(place: SecondPlace, file: Path, name: str, password: str) -> str:
    """Copy a file to a place under a relative name; what the other side said.

    Raises
    ------
    CopyError : it is not there, or the place cannot be reached, refuses or has no room.
    """
    if not file.is_file():
        raise CopyError(str(file), tr("is gone."), tr("It went before it was copied."))
    scheme = urlsplit(place.to).scheme
    if scheme in ("http", "https"):
        return _to_webdav(place, file, name, password)
    return _to_sftp(place, file, name) if scheme == "sftp" else _to_folder(Path(place.to), file, name)


def _to_folder(folder: Path, file: Path, name: str) -> str:
    target = folder / name
    part = target.with_name(f".{target.name}.part")
    try:
        if not folder.is_dir():  # a disk that is not mounted is no place to make folders in
            raise CopyError(str(folder), tr("is not there."), tr("Mount it, or make the folder."))
        target.parent.mkdir(parents=True, exist_ok=True)
        shutil.copyfile(file, part)
        with part.open("rb+") as held:
            os.fsync(held.fileno())
        part.replace(target)
    except OSError as error:
        with contextlib.suppress(OSError):
            part.unlink(missing_ok=True)
        raise CopyError(
            str(target),
            tr("cannot be written ({strerror}).", strerror=error.strerror),
            tr("Check room and permissions."),
        ) from error
    return tr("{st_size:,} bytes at {target}", st_size=target.stat().st_size, target=target)


def _to_webdav(place: SecondPlace, file: Path, name: str, password: str) -> str:
    """Folders are made on the way (MKCOL), the file is put under another name and moved to its own (RFC 4918)."""
    import httpx

    root = place.to.rstrip("/")
    parts = PurePosixPath(name).parts
    address = "/".join([root, *(quote(part) for part in parts)])
    part = f"{address}.part"
    auth = (place.user, password) if place.user else None
    try:
        with httpx.Client(auth=auth, timeout=_TIMEOUT_S) as client:
            for depth in range(1, len(parts)):
                client.request("MKCOL", "/".join([root, *(quote(one) for one in parts[:depth])]))
            with file.open("rb") as held:
                answer = client.put(part, content=held)
            if answer.status_code in (200, 201, 204):
                answer = client.request("MOVE", part, headers={"Destination": address, "Overwrite": "T"})
    except (httpx.HTTPError, OSError) as error:
        raise CopyError(place.to, tr("cannot be reached ({error}).", error=error), tr("Check the address.")) from error
    if answer.status_code not in (200, 201, 204):
        raise CopyError(
            place.to,
            tr(
                "said {status_code} {reason_phrase}.",
                status_code=answer.status_code,
                reason_phrase=answer.reason_phrase,
            ),
            tr("Check user and password."),
        )
    return f"{answer.status_code} {answer.reason_phrase}".strip()


def _to_sftp(place: SecondPlace, file: Path, name: str) -> str:
    """By the system's sftp and the user's key: no password is asked for, and a host that is not known is refused."""
    told = urlsplit(place.to)
    if shutil.which("sftp") is None:
        raise CopyError(place.to, tr("needs the program sftp."), tr("Install openssh-client."))
    root, parts = PurePosixPath(told.path or "/"), PurePosixPath(name).parts
    target = root.joinpath(*parts)
    orders = [f'-mkdir "{root.joinpath(*parts[:depth])}"' for depth in range(1, len(parts))]
    orders += [
        f'put "{file}" "{target}.part"',
        f'-rm "{target}"',
        f'rename "{target}.part" "{target}"',
    ]
    command = ["sftp", "-q", "-b", "-", "-o", "BatchMode=yes", "-o", "ConnectTimeout=15"]
    command += ["-P", str(told.port)] if told.port else []
    host = f"{place.user or told.username}@{told.hostname}" if place.user or told.username else str(told.hostname)
    try:
        done = subprocess.run(
            [*command, host], input="\n".join(orders) + "\n", capture_output=True, text=True, timeout=_TIMEOUT_S,
            check=False,
        )  # fmt: skip
    except subprocess.TimeoutExpired as error:
        raise CopyError(
            place.to, tr("did not answer in {timeout_s:g} s.", timeout_s=_TIMEOUT_S), tr("Check the address.")
        ) from error
    if done.returncode:
        said = done.stderr.strip().splitlines()
        raise CopyError(
            place.to,
            tr("refused: {value}.", value=said[-1] if said else done.returncode),
            tr("Check address, key and room."),
        )
    return tr("put at {target}", target=target)
