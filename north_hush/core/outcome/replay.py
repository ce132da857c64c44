"""What the alarms of a view lead to on some footage: clips, snapshots, notices and contacts, each with its reason when it is held
back; and the figures of it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from north_hush.core.hours.spans import NOTHING, Spans, common, spans_of, total_us, union
from north_hush.core.outcome.clips import US_PER_S, Clip, Snapshot, clips_of, snapshots_of
from north_hush.core.outcome.notices import Notice, longest_untold_us, notices_of
from north_hush.core.outcome.raised import Raised
from north_hush.core.outcome.raisers import BY_RAISERS, kept_by_raisers
from north_hush.core.outcome.rules import How, Outcome
from north_hush.core.outcome.weight import Weight

_HOUR_US = 3600 * US_PER_S


@dataclass(frozen=True, eq=False)
class When:
    """When what holds over some footage, on one clock in microseconds.

    Attributes
    ----------
    footage : from when to when there is any, the end no longer inside
    counted_us : how much of it counts
    kept : by item, when footage is kept for it
    kept_by : when footage of the view is kept, by how the hours of recording say; '' where they leave it to the rule
    notifying : by item, when people are told
    sensors : which of the items are sensors
    """

    footage: tuple[int, int]
    counted_us: int
    kept: Mapping[str, Spans]
    kept_by: Mapping[str, Spans]
    notifying: Mapping[str, Spans]
    sensors: frozenset[str] = frozenset()


def always(footage: tuple[int, int], items: Sequence[str]) -> When:
    """Where there are no hours."""
    whole = spans_of([footage])
    by_item = dict.fromkeys(items, whole)
    return When(footage, footage[1] - footage[0], by_item, {"": whole}, by_item)


def kept_as(when: When, rule: How) -> dict[How, Spans]:
    """When footage is kept in each way: as the hours say, and where they say nothing by the rule."""
    found: dict[How, list[Spans]] = {}
    for said, spans in when.kept_by.items():
        found.setdefault(how_said(said, rule), []).append(spans)
    return {how: union(held) for how, held in found.items()}


def how_said(said: str, rule: How) -> How:
    """How footage is kept in a piece that says so; by the rule where it says nothing."""
    if said in BY_RAISERS:
        return "on_alarm"
    return {"always": "always", "on alarm": "on_alarm", "low and full": "low_and_full"}.get(said, rule)  # type: ignore[return-value]


@dataclass(frozen=True, eq=False)
class Replayed:
    """All that the alarms of a view lead to on one recording; times in microseconds after its first frame.

    Attributes
    ----------
    contacts : by contact, when it is on
    asked : how many of the alarms, the last ones, are of other views: they lead to clips alone
    """

    alarms: tuple[Raised, ...] = field(repr=False)
    when: When = field(repr=False)
    clips: tuple[Clip, ...]
    snapshots: tuple[Snapshot, ...]
    notices: tuple[Notice, ...]
    contacts: Mapping[str, Spans]
    asked: int = 0

    @property
    def own(self) -> tuple[Raised, ...]:
        """The view's own alarms."""
        return self.alarms[: len(self.alarms) - self.asked]


def replay(alarms: Sequence[Raised], outcome: Outcome, when: When, asked: Sequence[Raised] = ()) -> Replayed:
    """Play the rules over alarms, in any order.

    Parameters
    ----------
    asked : alarms of other views that this one records along with, on its own clock
    """
    contacts: dict[str, Spans] = {}
    for switch in outcome.switch:
        hold = round(switch.hold_s * US_PER_S)
        counting = (held for held in alarms if not switch.items or held.item in switch.items)
        own = spans_of((held.start_us, held.start_us + hold) for held in counting)
        before = contacts.get(switch.contact)
        contacts[switch.contact] = own if before is None else spans_of([*before.tolist(), *own.tolist()])
    keep, kept, open_us = outcome.keep, when.kept, union(when.kept_by.values())
    opening = kept_by_raisers(alarms, when.kept, when.kept_by, when.sensors, when.footage)
    if keep.how == "never" and set(when.kept_by) - {""}:  # its rule is to keep nothing, but for pieces that say how
        said = union(spans for how, spans in kept_as(when, keep.how).items() if how != "never")
        keep, kept = (
            keep.model_copy(update={"how": "on_alarm"}),
            {item: common(spans, said) for item, spans in kept.items()},
        )
        opening = None if opening is None else {item: common(spans, said) for item, spans in opening.items()}
        open_us = common(open_us, said)
    clipped = (*alarms, *asked)
    if asked:
        whole = dict.fromkeys((held.item for held in asked), open_us)
        kept, opening = {**kept, **whole}, None if opening is None else {**opening, **whole}
    return Replayed(
        clipped,
        when,
        tuple(clips_of(clipped, outcome.keep_of, keep, when.footage, kept, opening)),
        tuple(snapshots_of(alarms, outcome.keep_of, when.kept if opening is None else opening)),
        tuple(notices_of(alarms, outcome.tell, when.notifying)),
        contacts,
        len(asked),
    )


