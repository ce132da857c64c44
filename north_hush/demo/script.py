"""What happens in each demo recording: incidents and nuisances with times, places and clothes drawn from a seed."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime

import numpy as np

from north_hush.core.errors import HushError
from north_hush.demo.actors import Actor, Colour, Person, Pushed, route
from north_hush.demo.backdrop import Backdrop, paint
from north_hush.demo.catalogue import RECORDINGS
from north_hush.demo.light import DAY, Light
from north_hush.demo.nuisances.clock import Clock
from north_hush.demo.nuisances.exposure import ExposureJump
from north_hush.demo.nuisances.glint import Glint
from north_hush.demo.nuisances.gulls import Gull
from north_hush.demo.nuisances.nets import Nets
from north_hush.demo.shot import Nuisance

_JACKETS: tuple[Colour, ...] = (
    (0.20, 0.25, 0.33), (0.62, 0.48, 0.13), (0.44, 0.16, 0.14), (0.18, 0.30, 0.24), (0.11, 0.12, 0.14), (0.52, 0.50, 0.46),
)  # fmt: skip


@dataclass(frozen=True)
class Play:
    """A named incident: who moves, and along which path."""

    name: str
    actor: Actor


@dataclass(frozen=True)
class Script:
    """A recording before it is rendered."""

    name: str
    seed: int
    taken_at: datetime
    duration_s: float
    light: Light
    backdrop: Backdrop
    plays: tuple[Play, ...]
    nuisances: tuple[Nuisance, ...]
    key_interval: int = 40


def write_script(name: str, seed: int, seconds: float | None = None) -> Script:
    """Plan a recording.

    Raises
    ------
    HushError : no recording of that name, or a length that makes no sense.
    """
    if name not in RECORDINGS:
        raise HushError(f"recording '{name}'", "is not one of the demo's.", f"Choose from {', '.join(RECORDINGS)}.")
    if seconds is not None and not 1 <= seconds <= 3600:
        raise HushError("--seconds", f"is {seconds:g}.", "Use 1 to 3600.")
    rng = np.random.default_rng([seed, RECORDINGS.index(name)])
    return {"afternoon": _afternoon}[name](seed, rng, seconds)


def _pick(rng: np.random.Generator) -> Colour:
    return _JACKETS[int(rng.integers(len(_JACKETS)))]


def _afternoon(seed: int, rng: np.random.Generator, seconds: float | None) -> Script:
    length = seconds or 90.0
    taken_at = datetime(2026, 6, 14, 15, 2, 7, tzinfo=UTC)
    backdrop = paint(rng)
    near = route(length * rng.uniform(0.14, 0.18), rng.uniform(1.15, 1.45),
                 (rng.uniform(-7, -5), 7.2), (rng.uniform(-1.5, 0.5), 12.5), (rng.uniform(-1, 1.5), 26),
                 (2.0, 32.6), (8.5, 33.2))  # fmt: skip
    far = route(
        length * rng.uniform(0.46, 0.50),
        rng.uniform(1.2, 1.5),
        (-40.0, 73.0),
        (rng.uniform(-26, -23), 73.5),
        (-40.0, 72.5),
        floor_m=1.2,
    )
    push = route(
        length * rng.uniform(0.76, 0.80),
        rng.uniform(0.95, 1.15),
        (5.3, 19.5),
        (-2.0, rng.uniform(17, 19)),
        (-8.5, 16.0),
    )
    plays = (
        Play("person walks down the slip", Person(near, rng.uniform(1.66, 1.86), _pick(rng))),
        Play("person far out on the quay", Person(far, rng.uniform(1.66, 1.86), (0.13, 0.13, 0.15))),
        Play("person with a hand cart", Pushed(Person(push, rng.uniform(1.66, 1.86), _pick(rng), arms="push"))),
    )
    gull_s = length * rng.uniform(0.36, 0.40)
    height = rng.uniform(3.0, 4.2)
    nuisances: tuple[Nuisance, ...] = (
        Glint(length, 0.55, backdrop),
        Nets(length, 0.16, rng.uniform(0, 6), backdrop.texture),
        Gull(
            (
                (gull_s, -10.0, height, 15.0),
                (gull_s + 2.6, 3.0, height - 0.8, 13.0),
                (gull_s + 3.6, 9.0, height + 0.6, 12.5),
            )
        ),
        ExposureJump(length * rng.uniform(0.66, 0.70), 0.16),
        Clock(taken_at, length),
    )
    return Script("afternoon", seed, taken_at, length, DAY, backdrop, plays, nuisances)
