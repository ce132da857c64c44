"""A message as every way takes it, and the error of a way that does not take it."""

from __future__ import annotations

import uuid
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from north_hush.core.errors import HushError

TIMEOUT_S = 10.0
"""A server that has said nothing for so long is told of as one that hangs."""


class WayError(HushError):
    """A message was not taken."""


@dataclass(frozen=True)
class Picture:
    """A JPEG picture: its name and its bytes."""

    name: str
    data: bytes = field(repr=False)


@dataclass(frozen=True)
class Message:
    """What is told.

    Attributes
    ----------
    facts : the same as plain values, for machines
    key : stays the same when it is sent again, so that whoever gets it twice can tell
    opened : called, in a thread of its own, when somebody wants to see what it tells of; None where nothing can be opened
    """

    subject: str
    text: str
    pictures: tuple[Picture, ...] = ()
    facts: dict[str, Any] = field(default_factory=dict)
    key: str = field(default_factory=lambda: uuid.uuid4().hex)
    opened: Callable[[], None] | None = field(default=None, repr=False, compare=False)

    @property
    def short(self) -> str:
        """One line of at most 140 signs, for gateways to telephones."""
        line = " ".join(f"{self.subject}: {self.text}".split())
        return line if len(line) <= 140 else line[:139] + "…"
