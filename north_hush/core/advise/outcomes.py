"""Curves of outcome: what each value of an outcome dial would cost and lose, all else equal."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from north_hush.core.detect.dials import Dial, ladder
from north_hush.core.outcome.disk import GB
from north_hush.core.outcome.raised import Raised
from north_hush.core.outcome.replay import Figures, Replayed, When, figures_of, replay
from north_hush.core.outcome.rules import Outcome
from north_hush.core.outcome.weight import Weight
from north_hush.core.words import tr, trn

RUNGS = 21
_UNTOLD_LONG_S = 600.0

OUTCOME_DIALS = (
    Dial(
        "before_s",
        tr("Before"),
        "s",
        0,
        120,
        0.5,
        1,
        False,
        tr("How much is kept ahead of an alarm. Further right, clips are shorter."),
        more=False,
    ),
    Dial(
        "after_s",
        tr("After"),
        "s",
        0,
        300,
        0.5,
        1,
        False,
        tr(
            "How much is kept after an alarm. Further right, clips are shorter; too short, and one event becomes several."
        ),
        more=False,
    ),
    Dial(
        "drop_under_frames",
        tr("Drop brief ones"),
        tr("frames"),
        0,
        100,
        1,
        0,
        True,
        tr("Clips in which change lasted under so many frames are dropped. Further right, more of them are."),
        more=False,
    ),
    Dial(
        "join_s",
        tr("Join"),
        "s",
        0,
        300,
        0.5,
        1,
        True,
        tr("Clips that lie closer than this become one. Further right, fewer and longer clips."),
    ),
    Dial(
        "longest_s",
        tr("Longest clip"),
        "s",
        5,
        86400,
        1,
        0,
        True,
        tr("A longer clip is split. Further right, fewer pieces."),
    ),
    Dial(
        "snapshot_every_s",
        tr("Snapshot every"),
        "s",
        0,
        600,
        0.5,
        1,
        True,
        tr("While an alarm lasts, a picture every so often; 0 for none. Further right, fewer pictures."),
    ),
    Dial(
        "every_s",
        tr("At most every"),
        "s",
        0,
        7200,
        5,
        0,
        True,
        tr(
            "Nobody is told more often than this; what comes meanwhile is told together. Further right, fewer messages."
        ),
        more=False,
    ),
)
"""In the order they are shown. `every_s` is of the first rule of telling, the others are of what is kept."""


@dataclass(frozen=True, eq=False)
class Part:
    """One recording, for replays: its alarms, when what holds, its bytes, and which alarms met an incident."""

    alarms: tuple[Raised, ...]
    when: When
    weight: Weight | None
    real: frozenset[int] = frozenset()
    asked: tuple[Raised, ...] = ()
    """Alarms of other views that this one records along with."""


@dataclass(frozen=True)
class OutcomeCurve:
    """What values of an outcome dial would do, from loud to quiet.

    Attributes
    ----------
    cost : what is saved on the way to the right: gigabytes, clips, snapshots or messages of a day
    lost : what it costs: clips more than now, real ones dropped, alarms that nobody is told of for long
    words : the same in words
    """

    field: str
    values: tuple[float, ...]
    cost: tuple[float, ...]
    lost: tuple[float, ...]
    words: tuple[str, ...]


def turned(outcome: Outcome, field: str, value: float) -> Outcome:
    """The outcome with a dial turned.

    Raises
    ------
    pydantic.ValidationError : the value makes no sense.
    """
    if field == "every_s":
        first = outcome.tell[0]
        changed = type(first).model_validate({**dict(first), "every_s": value})
        return Outcome.model_validate({**dict(outcome), "tell": (changed, *outcome.tell[1:])})
    name = f"full_{field}" if outcome.keep.how == "low_and_full" and field in ("before_s", "after_s") else field
    number = int(value) if field.endswith("_frames") else value
    keep = type(outcome.keep).model_validate({**dict(outcome.keep), name: number})
    return Outcome.model_validate({**dict(outcome), "keep": keep})


def value_of(outcome: Outcome, field: str) -> float:
    """Where an outcome dial stands."""
    if field == "every_s":
        return outcome.tell[0].every_s if outcome.tell else 0.0
    return float(
        {"before_s": outcome.keep.before, "after_s": outcome.keep.after}.get(field, getattr(outcome.keep, field))
    )


def replayed(parts: Sequence[Part], outcome: Outcome) -> tuple[Figures, list[Replayed]]:
    """The replay of every recording under an outcome, and its figures together."""
    found, held = Figures(), list[Replayed]()
    for part in parts:
        led = replay(part.alarms, outcome, part.when, part.asked)
        held.append(led)
        found = found.plus(figures_of(led, outcome, part.weight))
    return found, held


def real_dropped(parts: Sequence[Part], held: Sequence[Replayed]) -> int:
    """How many dropped clips hold an alarm that met an incident."""
    return sum(
        not clip.kept and clip.why in ("brief", "kind") and bool(part.real.intersection(clip.alarms))
        for part, led in zip(parts, held, strict=True)
        for clip in led.clips
    )


def outcome_curve(parts: Sequence[Part], outcome: Outcome, dial: Dial) -> OutcomeCurve | None:
    """The curve of a dial; None where it means nothing: nobody is told, or nothing is kept."""
    if (
        not parts
        or (dial.field == "every_s" and not outcome.tell)
        or (dial.field != "every_s" and outcome.keep.how == "never")
    ):
        return None
    values = ladder(dial, RUNGS, value_of(outcome, dial.field))
    about = _about(outcome, dial.field)
    rows = []
    for value in values:
        figures, held = replayed(parts, turned(about, dial.field, value))
        rows.append((figures, real_dropped(parts, held) if dial.field == "drop_under_frames" else 0))
    now = rows[values.index(round(value_of(outcome, dial.field), 4))][0].clips
    made = [_MADE[dial.field](figures, dropped, now) for figures, dropped in rows]
    cost, lost, words = zip(*made, strict=True)
    return OutcomeCurve(dial.field, tuple(values), cost, lost, words)


def _about(outcome: Outcome, field: str) -> Outcome:
    """The outcome without what a dial says nothing about: who is told, what clips are kept, or snapshots."""
    rest: dict[str, object] = {} if field == "every_s" else {"tell": ()}
    changes: dict[str, object] = {} if field == "snapshot_every_s" else {"snapshot_every_s": 0.0}
    if field in ("every_s", "snapshot_every_s"):
        changes["how"] = "never"
    keep = type(outcome.keep).model_validate({**dict(outcome.keep), **changes})
    return Outcome.model_validate({**dict(outcome), **rest, "keep": keep})


_Row = tuple[float, float, str]


def _of_clips(figures: Figures, dropped: int, now: int) -> _Row:
    """Bytes, and clips more than there are now: what was one becomes several."""
    gb, clips = figures.a_day("clip_bytes") / GB, figures.a_day("clips")
    return gb, max(0, figures.clips - now), tr("{gb:.2f} GB and {clips:.0f} clips a day", gb=gb, clips=clips)


def _of_dropping(figures: Figures, dropped: int, now: int) -> _Row:
    clips = figures.a_day("clips")
    lost = (
        trn(", {dropped} of the dropped is real", ", {dropped} of the dropped are real", dropped, dropped=dropped)
        if dropped
        else ""
    )
    return (
        clips,
        dropped,
        tr("{clips:.0f} clips a day, {brief} dropped here{lost}", clips=clips, brief=figures.brief, lost=lost),
    )


def _of_count(figures: Figures, dropped: int, now: int) -> _Row:
    clips = figures.a_day("clips")
    return clips, 0, tr("{clips:.0f} clips a day", clips=clips)


def _of_snapshots(figures: Figures, dropped: int, now: int) -> _Row:
    shots = figures.a_day("snapshots")
    return shots, 0, tr("{shots:.0f} snapshots a day", shots=shots)


def _of_messages(figures: Figures, dropped: int, now: int) -> _Row:
    messages, untold_s = figures.a_day("messages"), figures.longest_untold_s
    lost = max(0.0, untold_s - _UNTOLD_LONG_S) + figures.held_back
    return (
        messages,
        lost,
        tr(
            "{messages:.0f} messages a day, longest untold {minutes_text}",
            messages=messages,
            minutes_text=minutes_text(untold_s),
        ),
    )


_MADE: dict[str, Callable[[Figures, int, int], _Row]] = {
    "before_s": _of_clips,
    "after_s": _of_clips,
    "join_s": _of_count,
    "longest_s": _of_count,
    "drop_under_frames": _of_dropping,
    "snapshot_every_s": _of_snapshots,
    "every_s": _of_messages,
}


def minutes_text(seconds: float) -> str:
    """Minutes and seconds."""
    return tr("{seconds}:{seconds2:02d} min", seconds=int(seconds // 60), seconds2=int(seconds % 60))
