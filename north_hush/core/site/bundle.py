"""A site with its recordings in one file, with checksums: for another machine, or as a backup of several sites."""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import struct
import tempfile
import zipfile
import zlib
from collections.abc import Iterable, Iterator
from contextlib import suppress
from pathlib import Path, PurePosixPath
from typing import IO

from north_hush.core.errors import FootageError, SiteError
from north_hush.core.site.file import SUFFIX, find_recording, load_site
from north_hush.core.site.model import Site, replaced
from north_hush.core.words import tr

FORMAT, VERSION = "north-hush-bundle", 1
_MANIFEST = "manifest.json"
_MANIFEST_BYTES_MAX = 64 * 1024**2
_CHUNK_BYTES = 1024**2
_UNREADABLE = (
    OSError, zipfile.BadZipFile, zlib.error, struct.error, NotImplementedError, EOFError, RuntimeError, ValueError, OverflowError,
)  # fmt: skip


def write_bundle(site_paths: Iterable[Path], out: Path, *, recordings: bool) -> list[str]:
    """Pack sites, each into a folder of its own, and the recordings they show if wanted.

    Returns
    -------
    What could not be packed, a line each: recordings that are not there.

    Raises
    ------
    SiteError : a site cannot be read, or the bundle cannot be written; nothing is left behind.
    """
    missing: list[str] = []
    files: dict[str, dict[str, object]] = {}
    part = out.with_name(f".{out.name}.{os.getpid()}.part")
    try:
        out.parent.mkdir(parents=True, exist_ok=True)
        with zipfile.ZipFile(part, "x", zipfile.ZIP_DEFLATED, allowZip64=True) as held:
            for folder, path in _folders(site_paths):
                site = load_site(path)
                packed, found = _relocated(site, path, recordings=recordings)
                missing += [f"{path}: {name}" for name, source in found.items() if source is None]
                for name, source in found.items():
                    for inner, file in _files_of(name, source) if recordings and source is not None else ():
                        files[f"{folder}/{inner}"] = _add_file(held, f"{folder}/{inner}", file)
                text = (packed.model_dump_json(indent=1) + "\n").encode()
                files[f"{folder}/{path.name}"] = _add_bytes(held, f"{folder}/{path.name}", text)
            manifest = {"format": FORMAT, "version": VERSION, "files": files}
            held.writestr(_MANIFEST, json.dumps(manifest, indent=1) + "\n")
        part.replace(out)
    except (OSError, zipfile.LargeZipFile, ValueError) as error:
        raise SiteError(
            str(out), tr("cannot be written ({error}).", error=error), tr("Choose another place, or free some space.")
        ) from error
    finally:
        with suppress(OSError):
            part.unlink(missing_ok=True)
    return missing


def _folders(paths: Iterable[Path]) -> Iterator[tuple[str, Path]]:
    taken: set[str] = set()
    for path in paths:
        stem = path.name.removesuffix(SUFFIX).removesuffix(".json") or "site"
        name, number = stem, 1
        while name in taken:
            number += 1
            name = f"{stem}-{number}"
        taken.add(name)
        yield name, path


def _relocated(site: Site, site_path: Path, *, recordings: bool) -> tuple[Site, dict[str, Path | None]]:
    """The site with its recordings where the bundle has them, and where each is now (None: nowhere)."""
    found: dict[str, Path | None] = {}
    places: dict[Path, str] = {}
    views = []
    for view in site.views:
        held = []
        for recording in view.recordings:
            source: Path | None = None
            with suppress(FootageError):
                source = find_recording(recording, site_path).path.resolve()
            if source is None:
                found[recording.path] = None
                held.append(recording)
                continue
            if source not in places:
                places[source] = _free_name(f"recordings/{source.name}", set(places.values()))
                found[places[source]] = source
            held.append(replaced(recording, path=places[source]) if recordings else recording)
        views.append(replaced(view, recordings=tuple(held)))
    return replaced(site, views=tuple(views)), found


def _free_name(name: str, taken: set[str]) -> str:
    path, number, free = PurePosixPath(name), 1, name
    while free in taken:
        number += 1
        free = str(path.with_name(f"{path.stem}-{number}{path.suffix}"))
    return free


def _files_of(name: str, source: Path) -> Iterator[tuple[str, Path]]:
    """A recording's file, or the images of its folder."""
    if not source.is_dir():
        yield name, source
        return
    for file in sorted(source.iterdir()):
        if file.is_file():
            yield f"{name}/{file.name}", file


