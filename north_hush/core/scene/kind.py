"""Kinds of things that move in a scene."""

from __future__ import annotations

from typing import Literal, get_args

from north_hush.core.words import tr

Kind = Literal[
    "person", "people", "two-wheeler", "vehicle", "boat", "animal", "drifting", "light", "unclear"
]  # fmt: skip
KINDS: tuple[Kind, ...] = get_args(Kind)
KIND_WORDS: dict[str, str] = {
    "person": tr("person"), "people": tr("people"), "two-wheeler": tr("two-wheeler"), "vehicle": tr("vehicle"), "boat": tr("boat"),
    "animal": tr("animal"), "drifting": tr("drifting"), "light": tr("light"), "unclear": tr("unclear"),
}  # fmt: skip


def kinds_text(kinds: tuple[Kind, ...]) -> str:
    """Some kinds in words."""
    return ", ".join(KIND_WORDS[kind] for kind in kinds)
