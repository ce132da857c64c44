"""An answer in words."""

from __future__ import annotations

from datetime import timedelta
from pathlib import Path

from north_hush.core.footage.stamps import clock_text
from north_hush.core.scene.kind import kind_word
from north_hush.core.site.model import Site
from north_hush.core.words import tr
from north_hush.desk.ask.asking import Asking, Found


def answer_words(site: Site, held: Found, *, of_views: bool) -> tuple[str, str]:
    """A line and the tip that says all: when by the site's clock where that is known, how long, who, how sure; of which view where
    several were asked."""
    answer, view = held.answer, site.view(held.view_id)
    name = Path(held.recording.path).stem
    within = tr(
        "{clock_text} to {clock_text2}",
        clock_text=clock_text(answer.start_s * 1000000.0),
        clock_text2=clock_text(answer.end_s * 1000000.0),
    )
    if held.began is not None:
        at = (held.began + timedelta(seconds=answer.start_s)).astimezone(site.zone)
        when = tr("{at:%a %d %b %H:%M:%S}", at=at)
    else:
        when = within if len(view.recordings) == 1 and not of_views else f"{name}  {within}"
    told = [
        when,
        f"{answer.end_s - answer.start_s:.0f} s",
        "" if answer.kind == "unclear" else kind_word(answer.kind, view.taught),
        f"{answer.sure:.0%}",
    ]
    line = ", ".join([view.name] * of_views + [word for word in told if word])
    return line, tr("{line} sure; {name}, {within}", line=line, name=name, within=within)


def standing_words(asking: Asking, listed_most: int) -> str:
    """How many answers there are so far, of how many recordings, and what could not be asked."""
    count = len(asking.found)
    if not count:
        told = tr("Nothing of that kind")
    else:
        told = tr("1 answer") if count == 1 else tr("{count} answers", count=count)
    if count > listed_most:
        told = tr("{told}, the first {most} listed", told=told, most=listed_most)
    if asking.running:
        told = tr("{told} so far; {asked} of {of} recordings asked", told=told, asked=asking.asked, of=asking.of)
    elif asking.passed_over:
        told += tr(
            "; {passed_over} of {of} recordings are not analysed, or cannot be read",
            passed_over=asking.passed_over,
            of=asking.of,
        )
    return f"{told}."
