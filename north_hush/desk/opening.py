"""A site is opened, or one is made of recordings."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from pathlib import Path

import platformdirs

from north_hush.core.errors import FootageError, HushError
from north_hush.core.footage.fingerprint import fingerprint
from north_hush.core.footage.gathering import videos_in
from north_hush.core.footage.index import Footage
from north_hush.core.site.bundle import read_bundle
from north_hush.core.site.edits import add_recording, new_site
from north_hush.core.site.file import SUFFIX, stored_path
from north_hush.core.words import tr
from north_hush.desk.session import Session


def sites_folder() -> Path:
    """Where sites are kept that were made of recordings."""
    return Path(platformdirs.user_data_path("north-hush")) / "sites"


_FEW = 6
"""More files at once are put in order of time."""


def comes_as_many(paths: Sequence[Path]) -> bool:
    """Whether recordings are put in order of time in the background, once the window is there: folders of videos, and many files."""
    found = videos_in(paths)
    return len(found) > _FEW or found != list(paths)


def open_session(paths: tuple[Path, ...], frames_per_s: float | None) -> Session:
    """Open a site file, or start a site of recordings under the user's data folder.

    Raises
    ------
    HushError : a file is not there, cannot be read, or is open in another window.
    """
    if len(paths) == 1 and paths[0].suffix.lower() == ".zip":
        return Session(read_bundle(paths[0], paths[0].parent)[0])
    if len(paths) == 1 and paths[0].name.endswith(".json"):
        return Session(paths[0])
    for path in paths:
        if not path.exists():
            raise FootageError(str(path), tr("is not there."), tr("Check the path."))
    folder = sites_folder()
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise HushError(
            str(folder),
            tr("cannot be made ({strerror}), so the new site would not be kept.", strerror=error.strerror),
            tr("Make it possible to write there, or open a site file."),
        ) from error
    name = paths[0].stem if paths else tr("New site")
    path = folder / f"{name} {datetime.now():%Y-%m-%d %H.%M.%S}{SUFFIX}"
    site = new_site(name)
    for recording in () if comes_as_many(paths) else paths:
        footage = Footage(recording, frames_per_s if recording.is_dir() else None)
        site = add_recording(
            site,
            site.views[0].id,
            stored_path(recording, path),
            fingerprint=fingerprint(footage),
            frames_per_s=footage.frames_per_s,
        )
    return Session(path, site)
