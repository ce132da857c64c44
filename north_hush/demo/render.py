"""Turn a script into frames, a recording and its truth."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from north_hush.demo.actors import Actor
from north_hush.demo.camera import HEIGHT_PX, WIDTH_PX, pixels_per_metre, project
from north_hush.demo.catalogue import FRAMES_PER_S
from north_hush.demo.crossings import crossings_in
from north_hush.demo.draw import Box, Picture, develop, draw_bodies, make_grey, screen_box, shade_ellipse, to_screen
from north_hush.demo.light import Light, infrared_reach, lit
from north_hush.demo.nuisances.blinding import FROZEN
from north_hush.demo.script import Script
from north_hush.demo.shot import Shot
from north_hush.demo.truth import BoxFrac, Incident, NuisanceFact, Truth

_EXPOSURE_S = 0.02
_GRAIN_MARGIN_PX = 96
_GRAIN_TILES = 8
_BITS_PER_S = 280_000
_HIDDEN_SHARE = 0.95
_SOUND_FRAME, _SOUND_BITS_PER_S = 1024, 32_000


@dataclass(frozen=True)
class Rendered:
    """One frame: 8-bit picture before encoding, and the box of each play in pixels (None: not in the picture)."""

    time_s: float
    pixels: NDArray[np.uint8]
    boxes: tuple[Box | None, ...]


def frame_times(script: Script) -> NDArray[np.float64]:
    """Time of every frame in seconds: regular, or uneven by up to 40 ms, with a hole where the recorder dropped out."""
    times = np.arange(round(script.duration_s * FRAMES_PER_S)) / FRAMES_PER_S
    if script.uneven:
        wobble = np.random.default_rng([script.seed, 11]).integers(0, 5, len(times)) / 100
        wobble[0] = 0
        times = times + wobble
    if script.gap_at_s is not None:
        times = times[(times <= script.gap_at_s) | (times > script.gap_at_s + script.gap_s)]
    return times


def render(script: Script, *, noisy: bool = True) -> Iterator[Rendered]:
    """Make the frames of a script one by one; the same script gives the same frames."""
    rng = np.random.default_rng([script.seed, 7])
    size = (_GRAIN_TILES, HEIGHT_PX + _GRAIN_MARGIN_PX, WIDTH_PX + _GRAIN_MARGIN_PX)
    grain = rng.standard_normal(size, dtype=np.float32)
    empty = lit(script.backdrop, script.light)
    brightness = infrared_reach() if script.light.grey else None
    frozen = [span for nuisance in script.nuisances if nuisance.kind == FROZEN for span in nuisance.spans()]
    before: Rendered | None = None
    for time_s in frame_times(script):
        if before is not None and any(start <= time_s < end for start, end in frozen):
            yield replace(before, time_s=float(time_s), boxes=(None,) * len(script.plays))
            continue
        shot = Shot(empty.copy())
        _nuisances(script, shot, time_s, "scene")
        _props(script, shot.picture, time_s, brightness)
        boxes = _people(script, shot.picture, time_s, brightness)
        _nuisances(script, shot, time_s, "lens")
        if script.light.grey:
            make_grey(shot.picture)
        _nuisances(script, shot, time_s, "camera")
        if any(shot.shift_px):
            shot.picture = _shifted(shot.picture, shot.shift_px)
            boxes = tuple(_moved(box, shot.shift_px) for box in boxes)
        _nuisances(script, shot, time_s, "overlay")
        tile = grain[rng.integers(_GRAIN_TILES)]
        row, column = rng.integers(_GRAIN_MARGIN_PX, size=2)
        pixels = np.empty((HEIGHT_PX, WIDTH_PX, 3), np.uint8)
        light = script.light
        develop(shot.picture, shot.gain, tile, row, column, light.sigma * noisy, light.shot * noisy, pixels)
        before = Rendered(float(time_s), pixels, boxes)
        yield before


def _nuisances(script: Script, shot: Shot, time_s: float, order: str) -> None:
    for nuisance in script.nuisances:
        if nuisance.order == order:
            nuisance.apply(shot, time_s)


def _props(script: Script, picture: Picture, time_s: float, reach: NDArray[np.float32] | None) -> None:
    """Draw what hangs or lies there now."""
    for prop in script.props:
        if prop.from_s <= time_s < prop.until_s:
            bodies = prop.bodies()
            shine = script.light.figures * (_reach_at(reach, bodies[0, 0], bodies[0, 2]) if reach is not None else 1.0)
            draw_bodies(picture, [bodies], shine)


def _shifted(picture: Picture, shift_px: tuple[int, int]) -> Picture:
    """Move the whole picture; its edges are repeated."""
    x, y = shift_px
    margin = max(abs(x), abs(y))
    padded = np.pad(picture, ((margin, margin), (margin, margin), (0, 0)), mode="edge")
    return np.ascontiguousarray(padded[margin - y : margin - y + HEIGHT_PX, margin - x : margin - x + WIDTH_PX])


def _moved(box: Box | None, shift_px: tuple[int, int]) -> Box | None:
    x, y = shift_px
    return None if box is None else clip_box((box[0] + x, box[1] + y, box[2] + x, box[3] + y))


def _people(
    script: Script, picture: Picture, time_s: float, reach: NDArray[np.float32] | None
) -> tuple[Box | None, ...]:
    """Draw everybody, farthest first, and what stands in front of them; return each one's box."""
    boxes: list[Box | None] = [None] * len(script.plays)
    present = [
        (play.actor.path.at(time_s)[1], place, play.actor)
        for place, play in enumerate(script.plays)
        if play.actor.path.start_s <= time_s <= play.actor.path.end_s
    ]
    nobody = picture.copy() if present else picture
    for depth, place, actor in sorted(present, key=lambda item: -item[0]):
        x, z = actor.path.at(time_s)
        shine = script.light.figures * (_reach_at(reach, x, z) if reach is not None else 1.0)
        _shadow(picture, actor, time_s, script.light)
        draw_bodies(picture, [actor.bodies(time_s + _EXPOSURE_S * k / 3) for k in range(3)], shine)
        box = clip_box(screen_box(to_screen(actor.bodies(time_s))))
        if box is not None:
            _put_before(script, picture, nobody, depth, box)
            boxes[place] = _visible(box, script, depth)
    return tuple(boxes)


