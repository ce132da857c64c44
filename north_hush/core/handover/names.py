"""Names of files that are written out: safe on every system, and no two alike."""

from __future__ import annotations

import re

_LONGEST = 80
_RESERVED = {"con", "prn", "aux", "nul", *(f"{port}{n}" for port in ("com", "lpt") for n in range(1, 10))}
"""Names that some systems keep for devices."""


class FileNames:
    """Gives out names for files of one folder."""

    def __init__(self) -> None:
        self._taken: set[str] = set()

    def free(self, text: str, ending: str) -> str:
        """A name made of a text's letters, digits and dashes, with an ending as "-mask.png"; numbered when it is taken. Two
        names that differ in capitals alone count as the same, since some disks take them so."""
        stem = re.sub(r"[^\w-]+", "-", text).strip("-_.").lower()[:_LONGEST] or "unnamed"
        stem = f"{stem}-1" if stem in _RESERVED else stem
        name, number = f"{stem}{ending}", 1
        while name.lower() in self._taken:
            number += 1
            name = f"{stem}-{number}{ending}"
        self._taken.add(name.lower())
        return name
