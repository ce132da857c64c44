"""What happens in each demo recording: incidents and nuisances with times, places and clothes drawn from a seed."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime

import numpy as np

from north_hush.core.errors import HushError
from north_hush.demo.actors import (
    Actor,
    Boat,
    Colour,
    Company,
    Cyclist,
    Person,
    Prop,
    Pushed,
    Sledge,
    Tractor,
    oilskin_bundle,
    rope_coil,
)
from north_hush.demo.backdrop import PUMP, Backdrop, paint
from north_hush.demo.catalogue import CROWD, GALE
from north_hush.demo.light import DAY, DUSK, NIGHT, SNOW, Light, lamp_pool
from north_hush.demo.nuisances.beam import TurningBeam
from north_hush.demo.nuisances.clock import Clock
from north_hush.demo.nuisances.clouds import CloudShadow
from north_hush.demo.nuisances.codec import CodecPulse
from north_hush.demo.nuisances.exposure import ExposureJump
from north_hush.demo.nuisances.ferry import Ferry
from north_hush.demo.nuisances.fog import FogBank
from north_hush.demo.nuisances.glint import Glint
from north_hush.demo.nuisances.gulls import Gull
from north_hush.demo.nuisances.kelp import Kelp
from north_hush.demo.nuisances.lamps import Lamp
from north_hush.demo.nuisances.moths import Moth
from north_hush.demo.nuisances.nets import Nets
from north_hush.demo.nuisances.rain import Rain
from north_hush.demo.nuisances.ropes import Ropes
from north_hush.demo.nuisances.shake import ShakingMast
from north_hush.demo.nuisances.snowfall import Snowfall
from north_hush.demo.nuisances.spider import SpiderThread
from north_hush.demo.nuisances.winch import SweptLamp
from north_hush.demo.paths import Path, route
from north_hush.demo.shot import Nuisance
from north_hush.demo.truth import SoundFact

_JACKETS: tuple[Colour, ...] = (
    (0.20, 0.25, 0.33), (0.62, 0.48, 0.13), (0.44, 0.16, 0.14), (0.18, 0.30, 0.24), (0.11, 0.12, 0.14), (0.52, 0.50, 0.46),
)  # fmt: skip
_GAP_S = 8.0
_USUAL_S = {"afternoon": 210.0, CROWD: 210.0, GALE: 330.0}


@dataclass(frozen=True)
class Play:
    """A named incident: who moves, and along which path."""

    name: str
    actor: Actor


@dataclass(frozen=True)
class Script:
    """A recording before it is rendered.

    `gap_at_s` is when the recorder drops out for 8 s, and `uneven` makes its frame rate vary; both None and False for a
    sound one. `bytes_max` bounds the file.
    """

    name: str
    seed: int
    taken_at: datetime
    duration_s: float
    light: Light
    backdrop: Backdrop
    plays: tuple[Play, ...]
    nuisances: tuple[Nuisance, ...]
    props: tuple[Prop, ...] = ()
    key_interval: int = 40
    gap_at_s: float | None = None
    uneven: bool = False
    bytes_max: int = 3_700_000
    sounds: tuple[SoundFact, ...] = ()
    """What a microphone hears; without any there is none."""

    @property
    def gap_s(self) -> float:
        """Length of the drop-out."""
        return 0.0 if self.gap_at_s is None else _GAP_S


def write_script(name: str, seed: int, seconds: float | None = None) -> Script:
    """Plan a recording.

    Raises
    ------
    HushError : no recording of that name, or a length that makes no sense.
    """
    from north_hush.demo.gale import write_gale  # they are made of plays, which stand here
    from north_hush.demo.regatta import write_regatta

    writers: dict[str, Callable[[int, np.random.Generator, float], Script]] = {
        "afternoon": _afternoon,
        "dusk": _dusk,
        "night": _night,
        "snow": _snow,
        CROWD: write_regatta,
        GALE: write_gale,
    }
    if name not in writers:
        raise HushError(f"recording '{name}'", "is not one of the demo's.", f"Choose from {', '.join(writers)}.")
    if seconds is not None and not 1 <= seconds <= 3600:
        raise HushError("--seconds", f"is {seconds:g}.", "Use 1 to 3600.")
    rng = np.random.default_rng([seed, [*writers].index(name)])
    return writers[name](seed, rng, seconds or _USUAL_S.get(name, 180.0))


def _pick(rng: np.random.Generator) -> Colour:
    return _JACKETS[int(rng.integers(len(_JACKETS)))]


def person(rng: np.random.Generator, path: Path, **more: object) -> Person:
    """Somebody of any height and clothes."""
    return Person(path, rng.uniform(1.64, 1.88), **{"jacket": _pick(rng), **more})


def _beside(path: Path, across_m: float) -> Path:
    """The same way some metres to the right."""
    return Path(tuple((time_s, x + across_m, z) for time_s, x, z in path.points), path.floor_m)


def gull(rng: np.random.Generator, start_s: float, brightness: float = 1.0) -> Gull:
    """A gull that flies by."""
    height, way = rng.uniform(3.0, 4.2), 1 if rng.random() < 0.5 else -1
    points = (
        (start_s, -10.0 * way, height, 15.0),
        (start_s + 2.6, 3.0 * way, height - 0.8, 13.0),
        (start_s + 3.6, 9.0 * way, height + 0.6, 12.5),
    )
    return Gull(points, brightness)


def _landing_gull(rng: np.random.Generator, start_s: float) -> Gull:
    x, z = rng.uniform(-2.5, 1.5), rng.uniform(13, 17)
    stay = rng.uniform(6, 10)
    points = (
        (start_s, -9.0, 4.5, 15.0),
        (start_s + 2.2, x, 0.12, z),
        (start_s + 2.2 + stay, x, 0.12, z),
        (start_s + 4.6 + stay, 10.0, 5.0, 15.0),
    )
    return Gull(points, name="gull that lands")


def _afternoon(seed: int, rng: np.random.Generator, length: float) -> Script:
    taken_at = datetime(2026, 6, 14, 15, 2, 7, tzinfo=UTC)
    backdrop, unit = paint(rng), length / 210
    at = [unit * rng.uniform(*slot) for slot in ((8, 14), (36, 40), (56, 61), (124, 128), (134, 138), (160, 164))]
    near = route(at[0], rng.uniform(1.15, 1.45), (rng.uniform(-7, -5), 7.2), (rng.uniform(-1.5, 0.5), 12.5),
                 (rng.uniform(-1, 1.5), 26), (2.0, 32.6), (8.5, 33.2))  # fmt: skip
    push = route(at[1], rng.uniform(0.95, 1.15), (7.0, 32.8), (1.5, 30), (-2.0, rng.uniform(17, 19)), (-9.5, 15.0))
    wait = route(at[2], rng.uniform(1.2, 1.4), (-7.5, 9.5), (PUMP[0] - 0.8, PUMP[1] - 0.3), 40.0 * unit, (-8.5, 10.5))
    bike = route(at[3], rng.uniform(3.0, 4.0), (-10.5, 15.0), (-2.0, rng.uniform(16, 20)), (2.2, 31.8), (9.5, 33.0))
    far = route(at[4], rng.uniform(1.2, 1.5), (-40.0, 73.0), (rng.uniform(-21, -17), 73.5), (-40.0, 72.5), floor_m=1.2)
    boat = route(
        at[5],
        rng.uniform(2.6, 3.1),
        (-36.0, 62.0),
        (-12.0, 50.0),
        (rng.uniform(-2, 0), 36.5),
        5.0,
        (-16.0, 52.0),
        (-40.0, 60.0),
    )
    plays = (
        Play("person walks down the slip", person(rng, near)),
        Play("person with a hand cart", Pushed(person(rng, push, arms="push"))),
        Play("person waits at the fuel pump", person(rng, wait)),
        Play("cyclist", Cyclist(bike, _pick(rng))),
        Play("person far out on the quay", person(rng, far, jacket=(0.13, 0.13, 0.15))),
        Play("small boat lands", Boat(boat)),
    )
    ferry = unit * rng.uniform(10, 50)
    nuisances: tuple[Nuisance, ...] = (
        Ferry(ferry, ferry + 120 * unit, 62),
        Glint(length, 0.55, backdrop),
        Ropes(length, 0.10, rng.uniform(0, 6)),
        Nets(length, 0.16, rng.uniform(0, 6), backdrop.texture),
        Kelp(length, 0.20, rng.uniform(0, 6)),
        gull(rng, unit * rng.uniform(30, 33)),
        _landing_gull(rng, unit * rng.uniform(144, 147)),
        gull(rng, unit * rng.uniform(200, 204)),
        CloudShadow(unit * rng.uniform(18, 24), unit * rng.uniform(52, 58), 0.30, backdrop.ground_x, backdrop.depth),
        CloudShadow(unit * rng.uniform(96, 104), unit * rng.uniform(128, 138), 0.24, backdrop.ground_x, backdrop.depth),
        ExposureJump(unit * rng.uniform(119, 122), 0.16),
        Clock(taken_at, length),
    )
    return Script("afternoon", seed, taken_at, length, DAY, backdrop, plays, nuisances)


def _dusk(seed: int, rng: np.random.Generator, length: float) -> Script:
    taken_at = datetime(2026, 9, 22, 19, 21, 40, tzinfo=UTC)
    backdrop, unit = paint(rng), length / 180
    at = [unit * rng.uniform(*slot) for slot in ((14, 20), (66, 72), (112, 118))]
    back = route(at[0], rng.uniform(1.15, 1.4), (-9.5, 14.5), (rng.uniform(1.5, 2.8), 19.5), 3.0, (-10.0, 16.0))
    together = route(at[1], rng.uniform(1.1, 1.3), (-6.5, 7.4), (-0.5, 13.0), (0.5, 25), (2.0, 32.5), (9.0, 33.2))
    drive = route(
        at[2], rng.uniform(2.0, 2.4), (-11.5, 8.0), (-1.5, 13.0), (-0.5, 27.0), 6.0, (-1.5, 14.0), (-14.0, 7.5)
    )
    pair = Company(
        together,
        (person(rng, together), person(rng, _beside(together, rng.uniform(0.75, 1.0)), lag_m=rng.uniform(0.1, 0.4))),
    )
    plays = (
        Play("person crosses and returns", person(rng, back)),
        Play("two people together", pair),
        Play("tractor with a boat trailer", Tractor(drive)),
    )
    flicks = (unit * rng.uniform(5, 9), unit * rng.uniform(52, 58), unit * rng.uniform(100, 106))
    winch = unit * rng.uniform(44, 48)
    nuisances: tuple[Nuisance, ...] = (
        TurningBeam(length, 12.0, 0.30, rng.uniform(2, 10)),
        Lamp(flicks, 1.0, lamp_pool(-6.0, 25.0, 4.5)),
        Lamp((unit * rng.uniform(98, 101),), 0.8, lamp_pool(4.4, 18.0, 4.0), name="loft lamp switching"),
        SweptLamp(winch, winch + 14 * unit, 0.9, backdrop.loft),
        Ropes(length, 0.08, rng.uniform(0, 6), 0.4),
        Nets(length, 0.10, rng.uniform(0, 6), backdrop.texture, 0.4),
        ExposureJump(unit * rng.uniform(60, 64), 0.22),
        ExposureJump(unit * rng.uniform(164, 168), -0.14),
        Clock(taken_at, length),
    )
    return Script("dusk", seed, taken_at, length, DUSK, backdrop, plays, nuisances, gap_at_s=unit * 90, uneven=True)


def _night(seed: int, rng: np.random.Generator, length: float) -> Script:
    taken_at = datetime(2026, 11, 3, 1, 47, 12, tzinfo=UTC)
    backdrop, unit = paint(rng), length / 180
    at = [unit * rng.uniform(*slot) for slot in ((12, 18), (48, 54), (86, 91), (129, 133))]
    far = route(at[0], rng.uniform(1.2, 1.4), (-16.0, 72.0), (rng.uniform(-2, 1), 72.5), (-16.0, 72.0), floor_m=1.2)
    crouch = route(at[1], rng.uniform(0.55, 0.75), (8.0, 32.6), (2.6, 31.0), (1.4, 24.0), (6.6, 31.8), (9.0, 33.0))
    take = route(at[2], rng.uniform(1.2, 1.4), (8.5, 33.0), (2.2, 31.8), (4.6, 17.4), 3.0, (2.2, 31.8), (8.5, 33.0))
    x, z = rng.uniform(-0.5, 1.2), rng.uniform(13, 16)
    leave = route(at[3], rng.uniform(1.2, 1.4), (8.5, 33.0), (2.0, 31.5), (x, z + 0.4), 3.0, (2.2, 31.8), (8.5, 33.0))
    plays = (
        Play("person far out on the quay", person(rng, far, jacket=(0.20, 0.20, 0.22))),
        Play("person crouching", person(rng, crouch, stoop=0.9)),
        Play("person takes a rope coil", person(rng, take)),
        Play("person leaves a bundle", person(rng, leave)),
    )
    props = (rope_coil(arrival(take) + 1.5), oilskin_bundle(x, z, arrival(leave) + 1.5))
    moths = tuple(
        Moth(start, start + rng.uniform(1.6, 3.0), 0.8, rng.uniform(0, 6)) for start in unit * rng.uniform(3, 172, 7)
    )
    rain = unit * rng.uniform(66, 72)
    nuisances: tuple[Nuisance, ...] = (
        Ropes(length, 0.06, rng.uniform(0, 6), 0.25),
        *moths,
        SpiderThread(length, 0.10, rng.uniform(0, 6)),
        Rain(rain, rain + 18 * unit, 1.0, seed),
        CodecPulse(length, 5.0),
        Clock(taken_at, length),
    )
    return Script(
        "night", seed, taken_at, length, NIGHT, backdrop, plays, nuisances, props, key_interval=50, bytes_max=3_000_000
    )


def arrival(path: Path) -> float:
    """When somebody stops on the way: the first wait of a path."""
    return next(a[0] for a, b in zip(path.points, path.points[1:], strict=False) if a[1:] == b[1:])


def _snow(seed: int, rng: np.random.Generator, length: float) -> Script:
    taken_at = datetime(2026, 1, 19, 9, 12, 30, tzinfo=UTC)
    backdrop, unit = paint(rng), length / 180
    at = [unit * rng.uniform(*slot) for slot in ((10, 15), (66, 71), (112, 116))]
    draw = route(at[0], rng.uniform(0.9, 1.1), (-7.5, 8.0), (-1.0, 13.5), (1.0, 26.0), (2.2, 32.2), (10.5, 33.4))
    white = route(
        at[1], rng.uniform(1.1, 1.3), (8.5, 33.0), (2.0, 31.6), (rng.uniform(-1, 1), 22.0), (2.4, 31.8), (8.5, 33.0)
    )
    slow = route(at[2], rng.uniform(0.28, 0.34), (-9.4, 15.6), (rng.uniform(-4.2, -3.4), 17.5), (-10.4, 17.0))
    grey: Colour = (0.74, 0.75, 0.77)
    plays = (
        Play("person drawing a sledge", Sledge(person(rng, draw))),
        Play("person in white", person(rng, white, jacket=grey, trousers=(0.66, 0.67, 0.69), cap=(0.70, 0.70, 0.72))),
        Play("very slow person", person(rng, slow)),
    )
    fog, shake = unit * rng.uniform(44, 47), unit * rng.uniform(100, 103)
    nuisances: tuple[Nuisance, ...] = (
        Ropes(length, 0.07, rng.uniform(0, 6), 0.9),
        Nets(length, 0.05, rng.uniform(0, 6), backdrop.texture, 1.2),
        Snowfall(length, 0.8, seed),
        FogBank(fog, fog + 26 * unit, 1.0, backdrop.depth, backdrop.texture),
        ShakingMast(shake, shake + 10 * unit, 5.0),
        Clock(taken_at, length),
    )
    return Script("snow", seed, taken_at, length, SNOW, backdrop, plays, nuisances)
