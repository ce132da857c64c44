"""The language of the window: chosen in its menu, kept in the user's settings, taken up at the next start."""

from __future__ import annotations

import os
from contextlib import suppress
from pathlib import Path

import platformdirs

from north_hush.core.site.whole import write_whole
from north_hush.core.words import LANGUAGES, VARIABLE, speak


def _kept() -> Path:
    return Path(platformdirs.user_config_path("north-hush")) / "language"


def take_up() -> None:
    """Speak what was chosen, unless the environment says otherwise. To be called before anything is imported that has texts."""
    if VARIABLE not in os.environ:
        with suppress(OSError, UnicodeDecodeError):  # nobody chose one yet
            speak(_kept().read_text("utf-8").strip())


def choose(language: str) -> None:
    """Keep a language for the next start.

    Raises
    ------
    OSError : it cannot be written.
    """
    assert language in LANGUAGES
    path = _kept()
    path.parent.mkdir(parents=True, exist_ok=True)
    write_whole(path, f"{language}\n".encode())
