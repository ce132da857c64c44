"""Regatta day: a crowd on the slip, in all the ways that make people hard to count.

Two to twelve at a time go up and down the slip, side by side, towards one another, meeting on the line, standing on it, turning
back; children, a dog, a pram, a bicycle through a group, a van, and a board that hides who goes behind it. The sun is low.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from datetime import UTC, datetime

import numpy as np

from north_hush.demo.actors import Actor, Colour, Cyclist, Person
from north_hush.demo.backdrop import Backdrop, paint, quad
from north_hush.demo.light import LOW_SUN
from north_hush.demo.nuisances.clock import Clock
from north_hush.demo.nuisances.clouds import CloudShadow
from north_hush.demo.nuisances.exposure import ExposureJump
from north_hush.demo.nuisances.glint import Glint
from north_hush.demo.nuisances.ropes import Ropes
from north_hush.demo.paths import Path, route
from north_hush.demo.script import Play, Script
from north_hush.demo.shot import Nuisance
from north_hush.demo.visitors import Dog, Pram, Van

_LINE_M = 20.0
"""Depth of the Slip line."""
_BOARD_M, _BOARD_LEFT_M, _BOARD_RIGHT_M = 23.0, 2.2, 3.8
"""Where the board with the starting list stands: beyond the line, which it does not hide."""
_CLOTHES: tuple[Colour, ...] = (
    (0.20, 0.25, 0.33), (0.62, 0.48, 0.13), (0.44, 0.16, 0.14), (0.18, 0.30, 0.24), (0.11, 0.12, 0.14), (0.52, 0.50, 0.46),
    (0.68, 0.66, 0.62), (0.16, 0.34, 0.52), (0.55, 0.30, 0.36),
)  # fmt: skip
_TROUSERS: tuple[Colour, ...] = ((0.15, 0.15, 0.17), (0.24, 0.26, 0.34), (0.38, 0.34, 0.28), (0.30, 0.30, 0.30))

_MOST_AT_ONCE, _EMPTY_FROM_S = 12, 206.0

Spot = tuple[float, float]
Act = Callable[[np.random.Generator, float], Iterator[tuple[str, Actor]]]


def write_regatta(seed: int, rng: np.random.Generator, length: float) -> Script:
    """Plan the recording."""
    taken_at = datetime(2026, 8, 22, 17, 43, 5, tzinfo=UTC)
    backdrop, unit = _with_board(paint(rng)), length / 210
    plays = tuple(Play(f"{number} {name}", actor) for number, (name, actor) in enumerate(_crowd(rng, unit), 1))
    nuisances: tuple[Nuisance, ...] = (
        Glint(length, 0.45, backdrop),
        Ropes(length, 0.10, rng.uniform(0, 6)),
        CloudShadow(unit * rng.uniform(60, 66), unit * rng.uniform(92, 98), 0.24, backdrop.ground_x, backdrop.depth),
        ExposureJump(unit * rng.uniform(150, 153), 0.12),
        Clock(taken_at, length),
    )
    return Script("regatta", seed, taken_at, length, LOW_SUN, backdrop, plays, nuisances)


def _with_board(backdrop: Backdrop) -> Backdrop:
    """The place with the board: it hides what goes behind."""
    edges = (_BOARD_LEFT_M, 0.5), (_BOARD_RIGHT_M, 0.5), (_BOARD_RIGHT_M, 2.3), (_BOARD_LEFT_M, 2.3)
    face = quad([(x, y, _BOARD_M) for x, y in edges])
    posts = [
        quad([(x + dx, y, _BOARD_M) for dx, y in ((-0.05, 0.0), (0.05, 0.0), (0.05, 0.5), (-0.05, 0.5))])
        for x in (_BOARD_LEFT_M + 0.15, _BOARD_RIGHT_M - 0.15)
    ]
    whole = np.clip(face + posts[0] + posts[1], 0, 1)
    rows = 0.06 * (np.arange(face.shape[0]) // 5 % 2)[:, None]
    colour = (np.float32([0.52, 0.50, 0.44]) - rows[..., None]).astype(np.float32)
    albedo = backdrop.albedo * (1 - whole[..., None]) + colour * whole[..., None]
    return replace(backdrop, albedo=albedo.astype(np.float32), occluders=[*backdrop.occluders, (_BOARD_M, whole)])


# --- who comes ----------------------------------------------------------------------------------------------------------


def _crowd(rng: np.random.Generator, unit: float) -> list[tuple[str, Actor]]:
    """Everybody by when they come: few at first, up to a dozen at once in the middle, few at the end."""
    acts: list[tuple[float, Act]] = [
        (float(rng.uniform(*slot)), act)
        for act, slot in (
            (_dog, (4, 12)), (_pram, (46, 56)), (_hidden, (58, 70)), (_cyclist, (96, 112)), (_hidden, (100, 120)), (_van, (166, 172)),
        )
    ]  # fmt: skip
    kinds: list[Act] = [
        _through, _abreast, _meeting, _standing, _turning, _back_and_forth, _with_child, _back_and_forth, _abreast, _standing,
        _back_and_forth, _back_and_forth,
    ]  # fmt: skip
    starts = [*rng.uniform(14, 34, 1), *rng.uniform(36, 74, 7), *rng.uniform(76, 132, 12), *rng.uniform(134, 158, 4)]
    order = rng.permutation(np.arange(len(starts)) % len(kinds))
    acts += [(float(at_s), kinds[number]) for at_s, number in zip(starts, order, strict=True)]
    found: list[tuple[str, Actor]] = []
    for at_s, act in sorted(acts, key=lambda one: one[0]):
        seed, later_s = int(rng.integers(2**32)), 0.0
        while (
            _most_at_once([*found, *(came := list(act(np.random.default_rng(seed), unit * at_s + later_s)))])
            > _MOST_AT_ONCE
        ):
            later_s += 2.0
        if came[-1][1].path.end_s < unit * _EMPTY_FROM_S:
            found += came
    return sorted(found, key=lambda one: one[1].path.start_s)


def _most_at_once(found: list[tuple[str, Actor]]) -> int:
    edges = sorted(edge for _, actor in found for edge in ((actor.path.start_s, 1), (actor.path.end_s, -1)))
    return int(np.cumsum([way for _, way in edges]).max(initial=0))


def _walker(rng: np.random.Generator, path: Path, **more: object) -> Person:
    pick = {
        "jacket": _CLOTHES[int(rng.integers(len(_CLOTHES)))],
        "trousers": _TROUSERS[int(rng.integers(len(_TROUSERS)))],
    }
    return Person(path, rng.uniform(1.60, 1.90), **{**pick, **more})


def _lane(rng: np.random.Generator) -> float:
    """Where on the line somebody passes, in metres across."""
    return float(rng.uniform(-3.2, 2.4))


def _pace(rng: np.random.Generator) -> float:
    return float(rng.uniform(0.9, 1.5))


def _ends(rng: np.random.Generator, x: float) -> tuple[list[Spot], list[Spot]]:
    """Ways into the picture near by and far out, each ending a few metres from the line."""
    near: list[list[Spot]] = [[(-9.5, 14.0)], [(x * 0.5 - 3.5, 6.4), (x * 0.8, 11.5)], [(5.2, 7.0), (x * 0.9, 12.5)]]
    far: list[list[Spot]] = [[(9.0, 33.2), (2.6, 32.2)], [(8.8, 32.6), (2.2, 30.5)]]
    return near[int(rng.integers(len(near)))], far[int(rng.integers(len(far)))]


def _way(
    rng: np.random.Generator, start_s: float, x: float, *on_line: Spot | float, down: bool, stay: bool = False
) -> Path:
    """In, over what is done about the line, and out: at the other end, or where one came in (stay)."""
    near, far = _ends(rng, x)
    first, last = (far, near) if down else (near, far)
    out = first if stay else last
    return route(start_s, _pace(rng), *first, *on_line, *reversed(out))


def _before(x: float, down: bool, by: float) -> Spot:
    """A place on the side of the line one comes from."""
    return x, _LINE_M + (by if down else -by)


def _through(rng: np.random.Generator, start_s: float) -> Iterator[tuple[str, Actor]]:
    x, down = _lane(rng), bool(rng.random() < 0.5)
    yield "walks through", _walker(rng, _way(rng, start_s, x, (x, _LINE_M), down=down))


def _abreast(rng: np.random.Generator, start_s: float) -> Iterator[tuple[str, Actor]]:
    """Two or three side by side, or nearly."""
    x, down, count = _lane(rng) * 0.6, bool(rng.random() < 0.5), int(rng.integers(2, 4))
    path = _way(rng, start_s, x, (x, _LINE_M), down=down)
    for number in range(count):
        beside = number * float(rng.uniform(0.65, 1.0))
        own = Path(tuple((at_s, px + beside, z) for at_s, px, z in path.points))
        yield f"one of {count} abreast", _walker(rng, own, lag_m=float(rng.uniform(0, 0.5)))


def _meeting(rng: np.random.Generator, start_s: float) -> Iterator[tuple[str, Actor]]:
    """Two from either end who pass one another on the line."""
    x = _lane(rng) * 0.8
    for down, aside in ((True, 0.0), (False, float(rng.uniform(0.3, 0.9)))):
        path = _way(rng, 0.0, x + aside, (x + aside, _LINE_M), down=down)
        at_line = next(at_s for at_s, px, z in path.points if (px, z) == (x + aside, _LINE_M))
        moved = start_s + 18.0 - at_line
        yield "meets another on the line", _walker(rng, _later(path, moved))


def _later(path: Path, by_s: float) -> Path:
    return Path(tuple((at_s + by_s, x, z) for at_s, x, z in path.points), path.floor_m)


def _standing(rng: np.random.Generator, start_s: float) -> Iterator[tuple[str, Actor]]:
    """Stops on the line or a step beside it, then goes on, or back."""
    x, down, stay = _lane(rng), bool(rng.random() < 0.5), bool(rng.random() < 0.4)
    beside = _before(x, down, float(rng.uniform(-0.6, 0.6)))
    path = _way(rng, start_s, x, beside, float(rng.uniform(4, 9)), down=down, stay=stay)
    yield "stands on the line", _walker(rng, path)


def _turning(rng: np.random.Generator, start_s: float) -> Iterator[tuple[str, Actor]]:
    x, down = _lane(rng), bool(rng.random() < 0.5)
    nearest = _before(x, down, float(rng.uniform(0.9, 1.8)))
    yield "turns back before the line", _walker(rng, _way(rng, start_s, x, nearest, 0.6, down=down, stay=True))


def _back_and_forth(rng: np.random.Generator, start_s: float) -> Iterator[tuple[str, Actor]]:
    x, down, legs = _lane(rng), bool(rng.random() < 0.5), int(rng.choice([3, 5]))
    turns = [
        _before(x + float(rng.uniform(-0.5, 0.5)), down, float(rng.uniform(1.5, 2.8)) * (1 if leg % 2 else -1))
        for leg in range(legs)
    ]
    yield "goes back and forth", _walker(rng, _way(rng, start_s, x, *turns, down=down))


def _with_child(rng: np.random.Generator, start_s: float) -> Iterator[tuple[str, Actor]]:
    x, down = _lane(rng), bool(rng.random() < 0.5)
    path = _way(rng, start_s, x, (x, _LINE_M), down=down)
    yield "with a child", _walker(rng, path)
    beside = Path(tuple((at_s, px + 0.6, z) for at_s, px, z in path.points))
    child = _walker(rng, beside, lag_m=float(rng.uniform(-0.2, 0.4)))
    yield "child", replace(child, height_m=float(rng.uniform(1.05, 1.30)))


def _dog(rng: np.random.Generator, start_s: float) -> Iterator[tuple[str, Actor]]:
    x = _lane(rng)
    path = _way(rng, start_s, x, (x, _LINE_M), down=True)
    yield "with a dog", _walker(rng, path)
    beside = Path(tuple((at_s, px - 0.9, z) for at_s, px, z in path.points))
    yield "dog", Dog(beside, _CLOTHES[int(rng.integers(3, 6))])


def _pram(rng: np.random.Generator, start_s: float) -> Iterator[tuple[str, Actor]]:
    x, down = _lane(rng), bool(rng.random() < 0.5)
    yield "with a pram", Pram(_walker(rng, _way(rng, start_s, x, (x, _LINE_M), down=down), arms="push"))


def _hidden(rng: np.random.Generator, start_s: float) -> Iterator[tuple[str, Actor]]:
    """Goes behind the board for about two seconds, then over the line."""
    behind = _BOARD_M + float(rng.uniform(1.2, 2.0))
    path = route(
        start_s, float(rng.uniform(0.85, 1.05)), (8.8, 32.6), (4.8, behind + 1.0), (1.7, behind), (0.2, _LINE_M - 1.5),
        (-3.5, 11.5), (-6.0, 6.4),
    )  # fmt: skip
    yield "hidden by the board for a while", _walker(rng, path)


def _cyclist(rng: np.random.Generator, start_s: float) -> Iterator[tuple[str, Actor]]:
    path = route(start_s, float(rng.uniform(2.6, 3.4)), (-10.5, 14.0), (-1.0, 17.5), (2.0, 30.0), (9.5, 33.0))
    yield "cyclist through the crowd", Cyclist(path, _CLOTHES[int(rng.integers(len(_CLOTHES)))])


def _van(rng: np.random.Generator, start_s: float) -> Iterator[tuple[str, Actor]]:
    path = route(
        start_s, float(rng.uniform(2.2, 2.8)), (-12.5, 9.0), (-2.0, 13.0), (-0.8, 26.0), 4.0, (-2.0, 13.5), (-14.0, 8.5)
    )
    yield "van", Van(path)
