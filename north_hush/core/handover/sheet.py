"""The settings sheet: what to draw, click and type on a device, in its own words, pixels and order."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date, timedelta
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from north_hush.core.handover import page
from north_hush.core.handover.card import Card
from north_hush.core.handover.fit import Fit
from north_hush.core.handover.fit_rows import worth_words
from north_hush.core.handover.handed import changes_since, handed_of, last_handed
from north_hush.core.handover.picture import as_data, drawn_picture, view_picture
from north_hush.core.hours.plan import KINDS
from north_hush.core.hours.week import DAYS, week_of
from north_hush.core.runs import runs_of
from north_hush.core.scene.area import Brushed, Polygon, filled_cells
from north_hush.core.scene.items import Wire, Zone
from north_hush.core.site.model import Site, View
from north_hush.core.words import tr

_NOBODY_PX = (1920, 1080)


def sheet_html(site: Site, site_path: Path, fits: Sequence[tuple[View, Fit]]) -> str:
    """One sheet for all views."""
    parts: list[str] = []
    for view, fit in fits:
        parts += _view_parts(site, site_path, view, fit)
    cards = sorted({fit.card.name for _, fit in fits})
    return page.page(tr("{name}: settings for {join}", name=site.name, join=", ".join(cards)), parts)


def _view_parts(site: Site, site_path: Path, view: View, fit: Fit) -> list[str]:
    plan, card = fit.fitted.plan, fit.card
    pixels = view_picture(view, site_path)
    size = _size_of(card, pixels)
    wires = tuple(wire for wire in plan.wires if isinstance(wire, Wire))
    parts = [
        page.heading(tr("View {name}", name=view.name)),
        *_changed(site, view, fit),
        page.words(tr("Expected: {worth_words}.", worth_words=worth_words(fit))),
    ]
    parts.append(page.picture(as_data(drawn_picture(pixels, plan.zones, wires))))
    parts += [_shape(zone, size) for zone in plan.zones]
    parts += [_wire(wire, size) for wire in wires]
    names = [scale.name for scale in card.scales]
    tags = [(zone.id, f"{zone.letter}  {zone.name}") for zone in plan.zones]
    tags += [(wire.id, f"{wire.letter}  {wire.name}") for wire in wires]
    rows = [[tag, *(_value(card, name, fit.fitted.values.get(item, {})) for name in names)] for item, tag in tags]
    shared = [scale.name for scale in card.scales if not scale.each]
    parts += [page.heading(tr("Numbers to type")), page.table([tr("Item"), *names], rows)]
    if shared:
        parts.append(page.words(tr("One value serves all items: {join}.", join=", ".join(shared)), quiet=True))
    guessed = [scale.name for scale in card.scales if scale.sure == "guessed"]
    if guessed:
        parts.append(
            page.words(tr("The scale is guessed, and has to be proved: {join}.", join=", ".join(guessed)), quiet=True)
        )
    parts += _hours(site, view, card)
    lost = [(name, by or tr("no single thing")) for name, by in fit.lost]
    parts.append(page.table([tr("Incident that is lost"), tr("Would be saved by")], lost))
    if fit.fitted.notes:
        parts += [page.heading(tr("What the device cannot hold")), *(page.words(note) for note in fit.fitted.notes)]
    parts += [page.heading(tr("In this order")), page.boxes(card.steps)]
    return parts


def _changed(site: Site, view: View, fit: Fit) -> list[str]:
    """What is otherwise than on the sheet that was handed over last; nothing where none was."""
    before = last_handed(view, fit.card.name)
    if before is None:
        return []
    on = f"{before.at.astimezone(site.zone):%Y-%m-%d %H:%M}"
    said = tr(
        "the sheet of {on}, handed over by {by}{value}",
        on=on,
        by=before.by,
        value=f" ({before.note})" if before.note else "",
    )
    changes = changes_since(before, handed_of(view, fit, before.at, before.by))
    if not changes:
        return [page.words(tr("Nothing has changed since {said}.", said=said))]
    return [
        page.heading(tr("What changed")),
        page.words(tr("Since {said}. All else stays as it is on the device.", said=said)),
        page.table([tr("Item"), tr("What"), tr("Was"), tr("Is now")], changes),
    ]


def _size_of(card: Card, pixels: NDArray[np.uint8] | None) -> tuple[int, int]:
    """The pixels in which corners are given."""
    own = _NOBODY_PX if pixels is None else (pixels.shape[1], pixels.shape[0])
    return card.width_px or own[0], card.height_px or own[1]


def _value(card: Card, name: str, values: Mapping[str, float]) -> str:
    scale = next(held for held in card.scales if held.name == name)
    return f"{values[name]:g} {scale.unit}".strip() if name in values else "–"


def _shape(zone: Zone, size: tuple[int, int]) -> str:
    """Corners in the device's pixels, or the cells to click row by row."""
    part = zone.area[0] if zone.area else None
    title = f"{zone.letter}  {zone.name}"
    if isinstance(part, Polygon):
        rows = [(place, round(x * size[0]), round(y * size[1])) for place, (x, y) in enumerate(part.points, start=1)]
        return page.words(
            tr("{title}, corners in pixels of {size} x {size2}", title=title, size=size[0], size2=size[1])
        ) + page.table([tr("Corner"), "x", "y"], rows)
    if isinstance(part, Brushed):
        filled = filled_cells(part)
        clicks = [(row + 1, _runs(filled[row])) for row in range(part.rows) if filled[row].any()]
        return page.words(
            tr(
                "{title}, cells of {columns} x {rows}, counted from the upper left",
                title=title,
                columns=part.columns,
                rows=part.rows,
            )
        ) + page.table([tr("Row"), tr("Columns to click")], clicks)
    return page.words(tr("{title}: the whole picture", title=title))