@dataclass(frozen=True)
class Figures:
    """What a replay comes to, in sums that can be added over recordings.

    Attributes
    ----------
    counted_s : footage that counts
    clips, brief, clip_s, clip_bytes : clips that are kept, dropped for brevity or kind, their seconds and bytes
    held_hours : clips that the hours of recording hold back
    kept_s, continuous_bytes : footage in the hours of recording, and the bytes of what is kept of it always
    messages, held_back : sent, and alarms that no message told of
    worst_hour : most messages in any 60 minutes
    longest_untold_s : see `notices.longest_untold_us`
    """

    counted_s: float = 0.0
    clips: int = 0
    brief: int = 0
    held_hours: int = 0
    clip_s: float = 0.0
    clip_bytes: int = 0
    kept_s: float = 0.0
    continuous_bytes: int = 0
    snapshots: int = 0
    messages: int = 0
    held_back: int = 0
    worst_hour: int = 0
    longest_untold_s: float = 0.0

    def plus(self, other: Figures) -> Figures:
        """Both together."""
        worst = {"worst_hour", "longest_untold_s"}
        return Figures(
            **{
                name: (max if name in worst else lambda a, b: a + b)(getattr(self, name), getattr(other, name))
                for name in self.__dataclass_fields__
            }
        )

    def a_day(self, name: str) -> float:
        """A sum for 24 hours that count."""
        return float(86400 * getattr(self, name) / self.counted_s) if self.counted_s else 0.0


def figures_of(held: Replayed, outcome: Outcome, weight: Weight | None) -> Figures:
    """The figures of a replay; bytes are 0 where the weight of the recording is not known."""
    whys = [clip.why for clip in held.clips]  # a week has thousands, and a curve a hundred such weeks
    kept = [clip for clip in held.clips if clip.why == "alarm"]
    keep = outcome.keep
    sent = sorted(notice.at_us for notice in held.notices if notice.sent)
    untold = {number for notice in held.notices if not notice.sent for number in notice.alarms}
    told = {number for notice in held.notices if notice.sent for number in notice.alarms}
    as_kept = kept_as(held.when, keep.how)
    continuous, clip_bytes = 0, 0
    spans = np.array([(clip.start_us, clip.end_us) for clip in kept], np.int64).reshape(-1, 2)
    if weight is not None:
        shares: dict[How, float] = {"always": 1.0, "low_and_full": keep.low_share}
        for how, share in shares.items():
            pieces = as_kept.get(how, NOTHING)
            continuous += round(share * sum(weight.between(start, end) for start, end in pieces.tolist()))
        # Footage that is kept always holds the clips already; only what is kept in full beside the low quality comes on top.
        whole = as_kept.get("always", NOTHING)
        clip_bytes = weight.of_spans(spans)
        if len(whole):
            clip_bytes -= weight.of_spans(common(spans_of((int(start), int(end)) for start, end in spans), whole))
    return Figures(
        counted_s=held.when.counted_us / US_PER_S,
        clips=len(kept),
        brief=whys.count("brief") + whys.count("kind"),
        held_hours=whys.count("hours"),
        clip_s=float((spans[:, 1] - spans[:, 0]).sum()) / US_PER_S,
        clip_bytes=clip_bytes,
        kept_s=sum(map(total_us, held.when.kept_by.values())) / US_PER_S,
        continuous_bytes=continuous,
        snapshots=len(held.snapshots),
        messages=len(sent),
        held_back=len(untold - told),
        worst_hour=_worst_hour(sent),
        longest_untold_s=longest_untold_us(held.own, held.notices) / US_PER_S,
    )


def _worst_hour(sent: Sequence[int]) -> int:
    """Most messages in any hour."""
    if not sent:
        return 0
    at = np.array(sent, np.int64)
    return int((np.searchsorted(at, at + _HOUR_US, side="left") - np.arange(len(at))).max())


def contact_s(held: Replayed) -> dict[str, float]:
    """For how many seconds each contact is on."""
    return {name: total_us(spans) / US_PER_S for name, spans in held.contacts.items()}
