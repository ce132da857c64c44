"""People and what they push, ride and carry, as capsules in the world that move with time."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from itertools import pairwise
from typing import ClassVar, Protocol

import numpy as np
from numpy.typing import NDArray

from north_hush.demo.paths import Path

Colour = tuple[float, float, float]
Bodies = NDArray[np.float64]
"""(n, 11): X, Y, Z, radius of both ends in metres, then the colour; see `draw.to_screen`."""

_SKIN: Colour = (0.62, 0.46, 0.37)
_BOOT: Colour = (0.09, 0.09, 0.09)


class Actor(Protocol):
    """Something that comes, moves and goes: an incident, when it is real."""

    @property
    def path(self) -> Path: ...

    @property
    def ground_m(self) -> tuple[float, float]:
        """How far it reaches over the ground, ahead of its place and behind it."""
        ...

    def bodies(self, time_s: float) -> Bodies:
        """Capsules at a time between the path's start and end."""
        ...


@dataclass(frozen=True)
class Person:
    """Somebody walking: articulated legs and arms, in step with the way covered."""

    ground_m: ClassVar[tuple[float, float]] = (0.0, 0.0)
    path: Path
    height_m: float = 1.76
    jacket: Colour = (0.20, 0.25, 0.33)
    trousers: Colour = (0.15, 0.15, 0.17)
    cap: Colour = (0.24, 0.19, 0.14)
    arms: str = "swing"
    stoop: float = 0.0
    lag_m: float = 0.0

    def bodies(self, time_s: float) -> Bodies:
        x, z = self.path.at(time_s)
        dx, dz, speed = self.path.heading(time_s)
        x, z = x - dx * self.lag_m, z - dz * self.lag_m
        stride = 0.78 * self.height_m
        phase = 2 * math.pi * self.path.travelled(time_s) / stride
        swing = 0.46 * min(1.0, speed / 1.1)
        sway = 0.02 * math.sin(time_s * 1.7) if speed < 0.05 else 0.0
        h = self.height_m * (1 - 0.32 * self.stoop)
        floor = self.path.floor_m + 0.012 * self.height_m * abs(math.cos(phase)) * (speed > 0.05)

        def at(forward: float, up: float, side: float) -> tuple[float, float, float]:
            return x + dx * forward - dz * (side + sway), floor + up, z + dz * forward + dx * (side + sway)

        parts: list[tuple[float, ...]] = []

        def limb(
            a: tuple[float, float, float], ra: float, b: tuple[float, float, float], rb: float, colour: Colour
        ) -> None:
            parts.append((*a, ra, *b, rb, *colour))

        hip, shoulder, lean = 0.50 * h, 0.81 * h, 0.03 * h * (speed > 0.05) + 0.30 * h * self.stoop
        for side, turn in ((0.09, 0.0), (-0.09, math.pi)):
            leg = swing * math.sin(phase + turn)
            bend = 0.55 * max(0.0, math.cos(phase + turn)) * min(1.0, speed) + 0.9 * self.stoop
            knee = at(0.25 * h * math.sin(leg + bend * 0.5), hip - 0.24 * h * math.cos(leg), side)
            foot = at(0.25 * h * math.sin(leg) + 0.24 * h * math.sin(leg - bend * 0.8), 0.04, side)
            limb(at(0, hip, side), 0.085, knee, 0.065, self.trousers)
            limb(knee, 0.062, foot, 0.05, self.trousers)
            limb(
                foot,
                0.05,
                at(0.25 * h * math.sin(leg) + 0.24 * h * math.sin(leg - bend * 0.8) + 0.13, 0.04, side),
                0.04,
                _BOOT,
            )
        for side, turn in ((0.21, math.pi), (-0.21, 0.0)):
            reach = {"push": 0.9, "carry": 0.5}.get(self.arms, 0.85 * swing * math.sin(phase + turn))
            elbow = at(lean + 0.15 * h * math.sin(reach), shoulder - 0.16 * h * math.cos(reach), side)
            hand = at(
                lean + 0.15 * h * math.sin(reach) + 0.15 * h * math.sin(reach + 0.35),
                shoulder - 0.30 * h * math.cos(reach * 0.8),
                side,
            )
            limb(at(lean, shoulder, side * 0.85), 0.065, elbow, 0.05, self.jacket)
            limb(elbow, 0.05, hand, 0.04, self.jacket)
            limb(hand, 0.042, hand, 0.042, _SKIN)
        limb(at(0, hip, 0), 0.145, at(lean, shoulder - 0.03, 0), 0.185, self.jacket)
        limb(at(lean * 1.2, shoulder + 0.05 * h, 0), 0.06, at(lean * 1.3, 0.925 * h, 0), 0.095, _SKIN)
        limb(at(lean * 1.3 - 0.01, 0.955 * h, 0), 0.10, at(lean * 1.3 + 0.02, 0.965 * h, 0), 0.095, self.cap)
        return np.array(parts)


