"""A gale: things are left and taken in the wind, and all that makes a camera blind happens to it, with a microphone beside.

What is left or taken falls between the troubles, so that each can be told by itself.
"""

from __future__ import annotations

from datetime import UTC, datetime

import numpy as np

from north_hush.demo.actors import Prop, oilskin_bundle
from north_hush.demo.backdrop import paint
from north_hush.demo.catalogue import GALE
from north_hush.demo.light import DAY
from north_hush.demo.nuisances.blinding import Cover, Defocus, Knock, StandStill
from north_hush.demo.nuisances.clock import Clock
from north_hush.demo.nuisances.clouds import CloudShadow
from north_hush.demo.nuisances.kelp import Kelp
from north_hush.demo.nuisances.nets import Nets
from north_hush.demo.nuisances.ropes import Ropes
from north_hush.demo.paths import Path, route
from north_hush.demo.script import Play, Script, arrival, gull, person
from north_hush.demo.shot import Nuisance
from north_hush.demo.truth import SoundFact

Spot = tuple[float, float]
_SPOTS: tuple[Spot, ...] = ((-2.2, 14.5), (1.6, 15.5), (-0.4, 19.0), (2.4, 20.5), (-3.0, 18.0), (0.8, 23.0))


def write_gale(seed: int, rng: np.random.Generator, length: float) -> Script:
    """Plan the recording."""
    taken_at = datetime(2026, 10, 18, 11, 24, 36, tzinfo=UTC)
    backdrop, unit = paint(rng), length / 330
    spots = [_SPOTS[number] for number in rng.permutation(len(_SPOTS))]
    starts = [unit * rng.uniform(at, at + 4) for at in (14, 42, 104, 132, 236, 266)]
    plays, props = [], []
    for number, (start_s, spot) in enumerate(zip(starts, spots, strict=True)):
        leaves = number % 2 == 0
        path = _visit(rng, start_s, spot)
        plays.append(Play(f"person {'leaves' if leaves else 'takes'} thing {number + 1}", person(rng, path)))
        at_s = arrival(path) + 1.5
        props.append(_thing(rng, spot, from_s=at_s) if leaves else _thing(rng, spot, until_s=at_s))
    hand, tarpaulin = unit * rng.uniform(72, 75), unit * rng.uniform(164, 167)
    knock, blur = unit * rng.uniform(198, 201), unit * rng.uniform(86, 90)
    frozen = unit * rng.uniform(298, 300)
    side = 1 if rng.random() < 0.5 else -1
    nuisances: tuple[Nuisance, ...] = (
        Ropes(length, 0.22, rng.uniform(0, 6), 1.3),
        Nets(length, 0.20, rng.uniform(0, 6), backdrop.texture, 1.5),
        Kelp(length, 0.20, rng.uniform(0, 6)),
        gull(rng, unit * rng.uniform(30, 34)),
        gull(rng, unit * rng.uniform(220, 224)),
        CloudShadow(unit * rng.uniform(36, 40), unit * rng.uniform(66, 70), 0.26, backdrop.ground_x, backdrop.depth),
        Cover(hand, hand + 9 * unit, (0.30, 0.19, 0.14), backdrop.texture, 0.10, 2.0),
        Defocus(blur, blur + 10 * unit, 7.0),
        Cover(
            tarpaulin, tarpaulin + 22 * unit, (0.16, 0.26, 0.34), backdrop.texture, 0.22, 9.0,
            name="tarpaulin before the lens",
        ),
        Knock(knock, knock + 20 * unit, 3.0 * side, rng.uniform(-0.3, 0.3)),
        StandStill(frozen, frozen + 24 * unit),
        Clock(taken_at, length),
    )  # fmt: skip
    horn, glass = unit * rng.uniform(120, 124), unit * rng.uniform(190, 194)
    sounds = (
        SoundFact(kind="wind", start_s=0.0, end_s=length),
        SoundFact(kind="gull", start_s=unit * 31, end_s=unit * 31 + 3),
        SoundFact(kind="gull", start_s=unit * 221, end_s=unit * 221 + 3),
        SoundFact(kind="horn", start_s=horn, end_s=horn + 4.0),
        SoundFact(kind="glass", start_s=glass, end_s=glass + 0.8),
    )
    return Script(
        GALE, seed, taken_at, length, DAY, backdrop, tuple(plays), nuisances, tuple(props), bytes_max=2_400_000,
        sounds=sounds,
    )  # fmt: skip


def _visit(rng: np.random.Generator, start_s: float, spot: Spot) -> Path:
    """In from the far end, to a place on the slip, and back."""
    x, z = spot
    far = (8.5, 33.0), (2.2, 31.8)
    return route(start_s, rng.uniform(1.5, 1.8), *far, (x, z + 0.4), 3.0, *reversed(far))


def _thing(rng: np.random.Generator, spot: Spot, from_s: float = -1.0, until_s: float = 1e9) -> Prop:
    """A bundle or a box, of a colour of its own."""
    if rng.random() < 0.5:
        return Prop(oilskin_bundle(*spot, from_s).parts, from_s, until_s)
    x, z = spot
    colour = tuple(float(value) for value in rng.choice([(0.55, 0.20, 0.16), (0.16, 0.30, 0.46), (0.12, 0.13, 0.14)]))
    box = tuple((x - 0.3, up, z, 0.15, x + 0.3, up, z, 0.15, *colour) for up in (0.16, 0.40))
    return Prop(box, from_s, until_s)
