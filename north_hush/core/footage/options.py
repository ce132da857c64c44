"""The few choices that cost a new evidence pass when they change."""

from __future__ import annotations

from typing import Literal, get_args

from pydantic import BaseModel, ConfigDict, Field

Channel = Literal["step", "step_200ms", "step_500ms", "drift", "settle"]
CHANNELS: tuple[Channel, ...] = get_args(Channel)
"""Stored channels. *step* compares with the frame before, *step_200ms* and *step_500ms* with the frame that long ago,
*drift* with a slow background, and *settle* a fast background with the slow one: what was left or taken."""
FOREGROUND = "foreground"
"""Stored beside them, for following: how far a cell differs from the background, or from 0.2 s ago, against what its light and
its noise make of a body."""
QUARTERS = "quarters"
"""And which quarters of such a cell are over the limit themselves, a bit each."""
STORED: tuple[str, ...] = (*CHANNELS, FOREGROUND, QUARTERS)

DRIFT_WINDOW_S = 120.0
"""What the slow background looks back over."""
STEP_INTERVALS_US: dict[Channel, int] = {"step_200ms": 200_000, "step_500ms": 500_000}


class Orientation(BaseModel):
    """How the picture is turned before anything is measured: clockwise, then flipped left to right."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    rotation_deg: Literal[0, 90, 180, 270] = 0
    flip: bool = False


class Lead(BaseModel):
    """A recording that another one follows on without a gap: its picture is known when that begins."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    path: str
    fingerprint: str
    ahead_s: int
    """How long before the other one it began; whole seconds, which clocks that are corrected by less leave as they are."""
    frames_per_s: float | None = None


LIVE = Lead(path="", fingerprint="live", ahead_s=0)
"""What was seen before a recording that was made live: whatever the camera saw."""


class EvidenceOptions(BaseModel):
    """Everything the evidence depends on besides the recording itself."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    orientation: Orientation = Orientation()
    cell_px: Literal[2, 4] = 4
    drift_window_s: float = Field(default=DRIFT_WINDOW_S, gt=0, le=3600)
    settle_tau_s: float = Field(default=2.0, gt=0, le=600)
    warm_up_s: float = Field(default=0.5, ge=0, le=60)
    lead: tuple[Lead, ...] = ()
    """What the recording follows on, the newest first: its background begins with theirs."""