def _ring(
    centre: tuple[float, float, float], forward: tuple[float, float], radius: float, tube: float, colour: Colour
) -> list[tuple[float, ...]]:
    """An upright wheel whose plane holds the forward direction."""
    x, y, z = centre
    angles = np.linspace(0, 2 * math.pi, 15)
    rim = [
        (x + forward[0] * radius * math.cos(a), y + radius * math.sin(a), z + forward[1] * radius * math.cos(a))
        for a in angles
    ]
    return [(*a, tube, *b, tube, *colour) for a, b in pairwise(rim)]


@dataclass(frozen=True)
class Pushed:
    """Somebody pushing a hand cart ahead."""

    ground_m: ClassVar[tuple[float, float]] = (1.53, 0.0)
    person: Person
    load: Colour = (0.34, 0.29, 0.20)

    @property
    def path(self) -> Path:
        return self.person.path

    def bodies(self, time_s: float) -> Bodies:
        x, z = self.path.at(time_s)
        dx, dz, _ = self.path.heading(time_s)
        floor = self.path.floor_m
        parts: list[tuple[float, ...]] = []
        wood: Colour = (0.42, 0.33, 0.22)
        for side in (-0.36, 0.36):
            ax, az = x + dx * 1.25 - dz * side, z + dz * 1.25 + dx * side
            parts += _ring((ax, floor + 0.3, az), (dx, dz), 0.28, 0.03, (0.10, 0.10, 0.10))
            grip = (x + dx * 0.45 - dz * side * 0.7, floor + 1.0, z + dz * 0.45 + dx * side * 0.7)
            parts.append((*grip, 0.025, ax, floor + 0.5, az, 0.03, *wood))
        for side in (-0.26, 0.0, 0.26):
            back = (x + dx * 0.8 - dz * side, floor + 0.62, z + dz * 0.8 + dx * side)
            front = (x + dx * 1.75 - dz * side, floor + 0.62, z + dz * 1.75 + dx * side)
            parts.append((*back, 0.16, *front, 0.16, *wood))
            heap = (x + dx * 1.0 - dz * side * 0.8, floor + 0.86, z + dz * 1.0 + dx * side * 0.8)
            heap2 = (x + dx * 1.5 - dz * side * 0.8, floor + 0.80, z + dz * 1.5 + dx * side * 0.8)
            parts.append((*heap, 0.17, *heap2, 0.14, *self.load))
        return np.vstack([self.person.bodies(time_s), np.array(parts)])


