"""The dials of a zone, their ranges, units and factory values."""

from __future__ import annotations

from typing import Annotated, Any, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

from north_hush.core.footage.differences import CELL_SCALE
from north_hush.core.footage.options import Channel
from north_hush.core.scene.kind import KINDS, KindId
from north_hush.core.words import tr

SMOOTH_MAX_FRAMES = 31
HEIGHTS_MAX = 20.0
"""Largest size and travel in person heights; as a largest size it is off."""
PERCENT_SCALE = 100
"""Levels and limits are compared in hundredths of a percent."""


_PAIRS = (
    ("clear_percent", "start_percent"),
    ("size_min_percent", "size_max_percent"),
    ("size_min_heights", "size_max_heights"),
)
"""Of each pair the first is never above the second."""


class ZoneSettings(BaseModel):
    """When a zone raises and ends an alarm. Every dial turned up is quieter, but release, which is quieter turned down.

    The level is the share of the watched zone whose cells changed by at least the change limit. An alarm starts when
    the level is at least `start_percent` in `confirm_frames` frames in a row, and ends when it was below
    `clear_percent` in `release_frames` frames in a row.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    channel: Channel = "step"
    analysis_per_s: Literal[0, 2, 5] = 0
    """Frames a second that count, as on a slower recorder; 0 takes every frame."""
    smooth_frames: Annotated[int, Field(ge=1, le=SMOOTH_MAX_FRAMES)] = 1
    """The level is the median over so many frames."""
    usual_s: Annotated[float, Field(ge=0, le=3600)] = 0.0
    """Start and clear count above the usual level of about so long; 0 counts from nothing."""
    change_limit_grey: Annotated[float, Field(ge=0.25, le=63.75, multiple_of=0.25)] = 3.0
    """Below 1 it is as at 1: evidence holds nothing fainter."""
    start_percent: Annotated[float, Field(ge=0.01, le=100)] = 0.5
    clear_percent: Annotated[float, Field(ge=0.01, le=100)] = 0.3
    confirm_frames: Annotated[int, Field(ge=1, le=600)] = 2
    release_frames: Annotated[int, Field(ge=1, le=600)] = 10
    loiter_s: Annotated[float, Field(ge=0.1, le=3600)] = 10.0
    """How long something must stay in a zone that fires on loitering."""
    size_min_percent: Annotated[float, Field(ge=0, le=100)] = 0.0
    size_max_percent: Annotated[float, Field(ge=0.01, le=100)] = 100.0
    """Smallest and largest thing that confirms an alarm, in percent of the view."""
    travel_percent: Annotated[float, Field(ge=0, le=100)] = 0.0
    """How far a thing must have come from where it was first seen, in percent of the picture's width."""
    things_in: Literal["percent", "heights"] = "percent"
    """Whether the limits above or those below count, which are in heights of a person at the thing's foot point."""
    size_min_heights: Annotated[float, Field(ge=0, le=HEIGHTS_MAX)] = 0.0
    size_max_heights: Annotated[float, Field(ge=0.05, le=HEIGHTS_MAX)] = HEIGHTS_MAX
    travel_heights: Annotated[float, Field(ge=0, le=HEIGHTS_MAX)] = 0.0
    sure_percent: Annotated[float, Field(ge=0, le=100)] = 50.0
    """How sure a crossing must be to be reported."""
    kinds: tuple[KindId, ...] = ()
    """Kinds of things that raise alarms; none of them: whatever it is."""
    kind_sure_percent: Annotated[float, Field(ge=0, le=100)] = 30.0
    """How likely a thing must be one of these kinds. Below even: what is missed costs more than what is told for nothing."""
    guard_percent: Annotated[float, Field(ge=1, le=100)] = 100.0
    guard_hold_s: Annotated[float, Field(ge=0, le=60)] = 1.0
    """While at least so much of the view changes at once, and for a while after, nothing confirms. 100 % is off."""
    rearm_s: Annotated[float, Field(ge=0, le=3600)] = 0.0
    """After an alarm has ended, nothing confirms for so long."""
    longest_s: Annotated[float, Field(ge=1, le=86_400)] = 600.0
    """A longer alarm is split, so that an endless one cannot hide what happens in it."""

    @field_validator("kinds")
    @classmethod
    def _kinds_in_order(cls, kinds: tuple[str, ...]) -> tuple[str, ...]:
        if "unclear" in kinds:
            raise ValueError(
                tr("'unclear' is no kind that can be reported alone; leave kinds empty to report everything")
            )
        return (*(kind for kind in KINDS if kind in kinds), *sorted(set(kinds) - set(KINDS)))

    @model_validator(mode="after")
    def _clear_not_above_start(self) -> Self:
        if self.clear_percent > self.start_percent:
            raise ValueError(
                tr(
                    "clear_percent is {clear_percent:g}, above start_percent {start_percent:g}: an alarm "
                    "would end while it still starts. Set clear_percent to start_percent or less.",
                    clear_percent=self.clear_percent,
                    start_percent=self.start_percent,
                )
            )
        if self.size_min_percent > self.size_max_percent:
            raise ValueError(
                tr(
                    "size_min_percent is {size_min_percent:g}, above size_max_percent "
                    "{size_max_percent:g}: nothing could ever raise an alarm. Set it to size_max_percent "
                    "or less.",
                    size_min_percent=self.size_min_percent,
                    size_max_percent=self.size_max_percent,
                )
            )
        if self.size_min_heights > self.size_max_heights:
            raise ValueError(
                tr(
                    "size_min_heights is {size_min_heights:g}, above size_max_heights "
                    "{size_max_heights:g}: nothing could ever raise an alarm. Set it to size_max_heights "
                    "or less.",
                    size_min_heights=self.size_min_heights,
                    size_max_heights=self.size_max_heights,
                )
            )
        return self

    def turned(self, **dials: Any) -> ZoneSettings:
        """With dials turned. Start and clear level give way to each other, and so do smallest and largest thing.

        Raises
        ------
        pydantic.ValidationError : a value is out of its range.
        """
        for low, high in _PAIRS:
            if high in dials and low not in dials:
                dials[low] = min(getattr(self, low), dials[high])
            elif low in dials and high not in dials:
                dials[high] = max(getattr(self, high), dials[low])
        held = {name: getattr(self, name) for name in type(self).model_fields}
        return ZoneSettings.model_validate({**held, **dials})

    @property
    def stored_channel(self) -> Channel:
        """The channel that is read: at a lower analysis rate the frame before is that of the rate."""
        longer: dict[tuple[Channel, int], Channel] = {
            ("step", 5): "step_200ms", ("step", 2): "step_500ms", ("step_200ms", 2): "step_500ms",
        }  # fmt: skip
        return longer.get((self.channel, self.analysis_per_s), self.channel)

    @property
    def follows(self) -> bool:
        """True when size, travel or kind is limited, so that things have to be followed."""
        if self.limits_kinds:
            return True
        if self.things_in == "heights":
            return self.size_min_heights > 0 or self.size_max_heights < HEIGHTS_MAX or self.travel_heights > 0
        return self.size_min_percent > 0 or self.size_max_percent < 100 or self.travel_percent > 0

    @property
    def limits_kinds(self) -> bool:
        """True when what a thing is decides whether it is reported."""
        return bool(self.kinds) and self.kind_sure_percent > 0

    @property
    def change_limit_quarters(self) -> int:
        """The change limit on the scale of cell values."""
        return round(self.change_limit_grey * CELL_SCALE)


FACTORY = ZoneSettings()

VIEW_FIELDS = ("analysis_per_s", "smooth_frames", "guard_percent", "guard_hold_s", "kinds", "kind_sure_percent")
"""Settings a recorder often has once for a whole view. Here each item has its own: a far zone needs another light guard than
a near one."""
