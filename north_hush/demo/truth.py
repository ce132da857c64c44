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
    """Somebody crosses a demo wire: an incident with the feet or the middle of what drives, a nuisance that travels with its waterline.

    What is long is over the line for a while: from `begins_s`, its first part, to `ends_s`, its last. None for who stands on a point.
    """

    wire: str
    incident: str
    time_s: float
    direction: Literal["a_to_b", "b_to_a"]
    begins_s: float | None = None
    ends_s: float | None = None

    def lasts_s(self, while_passing: bool) -> tuple[float, float]:
        """The moment it passes, twice; or from when to when some part of it is over the line."""
        if not while_passing or self.begins_s is None or self.ends_s is None:
            return self.time_s, self.time_s
        return self.begins_s, self.ends_s


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
