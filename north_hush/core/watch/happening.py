"""What cameras tell."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any


@dataclass(frozen=True)
class Happening:
    """Something that happened, at an instant in microseconds of UTC."""

    time_us: int
    what: str
    item: str = ""
    facts: dict[str, Any] = field(default_factory=dict)
