"""What other rules make of the same alarms: clips that are kept no more, what is told no more, and what is told later."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from north_hush.core.outcome.replay import Replayed
from north_hush.core.words import tr


@dataclass(frozen=True)
class Changes:
    """Counts over some recordings; of alarms unless said otherwise.

    Attributes
    ----------
    unkept, kept : that were in a clip that was kept and are in none now; the other way round
    real_unkept : of the first those that met an incident
    unkept_s : seconds of clips fewer, below 0 for more
    messages : sent fewer, below 0 for more
    untold, told : that somebody was told of and nobody is now; the other way round
    later : told of later than before; `later_most_us` by how much at most
    """

    unkept: int = 0
    kept: int = 0
    real_unkept: int = 0
    unkept_s: float = 0.0
    messages: int = 0
    untold: int = 0
    told: int = 0
    later: int = 0
    later_most_us: int = 0

    def plus(self, other: Changes) -> Changes:
        """Both together."""
        sums = {name: getattr(self, name) + getattr(other, name) for name in self.__dataclass_fields__}
        return Changes(**{**sums, "later_most_us": max(self.later_most_us, other.later_most_us)})


def changes_between(before: Replayed, after: Replayed, real: frozenset[int] = frozenset()) -> Changes:
    """What became of the alarms of one recording; both replays are of the same alarms in the same order.

    Parameters
    ----------
    real : numbers of the alarms that met an incident
    """
    clipped = [{number for clip in held.clips if clip.kept for number in clip.alarms} for held in (before, after)]
    seconds = [sum(clip.end_us - clip.start_us for clip in held.clips if clip.kept) / 1e6 for held in (before, after)]
    sent = [sum(notice.sent for notice in held.notices) for held in (before, after)]
    was, is_ = _told_us(before), _told_us(after)
    later = [is_[number] - was[number] for number in was.keys() & is_.keys() if is_[number] > was[number]]
    return Changes(
        unkept=len(clipped[0] - clipped[1]),
        kept=len(clipped[1] - clipped[0]),
        real_unkept=len((clipped[0] - clipped[1]) & real),
        unkept_s=seconds[0] - seconds[1],
        messages=sent[0] - sent[1],
        untold=len(was.keys() - is_.keys()),
        told=len(is_.keys() - was.keys()),
        later=len(later),
        later_most_us=max(later, default=0),
    )


def _told_us(held: Replayed) -> dict[int, int]:
    """When somebody was first told of each alarm."""
    found: dict[int, int] = {}
    for notice in held.notices:
        for number in notice.alarms if notice.sent else ():
            found[number] = min(notice.at_us, found.get(number, notice.at_us))
    return found


def changes_words(held: Changes) -> str:
    """The same in a line; 'nothing' where nothing changed."""
    parts = [
        (
            held.unkept,
            tr("{unkept} alarms keep no clip any more", unkept=held.unkept)
            + tr(" ({real_unkept} of them real)", real_unkept=held.real_unkept) * bool(held.real_unkept),
        ),
        (held.kept, tr("{kept} alarms get a clip", kept=held.kept)),
        (
            round(held.unkept_s),
            tr(
                "{unkept_s:.1f} min of clips {value}",
                unkept_s=abs(held.unkept_s) / 60,
                value=tr("fewer") if held.unkept_s > 0 else tr("more"),
            ),
        ),
        (
            held.messages,
            tr(
                "{messages} messages {value}",
                messages=abs(held.messages),
                value=tr("fewer") if held.messages > 0 else tr("more"),
            ),
        ),
        (held.untold, tr("nobody is told of {untold} any more", untold=held.untold)),
        (held.told, tr("somebody is told of {told} more", told=held.told)),
        (
            held.later,
            tr(
                "{later} are told later, by {later_most_us:.1f} min at most",
                later=held.later,
                later_most_us=held.later_most_us / 60000000.0,
            ),
        ),
    ]
    return ", ".join(text for counts, text in parts if counts) or "nothing"


def summed_changes(before: Sequence[Replayed], after: Sequence[Replayed], real: Sequence[frozenset[int]]) -> Changes:
    """The changes of some recordings together."""
    total = Changes()
    for was, is_, met in zip(before, after, real, strict=True):
        total = total.plus(changes_between(was, is_, met))
    return total
