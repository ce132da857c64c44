"""A recording of a camera view, as the site holds it."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Annotated, Literal
from zoneinfo import ZoneInfo

from pydantic import AwareDatetime, BaseModel, ConfigDict, Field

from north_hush.core.footage.index import FrameIndex
from north_hush.core.footage.options import Orientation
from north_hush.core.judge.device import DeviceAlarm
from north_hush.core.judge.incidents import INCIDENTS_MAX, Truth
from north_hush.core.scene.items import ItemId


class Part(BaseModel):
    """A frozen part of the site file; what it does not know is refused."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class SetAside(Part):
    """What was known of another recording that lay at the same path, by that one's fingerprint."""

    fingerprint: Annotated[str, Field(min_length=1)]
    truth: Truth
    device_alarms: Annotated[tuple[DeviceAlarm, ...], Field(max_length=INCIDENTS_MAX)] = ()
    clock_offset_s: Annotated[float, Field(ge=-3.2e9, le=3.2e9)] = 0.0
    taken_at: AwareDatetime | None = None


class Recording(Part):
    """A recording of a camera view.

    `path` is relative to the site file where that is possible. `frames_per_s` is stated for image folders only.
    `taken_at` is when its first frame was taken where that was typed; else the recording tells. `clock_offset_s` is added to
    what the recording says. `orientation` None keeps what the recording
    itself states.
    """

    id: ItemId
    path: Annotated[str, Field(min_length=1)]
    fingerprint: str = ""
    frames_per_s: Annotated[float, Field(ge=0.01, le=1000)] | None = None
    orientation: Orientation | None = None
    taken_at: AwareDatetime | None = None
    stated_at: AwareDatetime | None = None
    """When it says itself that it was taken, as far as that was known when it came in: for the time line, which opens no files."""
    length_s: Annotated[float, Field(ge=0, le=1e8)] | None = None
    """As its header says it."""
    clock_offset_s: Annotated[float, Field(ge=-3.2e9, le=3.2e9)] = 0.0
    light: Literal["day", "dusk", "night"] = "day"
    truth: Truth = Truth()
    """What really happened in it, in seconds from its start."""
    set_aside: tuple[SetAside, ...] = ()
    """What was known of recordings this one took the place of; it comes back with them."""
    device_alarms: Annotated[tuple[DeviceAlarm, ...], Field(max_length=INCIDENTS_MAX)] = ()
    """What the device itself raised in it, to compare with."""
    contacts: Annotated[tuple[DeviceAlarm, ...], Field(max_length=INCIDENTS_MAX)] = ()
    """When input contacts were on over it, each with the name of its contact as label."""
    settled_turns_us: Annotated[tuple[int, ...], Field(max_length=INCIDENTS_MAX)] = ()
    """When turns of the camera began in it after which somebody confirmed or shifted what is drawn, in microseconds."""
    hours_per_day: Annotated[float, Field(gt=0, le=24)] | None = None
    """For how much of a day it stands; None while nobody has said."""

    def began(self, index: FrameIndex, zone: ZoneInfo) -> datetime | None:
        """When its first frame was taken, in UTC: as typed, else as it says itself, with the correction of its clock; None
        where nothing tells."""
        if self.taken_at is not None:
            return self.taken_at.astimezone(UTC)
        stated = index.taken_at(zone)
        return None if stated is None else stated + timedelta(seconds=self.clock_offset_s)
