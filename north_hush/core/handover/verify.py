"""What of a pack is as it was packed, and what is not."""

from __future__ import annotations

import json
import zipfile
import zlib
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from north_hush.core.errors import SiteError
from north_hush.core.handover.pack import BLOCK_BYTES, MANIFEST, SEAL, hashes_of, opened
from north_hush.core.handover.seal import key_print, seal_holds
from north_hush.core.site.file import describe_invalid
from north_hush.core.words import tr

_MANIFEST_BYTES_MAX = 256 * 1024**2


class _Listed(BaseModel):
    model_config = ConfigDict(frozen=True)

    file: str
    bytes: int = Field(ge=0)
    sha256: str
    blocks: tuple[str, ...]


class _Manifest(BaseModel):
    model_config = ConfigDict(frozen=True)

    format: str = Field(pattern="^north-hush-pack$")
    version: int = Field(le=1)
    block_bytes: int = Field(gt=0)
    files: tuple[_Listed, ...]


@dataclass(frozen=True)
class Finding:
    """A file that is not as it was packed; the first changed block, where one is."""

    file: str
    what: str
    block: int | None = None


@dataclass(frozen=True)
class Verified:
    """What of a pack is as it was packed.

    Attributes
    ----------
    signed_by : the print of the key that sealed it; None where nobody did, or the seal does not hold
    """

    files: int
    findings: tuple[Finding, ...]
    signed_by: str | None = None

    @property
    def holds(self) -> bool:
        return not self.findings


def verify_pack(pack: Path) -> Verified:
    """Hold every file of a pack against its manifest, and the manifest against its seal.

    Raises
    ------
    SiteError : it is no pack, or cannot be read.
    """
    found: dict[str, dict[str, Any]] = {}
    kept: dict[str, bytes] = {}
    for name, held in opened(pack):
        if name in (MANIFEST, SEAL):
            with held:
                kept[name] = held.read(_MANIFEST_BYTES_MAX)
        else:
            try:
                found[name] = hashes_of(held)
            except (OSError, zipfile.BadZipFile, zlib.error):
                found[name] = {"sha256": "", "blocks": []}  # it cannot even be read: the first block is already another
    if MANIFEST not in kept:
        raise SiteError(
            str(pack), tr("holds no {manifest}.", manifest=MANIFEST), tr("It is no sealed pack, or not all of it.")
        )
    try:
        manifest = _Manifest.model_validate_json(kept[MANIFEST])
    except ValidationError as error:
        raise SiteError(f"{pack}, {manifest}", describe_invalid(error), tr("The pack was changed.")) from error
    if manifest.block_bytes != BLOCK_BYTES:
        raise SiteError(
            f"{pack}, {manifest}",
            tr("has blocks of {block_bytes} bytes.", block_bytes=manifest.block_bytes),
            tr("Use a North Hush that knows them."),
        )
    findings = [finding for listed in manifest.files if (finding := _compared(listed, found)) is not None]
    listed_names = {listed.file for listed in manifest.files}
    findings += [Finding(name, tr("is not in the manifest")) for name in found if name not in listed_names]
    signed_by, wrong = _seal(kept)
    return Verified(len(manifest.files), (*findings, *wrong), signed_by)


def _compared(listed: _Listed, found: dict[str, dict[str, Any]]) -> Finding | None:
    now = found.get(listed.file)
    if now is None:
        return Finding(listed.file, tr("is missing"))
    if now["sha256"] == listed.sha256:
        return None
    pairs = zip(listed.blocks, now["blocks"], strict=False)
    block = next((place for place, (before, after) in enumerate(pairs) if before != after), None)
    if block is None:
        return Finding(listed.file, tr("is shorter or longer"), min(len(listed.blocks), len(now["blocks"])))
    return Finding(listed.file, tr("is changed from byte {block:,} on", block=block * BLOCK_BYTES), block)


def _seal(kept: dict[str, bytes]) -> tuple[str | None, list[Finding]]:
    if SEAL not in kept:
        return None, []
    try:
        held = json.loads(kept[SEAL])
        if isinstance(held, dict) and seal_holds(kept[MANIFEST], held):
            return key_print(str(held["public_key"])), []
    except ValueError:
        pass
    return None, [Finding(SEAL, tr("does not seal this manifest"))]
