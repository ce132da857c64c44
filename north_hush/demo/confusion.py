"""Kinds of tracks against what really moved: each track belongs to the body whose box holds most of its middles."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping

import numpy as np
from numpy.typing import NDArray

from north_hush.core.follow.apart import tracks_apart
from north_hush.core.follow.tracks import FOOT, FRAME, HOW, OWN, TOP, TRACK, X, Y
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.scene.kind import Kind
from north_hush.demo.truth import BoxFrac, Truth

Confusion = Counter[tuple[str, str]]
"""How many tracks of a true kind got a name: (true kind, named kind)."""

_TOLD_FRAMES = 8
"""A track with a body of its own in fewer frames is too short to be told."""
_WIDER_CELLS = 1.0
_KINDS: tuple[tuple[str, str], ...] = (
    ("boat trailer", "vehicle"), ("van", "vehicle"), ("boat", "boat"), ("cyclist", "two-wheeler"), ("dog", "animal"),
    ("two people", "people"),
)  # fmt: skip
"""What the name of an incident says of its kind; everything else is a person. Of a dog's company only the dog itself is one."""
_NUISANCE_KINDS = {
    "gull": "animal", "moth": "drifting", "spider": "drifting", "rain": "drifting", "snow": "drifting", "kelp": "drifting",
    "beam": "light", "lamp": "light", "glint": "light", "exposure": "light", "cloud": "light", "codec": "light", "ferry": "boat",
}  # fmt: skip


def true_kind(name: str) -> str:
    """The kind of an incident of the demo, by its name."""
    if "with a dog" in name:
        return "person"
    return next((kind for part, kind in _KINDS if part in name), "person")


def confusion(
    evidence: Evidence, tracks: NDArray[np.float64], names: Mapping[int, tuple[Kind, float]], truth: Truth
) -> Confusion:
    """Count the tracks of a recording by what they are and what they are named."""
    return Counter((true, names[number][0]) for number, true in true_kinds(evidence, tracks, truth))


def true_kinds(evidence: Evidence, tracks: NDArray[np.float64], truth: Truth) -> Iterator[tuple[int, str]]:
    """Number and true kind of each track of a recording that is long enough to be told."""
    for rows in tracks_apart(tracks):
        own = rows[rows[:, HOW] == OWN]
        if len(own) >= _TOLD_FRAMES:
            yield int(rows[0, TRACK]), _true_kind_of(own, evidence, truth)


def _true_kind_of(own: NDArray[np.float64], evidence: Evidence, truth: Truth) -> str:
    hits = {
        held.name: sum(
            _within(row, held.boxes[number], evidence)
            for row in own
            if 0 <= (number := int(row[FRAME]) - held.first_frame) < len(held.boxes)
        )
        for held in truth.incidents
    }
    best = max(hits, key=lambda name: hits[name], default="")
    if best and hits[best] * 2 >= len(own):
        return true_kind(best)
    first_s, last_s = (evidence.time_us[int(own[at, FRAME])] / US_PER_S for at in (0, -1))
    grid = evidence.grid
    x, y = grid.point(float(np.median(own[:, X])), float(np.median(own[:, Y])))
    for fact in truth.nuisances:
        on = any(start <= last_s and end >= first_s for start, end in fact.spans_s)
        here = fact.box is None or (fact.box[0] <= x <= fact.box[2] and fact.box[1] <= y <= fact.box[3])
        kind = next((kind for part, kind in _NUISANCE_KINDS.items() if part in f"{fact.kind} {fact.name}"), "")
        if on and here and kind:
            return kind
    return "other"


def _within(row: NDArray[np.float64], box: BoxFrac | None, evidence: Evidence) -> bool:
    if box is None:
        return False
    grid = evidence.grid
    left, top = grid.point(float(row[X]) - _WIDER_CELLS, float(row[TOP] + row[FOOT]) / 2 - _WIDER_CELLS)
    right, bottom = grid.point(float(row[X]) + _WIDER_CELLS, float(row[TOP] + row[FOOT]) / 2 + _WIDER_CELLS)
    return bool(right >= box[0] and left <= box[2] and bottom >= box[1] and top <= box[3])


def confusion_row(found: Confusion) -> dict[str, object]:
    """Counts by true kind, and the shares that are asked for: persons and vehicles named right, drifting things and lights not
    named as people."""
    table: dict[str, dict[str, int]] = {}
    for (true, named), count in sorted(found.items()):
        table.setdefault(true, {})[named] = count

    def share(true: tuple[str, ...], named: tuple[str, ...], *, within: bool) -> float | None:
        total = sum(count for (is_, _), count in found.items() if is_ in true)
        hits = sum(count for (is_, name), count in found.items() if is_ in true and (name in named) == within)
        return round(hits / total, 3) if total else None

    people = ("person", "people")
    return {
        "table": table,
        "persons_named_right": share(people, people, within=True),
        "vehicles_named_right": share(("vehicle",), ("vehicle",), within=True),
        "drifting_and_light_not_people": share(("drifting", "light"), people, within=False),
    }
