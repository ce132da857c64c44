"""How much is found of what a recording that was made tells of things that are left and taken, and of a blind camera."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

from north_hush.core.ask.footage import ask_recording
from north_hush.core.ask.question import Kind, Question
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.sight.rules import BORN, KINDS
from north_hush.core.sight.sight import FROZEN_S, blind_of
from north_hush.core.site.model import View
from north_hush.demo.truth import Truth

TOLD_WITHIN_S = 3.0
"""So long after it began blindness is to be told; a picture that stands still 10 s later, which is what makes it one."""
_BELOW_THE_SKY = ((0.0, 0.3), (1.0, 0.3), (1.0, 1.0), (0.0, 1.0))
_NAMED: dict[Kind, str] = {"left": " leaves ", "taken": " takes "}
"""How incidents are named in which somebody leaves or takes a thing."""
_AROUND_S = 1.0


@dataclass(frozen=True)
class Seen:
    """What was to be found in some footage, how much of it was, what else was told, and how late at most."""

    to_find: int = 0
    found: int = 0
    false: int = 0
    footage_s: float = 0.0
    latest_s: float | None = None
    wrong: tuple[str, ...] = ()
    """What was missed or is false, in words."""

    def __add__(self, other: Seen) -> Seen:
        late = [held for held in (self.latest_s, other.latest_s) if held is not None]
        return Seen(
            self.to_find + other.to_find,
            self.found + other.found,
            self.false + other.false,
            self.footage_s + other.footage_s,
            max(late, default=None),
            self.wrong + other.wrong,
        )

    def row(self) -> dict[str, Any]:
        """As scripts read it."""
        return {
            "to_find": self.to_find,
            "found": self.found,
            "false": self.false,
            "hours": round(self.footage_s / 3600, 3),
            "latest_s": None if self.latest_s is None else round(self.latest_s, 1),
        }


def blindness_seen(truth: Truth, evidence: Evidence) -> Seen:
    """Blindness of the truth that is told within 3 s, one to one; all else that is told is false."""
    told = [(one.kind, one.start_us / 1e6 + BORN[one.kind].for_s) for one in blind_of(evidence)]
    told = [(kind, at_s + FROZEN_S * (kind == "frozen")) for kind, at_s in told]
    true = [(fact.kind, span[0]) for fact in truth.nuisances if fact.kind in KINDS for span in fact.spans_s]
    late, wrong = list[float](), list[str]()
    for kind, at_s in true:
        begun_s = at_s + FROZEN_S * (kind == "frozen")
        match = next((one for one in told if one[0] == kind and 0 <= one[1] - begun_s <= TOLD_WITHIN_S), None)
        if match is None:
            wrong.append(f"{kind} at {at_s:.1f} s was not found")
            continue
        told.remove(match)
        late.append(match[1] - begun_s)
    wrong += [f"{kind} at {at_s:.1f} s is false" for kind, at_s in told]
    return Seen(len(true), len(late), len(told), evidence.footage_s, max(late, default=None), tuple(wrong))


def things_seen(truth: Truth, path: Path, evidence: Evidence, view: View, evaluator: Evaluator) -> Seen:
    """Things of the truth that were left and taken, asked for below the sky, and told as the one or the other while somebody was
    there; all else that is answered is false."""
    index, whole = index_recording(Footage(path)), Seen(footage_s=evidence.footage_s)
    for kind, named in _NAMED.items():
        found = ask_recording(Question(kind, _BELOW_THE_SKY), index, evidence, view, evaluator)
        true = [held for held in truth.incidents if named in held.name]
        answers, missed = [one.start_s for one in found], list[str]()
        for held in true:
            match = next((at for at in answers if held.start_s - _AROUND_S <= at <= held.end_s + _AROUND_S), None)
            if match is None:
                missed.append(f"{held.name} at {held.start_s:.1f} s was not found")
            else:
                answers.remove(match)
        wrong = (*missed, *(f"{kind} at {at_s:.1f} s is false" for at_s in answers))
        whole += Seen(len(true), len(true) - len(missed), len(answers), wrong=wrong)
    return whole
