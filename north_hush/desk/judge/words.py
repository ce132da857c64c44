"""The score in words."""

from __future__ import annotations

from collections.abc import Sequence

from north_hush.core.judge.rates import Day, met_interval, nuisance_interval
from north_hush.core.judge.score import Score, summed
from north_hush.core.words import number, tr

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
        return tr("No recording is analysed yet")
    parts = [
        tr("{met} of {incidents} incidents met", met=held.met, incidents=held.incidents)
        if held.incidents
        else tr("no incident is marked yet")
    ]
    parts.append(tr("1 nuisance") if held.nuisances == 1 else tr("{nuisances} nuisances", nuisances=held.nuisances))
    if held.repeats:
        parts.append(tr("1 repeat") if held.repeats == 1 else tr("{repeats} repeats", repeats=held.repeats))
    if held.unsure:
        parts.append(tr("{unsure} unsure", unsure=held.unsure))
    if held.unjudged:
        parts.append(tr("{unjudged} not judged", unjudged=held.unjudged))
    return ", ".join(parts)


def rates_text(parts: Sequence[Score], day: Day | None = None) -> str:
    """Rates of some recordings with their intervals; what is not defined is left out. With a day, what one would bring."""
    held = summed(parts)
    if not held.footage_s:
        return ""
    lines = []
    share, rate = met_interval(parts), nuisance_interval(parts)
    if share is not None:
        by_item = (
            tr("; by item {pairs} of {pairs2}", pairs=held.pairs - len(held.missed_pairs), pairs2=held.pairs)
            if held.pairs
            else ""
        )
        met = 100 * held.met / held.incidents
        lines.append(
            tr(
                "Met {met:.0f} % ({share:.0f} to {share2:.0f} %){by_item}",
                met=met,
                share=100 * share[0],
                share2=100 * share[1],
                by_item=by_item,
            )
        )
    if rate is not None and held.nuisance_per_hour is not None:
        a_day = 24 * held.nuisance_per_hour if day is None else day.nuisances
        digits = 1 if held.nuisance_per_hour < _MANY else 0
        an_hour, low, high = (f"{value:.{digits}f}" for value in (held.nuisance_per_hour, *rate))
        lines.append(
            tr(
                "{a_day:,.0f} nuisances a day; an hour {an_hour} ({low} to {high})",
                a_day=a_day,
                an_hour=an_hour,
                low=low,
                high=high,
            )
        )
    clips_h = 24 * held.alarm_s / held.footage_s if day is None else day.clips_h
    quiet = 100 * (held.quiet_share or 0)
    lines.append(
        tr("{quiet:.1f} % of quiet time in alarm, {clips_h:.1f} h of clips a day", quiet=quiet, clips_h=clips_h)
    )
    if held.by_time_only:
        lines.append(
            tr(
                "{by_time_only} of {incidents} incidents have no place and count by time alone",
                by_time_only=held.by_time_only,
                incidents=held.incidents,
            )
        )
    if day is not None:
        lines.append(tr("A day is counted by the {hours:g} h recordings stand for", hours=day.hours))
    if held.delays_s:
        delays = sorted(held.delays_s)
        f_score = held.f()
        f_text = f", F {number(f_score, '.2f')}" if f_score is not None else ""
        lines.append(
            tr(
                "Delay {delays:.1f} s, worst {delays2:.1f} s, {already_on} already on{f_text}",
                delays=delays[len(delays) // 2],
                delays2=delays[-1],
                already_on=held.already_on,
                f_text=f_text,
            )
        )
    return "\n".join(lines)
