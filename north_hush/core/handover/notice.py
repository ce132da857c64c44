"""A notice as it will look: what the replay tells, in words and pictures; and tests of the ways to tell."""

from __future__ import annotations

import io
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from north_hush.core.errors import FootageError
from north_hush.core.evaluate.evaluation import Evaluation
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.evaluate.led_to import led_to
from north_hush.core.explain.box import box_around
from north_hush.core.footage.server import FrameServer, cut_out
from north_hush.core.footage.stamps import US_PER_S, clock_text
from north_hush.core.handover.clips import Place, name_of
from north_hush.core.handover.report import Asked, evaluated
from north_hush.core.outcome.cutting import pictures
from north_hush.core.outcome.notices import Notice
from north_hush.core.outcome.replay import Replayed
from north_hush.core.outcome.rules import Tell, Way
from north_hush.core.outcome.ways.message import Message, Picture
from north_hush.core.outcome.wording import line_of
from north_hush.core.site.model import Site
from north_hush.core.words import tr

_VIEW_PX = 640
_LISTED_MOST = 12


def message_of(
    evaluator: Evaluator, place: Place, found: Evaluation, led: Replayed, notice: Notice, tell: Tell
) -> Message:
    """A notice in words and pictures; privacy masks hold in them.

    Raises
    ------
    FootageError : the recording cannot be read.
    """
    alarms = [led.alarms[number] for number in notice.alarms]
    items = list(dict.fromkeys(name_of(place.view, held.item) for held in alarms))
    times = [_time(place, held.start_us) for held in alarms]
    facts = {
        "site": place.site.name,
        "view": place.view.name,
        "items": ", ".join(items),
        "time": times[0],
        "alarms": str(len(alarms)),
    }
    lines = [f"{at}  {name_of(place.view, held.item)}" for at, held in zip(times, alarms, strict=True)]
    if len(lines) > _LISTED_MOST:
        lines = [*lines[:_LISTED_MOST], tr("and {count} more", count=len(lines) - _LISTED_MOST)]
    text = "\n".join([*lines, *filter(None, (tell.instruction, tell.link))])
    return Message(
        line_of(tell.subject, facts),
        text,
        _pictures(evaluator, place, found, led, notice, tell),
        {
            "site": place.site.name,
            "view": place.view.name,
            "recording": place.recording.path,
            "items": items,
            "starts": times,
            "instruction": tell.instruction,
            "link": tell.link,
        },
    )


def _time(place: Place, us: int) -> str:
    at = place.at(us)
    return tr("{clock_text} after the start", clock_text=clock_text(us)) if at is None else f"{at:%Y-%m-%d %H:%M:%S}"


def _pictures(
    evaluator: Evaluator, place: Place, found: Evaluation, led: Replayed, notice: Notice, tell: Tell
) -> tuple[Picture, ...]:
    """The view where the first alarm shows most, and what moved there."""
    if tell.picture == "none":
        return ()
    first = led.alarms[notice.alarms[0]]
    lane = next(held for held in found.lanes if held.zone_id == first.item)
    alarm = next(held for held in lane.alarms if held.start_us == first.start_us)
    frame, patch = evaluator.explainer(found.evidence, found.plan).peak(lane, alarm)
    number = int(np.searchsorted(place.index.time_us, found.evidence.time_us[frame]))
    server = FrameServer(place.index)
    try:
        for _, pixels in pictures(server, place.grid, range(number, number + 1), place.view.privacy):
            made = [] if patch is None or tell.picture == "view" else [("crop.jpg", cut_out(pixels, box_around(patch)))]
            made += [("view.jpg", pixels)] if tell.picture != "crop" or patch is None else []
            return tuple(Picture(name, jpeg(held)) for name, held in made)
    finally:
        server.close()
    return ()


def jpeg(pixels: NDArray[np.uint8]) -> bytes:
    """A picture, (height, width, 4) uint8 in the order blue, green, red, unused, as JPEG of at most 640 pixels across."""
    image = Image.fromarray(np.ascontiguousarray(pixels[:, :, 2::-1]))
    if image.width > _VIEW_PX:
        image = image.resize((_VIEW_PX, max(1, image.height * _VIEW_PX // image.width)))
    out = io.BytesIO()
    image.save(out, "JPEG", quality=85)
    return out.getvalue()


def site_notices(asked: Asked, ways: set[str] | None = None) -> list[tuple[Way, Tell, Message, dict[str, Any]]]:
    """The first message that each rule of telling leads to, with its way and where it comes from; rules that lead to none are left out.

    Raises
    ------
    SiteError : no view has a tuning of that name.
    """
    evaluator, made = Evaluator(), list[tuple[Way, Tell, Message, dict[str, Any]]]()
    for view, used in asked.views():
        waiting = {place for place, tell in enumerate(view.outcome.tell) if ways is None or tell.way in ways}
        for recording in view.recordings:
            if not waiting:
                break
            try:
                index, found = evaluated(evaluator, asked, view, used, recording)
            except FootageError:
                continue
            led = led_to(evaluator, asked.site, view, recording, index, found, all_hours=asked.all_hours)
            where = Place(asked.site, view, recording, index)
            for notice in led.notices:
                if notice.telling in waiting and notice.why in ("told", "collected"):
                    waiting.discard(notice.telling)
                    tell = view.outcome.tell[notice.telling]
                    row = {"view": view.name, "recording": recording.path, "at_s": round(notice.at_us / US_PER_S, 3)}
                    message = message_of(evaluator, where, found, led, notice, tell)
                    made.append((asked.site.way(tell.way), tell, message, row))
    return made


def trial_message(asked: Asked, way: Way) -> Message:
    """What a test of a way sends: the first message that would go by it, marked as a test; a plain one where there is none."""
    found = site_notices(asked, {way.name})
    if not found:
        return Message(
            tr("Test from North Hush"), plain_test(asked.site, way), facts={"site": asked.site.name, "test": True}
        )
    held = found[0][2]
    return Message(
        tr("Test: {subject}", subject=held.subject), held.text, held.pictures, {**held.facts, "test": True}, held.key
    )


def plain_test(site: Site, way: Way) -> str:
    """Words of a test where no alarm is told."""
    return tr("This is a test of '{name}' of {name2}. No alarm is meant.", name=way.name, name2=site.name)
