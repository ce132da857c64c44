"""A sealed pack: a stretch of a recording with all that proves what it is, and a manifest that tells any later change.

In it: `original.mkv`, the packets as recorded (only where no privacy mask applies), `viewing.mp4`, stills, alarms as CSV, JSON and
WebVTT, `statement.txt`, and `manifest.json` with the SHA-256 (FIPS 180-4) of every file, and of each 64 KiB of it. A folder, or a zip
by its name.
"""

from __future__ import annotations

import hashlib
import io
import json
import shutil
import struct
import tempfile
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from north_hush import __version__
from north_hush.core.errors import FootageError, SiteError
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.evaluate.led_to import kinds_of_crossings
from north_hush.core.footage.fingerprint import fingerprint
from north_hush.core.footage.server import FrameServer
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.handover.clips import Place, make_clip
from north_hush.core.handover.events import alarms_csv, cues_text, named_recording
from north_hush.core.handover.report import Asked, evaluated, tuning_of
from north_hush.core.handover.rows import alarm_rows
from north_hush.core.handover.seal import seal
from north_hush.core.outcome.cutting import Cut, cut_copy, frames_between, pictures
from north_hush.core.outcome.rules import Naming, Stamp
from north_hush.core.outcome.stamping import draw_stamp, save_picture, stamp_text
from north_hush.core.site.model import View
from north_hush.core.site.recording import Recording
from north_hush.core.words import tr

BLOCK_BYTES = 64 * 1024
MANIFEST, SEAL = "manifest.json", "manifest.sig.json"
_STILLS = 5


@dataclass(frozen=True)
class Wanted:
    """What is to be packed: a recording by path or name, and the stretch in seconds."""

    recording: str
    from_s: float
    to_s: float


def make_pack(asked: Asked, wanted: Wanted, target: Path, key: Path | None = None) -> Path:
    """Make a pack in a new folder, or a zip where the target ends with .zip.

    Raises
    ------
    SiteError : there is something already, no such recording, or no room.
    FootageError : the stretch holds no frame, or cannot be read.
    """
    if target.exists():
        raise SiteError(
            str(target), tr("is there already."), tr("Choose another name: nothing is put into an old pack.")
        )
    view, recording = named_recording(asked.site, asked.path, wanted.recording)
    if not wanted.to_s > wanted.from_s >= 0:
        raise SiteError(
            "--from and --to",
            tr("are {from_s:g} and {to_s:g} s.", from_s=wanted.from_s, to_s=wanted.to_s),
            tr("Give the earlier one first."),
        )
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryDirectory(prefix=f".{target.name}.", dir=target.parent) as made:
            folder = Path(made) / "pack"
            folder.mkdir()
            _fill(asked, view, recording, wanted, folder)
            write_manifest(folder, key)
            if target.suffix == ".zip":
                _zip(folder, target)
            else:
                folder.replace(target)
    except OSError as error:
        raise SiteError(
            str(target),
            tr("cannot be written ({strerror}).", strerror=error.strerror),
            tr("Check the disk and permissions."),
        ) from error
    return target


