"""What values of a dial would do, as a small picture for paper: the chosen value marked, legible in black and white."""

from __future__ import annotations

from collections.abc import Sequence

from PIL import Image, ImageDraw

from north_hush.core.advise.curves import Curve

_WIDE_PX, _HIGH_PX, _FOOT_PX = 420, 120, 22
_HATCH_PX = 5


def summed_curve(curves: Sequence[Curve]) -> Curve:
    """The curves of some recordings together; their values are the same."""
    first = curves[0]
    return Curve(
        first.field,
        first.values,
        *(
            tuple(map(sum, zip(*(getattr(curve, name) for curve in curves), strict=True)))
            for name in ("alarms", "unwanted", "missed", "watched_s")
        ),
    )


def curve_picture(curve: Curve, chosen: float, unit: str) -> Image.Image:
    """Unwanted alarms as grey columns from loud to quiet, values that miss more than the best hatched, the chosen one a thick line with
    its number."""
    image = Image.new("L", (_WIDE_PX, _HIGH_PX + _FOOT_PX), 255)
    draw = ImageDraw.Draw(image)
    wide, most, fewest = _WIDE_PX / len(curve.values), max(1, *curve.unwanted), min(curve.missed)
    for place, (unwanted, missed) in enumerate(zip(curve.unwanted, curve.missed, strict=True)):
        left, right = place * wide, (place + 1) * wide
        top = _HIGH_PX * (1 - unwanted / most)
        draw.rectangle((left, top, right - 1, _HIGH_PX), fill=170)
        if missed > fewest:
            for offset in range(-_HIGH_PX, _HIGH_PX + int(wide), _HATCH_PX):
                _hatch(draw, left, right, offset)
    place = min(range(len(curve.values)), key=lambda at: abs(curve.values[at] - chosen))
    middle = (place + 0.5) * wide
    draw.line((middle, 0, middle, _HIGH_PX), fill=0, width=3)
    draw.line((0, _HIGH_PX, _WIDE_PX, _HIGH_PX), fill=0)
    for at, text in ((0, f"{curve.values[0]:g}"), (_WIDE_PX, f"{curve.values[-1]:g} {unit}".strip())):
        draw.text((at, _HIGH_PX + 4), text, fill=0, anchor="la" if at == 0 else "ra")
    anchor = "ma" if _WIDE_PX / 8 < middle < _WIDE_PX * 7 / 8 else "la" if middle < _WIDE_PX / 2 else "ra"
    if 0.12 < middle / _WIDE_PX < 0.8:
        draw.text((middle, _HIGH_PX + 4), f"{chosen:g}", fill=0, anchor=anchor)
    return image


def _hatch(draw: ImageDraw.ImageDraw, left: float, right: float, offset: int) -> None:
    """A slanted stroke over a column, from its foot up."""
    draw.line((left, _HIGH_PX - max(0, offset), right, _HIGH_PX - max(0, offset) - (right - left)), fill=60)