def _runs(filled: NDArray[np.bool_]) -> str:
    """Columns as runs, from 1."""
    return ", ".join(
        f"{first + 1}" if after == first + 1 else f"{first + 1} to {after}" for first, after in runs_of(filled)
    )


def _wire(wire: Wire, size: tuple[int, int]) -> str:
    rows = [(place, round(x * size[0]), round(y * size[1])) for place, (x, y) in enumerate(wire.line, start=1)]
    way = {
        "both": tr("both ways"),
        "broken": tr("both ways"),
        "a_to_b": tr("left to right of its direction"),
        "b_to_a": tr("right to left of it"),
    }
    title = tr(
        "{letter}  {name}, {way}, in pixels of {size} x {size2}",
        letter=wire.letter,
        name=wire.name,
        way=way[wire.watches],
        size=size[0],
        size2=size[1],
    )
    return page.words(title) + page.table([tr("Point"), "x", "y"], rows)


def _hours(site: Site, view: View, card: Card) -> list[str]:
    """The week as a table, and what of it the device cannot hold."""
    if not view.has_hours:
        return []
    parts = [page.heading(tr("Hours"))]
    monday = _monday()
    rows = []
    notes: list[str] = []
    for kind in KINDS:
        week = week_of(getattr(view.hours, kind) or "24/7", site.clock, monday)
        for day, pieces in zip(DAYS, week, strict=True):
            said = ", ".join(f"{_clock(start)}-{_clock(end)}" for start, end in pieces) or "never"
            rows.append((kind, day, said))
            step = card.hours.step_min if card.hours is not None else 1
            if any(start % step or end % step for start, end in pieces):
                notes.append(
                    tr(
                        "{kind} on {day} lies between steps of {step} min: take the step that arms longer.",
                        kind=kind,
                        day=day,
                        step=step,
                    )
                )
            if card.hours is not None and len(pieces) > card.hours.periods_a_day:
                notes.append(
                    tr(
                        "{kind} on {day} has {count} pieces, the device holds {periods_a_day}.",
                        kind=kind,
                        day=day,
                        count=len(pieces),
                        periods_a_day=card.hours.periods_a_day,
                    )
                )
    parts.append(
        page.table(
            [
                tr("Hours"),
                tr("Day"),
                tr("Of the week of {isoformat}, {time_zone}", isoformat=monday.isoformat(), time_zone=site.time_zone),
            ],
            rows,
        )
    )
    if card.hours is None:
        notes.append(tr("The device has no hours: arm it by hand, or by what it is connected to."))
    elif not card.hours.holidays and site.holidays:
        notes.append(tr("The device knows no holidays: set them by hand."))
    return [*parts, *(page.words(note) for note in notes)]


def _monday() -> date:
    today = date.today()
    return today - timedelta(days=today.weekday())


def _clock(minute: int) -> str:
    return f"{minute // 60:02d}:{minute % 60:02d}"
