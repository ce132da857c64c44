"""Names of clips and snapshots, by date and time from a pattern."""

from __future__ import annotations

import re
from collections.abc import Mapping
from string import Formatter

from north_hush.core.words import tr

FIELDS = ("view", "item", "kind", "recording", "date", "time", "start", "end", "number")
"""What a pattern may name. `start` and `end` are date and time together, `number` counts through all that is cut."""
_TELLING = {"time", "start", "end", "number"}
"""A pattern without one of these would call everything the same."""
_LONGEST = 120


def check_pattern(pattern: str) -> str:
    """The pattern, if it is one.

    Raises
    ------
    ValueError : it names an unknown field, leads out of its folder, or calls everything the same.
    """
    try:
        parts = [(text, field, spec, turn) for text, field, spec, turn in Formatter().parse(pattern)]
    except ValueError as error:
        raise ValueError(f"'{pattern}' is no pattern ({error}); write fields as {{start}}") from error
    named = {field for _, field, _, _ in parts if field is not None}
    unknown = sorted(named - set(FIELDS))
    if unknown or any(spec or turn for _, _, spec, turn in parts):
        what = f"{{{unknown[0]}}}" if unknown else tr("a format")
        raise ValueError(
            tr(
                "'{pattern}' has {what}, which nobody knows; the fields are {join}",
                pattern=pattern,
                what=what,
                join=", ".join(FIELDS),
            )
        )
    if pattern.startswith(("/", "\\", "~")) or "\\" in pattern or "\0" in pattern or ".." in pattern.split("/"):
        raise ValueError(
            tr(
                "'{pattern}' leads out of the folder that is written to; leave '..' and a leading / away",
                pattern=pattern,
            )
        )
    if not named & _TELLING:
        raise ValueError(f"'{pattern}' calls all files the same; add {{start}}, {{time}} or {{number}}")
    if pattern.endswith("/"):
        raise ValueError(tr("'{pattern}' ends with a folder; say how files in it are called", pattern=pattern))
    return pattern


class Names:
    """Gives out names of one folder by a pattern, no two alike."""

    def __init__(self, pattern: str) -> None:
        self._pattern = check_pattern(pattern)
        self._taken: set[str] = set()
        self._number = 0

    def free(self, fields: Mapping[str, str], ending: str) -> str:
        """The next name, with `ending` as ".mkv"; numbered where it is taken. Two that differ in capitals alone count as the same."""
        self._number += 1
        held = {name: _safe(fields.get(name, "")) or "none" for name in FIELDS} | {"number": f"{self._number:04d}"}
        made = self._pattern.format(**held)
        stem = "/".join(_part(part) for part in made.split("/") if part)
        name, again = f"{stem}{ending}", 1
        while name.casefold() in self._taken:
            again += 1
            name = f"{stem}-{again}{ending}"
        self._taken.add(name.casefold())
        return name


def _safe(text: str) -> str:
    """A field as part of a name: no separators, no signs that some disks refuse."""
    return re.sub(r"[^\w.+-]+", "-", text).strip("-.")[:_LONGEST]


def _part(text: str) -> str:
    """A folder or file name as written in the pattern, without what disks refuse."""
    return re.sub(r'[\x00-\x1f<>:"|?*\\]+', "-", text).strip(" .")[:_LONGEST] or "none"