@dataclass(frozen=True)
class Cyclist:
    """Somebody riding a bicycle."""

    ground_m: ClassVar[tuple[float, float]] = (0.85, 0.85)
    path: Path
    jacket: Colour = (0.50, 0.36, 0.12)

    def bodies(self, time_s: float) -> Bodies:
        x, z = self.path.at(time_s)
        dx, dz, _ = self.path.heading(time_s)
        turn = self.path.travelled(time_s) / 0.9

        def at(forward: float, up: float, side: float = 0.0) -> tuple[float, float, float]:
            return x + dx * forward - dz * side, up, z + dz * forward + dx * side

        frame: Colour = (0.16, 0.30, 0.30)
        dark: Colour = (0.13, 0.13, 0.15)
        parts = _ring(at(-0.52, 0.34), (dx, dz), 0.33, 0.022, (0.08, 0.08, 0.08))
        parts += _ring(at(0.52, 0.34), (dx, dz), 0.33, 0.022, (0.08, 0.08, 0.08))
        for a, b in (
            (at(-0.52, 0.34), at(-0.1, 0.9)),
            (at(-0.1, 0.3), at(0.42, 0.85)),
            (at(0.52, 0.34), at(0.42, 1.0)),
            (at(-0.1, 0.85), at(0.42, 0.85)),
        ):
            parts.append((*a, 0.025, *b, 0.025, *frame))
        for side, angle in ((0.1, turn), (-0.1, turn + math.pi)):
            pedal = at(-0.05 + 0.17 * math.cos(angle), 0.3 + 0.17 * math.sin(angle), side)
            knee = at(0.18 + 0.06 * math.cos(angle), 0.72 + 0.1 * math.sin(angle), side)
            parts.append((*at(-0.12, 0.98, side), 0.085, *knee, 0.065, *dark))
            parts.append((*knee, 0.06, *pedal, 0.05, *dark))
            parts.append((*at(0.15, 1.42, side * 2), 0.06, *at(0.42, 1.05, side * 2), 0.045, *self.jacket))
        parts.append((*at(-0.1, 1.0), 0.14, *at(0.16, 1.42), 0.17, *self.jacket))
        parts.append((*at(0.22, 1.60), 0.06, *at(0.26, 1.66), 0.10, *_SKIN))
        parts.append((*at(0.24, 1.72), 0.10, *at(0.26, 1.72), 0.10, 0.75, 0.74, 0.70))
        return np.array(parts)


@dataclass(frozen=True)
class Company:
    """Several that move as one incident: two people together, a person with a sledge."""

    ground_m: ClassVar[tuple[float, float]] = (0.0, 0.0)
    path: Path
    members: tuple[Actor, ...] = field(default=())

    def bodies(self, time_s: float) -> Bodies:
        return np.vstack([member.bodies(time_s) for member in self.members])


@dataclass(frozen=True)
class Boat:
    """A small open boat with somebody at the tiller."""

    ground_m: ClassVar[tuple[float, float]] = (0.0, 0.0)
    path: Path
    hull: Colour = (0.72, 0.70, 0.64)

    def bodies(self, time_s: float) -> Bodies:
        x, z = self.path.at(time_s)
        dx, dz, speed = self.path.heading(time_s)
        rock = 0.05 * math.sin(1.9 * time_s)

        def at(forward: float, up: float, side: float = 0.0) -> tuple[float, float, float]:
            return x + dx * forward - dz * side, up + rock, z + dz * forward + dx * side

        parts: list[tuple[float, ...]] = []
        for side, width in ((-0.45, 0.24), (0.0, 0.28), (0.45, 0.24)):
            parts.append((*at(-1.6, 0.12, side), width, *at(1.1, 0.14, side * 0.8), width, *self.hull))
            parts.append((*at(1.1, 0.14, side * 0.8), width, *at(2.0, 0.34), 0.12, *self.hull))
        parts.append((*at(-1.5, 0.38), 0.06, *at(1.6, 0.46), 0.05, 0.34, 0.25, 0.16))
        parts.append((*at(-1.1, 0.45), 0.20, *at(-1.05, 0.95), 0.20, 0.66, 0.47, 0.12))
        parts.append((*at(-1.02, 1.12), 0.08, *at(-1.0, 1.24), 0.11, *_SKIN))
        parts.append((*at(-1.75, 0.3), 0.12, *at(-1.75, 0.75), 0.10, 0.15, 0.15, 0.16))
        if speed > 0.2:
            parts.append((*at(-2.1, 0.0), 0.12, *at(-3.2, 0.0), 0.05, 0.75, 0.79, 0.80))
        return np.array(parts)


