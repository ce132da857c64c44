"""The score in words."""

from __future__ import annotations

from collections.abc import Sequence

from north_hush.core.judge.rates import Day, met_interval, nuisance_interval
from north_hush.core.judge.score import Score, summed

_MANY = 100
"""So many are told without decimals."""


def met_text(score: Score) -> str:
    """Met of all; a dash while no incident is known."""
    return f"{score.met}/{score.incidents}" if score.incidents else "–"


def chip_text(held: Score) -> str:
    """The score in so few signs as a chip has room for: met of all, and what was unwanted."""
    return f"{met_text(held)} · {held.unwanted}" if held.incidents or held.nuisances else f"{held.alarms}"


def head_text(held: Score) -> str:
    """Met, nuisances, repeats and not judged, in words."""
    if not held.footage_s:
        return "No recording is analysed yet"
    parts = [f"{held.met} of {held.incidents} incidents met" if held.incidents else "no incident is marked yet"]
    parts.append("1 nuisance" if held.nuisances == 1 else f"{held.nuisances} nuisances")
    if held.repeats:
        parts.append("1 repeat" if held.repeats == 1 else f"{held.repeats} repeats")
    if held.unsure:
        parts.append(f"{held.unsure} unsure")
    if held.unjudged:
        parts.append(f"{held.unjudged} not judged")
    return ", ".join(parts)


def rates_text(parts: Sequence[Score], day: Day | None = None) -> str:
    """Rates of some recordings with their intervals; what is not defined is left out. With a day, what one would bring."""
    held = summed(parts)
    if not held.footage_s:
        return ""
    lines = []
    share, rate = met_interval(parts), nuisance_interval(parts)
    if share is not None:
        by_item = f"; by item {held.pairs - len(held.missed_pairs)} of {held.pairs}" if held.pairs else ""
        met = 100 * held.met / held.incidents
        lines.append(f"Met {met:.0f} % ({100 * share[0]:.0f} to {100 * share[1]:.0f} %){by_item}")
    if rate is not None and held.nuisance_per_hour is not None:
        a_day = 24 * held.nuisance_per_hour if day is None else day.nuisances
        digits = 1 if held.nuisance_per_hour < _MANY else 0
        an_hour, low, high = (f"{value:.{digits}f}" for value in (held.nuisance_per_hour, *rate))
        lines.append(f"{a_day:,.0f} nuisances a day; an hour {an_hour} ({low} to {high})")
    clips_h = 24 * held.alarm_s / held.footage_s if day is None else day.clips_h
    quiet = 100 * (held.quiet_share or 0)
    lines.append(f"{quiet:.1f} % of quiet time in alarm, {clips_h:.1f} h of clips a day")
    if held.by_time_only:
        lines.append(f"{held.by_time_only} of {held.incidents} incidents have no place and count by time alone")
    if day is not None:
        lines.append(f"A day is counted by the {day.hours:g} h recordings stand for")
    if held.delays_s:
        delays = sorted(held.delays_s)
        f_text = f", F {held.f():.2f}" if held.f() is not None else ""
        lines.append(
            f"Delay {delays[len(delays) // 2]:.1f} s, worst {delays[-1]:.1f} s, {held.already_on} already on{f_text}"
        )
    return "\n".join(lines)
