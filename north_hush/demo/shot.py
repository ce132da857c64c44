"""What a nuisance may change while a frame is made, and what a nuisance is."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

from north_hush.demo.draw import Box, Picture

Span = tuple[float, float]
"""Start and end in seconds."""


@dataclass
class Shot:
    """A frame in the making. `picture` is painted on in place; gain and shift belong to the camera as a whole."""

    picture: Picture
    gain: float = 1.0
    shift_px: tuple[int, int] = (0, 0)


class Nuisance(Protocol):
    """Something that moves or changes and is no incident. A new one is a new file beside the others.

    `order` tells when it is painted: "scene" before people, "lens" after them, "camera" then, and "overlay" last, which
    a shaking camera does not shake.
    """

    @property
    def kind(self) -> str: ...

    @property
    def name(self) -> str: ...

    @property
    def order(self) -> str: ...

    def spans(self) -> list[Span]:
        """When it changes the picture."""
        ...

    def box(self) -> Box | None:
        """Where, in pixels; None for the whole picture."""
        ...

    def apply(self, shot: Shot, time_s: float) -> None:
        """Change the frame of a moment."""
        ...


@dataclass(frozen=True)
class Stretch:
    """What nuisances between two times share: when, and that they reach over the whole picture unless they say where."""

    start_s: float
    end_s: float

    def spans(self) -> list[Span]:
        """When it changes the picture."""
        return [(self.start_s, self.end_s)]

    def box(self) -> Box | None:
        """Where, in pixels; None for the whole picture."""
        return None

    def on(self, time_s: float) -> bool:
        """Tell whether it goes on at a moment."""
        return self.start_s <= time_s < self.end_s

    def share(self, time_s: float) -> float:
        """How much of it has passed, 0 to 1."""
        return (time_s - self.start_s) / (self.end_s - self.start_s)