def _fill(asked: Asked, view: View, recording: Recording, wanted: Wanted, folder: Path) -> None:
    evaluator = Evaluator()
    index, found = evaluated(evaluator, asked, view, tuning_of(view, asked.tuning), recording)
    between = frames_between(index, round(wanted.from_s * US_PER_S), round(wanted.to_s * US_PER_S))
    if between is None:
        raise FootageError(
            recording.path,
            tr("has no frame from {from_s:g} to {to_s:g} s.", from_s=wanted.from_s, to_s=wanted.to_s),
            tr("Look at its length."),
        )
    place = Place(asked.site, view, recording, index)
    whole = index.exact and index.shown and not index.footage.is_folder
    cut: Cut | None = None
    if whole and not view.privacy:
        cut = cut_copy(index, *between, folder / "original.mkv")
    make_clip(place, between, folder / "viewing.mp4", Naming(container="mp4"), Stamp())
    _stills(place, between, folder)
    began = recording.began(index, asked.site.zone)
    rows = alarm_rows(found, began, asked.site.zone, kinds_of_crossings(evaluator, found))
    rows = [row for row in rows if row["start_s"] <= wanted.to_s and row["end_s"] >= wanted.from_s]
    told = {"view": view.name, "path": recording.path, "tuning": tuning_of(view, asked.tuning).name, "alarms": rows}
    start_s = int(index.time_us[between[0]]) / US_PER_S
    cues = [(max(0.0, row["start_s"] - start_s), max(0.5, row["end_s"] - start_s), row["name"]) for row in rows]
    (folder / "events.csv").write_text(alarms_csv([told]))
    (folder / "events.json").write_text(json.dumps(told, indent=1) + "\n")
    (folder / "events.vtt").write_text(cues_text(cues))
    (folder / "statement.txt").write_text(_statement(asked, place, wanted, between, cut))


