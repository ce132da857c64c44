"""Where what can be made again is kept."""

from __future__ import annotations

import os
from pathlib import Path

import platformdirs


def cache_folder() -> Path:
    """Where evidence is kept: `$NORTH_HUSH_CACHE`, or the user's cache folder."""
    stated = os.environ.get("NORTH_HUSH_CACHE")
    return Path(stated) if stated else Path(platformdirs.user_cache_path("north-hush")) / "evidence"
