"""Sites that were open lately, each with a picture and its score, kept in the user's state folder."""

from __future__ import annotations

import hashlib
import logging
from datetime import datetime
from pathlib import Path

import platformdirs
from pydantic import BaseModel, TypeAdapter, ValidationError
from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QImage

from north_hush.core.site.whole import write_whole

_log = logging.getLogger(__name__)
_KEPT = 12
_PICTURE = QSize(240, 135)


class RecentSite(BaseModel, frozen=True):
    """A site file and what was seen of it last."""

    path: Path
    name: str
    opened: datetime
    score: str = ""
    picture: str = ""
    """Name of a PNG beside the list; '' without one."""


_LIST = TypeAdapter(tuple[RecentSite, ...])


def _folder() -> Path:
    return Path(platformdirs.user_state_path("north-hush"))


def picture_of(site: RecentSite) -> Path | None:
    """Where the picture of a site lies, if it has one."""
    path = _folder() / site.picture
    return path if site.picture and path.exists() else None


def recent_sites() -> tuple[RecentSite, ...]:
    """Sites that are still there, the one opened last first. A list that cannot be read is none."""
    try:
        held = _LIST.validate_json((_folder() / "recent.json").read_bytes())
    except FileNotFoundError:
        return ()
    except (OSError, ValidationError) as error:
        _log.warning("the list of recent sites cannot be read: %s", error)
        return ()
    return tuple(site for site in held if site.path.exists())


def note_site(path: Path, name: str, score: str = "", picture: QImage | None = None) -> None:
    """Put a site first in the list. That it cannot be written is logged, and nothing else is lost by it."""
    path = path.resolve()
    before = recent_sites()
    shown = next((site.picture for site in before if site.path == path), "")
    try:
        _folder().mkdir(parents=True, exist_ok=True)
        if picture is not None and not picture.isNull():
            shown = f"site-{hashlib.sha256(str(path).encode()).hexdigest()[:16]}.png"
            small = picture.scaled(
                _PICTURE, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
            )
            small.save(str(_folder() / shown))
        made = RecentSite(path=path, name=name, opened=datetime.now().astimezone(), score=score, picture=shown)
        others = tuple(site for site in before if site.path != path)
        write_whole(_folder() / "recent.json", _LIST.dump_json((made, *others)[:_KEPT], indent=1))
    except OSError as error:
        _log.warning("the list of recent sites cannot be written: %s", error)
