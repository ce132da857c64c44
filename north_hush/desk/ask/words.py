"""An answer in words."""

from __future__ import annotations

from datetime import timedelta
from pathlib import Path

from north_hush.core.footage.index import clock_text
from north_hush.core.site.model import Site
from north_hush.desk.ask.asking import Found


def answer_words(site: Site, held: Found, *, of_views: bool) -> tuple[str, str]:
    """A line and the tip that says all: when by the site's clock where that is known, how long, who, how sure; of which view where
    several were asked."""
    answer, view = held.answer, site.view(held.view_id)
    name = Path(held.recording.path).stem
    within = f"{clock_text(answer.start_s * 1e6)} to {clock_text(answer.end_s * 1e6)}"
    if held.began is not None:
        when = f"{(held.began + timedelta(seconds=answer.start_s)).astimezone(site.zone):%a %d %b %H:%M:%S}"
    else:
        when = within if len(view.recordings) == 1 and not of_views else f"{name}  {within}"
    told = [when, f"{answer.end_s - answer.start_s:.0f} s", answer.kind, f"{answer.sure:.0%}"]
    line = ", ".join([view.name] * of_views + [word for word in told if word != "unclear"])
    return line, f"{line} sure; {name}, {within}"
