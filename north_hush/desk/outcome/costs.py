"""What the outcome of a view costs, in words."""

from __future__ import annotations

from north_hush.core.advise.outcomes import minutes_text
from north_hush.core.outcome.changes import changes_words
from north_hush.core.outcome.disk import GB
from north_hush.core.outcome.rules import Disk, Outcome
from north_hush.core.words import number, tr
from north_hush.desk.outcome.replays import Costs


def cost_text(costs: Costs, outcome: Outcome, disk: Disk) -> str:
    """Clips, messages and disk of a day, a line each, and from how much footage that is known."""
    if not costs.led:
        return tr("No recording is analysed yet: nobody knows what alarms would lead to.")
    figures = costs.day.figures
    lines = [_clips(costs)]
    if figures.brief or figures.held_hours:
        lines.append(
            tr(
                "Dropped here: {brief} brief, {held_hours} out of hours.",
                brief=figures.brief,
                held_hours=figures.held_hours,
            )
        )
    if outcome.tell:
        messages = _a_day(costs, "messages", tr("messages"), costs.messages_a_day)
        lines.append(
            tr(
                "{messages} a day, at most {worst_hour} an hour; longest untold {minutes_text}.",
                messages=messages,
                worst_hour=figures.worst_hour,
                minutes_text=minutes_text(figures.longest_untold_s),
            )
        )
    if outcome.keep.how != "never":
        lines.append(tr("Disk of {size_gb:g} GB {full}.", size_gb=disk.size_gb, full=_full(costs)))
    for other, seconds in costs.along.items():
        lines.append(tr("{other} records along: {seconds:.1f} min of this footage.", other=other, seconds=seconds / 60))
    if costs.against is not None:
        lines.append(tr("Against the pin: {changes_words}.", changes_words=changes_words(costs.against)))
    lines.append(tr("From {counted_s:,.1f} min of footage that count.", counted_s=figures.counted_s / 60))
    return "\n".join(lines)


def _clips(costs: Costs) -> str:
    day, clips = costs.day, _a_day(costs, "clips", tr("clips"), costs.clips_a_day)
    return tr(
        "A day: {clips}, {a_day:.1f} h of them, {gb:.2f} GB.",
        clips=clips,
        a_day=day.a_day("clip_s") / 3600,
        gb=(day.daily.clip_bytes + day.daily.continuous_bytes) / GB,
    )


def _a_day(costs: Costs, name: str, word: str, interval: tuple[float, float] | None) -> str:
    return f"{number(costs.day.a_day(name), ',.0f')} {word}{_range(interval)}"


def _full(costs: Costs) -> str:
    """When the disk is full, and how many days are kept."""
    fares = costs.fares
    kept = max(fares.clips_days[0], fares.continuous_days[0])
    if not fares.full_after_days:
        return tr("never full: {kept} days are kept", kept=kept)
    return tr(
        "full after {full_after_days} days, then {kept} are kept", full_after_days=fares.full_after_days, kept=kept
    )


def _range(interval: tuple[float, float] | None) -> str:
    """From where to where it may lie; nothing where one recording alone tells."""
    return (
        ""
        if interval is None
        else tr(" ({interval:,.0f} to {interval2:,.0f})", interval=interval[0], interval2=interval[1])
    )
