"""What really happens in a demo recording, as the generator knows it."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict

BoxFrac = tuple[float, float, float, float]
"""Left, top, right, bottom as fractions of the picture."""


class _Fact(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class Incident(_Fact):
    """Something real. `boxes` holds one box a frame from `first_frame` on, None while nothing of it is in the picture."""

    name: str
    start_s: float
    end_s: float
    first_frame: int
    boxes: tuple[BoxFrac | None, ...]


class Crossing(_Fact):
    """Somebody of an incident crosses a demo wire with the feet."""

    wire: str
    incident: str
    time_s: float
    direction: Literal["a_to_b", "b_to_a"]


class NuisanceFact(_Fact):
    """Something that moves or changes and is no incident; `box` None is the whole picture."""

    name: str
    kind: str
    spans_s: tuple[tuple[float, float], ...]
    box: BoxFrac | None


class SoundFact(_Fact):
    """Something that is heard."""

    kind: Literal["wind", "gull", "horn", "glass"]
    start_s: float
    end_s: float


class Truth(_Fact):
    """Everything that happens in a recording."""

    format: Literal["skerry-quay-truth"] = "skerry-quay-truth"
    recording: str
    seed: int
    duration_s: float
    frames: int
    incidents: tuple[Incident, ...]
    nuisances: tuple[NuisanceFact, ...]
    crossings: tuple[Crossing, ...] = ()
    sounds: tuple[SoundFact, ...] = ()
