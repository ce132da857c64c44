"""Advice on outcome: turns of its dials that save much and cost little."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from north_hush.core.advise.outcomes import Part, minutes_text, replayed, turned, value_of
from north_hush.core.outcome.rules import Outcome
from north_hush.core.words import tr, trn

_SAVES_LEAST = 0.1
"""Advice that saves less is not worth reading."""


@dataclass(frozen=True)
class OutcomeAdvice:
    """A turn of an outcome dial, in words."""

    field: str
    value: float
    words: str


def outcome_advice(parts: Sequence[Part], outcome: Outcome) -> list[OutcomeAdvice]:
    """Turns that save much and cost little: a shorter time after, and fewer messages."""
    found = [_shorter(parts, outcome)] if outcome.keep.how in ("on_alarm", "low_and_full") else []
    found += [_rarer(parts, outcome)] if outcome.tell else []
    return [advice for advice in found if advice is not None]


def _shorter(parts: Sequence[Part], outcome: Outcome) -> OutcomeAdvice | None:
    """The shortest time after that splits at most one clip in twenty."""
    now, _ = replayed(parts, outcome)
    if not now.clip_s:
        return None
    at = value_of(outcome, "after_s")
    best: OutcomeAdvice | None = None
    most = 0.0
    for value in (2.0, 3.0, 4.0, 6.0, 8.0, 10.0, 15.0, 20.0, 30.0):
        if value >= at:
            continue
        then, _ = replayed(parts, turned(outcome, "after_s", value))
        saved, more = 1 - then.clip_s / now.clip_s, then.clips - now.clips
        if more <= max(1, now.clips // 20) and saved >= max(_SAVES_LEAST, most + 1e-9):
            most = saved
            splits = (
                tr("splits no clip") if more <= 0 else trn("splits {more} clip", "splits {more} clips", more, more=more)
            )
            best = OutcomeAdvice(
                "after_s",
                value,
                tr(
                    "{value:g} s after instead of {at:g} saves {saved:.0%} and {splits}",
                    value=value,
                    at=at,
                    saved=saved,
                    splits=splits,
                ),
            )
    return best


def _rarer(parts: Sequence[Part], outcome: Outcome) -> OutcomeAdvice | None:
    """The shortest interval that takes two messages in three away."""
    now, _ = replayed(parts, outcome)
    at = value_of(outcome, "every_s")
    for value in (60.0, 300.0, 900.0, 1800.0):
        if value <= at or not now.messages:
            continue
        then, _ = replayed(parts, turned(outcome, "every_s", value))
        if then.messages * 3 <= now.messages:
            words = tr(
                "One message every {value:g} min: {a_day:.0f} to {a_day2:.0f} a day, longest untold {minutes_text}",
                value=value / 60,
                a_day=now.a_day("messages"),
                a_day2=then.a_day("messages"),
                minutes_text=minutes_text(then.longest_untold_s),
            )
            return OutcomeAdvice("every_s", value, words)
    return None
