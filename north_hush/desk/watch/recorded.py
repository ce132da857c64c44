"""What a service recorded, put into the views of the site as recordings."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

from north_hush.core.errors import HushError
from north_hush.core.site import edits
from north_hush.core.site.file import stored_path
from north_hush.core.site.model import Site, View
from north_hush.core.watch.store import read_events, watch_folder
from north_hush.desk.session import Session


def recording_of(view: View, path: Path, site_path: Path) -> str | None:
    """The id of the recording that a file is already; None where it is none yet."""
    stored = stored_path(path, site_path)
    return next((held.id for held in view.recordings if held.path == stored), None)


def put_in(session: Session, view: View, events: Iterable[dict[str, Any]], words: str) -> int:
    """Put recorded files into a view, in one act that can be undone; how many were none of it yet."""
    new = [event for event in events if recording_of(view, Path(event["file"]), session.path) is None]
    turned = next((held.orientation for held in view.recordings if held.orientation is not None), None)

    def add(site: Site) -> Site:
        for event in new:
            site = edits.add_recording(site, view.id, stored_path(Path(event["file"]), session.path))
            taken = datetime.fromisoformat(event["start_utc"])
            made = site.view(view.id).recordings[-1].id
            site = edits.change_recording(site, view.id, made, taken_at=taken, orientation=turned)
        return site

    return len(new) if new and session.do(words, add) else 0


def of_last(site_path: Path, view: View, hours: float) -> list[dict[str, Any]]:
    """What was recorded of a view in the last hours and is still there, the oldest first."""
    since = datetime.now(UTC) - timedelta(hours=hours)
    try:
        events = list(read_events(watch_folder(site_path) / "events.sqlite", round(since.timestamp() * 1e6)))
    except HushError:
        return []
    files = [one for one in events if one["view"] == view.name and one["what"] in ("clip", "footage")]
    footage = [one for one in files if one["what"] == "footage"]
    # Where everything is kept, the clips show nothing more.
    return [one for one in footage or files if one.get("file") and Path(one["file"]).exists()]
