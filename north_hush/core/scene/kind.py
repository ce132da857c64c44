"""Kinds of things that move in a scene: those that are known, and those that somebody taught."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Annotated, Literal, Self, get_args

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, model_validator

from north_hush.core.scene.outline import Point
from north_hush.core.words import tr

Kind = Literal[
    "person", "people", "two-wheeler", "vehicle", "boat", "animal", "drifting", "light", "unclear"
]  # fmt: skip
KINDS: tuple[Kind, ...] = get_args(Kind)
KIND_WORDS: dict[str, str] = {
    "person": tr("person"), "people": tr("people"), "two-wheeler": tr("two-wheeler"), "vehicle": tr("vehicle"), "boat": tr("boat"),
    "animal": tr("animal"), "drifting": tr("drifting"), "light": tr("light"), "unclear": tr("unclear"),
}  # fmt: skip
WHO_COME: tuple[Kind, ...] = ("person", "people", "two-wheeler", "vehicle", "boat", "animal")
"""Kinds that go where they want: what drifts and light come and stay nowhere."""
_TAUGHT_ID = r"kind-[1-9][0-9]{0,3}"
TRAITS = 20
"""So many numbers tell a thing, see `follow.traits`."""


def known_kind(kind: str) -> str:
    """A kind, or the id of one that was taught.

    Raises
    ------
    ValueError : it is neither.
    """
    if kind not in KINDS and not re.fullmatch(_TAUGHT_ID, kind):
        raise ValueError(tr("'{kind}' is no kind; the kinds are {kinds}", kind=kind, kinds=", ".join(KINDS)))
    return kind


KindId = Annotated[str, AfterValidator(known_kind)]


class _Taught(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class Example(_Taught):
    """A track that somebody named, as it was each time it could be named while it was seen."""

    recording: Annotated[str, Field(min_length=1, max_length=40)]
    at_s: Annotated[float, Field(ge=0)]
    """Where it was marked, in seconds after the first frame."""
    traits: Annotated[tuple[tuple[float, ...], ...], Field(min_length=1, max_length=64)]
    """As `follow.kinds.scaled` has them."""
    feet: tuple[Point, ...]
    """Where its feet were till then, as fractions of the picture."""

    @model_validator(mode="after")
    def _whole(self) -> Self:
        if any(len(row) != TRAITS for row in self.traits):
            raise ValueError(tr("traits: each row has {count} numbers", count=TRAITS))
        if len(self.feet) != len(self.traits):
            raise ValueError(tr("feet: as many as rows of traits"))
        return self


class Taught(_Taught):
    """A kind of one's own, as "the ferry": told by its likeness to tracks that somebody named."""

    id: Annotated[str, Field(pattern=rf"^{_TAUGHT_ID}$")]
    name: Annotated[str, Field(min_length=1, max_length=40)]
    examples: Annotated[tuple[Example, ...], Field(min_length=1, max_length=100)]


def is_named(kind: str) -> bool:
    """Whether somebody knows what it is."""
    return kind != "unclear" and (kind in KINDS or re.fullmatch(_TAUGHT_ID, kind) is not None)


def kind_name(kind: str, taught: Sequence[Taught]) -> str:
    """A kind as scripts read it: the name of one that was taught, never a translation."""
    return next((held.name for held in taught if held.id == kind), kind)


def kind_word(kind: str, taught: Sequence[Taught] = ()) -> str:
    """A kind in a word; one that was taught has its name."""
    return KIND_WORDS.get(kind) or next((held.name for held in taught if held.id == kind), tr("a kind taken away"))


def kinds_text(kinds: Sequence[str], taught: Sequence[Taught] = ()) -> str:
    """Some kinds in words."""
    return ", ".join(kind_word(kind, taught) for kind in kinds)
