"""What a message says: a line of one's own with fields, and below it the alarms and what to do."""

from __future__ import annotations

from collections.abc import Mapping
from string import Formatter

FIELDS = ("site", "view", "items", "time", "alarms")
"""What a line may name; `alarms` is how many the message tells of."""


def check_line(line: str) -> str:
    """The line, if all its fields are known.

    Raises
    ------
    ValueError : it names an unknown field, or is no pattern.
    """
    try:
        parts = list(Formatter().parse(line))
    except ValueError as error:
        raise ValueError(f"'{line}' cannot be read ({error}); write fields as {{view}}") from error
    for _, field, spec, turn in parts:
        if field is not None and (field not in FIELDS or spec or turn):
            raise ValueError(f"'{line}' has {{{field}}}, which nobody knows; the fields are {', '.join(FIELDS)}")
    return line


def line_of(line: str, facts: Mapping[str, str]) -> str:
    """The line with its fields filled in."""
    return check_line(line).format(**{name: facts.get(name, "") for name in FIELDS})