def _add_file(held: zipfile.ZipFile, name: str, source: Path) -> dict[str, object]:
    info = zipfile.ZipInfo.from_file(source, name, strict_timestamps=False)
    info.compress_type = zipfile.ZIP_STORED  # recordings are compressed already
    with source.open("rb") as file, held.open(info, "w", force_zip64=True) as target:
        return _copied(file, target)


def _add_bytes(held: zipfile.ZipFile, name: str, data: bytes) -> dict[str, object]:
    held.writestr(name, data)
    return {"bytes": len(data), "sha256": hashlib.sha256(data).hexdigest()}


def _copied(source: IO[bytes], target: IO[bytes], most: int | None = None) -> dict[str, object]:
    digest, total = hashlib.sha256(), 0
    while chunk := source.read(_CHUNK_BYTES):
        total += len(chunk)
        if most is not None and total > most:
            break
        digest.update(chunk)
        target.write(chunk)
    return {"bytes": total, "sha256": digest.hexdigest()}


def read_bundle(bundle: Path, into: Path) -> list[Path]:
    """Unpack a bundle into a folder that does not hold its sites yet, every file checked; all of it or nothing.

    Returns
    -------
    The site files.

    Raises
    ------
    SiteError : no bundle, a file that is not as it was packed (which is named), one that is there already, or no room.
    """
    try:
        into.mkdir(parents=True, exist_ok=True)
        work = Path(tempfile.mkdtemp(prefix=".north-hush-bundle-", dir=into))
    except OSError as error:
        raise SiteError(
            str(into), tr("cannot be written ({strerror}).", strerror=error.strerror), tr("Choose another folder.")
        ) from error
    try:
        with zipfile.ZipFile(bundle) as held:
            files = _manifest(held, bundle)
            folders = sorted({name.split("/", 1)[0] for name in files})
            for folder in folders:
                if (into / folder).exists():
                    raise SiteError(
                        str(into / folder), tr("is there already."), tr("Choose another folder; nothing was changed.")
                    )
            for name, told in files.items():
                _unpack(held, name, told, work, bundle)
        for folder in folders:
            (work / folder).rename(into / folder)
    except _UNREADABLE as error:
        raise SiteError(
            str(bundle), tr("is not a bundle that can be read ({error}).", error=error), tr("Copy it again.")
        ) from error
    finally:
        shutil.rmtree(work, ignore_errors=True)
    return [into / name for name in files if name.endswith(SUFFIX) and name.count("/") == 1]


def _manifest(held: zipfile.ZipFile, bundle: Path) -> dict[str, dict[str, object]]:
    """The files a bundle tells of; what it holds beside them is refused."""
    try:
        if held.getinfo(_MANIFEST).file_size > _MANIFEST_BYTES_MAX:
            raise ValueError(tr("its manifest is larger than any"))
        told = json.loads(held.read(_MANIFEST))
        if told["format"] != FORMAT or told["version"] != VERSION:
            raise ValueError(tr("it is {told} {told2}", told=told["format"], told2=told["version"]))
        files = {
            str(name): {"bytes": int(fact["bytes"]), "sha256": str(fact["sha256"])}
            for name, fact in told["files"].items()
        }
    except (KeyError, ValueError, TypeError, AttributeError, RecursionError) as error:
        raise SiteError(
            str(bundle), tr("is no bundle of North Hush ({error}).", error=error), tr("Choose another file.")
        ) from error
    for name in files:
        parts = name.split("/")
        if len(parts) < 2 or any(part in ("", ".", "..") or "\\" in part or "\0" in part for part in parts):
            raise SiteError(
                str(bundle), tr("names '{name}', which would lie outside.", name=name[:80]), tr("Do not trust it.")
            )
    others = sorted(set(held.namelist()) - {*files, _MANIFEST})
    if others:
        raise SiteError(
            str(bundle),
            tr("holds '{others}', which its manifest does not name.", others=others[0][:80]),
            tr("Do not trust it."),
        )
    return files


def _unpack(held: zipfile.ZipFile, name: str, told: dict[str, object], work: Path, bundle: Path) -> None:
    target = work / name
    target.parent.mkdir(parents=True, exist_ok=True)
    try:
        with held.open(name) as source, target.open("xb") as file:
            found = _copied(source, file, most=int(str(told["bytes"])))
    except (KeyError, zipfile.BadZipFile, zlib.error, EOFError) as error:
        raise SiteError(f"{bundle}, '{name}'", tr("is missing or damaged."), tr("Copy the bundle again.")) from error
    if found != told:
        raise SiteError(f"{bundle}, '{name}'", tr("is not as it was packed."), tr("Copy the bundle again."))