@dataclass(frozen=True)
class Tractor:
    """A tractor with a driver, drawing a boat trailer."""

    ground_m: ClassVar[tuple[float, float]] = (1.8, 4.26)
    path: Path
    paint: Colour = (0.52, 0.16, 0.12)

    def bodies(self, time_s: float) -> Bodies:
        x, z = self.path.at(time_s)
        dx, dz, _ = self.path.heading(time_s)

        def at(forward: float, up: float, side: float = 0.0) -> tuple[float, float, float]:
            return x + dx * forward - dz * side, up, z + dz * forward + dx * side

        dark: Colour = (0.09, 0.09, 0.09)
        parts: list[tuple[float, ...]] = []
        for side in (-0.75, 0.75):
            parts += _ring(at(-0.5, 0.72, side), (dx, dz), 0.55, 0.17, dark)
            parts += _ring(at(1.5, 0.42, side * 0.85), (dx, dz), 0.30, 0.12, dark)
            parts += _ring(at(-4.0, 0.36, side), (dx, dz), 0.26, 0.10, dark)
        parts.append((*at(-0.3, 0.95), 0.42, *at(1.6, 0.95), 0.36, *self.paint))
        for side in (-0.45, 0.45):
            parts.append((*at(-0.8, 1.25, side), 0.06, *at(-0.8, 2.35, side), 0.06, *dark))
            parts.append((*at(0.3, 1.25, side), 0.05, *at(0.2, 2.35, side), 0.05, *dark))
        parts.append((*at(-0.85, 2.4), 0.36, *at(0.2, 2.4), 0.36, *self.paint))
        parts.append((*at(-0.45, 1.35), 0.21, *at(-0.4, 1.75), 0.20, 0.26, 0.30, 0.22))
        parts.append((*at(-0.36, 1.95), 0.09, *at(-0.34, 2.05), 0.11, *_SKIN))
        parts.append((*at(-1.2, 0.55), 0.07, *at(-5.4, 0.60), 0.07, 0.45, 0.46, 0.47))
        for side in (-0.4, 0.0, 0.4):
            parts.append((*at(-2.2, 0.95, side * 0.4), 0.16, *at(-5.2, 0.95, side), 0.26, 0.78, 0.78, 0.75))
        return np.array(parts)


@dataclass(frozen=True)
class Sledge:
    """Somebody drawing a loaded sledge behind."""

    ground_m: ClassVar[tuple[float, float]] = (0.0, 2.76)
    person: Person
    load: Colour = (0.34, 0.22, 0.18)

    @property
    def path(self) -> Path:
        return self.person.path

    def bodies(self, time_s: float) -> Bodies:
        x, z = self.path.at(time_s)
        dx, dz, _ = self.path.heading(time_s)
        parts: list[tuple[float, ...]] = []
        for side in (-0.25, 0.0, 0.25):
            back = (x - dx * 2.6 - dz * side, 0.24, z - dz * 2.6 + dx * side)
            front = (x - dx * 1.5 - dz * side, 0.24, z - dz * 1.5 + dx * side)
            parts.append((*back, 0.16, *front, 0.14, *self.load))
        parts.append((x - dx * 1.5, 0.25, z - dz * 1.5, 0.02, x - dx * 0.2, 0.85, z - dz * 0.2, 0.02, 0.3, 0.26, 0.2))
        return np.vstack([self.person.bodies(time_s), np.array(parts)])


@dataclass(frozen=True)
class Prop:
    """A thing that hangs or lies there between two times: taken or left by somebody."""

    parts: tuple[tuple[float, ...], ...]
    from_s: float = -1.0
    until_s: float = 1e9

    def bodies(self) -> Bodies:
        return np.array(self.parts)


def rope_coil(until_s: float) -> Prop:
    """A coil on its hook at the loft, until somebody takes it."""
    return Prop(tuple(_ring((5.25, 1.45, 17.6), (0.25, 0.97), 0.36, 0.10, (0.72, 0.66, 0.48))), until_s=until_s)


def oilskin_bundle(x_m: float, z_m: float, from_s: float) -> Prop:
    """A bundle on the slip, from when somebody leaves it."""
    body = (x_m - 0.25, 0.18, z_m, 0.24, x_m + 0.22, 0.16, z_m, 0.22, 0.75, 0.62, 0.18)
    fold = (x_m, 0.36, z_m, 0.14, x_m + 0.1, 0.34, z_m, 0.12, 0.7, 0.58, 0.16)
    return Prop((body, fold), from_s=from_s)