def _stills(place: Place, between: tuple[int, int], folder: Path) -> None:
    """Pictures spread over the stretch, the first and the last frame among them."""
    first, last = between
    server, began = FrameServer(place.index), place.recording.began(place.index, place.site.zone)
    try:
        for number in sorted({first + (last - first) * step // (_STILLS - 1) for step in range(_STILLS)}):
            for frame, pixels in pictures(server, place.grid, range(number, number + 1), place.view.privacy):
                at_us = int(place.index.time_us[frame])
                draw_stamp(pixels, stamp_text(began, at_us, place.site.zone), Stamp())
                save_picture(pixels, place.at(at_us), folder / "stills" / f"frame-{frame:06d}.jpg")
    finally:
        server.close()


def _statement(asked: Asked, place: Place, wanted: Wanted, between: tuple[int, int], cut: Cut | None) -> str:
    """What the pack holds, in words that stand without the program."""
    recording, index, site = place.recording, place.index, asked.site
    started, ended = (place.at(int(index.time_us[frame])) for frame in between)
    lines = [
        tr(
            "Sealed pack of {name}, view {name2}, made by North Hush {version__}.",
            name=site.name,
            name2=place.view.name,
            version__=__version__,
        ),
        tr("Made at {isoformat}.", isoformat=datetime.now(UTC).isoformat(timespec="seconds")),
        tr(
            "Recording: {name}, fingerprint {fingerprint}.",
            name=Path(recording.path).name,
            fingerprint=fingerprint(index.footage),
        ),
        tr("SHA-256 of the whole recording: {sha}.", sha=_sha(index.footage.path)),
        tr(
            "Stretch asked for: {from_s:g} to {to_s:g} s from its start, frames {between} to {between2}.",
            from_s=wanted.from_s,
            to_s=wanted.to_s,
            between=between[0],
            between2=between[1],
        ),
    ]
    if started is None or ended is None:
        lines.append(tr("Nobody stated when the recording was taken; times are those since its start."))
    else:
        for at, word in ((started, tr("From")), (ended, tr("To"))):
            utc = at.astimezone(UTC).isoformat(timespec="milliseconds")
            lines.append(
                tr(
                    "{word}: {isoformat} ({time_zone}), {utc} UTC.",
                    word=word,
                    isoformat=at.isoformat(timespec="milliseconds"),
                    time_zone=site.time_zone,
                    utc=utc,
                )
            )
        typed = tr("typed by hand") if recording.taken_at is not None else tr("as the recording states it")
        lines.append(
            tr(
                "The clock is {typed}, with a correction of {clock_offset_s:g} s for the clock of the camera.",
                typed=typed,
                clock_offset_s=recording.clock_offset_s,
            )
        )
    if place.view.privacy:
        names = ", ".join(held.name for held in place.view.privacy)
        lines.append(
            tr(
                "Privacy masks apply ({names}); they were not uncovered. The recording itself is not "
                "in the pack; its hash above tells it.",
                names=names,
            )
        )
    elif cut is None:
        lines.append(
            tr("The recording's stamps do not hold, so its packets are not in the pack; its hash above tells it.")
        )
    else:
        lines.append(
            tr(
                "original.mkv holds {frames} frames as recorded, from the key frame before the "
                "stretch on, frame {first}.",
                frames=cut.frames,
                first=cut.first,
            )
        )
    lines.append(tr("viewing.mp4 and the stills are encoded anew, with the time burnt in."))
    lines.append(
        tr(
            "manifest.json holds the SHA-256 of every file and of each 64 KiB of it. Check it with: north-hush verify PACK"
        )
    )
    return "\n".join(lines) + "\n"


def _sha(path: Path) -> str:
    """Of a file; of a folder of images, of their bytes in the order of names."""
    found = hashlib.sha256()
    for part in sorted(path.iterdir()) if path.is_dir() else [path]:
        with part.open("rb") as held:
            while block := held.read(1 << 20):
                found.update(block)
    return found.hexdigest()


def write_manifest(folder: Path, key: Path | None = None) -> None:
    """Write the manifest of all that lies in a folder, and its seal where there is a key.

    Raises
    ------
    SiteError : the key cannot be read, or is of another kind.
    """
    files = sorted(path for path in folder.rglob("*") if path.is_file())
    rows = [
        {"file": path.relative_to(folder).as_posix(), "bytes": path.stat().st_size, **hashes_of(path.open("rb"))}
        for path in files
    ]
    manifest = {"format": "north-hush-pack", "version": 1, "block_bytes": BLOCK_BYTES, "files": rows}
    data = (json.dumps(manifest, indent=1) + "\n").encode()
    (folder / MANIFEST).write_bytes(data)
    if key is not None:
        (folder / SEAL).write_text(json.dumps(seal(data, key), indent=1) + "\n")


def hashes_of(held: Any) -> dict[str, Any]:
    """SHA-256 of what is read, and of each block of it."""
    whole, blocks = hashlib.sha256(), []
    with held:
        while block := held.read(BLOCK_BYTES):
            whole.update(block)
            blocks.append(hashlib.sha256(block).hexdigest())
    return {"sha256": whole.hexdigest(), "blocks": blocks}


def _zip(folder: Path, target: Path) -> None:
    part = folder.parent / "pack.zip"
    with zipfile.ZipFile(part, "w", zipfile.ZIP_STORED) as out:
        for path in sorted(path for path in folder.rglob("*") if path.is_file()):
            out.write(path, path.relative_to(folder).as_posix())
    shutil.move(part, target)


def opened(pack: Path) -> Iterator[tuple[str, Any]]:
    """Names and open files of a pack, folder or zip.

    Raises
    ------
    SiteError : it is neither, or cannot be read.
    """
    try:
        if pack.is_dir():
            for path in sorted(path for path in pack.rglob("*") if path.is_file() or path.is_symlink()):
                yield path.relative_to(pack).as_posix(), path.open("rb")
            return
        with zipfile.ZipFile(pack) as held:
            for info in sorted(held.infolist(), key=lambda info: info.filename):
                if not info.is_dir():
                    yield (
                        info.filename,
                        _raw(pack, info) if info.compress_type == zipfile.ZIP_STORED else held.open(info),
                    )
    except FileNotFoundError as error:
        raise SiteError(str(error.filename or pack), tr("is not there."), tr("Check the path.")) from error
    except (OSError, zipfile.BadZipFile) as error:
        raise SiteError(
            str(pack), tr("cannot be read as a pack ({error}).", error=error), tr("It is a folder or a zip.")
        ) from error


def _raw(pack: Path, info: zipfile.ZipInfo) -> io.BytesIO:
    """What is stored of a file in a zip, whatever its checksum says: the manifest is what tells where it was changed."""
    with pack.open("rb") as held:
        held.seek(info.header_offset + 26)
        name, extra = struct.unpack("<HH", held.read(4))
        held.seek(name + extra, io.SEEK_CUR)
        return io.BytesIO(held.read(info.file_size))
