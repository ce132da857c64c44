"""Many recordings at once: the videos of folders, each with when it began, how long it is and what it is known by.

Only headers and pieces are read; what a header says of the length may be wrong, and is corrected when the recording is opened.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path
from zoneinfo import ZoneInfo

from north_hush.core.errors import HushError
from north_hush.core.footage.dating import dates_of, undated_name
from north_hush.core.footage.fingerprint import fingerprint
from north_hush.core.footage.index import Footage
from north_hush.core.footage.source import open_video
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.words import tr

VIDEO_SUFFIXES = (
    ".mp4", ".mkv", ".avi", ".mov", ".m4v", ".ts", ".m2ts", ".mts", ".mpg", ".mpeg", ".webm", ".asf", ".wmv", ".flv", ".3gp", ".dav",
)  # fmt: skip
_READERS = 4
"""Files are waited for rather than worked on."""


Stream = tuple[tuple[int, int], str]
"""Width and height of the picture, and what a name says besides its moment."""


def stream_words(stream: Stream) -> str:
    """A stream as people are asked about it."""
    (width, height), name = stream
    return f"{width} × {height}{f' {name}' if name else ''}"


@dataclass(frozen=True)
class Gathered:
    """A recording before it is opened.

    Attributes
    ----------
    began : by what it says itself, in UTC; None where only its file has a date, which every copy changes
    length_s : by its header; None where that does not say
    size_px : width and height
    """

    path: Path
    fingerprint: str
    began: datetime | None
    length_s: float | None
    size_px: tuple[int, int]

    @property
    def stream(self) -> Stream:
        """What tells it from files of another stream or camera."""
        return self.size_px, undated_name(self.path.stem)


@dataclass(frozen=True)
class Gathering:
    """What was found, in order of time, and what could not be read."""

    recordings: tuple[Gathered, ...] = ()
    errors: tuple[HushError, ...] = ()

    @property
    def streams(self) -> tuple[Stream, ...]:
        """The sizes and names there are, the commonest first: more than one are several streams, or several cameras."""
        return tuple(stream for stream, _ in Counter(held.stream for held in self.recordings).most_common())

    def of(self, stream: Stream) -> Gathering:
        """What is of one of them alone."""
        return replace(self, recordings=tuple(held for held in self.recordings if held.stream == stream))


def videos_in(paths: Iterable[Path]) -> list[Path]:
    """The files among paths, and the videos of the folders among them and of what lies in these; a folder without any stays one: it may
    hold numbered images."""
    found: list[Path] = []
    for path in paths:
        if not path.is_dir():
            found.append(path)
            continue
        held = sorted(one for one in path.rglob("*") if one.suffix.lower() in VIDEO_SUFFIXES and one.is_file())
        found += held or [path]
    return found


def gathered(
    paths: Sequence[Path],
    zone: ZoneInfo,
    report: Callable[[int, int], None] = lambda done, of: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> Gathering:
    """Look at recordings, and order them by when they began; those that do not say come last, in the order of their names.

    `report` is called with how many of how many are done; once `cancelled`, what was found so far is returned.
    """
    recordings, errors = list[Gathered](), list[HushError]()
    with ThreadPoolExecutor(_READERS) as readers:
        for done, (path, waited) in enumerate([(path, readers.submit(_look, path, zone)) for path in paths], 1):
            if cancelled():
                readers.shutdown(cancel_futures=True)
                break
            try:
                recordings.append(waited.result())
            except HushError as error:
                errors.append(error)
            except OSError as error:
                errors.append(
                    HushError(
                        str(path), tr("cannot be read ({strerror}).", strerror=error.strerror), tr("Check the disk.")
                    )
                )
            report(done, len(paths))
    recordings.sort(
        key=lambda held: (held.began is None, held.began.timestamp() if held.began else 0.0, str(held.path))
    )
    return Gathering(tuple(recordings), tuple(errors))


def _look(path: Path, zone: ZoneInfo) -> Gathered:
    with open_video(path, threads=1) as (container, stream):
        tags = dict(container.metadata), dict(stream.metadata)
        length_us = container.duration
        if stream.duration and stream.time_base:
            length_us = round(stream.duration * stream.time_base * US_PER_S)
        size = stream.width, stream.height
    length_s = length_us / US_PER_S if length_us and length_us > 0 else None
    said = [held for held in dates_of(path, length_s or 0.0, *tags) if held.source != "file date"]
    return Gathered(path, fingerprint(Footage(path)), said[0].at(zone) if said else None, length_s, size)
