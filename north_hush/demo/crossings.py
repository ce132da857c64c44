"""When the demo's wires are truly crossed: by feet, by wheels and by a ferry's waterline, told in the picture."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from north_hush.demo.actors import Actor, Company, Person
from north_hush.demo.camera import project
from north_hush.demo.catalogue import WIRES_PX
from north_hush.demo.nuisances.ferry import Ferry
from north_hush.demo.script import Play, Script
from north_hush.demo.truth import Crossing

_STEP_S = 0.02
_APART_S = 10.0
"""The first and the last part of one thing pass a wire within this, or it has turned in between."""
_Passing = tuple[str, float, Literal["a_to_b", "b_to_a"]]
"""A wire, when it was passed and which way."""


def crossings_in(script: Script) -> Iterator[Crossing]:
    """Crossings of all plays of a script, and of what is no incident and yet goes over a line."""
    for play in script.plays:
        yield from crossings_of(play)
    for ferry in script.nuisances:
        if isinstance(ferry, Ferry):
            yield from crossings_afloat(ferry)


def crossings_of(play: Play) -> Iterator[Crossing]:
    """Crossings of the demo wires by each who walks in a play: the feet, or the middle of what drives, and when the first and the last
    part of what is long was over the line."""
    for walker in walkers_of(play):
        moments = np.arange(walker.path.start_s, walker.path.end_s, _STEP_S)
        ahead_m, behind_m = walker.ground_m
        nose, tail = (list(_passings(moments, _ground(walker, moments, off_m))) for off_m in (ahead_m, -behind_m))
        for wire, time_s, direction in _passings(moments, _ground(walker, moments, 0.0)):
            ends = [_nearest(part, wire, time_s, direction) for part in (nose, tail)]
            long = ahead_m + behind_m > 0
            yield Crossing(
                wire=wire, incident=play.name, time_s=round(time_s, 2), direction=direction,
                begins_s=round(min(*ends, time_s), 2) if long else None, ends_s=round(max(*ends, time_s), 2) if long else None,
            )  # fmt: skip


def crossings_afloat(ferry: Ferry) -> Iterator[Crossing]:
    """Crossings of the demo wires by the middle of a ferry's waterline: it lies behind the quay, and its way goes over a line's end."""
    moments = np.arange(ferry.start_s, ferry.end_s, _STEP_S)
    for wire, time_s, direction in _passings(moments, np.array([ferry.afloat(float(moment)) for moment in moments])):
        yield Crossing(wire=wire, incident=ferry.name, time_s=round(time_s, 2), direction=direction)


def walkers_of(play: Play) -> tuple[Actor, ...]:
    """Who walks in a play; where nobody does, what moves."""
    members = play.actor.members if isinstance(play.actor, Company) else ()
    return tuple(member for member in members if isinstance(member, Person)) or (play.actor,)


def _ground(walker: Actor, moments: NDArray[np.float64], ahead_m: float) -> NDArray[np.float64]:
    """Where something stands at each moment, or the ground so far ahead of it, in pixels: (moments, 2) float64."""
    lag_m = walker.lag_m if isinstance(walker, Person) else 0.0
    places = []
    for moment in moments.tolist():
        x, z = walker.path.at(moment)
        along_x, along_z, _ = walker.path.heading(moment)
        places.append((x + along_x * (ahead_m - lag_m), walker.path.floor_m, z + along_z * (ahead_m - lag_m)))
    return np.asarray(project(np.array(places)))


def _passings(moments: NDArray[np.float64], places: NDArray[np.float64]) -> Iterator[_Passing]:
    """When a way over the picture goes from one side of a wire to the other, between the wire's ends."""
    for name, first, second in WIRES_PX:
        start, along = np.array(first), np.array(second) - np.array(first)
        side = along[0] * (places[:, 1] - start[1]) - along[1] * (places[:, 0] - start[0])
        share = ((places - start) @ along) / (along @ along)
        for place in np.flatnonzero(np.diff(np.sign(side)) != 0):
            if 0 <= share[place] <= 1:
                yield name, float(moments[place]), "a_to_b" if side[place + 1] > side[place] else "b_to_a"


def _nearest(passings: list[_Passing], wire: str, time_s: float, direction: str) -> float:
    """When a part passed, nearest to when the whole did; the same moment where it did not."""
    near = [at_s for name, at_s, way in passings if (name, way) == (wire, direction) and abs(at_s - time_s) <= _APART_S]
    return min(near, key=lambda at_s: abs(at_s - time_s), default=time_s)
