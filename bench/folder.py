"""A folder of 2,000 clips of 20 s: looked at in the core, and dropped on the window."""

from __future__ import annotations

import os
import tempfile
import time
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

from bench.core import Row, row
from north_hush.core.footage.dating import named_date
from north_hush.core.footage.gathering import gathered, videos_in
from north_hush.core.site import edits
from north_hush.core.site.file import SUFFIX
from north_hush.core.site.saving import save_site

CLIPS = 2000


def folder_of_clips(folder: Path) -> Path:
    """Clips one after the other over four days, their names saying when; each differs by its end, as what is in it is compared."""
    from importlib import resources

    clips = sorted(Path(str(resources.files("north_hush.demo") / "data" / "day")).glob("*.mp4"))
    data = [clip.read_bytes() for clip in clips]
    folder.mkdir(parents=True, exist_ok=True)
    for number in range(CLIPS):
        at = datetime(2026, 9, 21, tzinfo=UTC) + timedelta(seconds=173 * number)
        (folder / f"slip_{at:%Y%m%d_%H%M%S}.mp4").write_bytes(data[number % len(data)] + number.to_bytes(8, "big"))
    return folder


def dropped(folder: Path) -> Iterator[Row]:
    """In the window: from the drop to the time line, and the longest gap meanwhile."""
    from bench.large import Gaps
    from north_hush.desk.app import application
    from north_hush.desk.session import Session
    from tests.seen_window import SeenWindow

    application()
    path = folder / f"bench{SUFFIX}"
    save_site(edits.new_site("Clips"), path)
    window = SeenWindow(Session(path))
    window.show()
    application().processEvents()
    took = {"line": 0.0}
    began = time.perf_counter()

    def there() -> bool:
        found = len(window.session.view.recordings) == CLIPS
        if found and not took["line"]:
            took["line"] = time.perf_counter() - began
            window.analysis.stop()
        return found

    longest_ms, _ = Gaps(there).of(lambda: window.intake.add_recordings([folder]))
    yield row("2,000 clips dropped, to the time line in the window", took["line"], "s", "<= 16")
    yield row("longest gap meanwhile", longest_ms, "ms", "<= 50")
    window.close()


def clips() -> Iterator[Row]:
    """All figures."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    with tempfile.TemporaryDirectory() as held:
        folder = folder_of_clips(Path(held) / "clips")
        began = time.perf_counter()
        paths = videos_in([folder])
        named = [named_date(path.name) for path in paths]
        yield row("2,000 clips, names and what they say", time.perf_counter() - began, "s", "<= 1")
        assert all(named) and len(named) == CLIPS
        began = time.perf_counter()
        found = gathered(paths, ZoneInfo("UTC"))
        yield row("times and lengths from their containers", time.perf_counter() - began, "s", "<= 15")
        assert len(found.recordings) == CLIPS
        yield from dropped(folder)


BENCHMARKS = {"folder": clips}
