"""What a search makes small: one stated formula over what settings of an item come to.

    loss = m M + W / 10 + d D + 0.05 T

with m = 1000 and d = 4 (see `Aim`),

M incidents that concern the item and that it misses; W seconds one would watch of its unwanted alarms (each with 5 s to either
side, together where they overlap) and of its real ones outside incidents; D mean delay in seconds; T how many dials are
turned, and how far each in shares of its track. Alarms that run together are watched as long as before, and time in alarm is
watched too, so that merging alarms, or one that never ends, gains nothing. W and D are of the footage weighed by the hours of
a day that it stands for.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from north_hush.core.detect.dials import CHOICES_TRIED, DIALS, share_of
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.footage.evidence import Evidence
from north_hush.core.judge.incidents import Truth
from north_hush.core.judge.rates import day_weights
from north_hush.core.judge.tally import Tally
from north_hush.core.words import tr

WATCHED_S, TURNED = 10.0, 0.05
SIMPLE_FIELDS = tuple(dial.field for dial in DIALS if not dial.more)
TRIED: dict[str, tuple[float | str, ...]] = {**CHOICES_TRIED, **{d.field: d.tried for d in DIALS if d.tried}}
"""Values that are tried, by setting; one that is not here is never touched."""


@dataclass(frozen=True)
class Case:
    """A recording, what is known of it, for how many hours of a day it stands (None: not said), and its light."""

    name: str
    evidence: Evidence
    truth: Truth
    hours: float | None = None
    light: str = ""


@dataclass(frozen=True)
class Aim:
    """What a search makes small, in words, what a second of delay is worth, and which settings it turns."""

    name: str
    says: str
    per_delay_s: float = 4.0
    missed: float = 1000.0
    missed_aside: float = 30.0
    """What a missed incident costs, at the settings themselves and a quarter to either side of them."""
    fields: tuple[str, ...] = tuple(TRIED)


AIMS = (
    Aim("quietest", tr("fewest unwanted alarms and least time in alarm")),
    Aim("prompt", tr("alarms early, at the price of some noise"), per_delay_s=15.0),
    Aim("simple", tr("turns only change limit, levels and frames"), fields=SIMPLE_FIELDS),
)


def weights_of(cases: Sequence[Case]) -> list[float]:
    """How much a second of each recording counts, 1 on average; 1 each unless all say for how many hours they stand."""
    return day_weights([(case.evidence.footage_s, case.hours) for case in cases])


def loss(tallies: Iterable[tuple[Tally, float]], aim: Aim, turned: float) -> float:
    """The formula, over the tallies of an item on some recordings with their weights; `turned` is T."""
    missed, watched_s, delays_s, met = 0, 0.0, 0.0, 0
    for tally, weight in tallies:
        missed += tally.missed_here
        watched_s += weight * tally.watched_s
        delays_s += tally.delays_s
        met += tally.met_here
    delay_s = delays_s / met if met else 0.0
    return aim.missed * missed + watched_s / WATCHED_S + aim.per_delay_s * delay_s + TURNED * turned


def turned_by(settings: ZoneSettings, present: ZoneSettings) -> float:
    """T: for each setting that differs one, and how far its dial was turned in shares of its track."""
    total = float(sum(getattr(settings, name) != getattr(present, name) for name in CHOICES_TRIED))
    for dial in DIALS:
        now, before = getattr(settings, dial.field), getattr(present, dial.field)
        if now != before:
            total += 1 + abs(share_of(dial, now) - share_of(dial, before))
    return total


FORMULA = tr(
    "{missed:g} × missed incidents + seconds to watch / {watched_s:g} + {per_delay_s:g} "
    "× mean delay in seconds + {turned:g} × dials turned",
    missed=AIMS[0].missed,
    watched_s=WATCHED_S,
    per_delay_s=AIMS[0].per_delay_s,
    turned=TURNED,
)
"""The loss of the first aim, in words."""
