"""The dials as people turn them: label, unit, range, grain, and where a value lies between loud and quiet."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from north_hush.core.detect.levels import WHOLE_FROM_GREY
from north_hush.core.detect.settings import HEIGHTS_MAX, SMOOTH_MAX_FRAMES, ZoneSettings
from north_hush.core.footage.differences import CELL_SCALE, FAINTEST_QUARTERS
from north_hush.core.footage.options import Channel
from north_hush.core.words import tr


@dataclass(frozen=True)
class Dial:
    """One dial: how it is shown, and everything else about it that is not the rule it turns.

    Attributes
    ----------
    right_is_up : which way the number grows towards quieter
    more : one click away from the simple view
    tried : values a search tries; empty for a dial it leaves alone
    confirms : it decides which frames may confirm; others only turn the alarm rule
    levels, crossings : it counts for what has a level to pass; for a wire watched for crossings, which has none
    silences : turned alone it can silence one alarm
    whole_from : from this value on it is turned by whole numbers
    """

    field: str
    label: str
    unit: str
    low: float
    high: float
    step: float
    decimals: int
    right_is_up: bool
    effect: str
    more: bool = True
    tried: tuple[float, ...] = ()
    confirms: bool = False
    levels: bool = True
    crossings: bool = False
    silences: bool = False
    whole_from: float = math.inf

    @property
    def grain(self) -> float:
        """The smallest difference of two values."""
        return self.step if self.decimals == 0 or self.step >= 0.25 else float(10**-self.decimals)

    def grain_at(self, value: float) -> float:
        """The smallest difference of two values about there."""
        return max(self.grain, 1.0) if value >= self.whole_from else self.grain

    @property
    def things_in(self) -> Literal["percent", "heights"] | None:
        """The unit of things it is for; None for a dial that is not about their size or travel."""
        if not self.field.startswith(("size_", "travel_")):
            return None
        return "heights" if self.field.endswith("heights") else "percent"

    def counts_under(self, settings: ZoneSettings) -> bool:
        """Tell whether it means anything beside the other settings: size in the unit that is chosen, and kinds once some are."""
        if self.field == "kind_sure_percent":
            return bool(settings.kinds)
        return self.things_in in (None, settings.things_in)

    def counts_for(self, crossed: bool) -> bool:
        """Tell whether it means anything for what has a level, or for a wire watched for crossings."""
        return self.crossings if crossed else self.levels

    def number(self, value: float) -> float:
        """A value as the settings hold it: whole where the dial counts."""
        return int(value) if self.decimals == 0 and self.field.endswith("_frames") else value

    def between(self, first: float, second: float) -> float | None:
        """The value halfway, on the dial's grain; None when there is none between."""
        grain = self.grain_at((first + second) / 2)
        middle = round(round((first + second) / 2 / grain) * grain, 4)
        return middle if min(first, second) < middle < max(first, second) else None


