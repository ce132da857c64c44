"""The log of deliberate acts, such as looking under privacy masks: one line each, kept outside the site."""

from __future__ import annotations

import getpass
from datetime import datetime
from pathlib import Path

import platformdirs

from north_hush.core.errors import HushError
from north_hush.core.words import tr


def acts_path() -> Path:
    """Where the log is kept."""
    return Path(platformdirs.user_log_path("north-hush")) / "acts.log"


def log_act(act: str, site: Path) -> Path:
    """Add a line with the time, the user and the site; returns the log's path.

    Raises
    ------
    HushError : it cannot be written, and then the act must not be done.
    """
    path = acts_path()
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with path.open("a", encoding="utf-8") as log:
            log.write(
                f"{datetime.now().astimezone().isoformat(timespec='seconds')}\t{getpass.getuser()}\t{site}\t{act}\n"
            )
    except (OSError, KeyError) as error:
        raise HushError(
            str(path), tr("cannot be written ({error}), so nothing is shown.", error=error), tr("Free the disk first.")
        ) from error
    return path