def _put_before(script: Script, picture: Picture, nobody: Picture, depth: float, box: Box) -> None:
    """Paint what stands nearer than `depth` over a box and the shadow round it, as it was before anybody came."""
    margin = 60
    left, top = max(0, int(box[0]) - margin), max(0, int(box[1]) - margin)
    place = np.s_[top : int(box[3]) + margin, left : int(box[2]) + margin]
    for before, mask in script.backdrop.occluders:
        if before < depth and mask[place].any():
            picture[place] += (nobody[place] - picture[place]) * mask[place][..., None]


def _visible(box: Box | None, script: Script, depth: float) -> Box | None:
    """The box, unless something in front hides nearly all of it."""
    if box is None:
        return None
    left, top, right, bottom = (int(edge) for edge in box)
    for before, mask in script.backdrop.occluders:
        if before < depth and mask[top : bottom + 1, left : right + 1].mean() > _HIDDEN_SHARE:
            return None
    return box


def _reach_at(reach: NDArray[np.float32], x_m: float, z_m: float) -> float:
    column, row = project((x_m, 0.0, z_m))
    return float(reach[min(max(int(row), 0), HEIGHT_PX - 1), min(max(int(column), 0), WIDTH_PX - 1)])


def _shadow(picture: Picture, actor: Actor, time_s: float, light: Light) -> None:
    """A soft contact shadow, and a longer one cast to the right when the light has a direction."""
    left, _, right, _ = screen_box(to_screen(actor.bodies(time_s)))
    x, z = actor.path.at(time_s)
    foot = project((x, actor.path.floor_m, z))
    scale = float(pixels_per_metre(z))
    half = max(0.25 * scale, (right - left) / 2)
    centre = ((left + right) / 2, float(foot[1]))
    shade_ellipse(picture, centre, (half * 0.95, max(1.5, 0.07 * scale)), 0.25 + light.shadow * 0.7)
    if light.shadow:
        half_m = round(0.1 + light.shadow_m / 2, 3)
        cast = (centre[0] + round(light.shadow_m - half_m, 3) * scale, centre[1] - 0.02 * scale)
        shade_ellipse(picture, cast, (half_m * scale, max(1.0, 0.08 * scale)), light.shadow * 0.8)


def clip_box(box: Box) -> Box | None:
    """The part of a box inside the picture, None when nothing is."""
    left, top, right, bottom = (
        max(box[0], 0.0),
        max(box[1], 0.0),
        min(box[2], float(WIDTH_PX)),
        min(box[3], float(HEIGHT_PX)),
    )
    return (left, top, right, bottom) if right - left > 1 and bottom - top > 1 else None


def box_frac(box: Box) -> BoxFrac:
    """A box in pixels as fractions of the picture."""
    left, top, right, bottom = box
    return (
        round(left / WIDTH_PX, 4),
        round(top / HEIGHT_PX, 4),
        round(right / WIDTH_PX, 4),
        round(bottom / HEIGHT_PX, 4),
    )


def truth_of(script: Script, boxes: list[tuple[Box | None, ...]]) -> Truth:
    """Gather what happened: incidents last as long as anything of them is in the picture."""
    times = frame_times(script)
    incidents = []
    for place, play in enumerate(script.plays):
        seen = [frame for frame, row in enumerate(boxes) if row[place] is not None]
        if seen:
            first, last = seen[0], seen[-1]
            track = [boxes[frame][place] for frame in range(first, last + 1)]
            framed = tuple(None if box is None else box_frac(box) for box in track)
            incident = Incident(
                name=play.name, start_s=float(times[first]), end_s=float(times[last]), first_frame=first, boxes=framed
            )
            incidents.append(incident)
    nuisances = []
    for nuisance in script.nuisances:
        where = nuisance.box()
        clipped = clip_box(where) if where is not None else None
        fact = NuisanceFact(
            name=nuisance.name,
            kind=nuisance.kind,
            spans_s=tuple(nuisance.spans()),
            box=box_frac(clipped) if clipped else None,
        )
        nuisances.append(fact)
    held = [crossing for crossing in crossings_in(script) if _recorded(crossing.time_s, times)]
    return Truth(
        recording=script.name, seed=script.seed, duration_s=script.duration_s, frames=len(times),
        incidents=tuple(sorted(incidents, key=lambda incident: incident.start_s)),
        nuisances=tuple(nuisances),
        crossings=tuple(sorted(held, key=lambda crossing: crossing.time_s)),
        sounds=script.sounds,
    )  # fmt: skip


def _recorded(time_s: float, times: NDArray[np.float64]) -> bool:
    """Tell whether a moment lies between two frames that are not apart by a gap."""
    after = int(np.searchsorted(times, time_s))
    return 0 < after < len(times) and times[after] - times[after - 1] < 1