DIALS = (
    Dial("change_limit_grey", tr("Change limit"), tr("grey levels"), FAINTEST_QUARTERS / CELL_SCALE, 63.75, 0.25, 2, True,
         tr("How much a cell must change before it counts. Further right, fainter change stays quiet."),
         more=False, confirms=True, silences=True, whole_from=WHOLE_FROM_GREY,
         tried=(2.0, 3.0, 4.0, 5.0, 6.0, 7.0, 8.0, 10.0, 12.0, 15.0, 18.0, 22.0, 27.0)),
    Dial("start_percent", tr("Start level"), tr("% of zone"), 0.01, 100, 0.05, 2, True,
         tr("How much of the zone must change to start an alarm. Further right, smaller things stay quiet."),
         more=False, silences=True, tried=(0.1, 0.15, 0.2, 0.3, 0.45, 0.7, 1.0, 1.5, 2.0, 3.0, 5.0, 8.0, 12.0)),
    Dial("clear_percent", tr("Clear level"), tr("% of zone"), 0.01, 100, 0.05, 2, True,
         tr("An alarm ends once the level is below this. Further right, alarms end sooner."),
         more=False, tried=(0.1, 0.15, 0.2, 0.3, 0.45, 0.7, 1.0, 1.5, 3.0, 6.0)),
    Dial("confirm_frames", tr("Confirm"), tr("frames"), 1, 600, 1, 0, True,
         tr("How many frames in a row must reach the start level. Further right, brief change stays quiet."),
         more=False, silences=True, tried=(1, 2, 3, 4, 5, 7, 9, 12, 16)),
    Dial("release_frames", tr("Release"), tr("frames"), 1, 600, 1, 0, False,
         tr("How many frames in a row must be below the clear level to end an alarm. Further right, alarms end sooner."),
         more=False, tried=(2, 3, 5, 8, 12, 20)),
    Dial("sure_percent", tr("Least certainty"), "%", 0, 100, 5, 0, True,
         tr("How sure a crossing must be to be reported. Further right, what may be weather or light stays quiet."),
         more=False, levels=False, crossings=True, silences=True, tried=(0, 25, 50, 75, 90)),
    Dial("kind_sure_percent", tr("Surely of a kind"), "%", 0, 100, 5, 0, True,
         tr("How likely a thing must be one of the kinds that are reported. Further right, what may be something else stays quiet."),
         confirms=True, crossings=True, silences=True),
    Dial("size_min_percent", tr("Smallest thing"), tr("% of view"), 0, 100, 0.01, 2, True,
         tr("What is smaller than this does not confirm an alarm. Further right, larger things stay quiet."),
         confirms=True, crossings=True, silences=True, tried=(0.0, 0.05, 0.1, 0.2)),
    Dial("size_max_percent", tr("Largest thing"), tr("% of view"), 0.01, 100, 0.1, 2, False,
         tr("What is larger than this does not confirm an alarm. Further right, smaller things stay quiet."),
         confirms=True, crossings=True),
    Dial("travel_percent", tr("Travel"), tr("% of width"), 0, 100, 0.1, 1, True,
         tr("How far a thing must have come before it confirms. Further right, what sways in place stays quiet."),
         confirms=True, silences=True, tried=(0.0, 1.0, 1.5, 2.0, 3.0, 4.0, 6.0)),
    Dial("size_min_heights", tr("Smallest thing"), tr("heights"), 0, HEIGHTS_MAX, 0.05, 2, True,
         tr("What is lower than so many person heights does not confirm an alarm. Further right, larger things stay quiet."),
         confirms=True, crossings=True, silences=True, tried=(0.0, 0.2, 0.3, 0.4, 0.5)),
    Dial("size_max_heights", tr("Largest thing"), tr("heights"), 0.05, HEIGHTS_MAX, 0.05, 2, False,
         tr("What is taller than so many person heights does not confirm. Further right, smaller things stay quiet."),
         confirms=True, crossings=True),
    Dial("travel_heights", tr("Travel"), tr("heights"), 0, HEIGHTS_MAX, 0.05, 2, True,
         tr("How many person heights a thing must have come before it confirms. Further right, what sways stays quiet."),
         confirms=True, silences=True, tried=(0.0, 0.3, 0.6, 1.0, 1.5, 2.0, 3.0)),
    Dial("smooth_frames", tr("Smoothing"), tr("frames"), 1, SMOOTH_MAX_FRAMES, 1, 0, True,
         tr("The level is the median of so many frames. Further right, brief change stays quiet."),
         silences=True, tried=(1, 3, 5, 7)),
    Dial("guard_percent", tr("Light guard"), tr("% of view"), 1, 100, 0.5, 1, False,
         tr("While so much of the view changes at once, nothing confirms. Further right, smaller changes of light stay quiet."),
         silences=True, tried=(2.0, 3.0, 4.0, 6.0, 10.0, 20.0, 100.0)),
    Dial("guard_hold_s", tr("Guard hold"), "s", 0, 60, 0.1, 1, True,
         tr("How long the light guard stays on after such a change. Further right, longer."),
         tried=(0.5, 1.0, 2.0, 3.0)),
    Dial("rearm_s", tr("Re-arm"), "s", 0, 3600, 0.5, 1, True,
         tr("How long nothing confirms after an alarm has ended. Further right, repeats stay quiet.")),
    Dial("longest_s", tr("Longest alarm"), "s", 1, 86400, 1, 0, True,
         tr("A longer alarm is split. Further right, fewer pieces.")),
)  # fmt: skip
"""All of them, in the order they are shown. What a search, a curve, a map, a panel or advice needs to know of a dial is here."""

LEVEL_FIELDS = (*(dial.field for dial in DIALS if not dial.confirms), "usual_s")
"""Settings of the alarm rule alone: turning them never changes which frames may confirm."""
CHANNELS_TRIED: tuple[Channel, ...] = ("step", "step_200ms", "step_500ms")
CHOICES_TRIED: dict[str, tuple[float | str, ...]] = {"channel": CHANNELS_TRIED, "usual_s": (0.0, 10.0, 60.0)}
"""Values a search tries of settings that are chosen, not turned."""


def dial_of(field: str) -> Dial:
    """A dial by its field."""
    return next(dial for dial in DIALS if dial.field == field)


def share_of(dial: Dial, value: float) -> float:
    """Place of a value on the track, 0 (loud, left) to 1 (quiet, right): by its logarithm, or its root where 0 is off."""
    if dial.low <= 0:
        share = math.sqrt(max(0.0, value) / dial.high)
    else:
        share = math.log(value / dial.low) / math.log(dial.high / dial.low)
    return min(1.0, max(0.0, share if dial.right_is_up else 1 - share))


def value_at(dial: Dial, share: float) -> float:
    """Value at a place of the track, on the dial's grain."""
    share = min(1.0, max(0.0, share))
    share = share if dial.right_is_up else 1 - share
    value = dial.high * share**2 if dial.low <= 0 else dial.low * (dial.high / dial.low) ** share
    grain = dial.grain_at(value)
    return float(round(min(dial.high, max(dial.low, round(value / grain) * grain)), 4))


def stepped(dial: Dial, value: float, steps: int) -> float:
    """A value some steps further to the right; steps grow with the value, to two figures."""
    size = max(dial.step, 10 ** (math.floor(math.log10(max(value, dial.low, dial.step))) - 1))
    size = round(size / dial.step) * dial.step
    way = steps if dial.right_is_up else -steps
    return float(round(min(dial.high, max(dial.low, value + way * size)), 4))


def next_limits(settings: ZoneSettings) -> list[ZoneSettings]:
    """The settings with the change limit one step louder and one step quieter, as far as there is one."""
    dial, now = DIALS[0], settings.change_limit_grey
    values = {stepped(dial, now, -1), stepped(dial, now, 1)} - {now}
    return [settings.turned(change_limit_grey=value) for value in sorted(values)]


def ladder(dial: Dial, rungs: int, *also: float) -> list[float]:
    """Values spread evenly over the track from loud to quiet, with some more, each once."""
    values = {value_at(dial, place / (rungs - 1)) for place in range(rungs)} | {round(value, 4) for value in also}
    return sorted(values, key=lambda value: share_of(dial, value))
