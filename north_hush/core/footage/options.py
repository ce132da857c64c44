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
STORED: tuple[str, ...] = (*CHANNELS, FOREGROUND)

STEP_INTERVALS_US: dict[Channel, int] = {"step_200ms": 200_000, "step_500ms": 500_000}


class Orientation(BaseModel):
    """How the picture is turned before anything is measured: clockwise, then flipped left to right."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    rotation_deg: Literal[0, 90, 180, 270] = 0
    flip: bool = False


class EvidenceOptions(BaseModel):
    """Everything the evidence depends on besides the recording itself."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    orientation: Orientation = Orientation()
    cell_px: Literal[2, 4] = 4
    drift_window_s: float = Field(default=120.0, gt=0, le=3600)
    settle_tau_s: float = Field(default=2.0, gt=0, le=600)
    warm_up_s: float = Field(default=0.5, ge=0, le=60)
