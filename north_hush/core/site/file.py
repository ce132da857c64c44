"""Reading a site file, and finding its recordings."""

from __future__ import annotations

import json
import os
import re
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from north_hush.core.errors import FootageError, SiteError
from north_hush.core.footage.fingerprint import fingerprint
from north_hush.core.footage.index import Footage
from north_hush.core.site.migrations import migrated
from north_hush.core.site.model import FORMAT, VERSION, Site, replaced
from north_hush.core.site.recording import Recording
from north_hush.core.site.saving import backup_of
from north_hush.core.words import tr

SUFFIX = ".hush.json"
_TOO_FAR = "../../.."
_SITE_BYTES_MAX = 64 * 1024**2
_BEGIN = rf'\s*{{\s*"format":\s*"{FORMAT}",\s*"version":\s*{VERSION}\s*,'.encode()
_SEARCH_ENTRIES_MAX = 10_000


def load_site(path: Path) -> Site:
    """Read a site file.

    Raises
    ------
    SiteError : it is not there, not JSON, of a newer version, or a field makes no sense (which is named).
    """
    try:
        if path.stat().st_size > _SITE_BYTES_MAX:
            raise SiteError(str(path), tr("is larger than 64 MB, which no site file is."), tr("Choose another file."))
        data = path.read_bytes()
    except FileNotFoundError as error:
        raise SiteError(str(path), tr("is not there."), tr("Check the path.")) from error
    except OSError as error:
        raise SiteError(
            str(path),
            tr("cannot be read ({strerror}).", strerror=error.strerror),
            tr("Check the disk and permissions."),
        ) from error
    if not _is_of_now(data):
        data = _brought_up(data, path)
    try:
        return Site.model_validate_json(data, strict=False)
    except ValidationError as error:
        raise SiteError(str(path), describe_invalid(error), _backup_hint(path)) from error


def _is_of_now(data: bytes) -> bool:
    """Whether a file begins as one that this version wrote, and can be read as it is: a hundred views as dictionaries take more
    memory than as what they are read into."""
    return re.match(_BEGIN, data) is not None


def _brought_up(data: bytes, path: Path) -> bytes:
    """A file of an earlier version as one of now.

    Raises
    ------
    SiteError : it is not JSON, no site file, or of a newer version.
    """
    try:
        held = json.loads(data)
    except (ValueError, RecursionError) as error:
        raise SiteError(str(path), tr("is not JSON ({error}).", error=error), _backup_hint(path)) from error
    if not isinstance(held, dict) or held.get("format") != FORMAT:
        raise SiteError(str(path), tr("is not a North Hush site file."), _backup_hint(path))
    version = held.get("version")
    if isinstance(version, int) and version > VERSION:
        raise SiteError(
            str(path),
            tr(
                "is of version {version}, newer than this North Hush reads ({known}).",
                version=version,
                known=VERSION,
            ),
            tr("Update North Hush."),
        )
    return json.dumps(migrated(held)).encode()


def _backup_hint(path: Path) -> str:
    backup = backup_of(path)
    return (
        tr("The version before it is {name}, beside it.", name=backup.name)
        if backup.exists()
        else tr("Mend it by hand.")
    )


def describe_invalid(error: ValidationError) -> str:
    """Say in words which fields make no sense and why; the first three of them."""
    problems, found = [], error.errors()
    # What lies in a list that is refused leaves the list too short, and that is no fault of its own.
    inner = {item["loc"][:depth] for item in found for depth in range(len(item["loc"]))}
    found = [item for item in found if item["loc"] not in inner]
    for item in found[:3]:
        field = "".join(f"[{part}]" if isinstance(part, int) else f".{part}" for part in item["loc"]).lstrip(".")
        said = str(item["msg"]).removeprefix("Value error, ")
        value = item.get("input")
        shown = (
            tr(" (it is {value!r})", value=value)
            if isinstance(value, (int, float, str)) and len(str(value)) < 40
            else ""
        )
        problems.append(f"{field or 'the file'}: {said}{shown}")
    more = len(found) - len(problems)
    return "; ".join(problems) + (tr("; and {more} more", more=more) if more > 0 else "") + "."


def stored_path(recording: Path, site_path: Path) -> str:
    """How a recording is written in the site file: relative to it when on the same path below or beside, else absolute."""
    full, folder = recording.resolve(), site_path.resolve().parent
    relative = os.path.relpath(full, folder)
    return relative if not relative.startswith(_TOO_FAR) else str(full)


def moved_site(site: Site, before: Path, after: Path) -> Site:
    """The same site for another place: what leads from the site file to a recording leads to the same one from there."""

    def led(recording: Recording) -> Recording:
        full = Path(os.path.normpath(before.resolve().parent / recording.path))
        return replaced(recording, path=stored_path(full, after))

    if before.resolve().parent == after.resolve().parent:
        return site
    views = (replaced(view, recordings=tuple(map(led, view.recordings))) for view in site.views)
    return replaced(site, views=tuple(views))


def find_recording(recording: Recording, site_path: Path) -> Footage:
    """Return where a recording is, looking for it by name and content below the site's folder when it was moved.

    Raises
    ------
    FootageError : it is nowhere to be found.
    """
    folder = site_path.resolve().parent
    stated = Path(os.path.normpath(folder / recording.path))
    if stated.exists():
        return Footage(stated, recording.frames_per_s)
    for candidate in _named(folder, stated.name):
        footage = Footage(candidate, recording.frames_per_s)
        with suppress(FootageError):
            if not recording.fingerprint or fingerprint(footage) == recording.fingerprint:
                return footage
    raise FootageError(
        str(stated),
        tr("is not there, and not elsewhere beside the site file either."),
        tr("Put it back, or locate it under Footage."),
    )


def _named(folder: Path, name: str) -> Iterator[Path]:
    """Files and folders of a name below a folder; the search ends after a bounded number of entries."""
    seen = 0
    for parent, folders, files in os.walk(folder):
        seen += len(folders) + len(files)
        if name in files or name in folders:
            yield Path(parent) / name
        if seen > _SEARCH_ENTRIES_MAX:
            return


def site_schema() -> dict[str, Any]:
    """JSON Schema of the site file."""
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **Site.model_json_schema()}
