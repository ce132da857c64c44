"""The real clip as other cameras would have taken it: smaller, mirrored, dim, noisy, flickering, shaken, squeezed, at fewer frames.

`python -m bench.real_changed [NAME ...]` lays the same wires over each, at the settings a new wire has. The clip was used for making,
its changes were not; where a rule hangs on how large or how clear people happen to be in the clip, it shows here.
"""

from __future__ import annotations

import json
import tempfile
from collections.abc import Callable
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import click
import numpy as np
import platformdirs
from numpy.typing import NDArray
from scipy import ndimage

from bench.real import TRUTH, crossings, fetched, figures
from bench.real_zones import entries
from north_hush.core.site.firing import born_settings

Picture = NDArray[np.uint8]
SIZE, FRAMES_PER_S = (768, 576), 10
_RNG = np.random.default_rng(1)
_FINE = {"crf": "12", "preset": "veryfast"}


@dataclass(frozen=True)
class Changed:
    """What is done to each picture, (height, width, 3) uint8, by its number; which frames stay, and how it is encoded."""

    picture: Callable[[Picture, int], Picture] = lambda picture, number: picture
    every: int = 1
    mirrored: bool = False
    options: dict[str, str] = field(default_factory=lambda: _FINE)


def smaller(factor: int) -> Callable[[Picture, int], Picture]:
    """Means of so many pixels across and down."""

    def change(picture: Picture, number: int) -> Picture:
        height, width = (side // factor for side in picture.shape[:2])
        blocks = picture[: height * factor, : width * factor].reshape(height, factor, width, factor, 3)
        return np.asarray(blocks.mean(axis=(1, 3)), np.uint8)

    return change


def toned(contrast: float, brightness: Callable[[int], float]) -> Callable[[Picture, int], Picture]:
    """Another contrast about middle grey, and a brightness that goes with the number of the frame."""

    def change(picture: Picture, number: int) -> Picture:
        lit = (picture.astype(np.float32) - 128) * contrast + 128 + brightness(number)
        return np.asarray(np.clip(lit, 0, 255), np.uint8)

    return change


def shaken(pixels: float) -> Callable[[Picture, int], Picture]:
    """A mast in wind: to and fro by so much, in some two seconds across and three down."""

    def change(picture: Picture, number: int) -> Picture:
        by = pixels * np.cos(number / 4), pixels * np.sin(number / 3), 0
        return np.asarray(ndimage.shift(picture, by, order=1, mode="nearest"), np.uint8)

    return change


def _noisy(picture: Picture, number: int) -> Picture:
    return np.clip(picture + _RNG.normal(0, 8, picture.shape[:2])[:, :, None], 0, 255).astype(np.uint8)


CHANGES = {
    "as it is": Changed(),
    "half as large": Changed(smaller(2)),
    "a quarter as large": Changed(smaller(4)),
    "mirrored": Changed(lambda picture, number: picture[:, ::-1], mirrored=True),
    "dim": Changed(toned(0.4, lambda number: -60.0)),
    "noisy": Changed(_noisy),
    "flickering": Changed(toned(1.0, lambda number: 8 * float(np.sin(2.1 * number)))),
    "clouds": Changed(toned(1.0, lambda number: 38 * float(np.sin(number / 40)))),
    "shaken by a pixel": Changed(shaken(1.0)),
    "shaken by two pixels": Changed(shaken(2.0)),
    "squeezed to 150 kbit/s": Changed(options={"b": "150000", "maxrate": "150000", "bufsize": "300000"}),
    "5 frames a second": Changed(every=2),
    "3.3 frames a second": Changed(every=3),
    "2 frames a second": Changed(every=5),
}


def write_changed(clip: Path, changed: Changed, target: Path) -> None:
    """The clip with a change."""
    with av.open(str(clip)) as reader, av.open(str(target), "w") as writer:
        out = None
        for number, frame in enumerate(reader.decode(video=0)):
            if number % changed.every:
                continue
            picture = np.ascontiguousarray(
                changed.picture(np.asarray(frame.to_ndarray(format="rgb24"), np.uint8), number)
            )
            if out is None:
                out = writer.add_stream("libx264", rate=FRAMES_PER_S, options=dict(changed.options))
                out.height, out.width = (side - side % 2 for side in picture.shape[:2])
                out.pix_fmt, out.codec_context.time_base = "yuv420p", Fraction(1, FRAMES_PER_S)
            shown = av.VideoFrame.from_ndarray(picture[: out.height, : out.width], format="rgb24")
            shown.pts, shown.time_base = number, Fraction(1, FRAMES_PER_S)
            writer.mux(out.encode(shown))
        if out is not None:
            writer.mux(out.encode())


def turned(wire: dict[str, Any]) -> dict[str, Any]:
    """A wire as the mirror shows it, its crossings with it."""
    other = {"left": "right", "right": "left"}
    points = [(SIZE[0] - x, y) for x, y in wire["points_px"]]
    return {**wire, "points_px": points, "crossings": [(at, other[way]) for at, way in wire["crossings"]]}


@click.command()
@click.argument("names", nargs=-1)
def main(names: tuple[str, ...]) -> None:
    """Print a row for each change and wire as JSON."""
    clip = fetched(Path(platformdirs.user_cache_path("north-hush-real")))
    if clip is None:
        raise click.ClickException("The clip cannot be fetched here; see bench/real.py.")
    told = json.loads(TRUTH.read_text("utf-8"))
    for name in names or CHANGES:
        with tempfile.TemporaryDirectory(prefix="north-hush-real-") as folder:
            target = Path(folder) / "changed.mp4"
            write_changed(clip, CHANGES[name], target)
            wires = [turned(wire) if CHANGES[name].mirrored else wire for wire in told["wires"]]
            for wire in wires:
                found = crossings(target, wire, SIZE, Path(folder))
                row = figures(wire, found, told["tolerance_s"])
                click.echo(json.dumps({"change": name, "wire": wire["name"], **row}))
            came = entries(target, wires, Path(folder), born_settings("entry"))
            click.echo(json.dumps({"change": name, "zones": "entry", **came}))


if __name__ == "__main__":
    main()
